#include "desk/session/book_session.h"

#include <algorithm>

#include "book/json.h"

namespace lalometer {
namespace {

/// Impulse responses of a hundred takes; older ones are made again from the raw data.
constexpr std::size_t kResultsLimit_bytes = 400U * 1024U * 1024U;
/// Heights of lanes and colours are kept when the hand rests.
constexpr int kViewRest_ms = 250;

}  // namespace

BookSession::BookSession(Work& work, QObject* parent)
    : QObject(parent),
      work_(work),
      angles_(*this, work),
      time_(*this, work),
      case_(*this, work),
      store_(std::make_shared<ResultStore>(kResultsLimit_bytes)) {
  view_timer_.setSingleShot(true);
  view_timer_.setInterval(kViewRest_ms);
  connect(&view_timer_, &QTimer::timeout, this, &BookSession::flushView);
}

BookSession::~BookSession() = default;

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
  auto book = Book::open(path);
  if (!book) return tl::unexpected(book.error());
  // A second connection: reading never waits for a write.
  auto for_writing = Book::open(path);
  if (!for_writing) return tl::unexpected(for_writing.error());
  log_line(LogWeight::kEvent, "book opened: " + path.string());
  adopt(std::move(*book), std::move(*for_writing));
  return {};
}

Result<void> BookSession::create(const std::filesystem::path& path) {
  if (auto made = Book::create(path); !made) return tl::unexpected(made.error());
  return open(path);
}

void BookSession::adopt(Book book, Book for_writing) {
  flushView();
  work_.newGeneration();
  subjects_.clear();
  geometries_.clear();
  loadings_.clear();
  book_ = std::move(book);
  writer_ = std::make_shared<BookWriter>(std::move(for_writing));
  shown_.clear();
  minis_.clear();
  mini_keys_.clear();
  analysing_.clear();
  drawing_minis_.clear();
  failed_keys_.clear();
  modelling_.clear();
  cannot_model_.clear();
  pending_documents_.clear();
  pending_colours_.clear();
  pending_view_.clear();
  writing_view_.clear();
  writing_colours_.clear();
  view_writes_ = 0;
  edits_ = 0;
  preview_.reset();
  join_preview_.reset();
  chosen_ = 0;
  {
    const Together together(*this);
    alike_ = book_->view("treated-alike") == "1";
    angles_.restart();
    time_.restart();
    case_.restart();
    reload();
    // Opened for the first time: something is laid, so that there is something to see.
    const bool looked_at =
        !book_->view("lanes").empty() ||
        std::any_of(takes_.begin(), takes_.end(), [](const Take& t) { return t.colour >= 0; });
    if (!looked_at && !takes_.empty()) setLaid(telling_takes(takes_), true);
    emit bookChanged();
  }
}

void BookSession::reload() {
  rigs_.clear();
  recipes_.clear();
  keys_.clear();
  stands_.clear();
  seen_changes_ = book_->foreign_changes();
  const auto subjects = book_->subjects();
  const auto takes = book_->takes();
  if (!subjects || !takes) {
    emit failed(QString::fromStdString((subjects ? takes.error() : subjects.error()).text()));
    return;
  }
  const std::vector<Subject> before = std::exchange(subjects_, *subjects);
  takes_ = *takes;
  groups_ = book_->groups().value_or(std::vector<TakeGroup>{});
  for (const auto& colours : {writing_colours_, pending_colours_}) {
    for (Take& t : takes_) {
      if (const auto colour = colours.find(t.id); colour != colours.end())
        t.colour = colour->second;
    }
  }
  variants_.clear();
  for (const Subject& subject : subjects_) {
    if (const auto variants = book_->variants(subject.id))
      variants_.insert(variants_.end(), variants->begin(), variants->end());
  }
  for (const Subject& subject : subjects_) {
    const auto as_before = std::find_if(before.begin(), before.end(), [&](const Subject& s) {
      return s.id == subject.id && s.name == subject.name && s.drawing_mark == subject.drawing_mark;
    });
    if (as_before != before.end() && geometries_.contains(subject.id)) continue;
    // A description that cannot be right predicts nothing; where it is edited says why.
    auto geometry = geometry_of(subject.description, subject.name);
    loadings_.insert(subject.id, subject.description.loading);
    geometries_.insert(
        subject.id,
        geometry ? std::make_shared<const SubjectGeometry>(std::move(*geometry)) : nullptr);
    cannot_model_.remove(subject.id);
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
  const QList<Id> shown = shown_.keys();
  for (const Id id : shown) {
    const Take* t = take(id);
    if (t == nullptr || t->colour < 0) shown_.remove(id);
  }
  tellRows();
  tellLaid();
  for (const Take& t : takes_) {
    if (t.colour >= 0) follow(t);
  }
  followModels();
  angles_.follow();
}

void BookSession::followForeignChanges() {
  if (!isOpen() || edits_ > 0) return;
  const std::int64_t changes = book_->foreign_changes();
  if (changes != seen_changes_) reload();
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
  // The chosen one's drive and distance lead.
  if (alike_)
    for (const Take& t : takes_)
      if (t.colour >= 0) follow(t);
  tellLaid();
}

Id BookSession::chosenSubject() const {
  if (const Take* chosen = take(chosen_)) return chosen->subject_id;
  return subjects_.empty() ? 0 : subjects_.front().id;
}

void BookSession::setLaid(const std::vector<Id>& takes, bool laid) {
  QSet<int> used;
  for (const Take& t : takes_) used.insert(t.colour);
  std::vector<std::pair<Id, int>> colours;
  for (const Id id : takes) {
    const Take* t = take(id);
    if (t == nullptr || (t->colour >= 0) == laid) continue;
    int colour = -1;
    if (laid) {
      for (colour = 0; used.contains(colour); ++colour) {
      }
      used.insert(colour);
    }
    colours.emplace_back(id, colour);
  }
  colourTakes(colours);
}

const TakeGroup* BookSession::group(Id id) const {
  const auto found =
      std::find_if(groups_.begin(), groups_.end(), [id](const TakeGroup& g) { return g.id == id; });
  return found == groups_.end() ? nullptr : &*found;
}

std::vector<Id> BookSession::membersOf(Id id) const {
  const TakeGroup* g = group(id);
  if (g == nullptr) return {};
  std::vector<std::pair<double, Id>> places;
  for (const Take& t : takes_)
    if (t.group_id == id) places.emplace_back(position_in(g->kind, t), t.id);
  std::sort(places.begin(), places.end());
  std::vector<Id> members;
  for (const auto& [place, take] : places) members.push_back(take);
  return members;
}

void BookSession::setGroupLaid(Id id, bool laid) {
  const std::vector<Id> members = membersOf(id);
  // The first hue that no other curve has.
  QSet<int> hues;
  for (const Take& t : takes_) {
    if (t.colour < 0 || t.group_id == id) continue;
    hues.insert((t.colour >= kGroupColours ? (t.colour - kGroupColours) / kShades : t.colour) % 8);
  }
  int hue = 0;
  while (hues.contains(hue) && hue < 7) ++hue;
  std::vector<std::pair<Id, int>> colours;
  const double last = std::max(1.0, static_cast<double>(members.size()) - 1.0);
  for (std::size_t i = 0; i < members.size(); ++i) {
    colours.emplace_back(members[i], laid ? group_colour(hue, static_cast<double>(i) / last) : -1);
  }
  colourTakes(colours);
}

void BookSession::colourTakes(const std::vector<std::pair<Id, int>>& colours) {
  for (const auto& [id, colour] : colours) {
    Take& take = takes_[static_cast<std::size_t>(take_index_.value(id))];
    take.colour = colour;
    if (!book_->read_only()) {
      pending_colours_[id] = colour;
      view_timer_.start();
    }
    if (colour >= 0) {
      chosen_ = id;
      follow(take);
    } else {
      shown_.remove(id);
      if (chosen_ == id) chosen_ = 0;
    }
  }
  if (colours.empty()) return;
  angles_.follow();
  tellLaid();
  followModels();
}

std::vector<LaidTake> BookSession::laid() const {
  std::vector<LaidTake> all;
  for (const Take& t : takes_) {
    if (t.colour < 0) continue;
    const Variant* v = variant(t.variant_id);
    const Shown shown = shown_.value(t.id);
    LaidTake one{.take = t,
                 .variant_name = v == nullptr ? std::string() : v->name,
                 .variant_change = v == nullptr ? std::string() : v->change,
                 .analysis = shown.analysis,
                 .geometry = geometries_.value(t.subject_id),
                 .model = models_wanted_ ? modelOf(t.subject_id) : nullptr,
                 .reading = shown.reading};
    one.result_key = shown.key;
    one.recipe = keysOf(t).recipe;
    one.stand = standOf(t.subject_id);
    if (const LevelPlace& level = keysOf(t).level; level.drive_v > 0.0) {
      // As it is shown, not as it was taken.
      one.take.conditions.drive_v = level.drive_v;
      if (auto* far = std::get_if<FarFieldSetup>(&one.take.setup))
        far->place.distance_m = level.distance_m;
    }
    if (const Subject* s = subject(t.subject_id)) one.subject_key = s->drawing_mark;
    all.push_back(std::move(one));
  }
  for (LaidTake& one : all) {
    for (const LaidTake& other : all) {
      if (other.reading && other.reading->nominal_ohm &&
          other.take.variant_id == one.take.variant_id && condition_of(other.take) != "free-air")
        one.nominal_ohm = other.reading->nominal_ohm;
    }
  }
  std::sort(all.begin(), all.end(),
            [](const LaidTake& a, const LaidTake& b) { return a.take.colour < b.take.colour; });
  angles_.fill(all, chosen_);
  time_.fill(all);
  return all;
}

bool BookSession::awaiting() const {
  return !analysing_.isEmpty() || !modelling_.isEmpty() || angles_.awaiting() || time_.awaiting();
}

bool BookSession::busy() const {
  return awaiting() || !drawing_minis_.isEmpty() || edits_ > 0 || view_timer_.isActive() ||
         view_writes_ > 0;
}

}  // namespace lalometer
