#include "workbench/bass/worked.h"

#include <algorithm>

#include "acoustics/curves/means.h"
#include "acoustics/spectrum/smoothing.h"
#include "base/text.h"
#include "book/json.h"
#include "workbench/bass/join_study.h"

namespace lalometer {
namespace {

constexpr int kNearVersion = 1;
constexpr int kWorkedVersion = 1;

/// Unsmoothed: what is added and joined keeps all that was measured.
TakeInputs unsmoothed(TakeInputs in) {
  in.recipe.smoothing = 0;
  return in;
}

Error gone(const TakeInputs& in) {
  return {ErrorCode::kNotFound, "A take that this was worked out of is not in the book any more.",
          in.take.name};
}

/// Parts of a join, by what they are.
struct JoinParts {
  std::vector<TakeInputs> near;
  std::optional<TakeInputs> far;
};
JoinParts join_parts(const TakeInputs& in) {
  JoinParts parts;
  for (const TakeInputs& part : in.parts) {
    if (part.take.kind() == TakeKind::kNearField)
      parts.near.push_back(unsmoothed(part));
    else
      parts.far = unsmoothed(part);
  }
  return parts;
}

Analysis joined_analysis(const JoinedResponse& joined, std::shared_ptr<const NearFields> near,
                         const Analysis& far, int smoothing) {
  Analysis a{.curve = smoothed(joined.curve, smoothing),
             .origin = far.origin,
             .first_reflection_s = std::nullopt,
             .gate_s = std::nullopt,
             .calibrated = joined.calibrated,
             .notes = joined.notes};
  a.notes.insert(a.notes.end(), near->notes.begin(), near->notes.end());
  a.near = std::move(near);
  a.joined = std::make_shared<const JoinedResponse>(joined);
  return a;
}

Node<Analysis> join_node(const TakeInputs& in) {
  JoinParts parts = join_parts(in);
  const WorkedFrom& made = in.take.conditions.worked;
  const bool whole = parts.far && !parts.near.empty() && in.parts.size() == made.takes.size();
  const double listener_m = whole ? place_of(parts.far->take).distance_m : 1.0;
  auto near = near_fields_node(parts.near, in.geometry, in.drawing, listener_m, in.take.name);
  auto far = parts.far ? curve_node(*parts.far) : Node<Analysis>{};
  std::string key = node_key("worked", kWorkedVersion,
                             {made.how, shortest(made.at_hz), near.key, far.key,
                              std::to_string(in.recipe.smoothing), whole ? "whole" : "gone"});
  return {std::move(key),
          [in, parts = std::move(parts), near = std::move(near), far = std::move(far),
           whole](const Making& making) -> Result<Analysis> {
            if (!whole) return tl::unexpected(gone(in));
            const auto sum = making.store.get(near, making);
            if (!sum) return tl::unexpected(sum.error());
            const auto distant = making.store.get(far, making);
            if (!distant) return tl::unexpected(distant.error());
            const double at_hz = in.take.conditions.worked.at_hz;
            return joined_response(**sum,
                                   {&parts.far->take, &(*distant)->curve, (*distant)->calibrated},
                                   at_hz > 0.0 ? std::optional(at_hz) : std::nullopt, in.take.name)
                .map([&](const JoinedResponse& joined) {
                  return joined_analysis(joined, *sum, **distant, in.recipe.smoothing);
                });
          },
          [](const Analysis& a) { return a.curve.size() * 48; }};
}

/// Near fields alone: what they make at 1 m.
Node<Analysis> sum_node(const TakeInputs& in) {
  const JoinParts parts = join_parts(in);
  const bool whole =
      !parts.near.empty() && parts.near.size() == in.take.conditions.worked.takes.size();
  auto near = near_fields_node(parts.near, in.geometry, in.drawing, kFarAway_m, in.take.name);
  std::string key = node_key(
      "worked", kWorkedVersion,
      {"near-sum", near.key, std::to_string(in.recipe.smoothing), whole ? "whole" : "gone"});
  return {std::move(key),
          [in, near = std::move(near), whole](const Making& making) -> Result<Analysis> {
            if (!whole) return tl::unexpected(gone(in));
            return making.store.get(near, making).map([&](std::shared_ptr<const NearFields> sum) {
              const Response& made = sum->full_space ? *sum->full_space : sum->half_space;
              Analysis a{.curve = smoothed(made, in.recipe.smoothing),
                         .origin = {0.0, TimeOrigin::Source::kFile},
                         .first_reflection_s = std::nullopt,
                         .gate_s = std::nullopt,
                         .calibrated = sum->calibrated,
                         .notes = sum->notes};
              a.near = std::move(sum);
              return a;
            });
          },
          [](const Analysis& a) { return a.curve.size() * 24; }};
}

/// Brought to the drive and the distance of the first.
Response alike(const Response& curve, const Take& of, const Take& first) {
  const double factor = first.conditions.drive_v / of.conditions.drive_v * place_of(of).distance_m /
                        place_of(first).distance_m;
  if (factor == 1.0) return curve;
  std::vector<std::complex<double>> values = curve.values();
  for (auto& value : values) value *= factor;
  return Response::make(curve.axis(), std::move(values), curve.quantity(), curve.valid(),
                        curve.has_phase())
      ->with_spread(curve.spread());
}

Node<Analysis> mean_node(const TakeInputs& in) {
  std::vector<Node<Analysis>> parts;
  std::vector<std::string> inputs = {in.take.conditions.worked.how,
                                     std::to_string(in.recipe.smoothing)};
  for (const TakeInputs& part : in.parts) {
    parts.push_back(curve_node(unsmoothed(part)));
    inputs.push_back(parts.back().key);
  }
  const bool whole = in.parts.size() == in.take.conditions.worked.takes.size();
  inputs.emplace_back(whole ? "whole" : "gone");
  return {node_key("worked", kWorkedVersion, inputs),
          [in, parts = std::move(parts), whole](const Making& making) -> Result<Analysis> {
            if (!whole) return tl::unexpected(gone(in));
            std::vector<Response> curves;
            bool calibrated = true;
            bool common = true;
            bool moved = false;
            for (std::size_t i = 0; i < parts.size(); ++i) {
              const auto part = making.store.get(parts[i], making);
              if (!part) return tl::unexpected(part.error());
              calibrated = calibrated && (*part)->calibrated;
              common = common && (is_common_time((*part)->origin) ||
                                  (*part)->origin.source == TimeOrigin::Source::kFile);
              const Take& first = in.parts.front().take;
              const Take& own = in.parts[i].take;
              moved = moved || own.conditions.drive_v != first.conditions.drive_v ||
                      place_of(own).distance_m != place_of(first).distance_m;
              curves.push_back(alike((*part)->curve, own, first));
            }
            const bool complex = in.take.conditions.worked.how == "complex-mean";
            if (complex && !common)
              return bad_input(
                  "These takes have no time in common: only their power can be averaged.",
                  in.take.name);
            return mean_of(curves, complex ? MeanHow::kComplex : MeanHow::kPower)
                .map([&](const Response& mean) {
                  Analysis a{.curve = smoothed(mean, in.recipe.smoothing),
                             .origin = {0.0, TimeOrigin::Source::kFile},
                             .first_reflection_s = std::nullopt,
                             .gate_s = std::nullopt,
                             .calibrated = calibrated,
                             .notes = {}};
                  if (moved)
                    a.notes.emplace_back(
                        "The takes were brought to the drive and the distance of the first.");
                  return a;
                });
          },
          [](const Analysis& a) { return a.curve.size() * 24; }};
}

}  // namespace

Node<NearFields> near_fields_node(const std::vector<TakeInputs>& near,
                                  const std::shared_ptr<const SubjectGeometry>& drawn,
                                  const std::string& drawing, double listener_m,
                                  const std::string& where) {
  std::vector<std::string> inputs = {drawing, shortest(listener_m)};
  std::vector<Node<Analysis>> curves;
  for (const TakeInputs& part : near) {
    curves.push_back(curve_node(part));
    inputs.push_back(curves.back().key);
  }
  return {node_key("near-fields", kNearVersion, inputs),
          [near, drawn, curves = std::move(curves), listener_m,
           where](const Making& making) -> Result<NearFields> {
            if (!drawn)
              return bad_input(
                  "The areas of the parts are needed: draw the subject, or give its sizes.", where);
            std::vector<std::optional<Result<std::shared_ptr<const Analysis>>>> made(near.size());
            making.parallel(near.size(), [&](std::size_t i) {
              made[i] = making.store.get(curves[i], Making{making.store, making.stop});
            });
            std::vector<std::shared_ptr<const Analysis>> held;
            std::vector<NearTake> takes;
            for (std::size_t i = 0; i < near.size(); ++i) {
              if (!*made[i]) return tl::unexpected(made[i]->error());
              held.push_back(**made[i]);
              takes.push_back({&near[i].take, &held.back()->curve, held.back()->origin,
                               held.back()->calibrated,
                               held.back()->noise ? &*held.back()->noise : nullptr});
            }
            return near_fields_of(*drawn, takes, where, making.stop, listener_m);
          },
          [](const NearFields& n) { return n.sum.size() * (8 * 24 + n.parts.size() * 24); }};
}

Node<Analysis> worked_node(const TakeInputs& in) {
  const std::string& how = in.take.conditions.worked.how;
  return how == "join" ? join_node(in) : how == "near-sum" ? sum_node(in) : mean_node(in);
}

Result<Take> worked_take(const std::string& how, const std::vector<Take>& of) {
  const Take* near = nullptr;
  const Take* far = nullptr;
  for (const Take& take : of) {
    if (!is_pressure(take) || !is_measured(take))
      return bad_input("Only measured responses and near fields can be worked together.",
                       take.name);
    if (take.subject_id != of.front().subject_id || take.variant_id != of.front().variant_id)
      return bad_input("These takes are not all of one variant.", take.name);
    if (take.kind() == TakeKind::kNearField) {
      near = &take;
    } else {
      if (how == "join" && far != nullptr)
        return bad_input("A join takes one far field; two were chosen.", take.name);
      far = &take;
    }
  }
  Take made;
  if (how == "join") {
    if (near == nullptr || far == nullptr)
      return bad_input("Choose the near fields of all parts and one far field on the axis.", "");
    const Placement place = place_of(*far);
    if (place.horizontal_deg != 0.0 || place.vertical_deg != 0.0)
      return bad_input("The near field joins a far field on the axis.", far->name);
    made.name = "Joined, " + far->name;
    FarFieldSetup setup;
    setup.condition = condition_of(*far);
    made.setup = setup;
    made.conditions.drive_v = far->conditions.drive_v;
    made.conditions.temperature_c = far->conditions.temperature_c;
    made.conditions.sample = far->conditions.sample;
    made.conditions.driver = far->conditions.driver;
  } else if (how == "near-sum") {
    if (near == nullptr || far != nullptr)
      return bad_input("Choose the near fields of all parts, and nothing else.", "");
    made.name = "Near fields, sum";
    made.setup = FarFieldSetup{};
    made.conditions.drive_v = near->conditions.drive_v;
    made.conditions.temperature_c = near->conditions.temperature_c;
    made.conditions.sample = near->conditions.sample;
  } else {
    if (of.size() < 2) return bad_input("A mean needs at least two takes.", "");
    made.name = fmt::format("Mean of {}, {}", of.size(), of.front().name);
    made.setup = of.front().setup;
    made.conditions.drive_v = of.front().conditions.drive_v;
    made.conditions.temperature_c = of.front().conditions.temperature_c;
    made.conditions.driver = of.front().conditions.driver;
  }
  made.subject_id = of.front().subject_id;
  made.variant_id = of.front().variant_id;
  made.form = RawForm::kWorked;
  made.conditions.worked.how = how;
  for (const Take& take : of) made.conditions.worked.takes.push_back(take.id);
  made.taken_at = utc_now();
  return made;
}

Result<TakeInputs> inputs_from(const Book& book, const Take& take) {
  TakeInputs in;
  in.take = take;
  const auto rig = book.rig(take.rig_id);
  if (!rig) return tl::unexpected(rig.error());
  in.rig = std::make_shared<const RigCalibration>(*rig);
  in.rig_json = to_json(*rig);
  const auto recipe = book.recipe(take.subject_id, role_of(take.kind()));
  if (!recipe) return tl::unexpected(recipe.error());
  in.recipe = *recipe;
  in.book = book.path();
  const auto subjects = book.subjects();
  if (!subjects) return tl::unexpected(subjects.error());
  for (const Subject& s : *subjects) {
    if (s.id != take.subject_id) continue;
    in.loading = s.description.loading;
    in.drawing = s.drawing_mark;
    if (auto drawn = geometry_of(s.description, s.name))
      in.geometry = std::make_shared<const SubjectGeometry>(*std::move(drawn));
  }
  if (take.conditions.worked.takes.empty()) return in;
  const auto takes = book.takes();
  if (!takes) return tl::unexpected(takes.error());
  for (const Id id : take.conditions.worked.takes) {
    const auto part =
        std::find_if(takes->begin(), takes->end(), [id](const Take& t) { return t.id == id; });
    if (part == takes->end()) continue;  // the node says that it is gone
    auto own = inputs_from(book, *part);
    if (!own) return tl::unexpected(own.error());
    in.parts.push_back(*std::move(own));
  }
  return in;
}

Result<Analysis> analysis_from(const Book& book, const Take& take, const std::stop_token& stop) {
  return inputs_from(book, take).and_then([&](const TakeInputs& in) -> Result<Analysis> {
    constexpr std::size_t kLimit_bytes = 64U * 1024U * 1024U;
    ResultStore store(kLimit_bytes);
    const auto found = store.get(curve_node(in), Making{store, stop});
    if (!found) return tl::unexpected(found.error());
    return **found;
  });
}

}  // namespace lalometer
