#pragma once

#include <QHash>
#include <QObject>
#include <QSet>
#include <QTimer>

#include "desk/session/work.h"
#include "workbench/reading/lane_content.h"

namespace lalometer {

class BookSession;

/// What laid takes tell of level and time: harmonics, decays. Nothing is read until a lane or a
/// page wants it, and of many laid takes only the chosen one's decay.
class TimeReadings : public QObject {
  Q_OBJECT
 public:
  TimeReadings(BookSession& session, Work& work);

  /// A sum of TimeWant; once wanted they stay so.
  void want(unsigned kinds);
  void fill(std::vector<LaidTake>& laid) const;
  /// Another book was opened.
  void restart();
  [[nodiscard]] bool awaiting() const { return soon_.isActive() || !working_.isEmpty(); }

 private:
  struct Shown {
    std::string key;
    std::shared_ptr<const LaidTime> time;
  };
  /// Sees to it that the readings are those of the takes as they are now.
  void follow();
  void read(const Take& take, unsigned kinds, const std::string& key);

  BookSession& session_;
  Work& work_;
  unsigned wanted_ = 0;
  QTimer soon_;  ///< once for all that comes in within a round
  QHash<Id, Shown> shown_;
  QSet<Id> working_;
};

}  // namespace lalometer
