#pragma once

#include <QHash>
#include <QObject>
#include <QSet>

#include "desk/session/work.h"
#include "workbench/keeping/angle_keeping.h"
#include "workbench/reading/lane_content.h"

namespace lalometer {

class BookSession;
struct AngleSetInputs;

/// The sets of angles that laid takes stand for: which there are, how they are looked at, and their
/// readings as they come in. Nothing is read until somebody wants it.
class AngleSets : public QObject {
  Q_OBJECT
 public:
  AngleSets(BookSession& session, Work& work);

  /// A lane or a page shows sets (or filters); once wanted they stay so.
  void want(bool advice);
  [[nodiscard]] const KeptAngles& kept() const { return kept_; }
  void setView(const AngleView& view);
  void setLook(const MapLook& look);
  void setWish(const EqualiseWish& wish);

  /// Gives one take of each set its reading: the chosen one, else the first.
  void fill(std::vector<LaidTake>& laid, Id chosen) const;
  /// Sees to it that the readings are those of the takes as they are now.
  void follow();
  /// Another book was opened.
  void restart();
  [[nodiscard]] bool awaiting() const { return !working_.isEmpty(); }

 signals:
  void lookChanged();

 private:
  struct Shown {
    std::string key;         ///< of what is shown
    std::string wanted_key;  ///< of what it should be
    LaidSet set;
    std::shared_ptr<const AngleSetInputs> inputs = nullptr;
    std::string inputs_key = {};
  };
  struct Made {
    std::shared_ptr<const AngleReading> reading;
    std::shared_ptr<const EqualiseAdvice> advice;
    std::string problem;
  };
  /// The same sets by another view or wish: nothing of the takes is looked at again.
  void lookAgain();
  void read(const QString& name);
  void keep();

  BookSession& session_;
  Work& work_;
  bool wanted_ = false;
  bool advice_wanted_ = false;
  KeptAngles kept_;
  QHash<QString, Shown> shown_;  ///< by variant, driver and sample
  QSet<QString> working_;
};

}  // namespace lalometer
