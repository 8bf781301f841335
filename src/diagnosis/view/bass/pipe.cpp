#include "diagnosis/view/bass/pipe.h"

#include <algorithm>
#include <cmath>

#include "acoustics/enclosure/port.h"
#include "base/constants.h"

namespace lalometer {

std::vector<double> heard_pipes_hz(const CaseView& v) {
  constexpr double kHeard_db = 2.0;
  constexpr double kAbout = 0.12;  // of the drawing's pipe
  std::vector<double> heard;
  for (const CasePort& p : v.material->subject.ports) {
    const double pipe = pipe_resonance_hz(p.geometry, kSpeedOfSound20_m_s);
    for (const SeenFeature& f : v.features)
      if (f.feature.height_db >= kHeard_db && std::abs(std::log(f.at_hz / pipe)) <= kAbout)
        heard.push_back(f.at_hz);
  }
  return heard;
}

bool beside_heard_pipe(const CaseView& v, double hz) {
  constexpr double kBeside = 0.29;
  const std::vector<double> heard = heard_pipes_hz(v);
  return std::any_of(heard.begin(), heard.end(),
                     [&](double pipe) { return std::abs(std::log(hz / pipe)) < kBeside; });
}

}  // namespace lalometer
