#include "desk/session/time_readings.h"

#include "desk/session/book_session.h"
#include "workbench/level/level_nodes.h"

namespace lalometer {
namespace {

/// More laid decays than these are nobody's to read at once.
constexpr int kDecaysAtOnce = 8;

}  // namespace

TimeReadings::TimeReadings(BookSession& session, Work& work) : session_(session), work_(work) {
  soon_.setSingleShot(true);
  soon_.setInterval(0);
  connect(&soon_, &QTimer::timeout, this, &TimeReadings::follow);
  // Another choice, another gate.
  connect(&session_, &BookSession::laidChanged, &soon_, [this] {
    if (wanted_ != 0) soon_.start();
  });
  connect(&session_, &BookSession::resultsChanged, &soon_, [this] {
    if (wanted_ != 0) soon_.start();
  });
}

void TimeReadings::want(unsigned kinds) {
  if ((wanted_ & kinds) == kinds) return;
  wanted_ |= kinds;
  follow();
  emit session_.resultsChanged();
}

void TimeReadings::restart() {
  shown_.clear();
  working_.clear();
}

void TimeReadings::fill(std::vector<LaidTake>& laid) const {
  if (wanted_ == 0) return;
  for (LaidTake& one : laid) one.time = shown_.value(one.take.id).time;
}

void TimeReadings::follow() {
  if (wanted_ == 0 || !session_.isOpen()) return;
  QSet<Id> laid;
  for (const Take& take : session_.takes())
    if (take.colour >= 0 && tells_time(take)) laid.insert(take.id);
  for (const Take& take : session_.takes()) {
    if (!laid.contains(take.id)) continue;
    unsigned kinds = wanted_;
    if (laid.size() > kDecaysAtOnce && take.id != session_.chosenTake())
      kinds &= kWantDistortion | kWantMultitone | kWantRub;
    TakeInputs inputs = session_.inputsOf(take);
    inputs.level = {};
    const std::string key = time_key(inputs, kinds);
    if (shown_.value(take.id).key != key && !working_.contains(take.id)) read(take, kinds, key);
  }
  for (const Id id : shown_.keys())
    if (!laid.contains(id)) shown_.remove(id);
}

void TimeReadings::read(const Take& take, unsigned kinds, const std::string& key) {
  working_.insert(take.id);
  TakeInputs inputs = session_.inputsOf(take);
  inputs.level = {};
  work_.start<LaidTime>(
      this, {},
      [store = session_.store(), inputs = std::move(inputs), kinds](const WorkContext& context) {
        return time_of(inputs, kinds, {*store, context.stop, context.parallel});
      },
      [this, id = take.id, key, generation = work_.generation()](Result<LaidTime> time) {
        if (generation != work_.generation()) return;
        working_.remove(id);
        if (!time && time.error().code == ErrorCode::kCancelled) return;
        LaidTime told = time ? *std::move(time) : LaidTime{.problem = time.error().text()};
        told.key = key;
        shown_.insert(id, {key, std::make_shared<const LaidTime>(std::move(told))});
        // The inputs may have moved on meanwhile: whoever hears of it looks again.
        emit session_.resultsChanged();
      });
}

}  // namespace lalometer
