#pragma once

#include <vector>

#include "acoustics/decay/decay_map.h"
#include "acoustics/impedance/estimate.h"

/// What rings on: the poles that a response shows after its first periods.
namespace lalometer {

struct Ridge {
  Estimate frequency_hz;
  Estimate decay_s;     ///< until it is 20 dB weaker
  double level_db = 0;  ///< its share of a steady tone's level at its frequency, the impulse's unit
  double share_db = 0;  ///< the same re the response around it (half an octave to each side)

  /// Q of a resonance: pi f tau, tau = decay / ln 10.
  [[nodiscard]] double q() const;
  [[nodiscard]] double decay_periods() const { return frequency_hz.value * decay_s.value; }
};

struct RidgeWish {
  double low_hz = 20.0;
  double high_hz = 20000.0;
  double least_q = 4.0;  ///< what rings less is no ridge: a box's or a crossover's own curve
  double least_share_db = -26.0;
};

/// Ridges of a decay, by frequency.
///
/// Around each place, six to an octave, the response goes through a bell of a fifth of its
/// frequency; what comes three periods after the arrival is a sum of decaying turns and little else
/// (the bell is 60 dB down there), whose poles a matrix pencil finds (Y. Hua, T. K. Sarkar, IEEE
/// Trans. ASSP 38 (1990) 814) and a least-squares fit of the same sum refines. Where there are less
/// than 25 periods the bell is wider and the start earlier.
///
/// A pole counts where it stands alike from three starts, is 8 dB louder all along than what the
/// sum leaves unexplained, and its decay is known to 10 %: a reflection or an edge's late arrival
/// is made of many turns that cancel, or hold no decay so well. Intervals come from what is left
/// after the fit.
[[nodiscard]] std::vector<Ridge> decay_ridges(const ImpulseResponse& impulse, const DecaySpan& span,
                                              const RidgeWish& wish = {});

}  // namespace lalometer
