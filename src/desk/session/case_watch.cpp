#include "desk/session/case_watch.h"

#include <fmt/format.h>

#include "desk/session/book_session.h"
#include "workbench/keeping/case_keeping.h"

namespace lalometer {
namespace {

constexpr int kSoon_ms = 150;

std::string view_of(std::int64_t subject) {
  return fmt::format("case/{}", subject);
}

}  // namespace

CaseWatch::CaseWatch(BookSession& session, Work& work) : session_(session), work_(work) {
  soon_.setSingleShot(true);
  soon_.setInterval(kSoon_ms);
  connect(&soon_, &QTimer::timeout, this, &CaseWatch::follow);
  const auto later = [this] {
    if (wanted_) soon_.start();
  };
  connect(&session_, &BookSession::rowsChanged, &soon_, later);
  connect(&session_, &BookSession::laidChanged, &soon_, later);
}

void CaseWatch::want() {
  if (wanted_) return;
  wanted_ = true;
  follow();
}

void CaseWatch::restart() {
  working_ = false;
  subject_ = 0;
  count_ = 0;
  key_.clear();
  wanted_key_.clear();
  diagnosis_ = nullptr;
  problem_.clear();
  file_ = {};
  if (wanted_) soon_.start();
}

const Diagnosis* CaseWatch::diagnosis() const {
  return session_.isOpen() && session_.chosenSubject() == subject_ ? diagnosis_.get() : nullptr;
}

void CaseWatch::readFile() {
  file_ = case_file_from_json(session_.view(view_of(subject_)));
  CaseFile said = case_file_from_json(session_.document(subject_, "case"));
  file_.verdicts = std::move(said.verdicts);
  file_.merges = std::move(said.merges);
  file_.splits = std::move(said.splits);
}

void CaseWatch::follow() {
  if (!wanted_ || !session_.isOpen()) return;
  const Id subject = session_.chosenSubject();
  const Subject* described = session_.subject(subject);
  if (subject != subject_) {
    subject_ = subject;
    diagnosis_ = nullptr;
    key_.clear();
    problem_.clear();
  }
  readFile();
  if (described == nullptr) {
    emit changed();
    return;
  }
  CaseInputs in{.name = described->name,
                .description = described->description,
                .drawing = described->drawing_mark};
  for (const Take& take : session_.takes()) {
    if (take.subject_id != subject || !is_case_take(take)) continue;
    TakeInputs each = session_.inputsOf(take);
    // How laid curves are brought together for the eye is no matter of the case.
    each.recipe = session_.recipe(subject, role_of(take.kind()));
    each.level = {};
    in.takes.push_back(std::move(each));
  }
  for (const Variant& v : session_.variants())
    if (v.subject_id == subject) in.variants.push_back(v);
  count_ = static_cast<qsizetype>(in.takes.size());
  if (in.takes.empty()) {
    diagnosis_ = nullptr;
    key_.clear();
    emit changed();
    return;
  }
  wanted_key_ = case_node(in).key;
  if (wanted_key_ != key_ && !working_) read(std::move(in), wanted_key_);
  emit changed();
}

void CaseWatch::read(CaseInputs inputs, const std::string& key) {
  working_ = true;
  using Read = std::shared_ptr<const Diagnosis>;
  work_.start<Read>(
      this, {},
      [store = session_.store(), inputs = std::move(inputs)](const WorkContext& context) {
        return store->get(case_node(inputs), {*store, context.stop, context.parallel});
      },
      [this, key, subject = subject_, generation = work_.generation()](const Result<Read>& made) {
        if (generation != work_.generation()) return;
        working_ = false;
        if (!made && made.error().code == ErrorCode::kCancelled) return;
        if (subject == subject_) {
          key_ = key;
          diagnosis_ = made ? *made : nullptr;
          problem_ = made ? QString() : QString::fromStdString(made.error().text());
          compare();
        }
        emit changed();
        if (subject != subject_ || wanted_key_ != key) follow();
      });
}

void CaseWatch::compare() {
  if (diagnosis_ == nullptr || file_.of == key_) return;
  if (!file_.of.empty()) {
    auto changes = changes_between(file_.seen, *diagnosis_);
    if (!changes.empty()) {
      file_.changes = std::move(changes);
      file_.changed_on = utc_now();
    }
  }
  file_.of = key_;
  file_.seen = seen_of(*diagnosis_);
  CaseFile kept;
  kept.of = file_.of;
  kept.seen = file_.seen;
  kept.changes = file_.changes;
  kept.changed_on = file_.changed_on;
  session_.setView(view_of(subject_), to_json(kept));
}

void CaseWatch::give(const FindingPlace& place, CaseVerdict verdict, const std::string& reason) {
  if (subject_ == 0) return;
  file_.give({place, verdict, reason, utc_now()});
  keep("Say what a finding is");
}

void CaseWatch::merge(const FindingPlace& into, const FindingPlace& part) {
  if (subject_ == 0) return;
  file_.merge(into, part);
  keep("Merge findings");
}

void CaseWatch::split(const FindingPlace& place, const std::string& cause) {
  if (subject_ == 0) return;
  file_.split(place, cause);
  keep("Split a finding");
}

void CaseWatch::asFound(const FindingPlace& place) {
  if (subject_ == 0) return;
  file_.as_found(place);
  keep("Show findings as found");
}

void CaseWatch::keep(const char* step) {
  CaseFile kept;
  kept.verdicts = file_.verdicts;
  kept.merges = file_.merges;
  kept.splits = file_.splits;
  session_.setDocument(subject_, "case", to_json(kept), step);
  emit changed();
}

}  // namespace lalometer
