#include "workbench/results/take_results.h"

#include <cmath>
#include <cstring>

#include "book/description/description_text.h"
#include "book/json.h"
#include "workbench/bass/worked.h"

namespace lalometer {
namespace {

// Raised whenever the same inputs give another result.
constexpr int kImpulseVersion = 4;
constexpr int kCurveVersion = 3;
constexpr int kReadingVersion = 2;
constexpr int kMiniatureVersion = 1;
constexpr int kModelVersion = 1;

/// What the raw data and how they were taken say, without the recipe.
std::vector<std::string> source_of(const TakeInputs& in) {
  const Take& t = in.take;
  return {t.raw_hash,
          kind_word(t.setup),
          to_json(t.setup),
          std::string(word_of(t.form)),
          fmt::format("{}", t.sample_rate_hz),
          to_json(t.conditions),
          in.rig_json};
}

std::size_t bytes_of(const Response& curve) {
  return curve.size() * 24;
}

}  // namespace

Result<AnalysisInput> loaded(const TakeInputs& in) {
  return Book::read_raw(in.book, in.take.raw_hash).map([&](std::vector<std::byte>&& raw) {
    return AnalysisInput{in.take, std::move(raw), *in.rig, in.recipe};
  });
}

Node<ImpulseStage> impulse_node(const TakeInputs& in) {
  return {node_key("impulse", kImpulseVersion, source_of(in)),
          [in](const Making& making) {
            return loaded(in).and_then(
                [&](const AnalysisInput& input) { return impulse_stage(input, making.stop); });
          },
          [](const ImpulseStage& s) {
            return (s.impulse->samples.size() + s.uncut->samples.size()) * sizeof(double);
          }};
}

namespace {

Analysis brought_to(const Analysis& as_taken, double factor) {
  Analysis a = as_taken;
  std::vector<std::complex<double>> values = a.curve.values();
  for (auto& value : values) value *= factor;
  a.curve = Response::make(a.curve.axis(), std::move(values), a.curve.quantity(), a.curve.valid(),
                           a.curve.has_phase())
                ->with_spread(a.curve.spread())
                .with_flight(a.curve.flight_s());
  return a;
}

/// The same curve at another drive and distance.
Node<Analysis> levelled_node(const TakeInputs& in) {
  TakeInputs plain = in;
  plain.level = {};
  const double factor = in.level.drive_v / in.take.conditions.drive_v *
                        place_of(in.take).distance_m / in.level.distance_m;
  Node<Analysis> own = curve_node(plain);
  if (std::abs(factor - 1.0) < 1e-9) return own;
  std::string key = node_key("levelled", kCurveVersion, {own.key, fmt::format("{}", factor)});
  return {std::move(key),
          [own = std::move(own), factor](const Making& making) {
            return making.store.get(own, making).map([&](const std::shared_ptr<const Analysis>& a) {
              return brought_to(*a, factor);
            });
          },
          [](const Analysis& a) { return bytes_of(a.curve); }};
}

}  // namespace

Node<Analysis> curve_node(const TakeInputs& in) {
  if (in.level.drive_v > 0.0 && in.level.distance_m > 0.0) return levelled_node(in);
  if (in.take.form == RawForm::kWorked) return worked_node(in);
  if (!has_impulse(in.take)) {
    std::vector<std::string> inputs = source_of(in);
    // Recorded impedances have no recipe; text is smoothed by it.
    inputs.push_back(to_json(in.recipe));
    return {node_key("curve", kCurveVersion, inputs),
            [in](const Making& making) {
              return loaded(in).and_then(
                  [&](const AnalysisInput& input) { return analysed(input, making.stop); });
            },
            [](const Analysis& a) { return bytes_of(a.curve); }};
  }
  Node<ImpulseStage> impulse = impulse_node(in);
  std::string key = node_key("curve", kCurveVersion, {impulse.key, to_json(in.recipe)});
  return {std::move(key),
          [impulse = std::move(impulse), recipe = in.recipe](const Making& making) {
            return making.store.get(impulse, making)
                .map([&](const std::shared_ptr<const ImpulseStage>& stage) {
                  return curve_stage(*stage, recipe);
                });
          },
          // The impulse response is shared with its own node.
          [](const Analysis& a) { return bytes_of(a.curve); }};
}

Node<ImpedanceReading> reading_node(const TakeInputs& in) {
  Node<Analysis> curve = curve_node(in);
  std::string key =
      node_key("reading", kReadingVersion, {curve.key, condition_of(in.take), in.loading});
  return {std::move(key),
          [curve = std::move(curve), condition = condition_of(in.take), loading = in.loading,
           calibration_percent = in.rig->impedance_uncertainty_percent](const Making& making) {
            return making.store.get(curve, making)
                .map([&](const std::shared_ptr<const Analysis>& analysis) {
                  const auto role = impedance_role(condition, loading);
                  return read_impedance(analysis->curve,
                                        role.value_or(guessed_role(analysis->curve)), {},
                                        calibration_percent);
                });
          },
          [](const ImpedanceReading&) { return std::size_t{4096}; }};
}

std::string derived_key(const Node<std::vector<float>>& node) {
  return node.key;
}

std::vector<std::byte> derived_bytes(const std::vector<float>& points) {
  const auto bytes = std::as_bytes(std::span(points));
  return {bytes.begin(), bytes.end()};
}

Node<std::vector<float>> miniature_node(const TakeInputs& in) {
  Node<Analysis> curve = curve_node(in);
  std::string key = node_key("miniature", kMiniatureVersion, {curve.key});
  return {
      key,
      [curve = std::move(curve), key,
       book = in.book](const Making& making) -> Result<std::vector<float>> {
        const std::vector<std::byte> kept = Book::read_derived(book, key);
        if (!kept.empty() && kept.size() % sizeof(float) == 0) {
          std::vector<float> points(kept.size() / sizeof(float));
          std::memcpy(points.data(), kept.data(), kept.size());
          return points;
        }
        return making.store.get(curve, making).map([](const std::shared_ptr<const Analysis>& a) {
          return miniature(a->curve);
        });
      },
      [](const std::vector<float>& points) { return points.size() * sizeof(float); }};
}

Node<ModelledCurves> model_node(const Description& description, const std::string& name) {
  return {node_key("model", kModelVersion, {to_json(description), name}),
          [description, name](const Making&) { return modelled_curves(description, name); },
          [](const ModelledCurves& m) {
            return m.frequency_hz.size() * sizeof(double) * (4 + m.edges.size());
          }};
}

}  // namespace lalometer
