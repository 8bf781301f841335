#include "desk/book_session.h"

#include <QFutureWatcher>
#include <QThreadPool>
#include <QtConcurrent>
#include <cstring>

#include "desk/background.h"
#include "desk/theme.h"

namespace lalometer {

/// What a worker hands back. The key says for which inputs it holds.
struct BookSession::Outcome {
  Id take_id = 0;
  QString key;
  Result<Analysis> analysis = fail(ErrorCode::kCancelled, "");
  std::shared_ptr<const ImpulseStage> stage;
  std::shared_ptr<const ImpedanceReading> reading;
};

namespace {

std::shared_ptr<const ImpedanceReading> read_as(const Analysis& analysis, const Take& take,
                                                const std::string& loading) {
  const auto role = impedance_role(take.conditions.condition, loading);
  return std::make_shared<const ImpedanceReading>(
      read_impedance(analysis.curve, role.value_or(guessed_role(analysis.curve))));
}

}  // namespace

BookSession::BookSession(QObject* parent) : QObject(parent) {}

BookSession::~BookSession() {
  stopWork();
}

void BookSession::stopWork() {
  stop_.request_stop();
  QThreadPool::globalInstance()->waitForDone();
  stop_ = std::stop_source();
  running_.clear();
}

BookSession::Together::~Together() {
  if (--session_.together_ > 0) return;
  if (std::exchange(session_.rows_untold_, false)) emit session_.rowsChanged();
  if (std::exchange(session_.laid_untold_, false)) emit session_.laidChanged();
}

void BookSession::tellRows() {
  rows_untold_ = together_ > 0;
  if (together_ == 0) emit rowsChanged();
}

void BookSession::tellLaid() {
  laid_untold_ = together_ > 0;
  if (together_ == 0) emit laidChanged();
}

Result<void> BookSession::open(const std::filesystem::path& path) {
  return Book::open(path).map([this](Book&& book) { adopt(std::move(book)); });
}

Result<void> BookSession::create(const std::filesystem::path& path) {
  return Book::create(path).map([this](Book&& book) { adopt(std::move(book)); });
}

void BookSession::adopt(Book book) {
  stopWork();
  subjects_.clear();
  geometries_.clear();
  loadings_.clear();
  book_ = std::move(book);
  results_.clear();
  stages_.clear();
  readings_.clear();
  miniatures_.clear();
  wanted_miniatures_.clear();
  failed_.clear();
  preview_.reset();
  chosen_ = 0;
  reload();
}

void BookSession::reload() {
  rigs_.clear();
  recipes_.clear();
  keys_.clear();
  const auto subjects = book_->subjects();
  const auto takes = book_->takes();
  if (!subjects || !takes) {
    emit failed(QString::fromStdString((subjects ? takes.error() : subjects.error()).text()));
    return;
  }
  const std::vector<Subject> before = std::exchange(subjects_, *subjects);
  takes_ = *takes;
  variants_.clear();
  for (const Subject& subject : subjects_) {
    if (const auto variants = book_->variants(subject.id))
      variants_.insert(variants_.end(), variants->begin(), variants->end());
  }
  for (const Subject& subject : subjects_) {
    const auto as_before = std::find_if(before.begin(), before.end(), [&](const Subject& s) {
      return s.id == subject.id && s.name == subject.name &&
             s.description_json == subject.description_json;
    });
    if (as_before != before.end() && geometries_.contains(subject.id)) continue;
    // A description that cannot be right foretells nothing; where it is edited says why.
    auto geometry = geometry_of(subject.description_json, subject.name);
    loadings_.insert(subject.id, loading_of(subject.description_json));
    geometries_.insert(
        subject.id,
        geometry ? std::make_shared<const SubjectGeometry>(std::move(*geometry)) : nullptr);
  }
  take_index_.clear();
  for (std::size_t i = 0; i < takes_.size(); ++i)
    take_index_.insert(takes_[i].id, static_cast<qsizetype>(i));
  if (take(chosen_) == nullptr) {
    chosen_ = 0;
    // A response first: its gate and level are what most people look at.
    for (const Take& t : takes_) {
      if (t.colour >= 0 && (chosen_ == 0 || (has_impulse(t) && !has_impulse(*take(chosen_)))))
        chosen_ = t.id;
    }
  }
  tellRows();
  tellLaid();
  for (const Take& t : takes_) {
    if (t.colour >= 0) startWork(t);
  }
}

const Take* BookSession::take(Id id) const {
  const auto found = take_index_.constFind(id);
  return found == take_index_.constEnd() ? nullptr : &takes_[static_cast<std::size_t>(*found)];
}

const Subject* BookSession::subject(Id id) const {
  const auto found = std::find_if(subjects_.begin(), subjects_.end(),
                                  [id](const Subject& s) { return s.id == id; });
  return found == subjects_.end() ? nullptr : &*found;
}

const Variant* BookSession::variant(Id id) const {
  const auto found = std::find_if(variants_.begin(), variants_.end(),
                                  [id](const Variant& v) { return v.id == id; });
  return found == variants_.end() ? nullptr : &*found;
}

void BookSession::chooseTake(Id id) {
  if (chosen_ == id) return;
  chosen_ = id;
  tellLaid();
}

Id BookSession::chosenSubject() const {
  if (const Take* chosen = take(chosen_)) return chosen->subject_id;
  return subjects_.empty() ? 0 : subjects_.front().id;
}

void BookSession::setLaid(Id id, bool laid) {
  const auto found = take_index_.constFind(id);
  if (found == take_index_.constEnd()) return;
  Take& take = takes_[static_cast<std::size_t>(*found)];
  if ((take.colour >= 0) == laid) return;
  int colour = -1;
  if (laid) {
    QSet<int> used;
    for (const Take& t : takes_) used.insert(t.colour);
    for (colour = 0; used.contains(colour); ++colour) {
    }
  }
  take.colour = colour;
  if (!book_->read_only()) {
    if (auto kept = book_->set_colour(id, colour); !kept)
      emit failed(QString::fromStdString(kept.error().text()));
  }
  if (laid) {
    chosen_ = id;
    startWork(take);
  } else {
    results_.remove(id);
    stages_.remove(id);
    readings_.remove(id);
    if (chosen_ == id) chosen_ = 0;
  }
  tellLaid();
}

std::vector<LaidTake> BookSession::laid() const {
  std::vector<LaidTake> all;
  for (const Take& t : takes_) {
    if (t.colour < 0) continue;
    const Variant* v = variant(t.variant_id);
    const auto result = results_.constFind(t.id);
    all.push_back({t, v == nullptr ? std::string() : v->name,
                   result == results_.constEnd() ? nullptr : result->second,
                   geometries_.value(t.subject_id),
                   models_wanted_ ? modelOf(t.subject_id) : nullptr, readings_.value(t.id)});
  }
  std::sort(all.begin(), all.end(),
            [](const LaidTake& a, const LaidTake& b) { return a.take.colour < b.take.colour; });
  return all;
}

void BookSession::setModelsWanted(bool wanted) {
  if (wanted == models_wanted_) return;
  models_wanted_ = wanted;
  tellLaid();
}

std::shared_ptr<const ModelledCurves> BookSession::modelOf(Id id) const {
  const Subject* row = subject(id);
  if (row == nullptr) return nullptr;
  const auto found = models_.constFind(id);
  if (found != models_.constEnd() && found->first == row->description_json) return found->second;
  // Some tens of milliseconds, once per change of a drawing.
  auto curves = modelled_curves(row->description_json, row->name);
  auto shared = curves ? std::make_shared<const ModelledCurves>(std::move(*curves)) : nullptr;
  models_.insert(id, {row->description_json, shared});
  return shared;
}

CurveSource BookSession::curveSource(Id subject) const {
  std::vector<std::pair<Id, RigCalibration>> rigs;
  for (const Take& t : takes_) {
    const bool known = std::any_of(rigs.begin(), rigs.end(),
                                   [&](const auto& one) { return one.first == t.rig_id; });
    if (t.subject_id == subject && !known) rigs.emplace_back(t.rig_id, rigOf(t.rig_id));
  }
  return book_curves(book_->path(), std::move(rigs), recipe(subject));
}

const RigCalibration& BookSession::rigOf(Id rig) const {
  auto found = rigs_.find(rig);
  if (found == rigs_.end()) found = rigs_.insert(rig, book_->rig(rig).value_or(RigCalibration{}));
  return *found;
}

Recipe BookSession::recipe(Id subject) const {
  if (!book_) return {};
  if (preview_ && preview_->first == subject) return preview_->second;
  auto found = recipes_.find(subject);
  if (found == recipes_.end())
    found = recipes_.insert(subject, book_->recipe(subject).value_or(Recipe{}));
  return *found;
}

QString BookSession::keyOf(const Take& take) const {
  // Each row of the shelf asks for it whenever it is painted.
  const Recipe used = recipe(take.subject_id);
  const auto known = keys_.constFind(take.id);
  if (known != keys_.constEnd() && known->first == used) return known->second;
  QString key = QString::fromStdString(analysis_key(take, rigOf(take.rig_id), used));
  // How an impedance is read depends on what box its subject is.
  if (take.kind == TakeKind::kImpedance)
    key += QString::fromStdString(" " + loadingOf(take.subject_id));
  keys_.insert(take.id, {used, key});
  return key;
}

std::vector<float> BookSession::miniatureOf(const Take& take) {
  const QString key = keyOf(take);
  const auto known = miniatures_.constFind(key);
  if (known != miniatures_.constEnd()) return *known;
  const std::vector<std::byte> bytes = book_->derived("miniature " + key.toStdString());
  std::vector<float> points(bytes.size() / sizeof(float));
  if (!points.empty()) {
    std::memcpy(points.data(), bytes.data(), points.size() * sizeof(float));
    miniatures_.insert(key, points);
    return points;
  }
  // Worked out in the background, a few at a time, for what is in view.
  if (!running_.contains(take.id) && !failed_.contains(take.id) && running_.size() < 4) {
    wanted_miniatures_.insert(take.id);
    startWork(take);
  }
  return {};
}

void BookSession::startWork(const Take& take) {
  if (running_.contains(take.id)) return;
  const QString key = keyOf(take);
  const auto have = results_.constFind(take.id);
  if (have != results_.constEnd() && have->first == key) return;
  running_.insert(take.id);

  struct Snapshot {
    Take take;
    RigCalibration rig;
    Recipe recipe;
    std::filesystem::path path;
    std::shared_ptr<const ImpulseStage> stage;
    QString key;
    std::string loading;
  };
  const Snapshot snapshot{take,
                          rigOf(take.rig_id),
                          recipe(take.subject_id),
                          book_->path(),
                          stages_.value(take.id),
                          key,
                          loadingOf(take.subject_id)};
  auto* watcher = new QFutureWatcher<std::shared_ptr<Outcome>>(this);
  connect(watcher, &QFutureWatcherBase::finished, this, [this, watcher] {
    watcher->deleteLater();
    receive(watcher->result());
  });
  watcher->setFuture(QtConcurrent::run([snapshot, token = stop_.get_token()] {
    yield_to_window();
    auto outcome = std::make_shared<Outcome>();
    outcome->take_id = snapshot.take.id;
    outcome->key = snapshot.key;
    outcome->stage = snapshot.stage;
    if (!outcome->stage) {
      auto raw = Book::read_raw(snapshot.path, snapshot.take.raw_hash);
      if (!raw) {
        outcome->analysis = tl::unexpected(raw.error());
        return outcome;
      }
      const AnalysisInput input{snapshot.take, std::move(*raw), snapshot.rig, snapshot.recipe};
      if (!has_impulse(snapshot.take)) {
        outcome->analysis = analysed(input, token);
        if (outcome->analysis && snapshot.take.kind == TakeKind::kImpedance)
          outcome->reading = read_as(*outcome->analysis, snapshot.take, snapshot.loading);
        return outcome;
      }
      auto stage = impulse_stage(input, token);
      if (!stage) {
        outcome->analysis = tl::unexpected(stage.error());
        return outcome;
      }
      outcome->stage = std::make_shared<const ImpulseStage>(std::move(*stage));
    }
    outcome->analysis = curve_stage(*outcome->stage, snapshot.recipe);
    return outcome;
  }));
}

void BookSession::receive(const std::shared_ptr<Outcome>& outcome) {
  running_.remove(outcome->take_id);
  const Take* t = take(outcome->take_id);
  if (t == nullptr) return;
  if (!outcome->analysis) {
    if (outcome->analysis.error().code != ErrorCode::kCancelled) {
      failed_.insert(t->id);
      emit failed(tr("%1 could not be worked out: %2")
                      .arg(QString::fromStdString(t->name),
                           QString::fromStdString(outcome->analysis.error().text())));
    }
    return;
  }
  auto analysis = std::make_shared<const Analysis>(std::move(*outcome->analysis));
  const bool dragging = preview_ && preview_->first == t->subject_id;
  if (!dragging && !miniatures_.contains(outcome->key)) {
    const std::vector<float> points = miniature(analysis->curve);
    miniatures_.insert(outcome->key, points);
    book_->keep_derived("miniature " + outcome->key.toStdString(),
                        std::as_bytes(std::span(points)));
    emit miniatureKnown(t->id);
  }
  wanted_miniatures_.remove(t->id);
  if (t->colour < 0) return;
  if (outcome->stage) stages_.insert(t->id, outcome->stage);
  if (outcome->reading) readings_.insert(t->id, outcome->reading);
  results_.insert(t->id, {outcome->key, analysis});
  emit resultsChanged();
  // The inputs may have moved on while the worker was busy (a gate being dragged): then the newest
  // are next.
  startWork(*t);
}

void BookSession::previewRecipe(Id subject, const Recipe& recipe) {
  preview_ = {subject, recipe};
  followRecipe(subject);
}

void BookSession::followRecipe(Id subject) {
  for (const Take& t : takes_) {
    if (t.colour >= 0 && t.subject_id == subject) startWork(t);
  }
}

void BookSession::commitRecipe(Id subject, const Recipe& recipe) {
  preview_.reset();
  if (this->recipe(subject) == recipe) {
    followRecipe(subject);  // dragged and put back: the curves follow, nothing is kept
  } else {
    apply(book_->set_recipe(subject, recipe));
  }
}

void BookSession::apply(const Result<void>& outcome) {
  if (!outcome) emit failed(QString::fromStdString(outcome.error().text()));
  reload();
}

void BookSession::undo() {
  apply(book_->undo());
}
void BookSession::redo() {
  apply(book_->redo());
}

}  // namespace lalometer
