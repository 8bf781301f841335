#include <algorithm>

#include "book/json.h"
#include "desk/session/book_session.h"
#include "workbench/keeping/plan_keeping.h"

/// Results of the open book: which are asked for, and how they come in.
namespace lalometer {

const BookSession::Rig& BookSession::rigOf(Id rig) const {
  auto found = rigs_.find(rig);
  if (found == rigs_.end()) {
    auto calibration =
        std::make_shared<const RigCalibration>(book_->rig(rig).value_or(RigCalibration{}));
    std::string json = to_json(*calibration);
    found = rigs_.insert(rig, {std::move(calibration), std::move(json)});
  }
  return *found;
}

TakeInputs BookSession::inputsOf(const Take& take) const {
  const Rig& rig = rigOf(take.rig_id);
  TakeInputs in{.take = take,
                .rig = rig.calibration,
                .rig_json = rig.json,
                .recipe = recipe(take.subject_id, role_of(take.kind())),
                .loading = loadingOf(take.subject_id),
                .book = book_->path()};
  if (const auto alike = commonFor(take)) {
    in.recipe = alike->recipe;
    in.level = {alike->drive_v, alike->distance_m};
  }
  if (take.form != RawForm::kWorked) return in;
  in.take.conditions.worked.at_hz = joinOf(take);
  in.geometry = geometries_.value(take.subject_id);
  if (const Subject* s = subject(take.subject_id)) in.drawing = s->drawing_mark;
  for (const Id part : take.conditions.worked.takes)
    if (const Take* t = this->take(part)) in.parts.push_back(inputsOf(*t));
  // Parts keep their own level: the join brings them together.
  for (TakeInputs& part : in.parts) part.level = {};
  return in;
}

std::optional<BookSession::Common> BookSession::commonFor(const Take& take) const {
  if (!alike_ || take.kind() != TakeKind::kResponse || take.colour < 0) return std::nullopt;
  std::optional<Common> found;
  for (const Take& t : takes_) {
    if (t.colour < 0 || t.kind() != TakeKind::kResponse || !has_curve(t)) continue;
    Recipe own = recipe(t.subject_id, TakeRole::kFarField);
    // What came gated or smoothed stays so.
    if (t.conditions.gate_s > 0.0 && !has_impulse(t)) own.gate_s = t.conditions.gate_s;
    const int told = t.form == RawForm::kChartPicture ? t.conditions.chart.smoothing : 0;
    if (told > 0) own.smoothing = own.smoothing == 0 ? told : std::min(own.smoothing, told);
    const bool leads = t.id == chosen_;
    if (!found) {
      found = Common{own, t.conditions.drive_v, place_of(t).distance_m};
      continue;
    }
    found->recipe.gated = found->recipe.gated || own.gated;
    found->recipe.gate_s = std::min(found->recipe.gate_s, own.gate_s);
    if (own.smoothing > 0)
      found->recipe.smoothing = found->recipe.smoothing == 0
                                    ? own.smoothing
                                    : std::min(found->recipe.smoothing, own.smoothing);
    if (!leads) continue;
    found->drive_v = t.conditions.drive_v;
    found->distance_m = place_of(t).distance_m;
  }
  return found;
}

void BookSession::setTreatedAlike(bool alike) {
  if (alike == alike_) return;
  alike_ = alike;
  setView("treated-alike", alike ? "1" : "");
  keys_.clear();
  for (const Take& t : takes_)
    if (t.colour >= 0) follow(t);
  tellLaid();
}

std::shared_ptr<const Stand> BookSession::standOf(Id subject) const {
  // Asked for with every laid take, whenever something is told.
  const auto known = stands_.constFind(subject);
  if (known != stands_.constEnd()) return *known;
  std::string kept = document(subject, "stand");
  if (kept.empty()) kept = document(0, "stand");
  auto stand = kept.empty() ? nullptr : std::make_shared<const Stand>(stand_from_json(kept));
  return *stands_.insert(subject, std::move(stand));
}

double BookSession::joinOf(const Take& take) const {
  return join_preview_ && join_preview_->first == take.id ? join_preview_->second
                                                          : take.conditions.worked.at_hz;
}

CurveSource BookSession::curveSource(Id subject) const {
  std::map<Id, TakeInputs> inputs;
  for (const Take& t : takes_) {
    if (t.subject_id == subject && has_curve(t)) inputs.emplace(t.id, inputsOf(t));
  }
  return [store = store_, inputs = std::move(inputs)](const Take& take) -> Result<TakenCurve> {
    const auto found = inputs.find(take.id);
    if (found == inputs.end())
      return fail(ErrorCode::kNotFound, "This take has no curve.", take.name);
    return store->get(curve_node(found->second), {*store, {}, in_turn})
        .map([&](const std::shared_ptr<const Analysis>& a) {
          return TakenCurve{a->curve, found->second.rig->impedance_uncertainty_percent};
        });
  };
}

Recipe BookSession::recipe(Id subject, TakeRole role) const {
  if (!book_) return {};
  if (preview_ && preview_->subject == subject && preview_->role == role) return preview_->recipe;
  auto found = recipes_.find({subject, role});
  if (found == recipes_.end()) {
    found = recipes_
                .emplace(std::pair(subject, role),
                         book_->recipe(subject, role).value_or(usual_recipe(role)))
                .first;
  }
  return found->second;
}

const BookSession::Keys& BookSession::keysOf(const Take& take) const {
  // Each row of the shelf asks for it whenever it is painted.
  Recipe used = recipe(take.subject_id, role_of(take.kind()));
  LevelPlace level;
  if (const auto alike = commonFor(take)) {
    used = alike->recipe;
    level = {alike->drive_v, alike->distance_m};
  }
  const bool worked = take.form == RawForm::kWorked;
  const Recipe near = worked ? recipe(take.subject_id, TakeRole::kNearField) : Recipe{};
  const double at_hz = worked ? joinOf(take) : 0.0;
  const auto known = keys_.constFind(take.id);
  if (known != keys_.constEnd() && known->recipe == used && known->near == near &&
      known->at_hz == at_hz && known->level == level)
    return *known;
  const TakeInputs inputs = inputsOf(take);
  const bool impedance = take.kind() == TakeKind::kImpedance;
  return *keys_.insert(take.id, {used, near, at_hz, level,
                                 impedance ? reading_node(inputs).key : curve_node(inputs).key,
                                 miniature_node(inputs).key});
}

/// Sees to it that the results of a laid take are the ones of its inputs as they are now.
void BookSession::follow(const Take& take) {
  if (!has_curve(take) || analysing_.contains(take.id)) return;
  const std::string key = keysOf(take).curve;
  if (shown_.value(take.id).key == key || failed_keys_.contains(QString::fromStdString(key)))
    return;
  analysing_.insert(take.id);
  work_.start<Shown>(
      this, {},
      [store = store_, inputs = inputsOf(take), key](const WorkContext& context) {
        const Making making{*store, context.stop, context.parallel};
        Shown shown{key, nullptr, nullptr};
        return store->get(curve_node(inputs), making)
            .and_then([&](std::shared_ptr<const Analysis> analysis) -> Result<Shown> {
              shown.analysis = std::move(analysis);
              if (inputs.take.kind() != TakeKind::kImpedance) return shown;
              return store->get(reading_node(inputs), making)
                  .map([&](std::shared_ptr<const ImpedanceReading> reading) {
                    shown.reading = std::move(reading);
                    return shown;
                  });
            });
      },
      [this, id = take.id, key, generation = work_.generation()](Result<Shown> outcome) {
        // Of a book that is not open any more: its ids mean other takes now.
        if (generation != work_.generation()) return;
        analysing_.remove(id);
        const Take* t = this->take(id);
        if (t == nullptr || t->colour < 0) return;
        if (outcome) {
          show(id, key, std::move(*outcome));
        } else if (outcome.error().code != ErrorCode::kCancelled) {
          failed_keys_.insert(QString::fromStdString(key));
          emit failed(tr("%1 could not be analysed: %2")
                          .arg(QString::fromStdString(t->name),
                               QString::fromStdString(outcome.error().text())));
          emit resultsChanged();
        }
        // The inputs may have moved on meanwhile (a gate being dragged).
        if (const Take* now = this->take(id)) follow(*now);
      });
}

void BookSession::show(Id id, const std::string& key, Shown shown) {
  const Take* t = take(id);
  const bool dragging = (preview_ && preview_->subject == t->subject_id) || join_preview_;
  const std::string mini_key = keysOf(*t).curve == key ? keysOf(*t).miniature : std::string();
  if (!dragging && !mini_key.empty() && mini_keys_.value(id) != mini_key) {
    const std::vector<float> points = miniature(shown.analysis->curve);
    minis_.insert(id, points);
    mini_keys_.insert(id, mini_key);
    keepMiniature(mini_key, points);
    emit miniatureKnown(id);
  }
  shown_.insert(id, std::move(shown));
  emit resultsChanged();
}

void BookSession::keepMiniature(const std::string& key, const std::vector<float>& points) {
  if (book_->read_only()) return;
  work_.start<void>(
      this, {WorkKind::kWrite, WorkScope::kBook, {}},
      [writer = writer_, key, bytes = derived_bytes(points)](const WorkContext&) -> Result<void> {
        writer->run([&](Book& book) {
          book.keep_derived(key, bytes);
          return 0;
        });
        return {};
      },
      [](const Result<void>&) {});
}

std::vector<float> BookSession::miniatureOf(const Take& take) {
  if (!has_curve(take)) return {};
  const Keys& keys = keysOf(take);
  if (mini_keys_.value(take.id) == keys.miniature) return minis_.value(take.id);
  // A few at a time, for what is in view.
  constexpr qsizetype kAtOnce = 4;
  if (drawing_minis_.size() < kAtOnce && !drawing_minis_.contains(take.id) &&
      !failed_keys_.contains(QString::fromStdString(keys.miniature)))
    askMiniature(take, keys.miniature);
  return minis_.value(take.id);
}

void BookSession::askMiniature(const Take& take, const std::string& key) {
  drawing_minis_.insert(take.id);
  struct Drawn {
    std::vector<float> points;
    bool kept = false;
  };
  work_.start<Drawn>(
      this, {},
      [store = store_, inputs = inputsOf(take)](const WorkContext& context) {
        const Making making{*store, context.stop, context.parallel};
        const bool kept = !Book::read_derived(inputs.book, miniature_node(inputs).key).empty();
        return store->get(miniature_node(inputs), making)
            .map([&](const std::shared_ptr<const std::vector<float>>& points) {
              return Drawn{*points, kept};
            });
      },
      [this, id = take.id, key, generation = work_.generation()](const Result<Drawn>& drawn) {
        if (generation != work_.generation()) return;
        drawing_minis_.remove(id);
        if (drawn) {
          minis_.insert(id, drawn->points);
          mini_keys_.insert(id, key);
          if (!drawn->kept) keepMiniature(key, drawn->points);
        } else if (drawn.error().code != ErrorCode::kCancelled) {
          failed_keys_.insert(QString::fromStdString(key));
        }
        emit miniatureKnown(id);
      });
}

void BookSession::setModelsWanted(bool wanted) {
  if (wanted == models_wanted_) return;
  models_wanted_ = wanted;
  tellLaid();
  followModels();
}

std::shared_ptr<const ModelledCurves> BookSession::modelOf(Id id) const {
  const Subject* row = subject(id);
  if (row == nullptr) return nullptr;
  return store_->find<ModelledCurves>(model_node(row->description, row->name).key);
}

void BookSession::followModels() {
  if (!models_wanted_) return;
  for (const Subject& s : subjects_) {
    const bool laid = std::any_of(takes_.begin(), takes_.end(), [&](const Take& t) {
      return t.colour >= 0 && t.subject_id == s.id;
    });
    if (!laid || modelling_.contains(s.id) || cannot_model_.contains(s.id) || modelOf(s.id))
      continue;
    modelling_.insert(s.id);
    work_.start<std::shared_ptr<const ModelledCurves>>(
        this, {},
        [store = store_, node = model_node(s.description, s.name)](const WorkContext& c) {
          return store->get(node, {*store, c.stop, c.parallel});
        },
        [this, id = s.id, generation = work_.generation()](const auto& outcome) {
          if (generation != work_.generation()) return;
          modelling_.remove(id);
          // Where it is edited says why.
          if (!outcome && outcome.error().code != ErrorCode::kCancelled) cannot_model_.insert(id);
          emit resultsChanged();
        });
  }
}

}  // namespace lalometer
