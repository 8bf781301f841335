#pragma once

#include <QObject>

#include "workbench/reading/scale/mapping.h"

namespace lalometer {

/// What all lanes and the reading share: the frequency range and the cursor. Views know it, never
/// each other.
class ScoreState : public QObject {
  Q_OBJECT
 public:
  using QObject::QObject;

  [[nodiscard]] FrequencyRange range() const { return range_; }
  void setRange(FrequencyRange range) {
    if (range == range_) return;
    range_ = range;
    emit rangeChanged();
  }
  [[nodiscard]] double cursorHz() const { return cursor_hz_; }
  void setCursorHz(double hz) {
    hz = std::clamp(hz, 1.0, 100000.0);
    if (hz == cursor_hz_) return;
    cursor_hz_ = hz;
    emit cursorMoved();
  }
  /// Chart proportion (IEC 60263): so many dB are as high as a decade of frequency is wide; 0: each
  /// lane's scale is its own.
  [[nodiscard]] int decadeDb() const { return decade_db_; }
  void setDecadeDb(int db) {
    if (db == decade_db_) return;
    decade_db_ = db;
    emit rangeChanged();
  }
  /// What the level lane shows now, dB as high as a decade is wide; 0: no such lane.
  [[nodiscard]] double shownDecadeDb() const { return shown_decade_db_; }
  void setShownDecadeDb(double db) {
    if (std::abs(db - shown_decade_db_) < 0.05) return;
    shown_decade_db_ = db;
    emit proportionChanged();
  }
  /// Where a decay is looked at: ms after the arrival, and periods of maps that count in these.
  [[nodiscard]] double cursorMs() const { return cursor_ms_; }
  [[nodiscard]] double cursorPeriods() const { return cursor_periods_; }
  void setCursorMs(double ms) {
    if (ms == cursor_ms_ || !(ms >= 0.0)) return;
    cursor_ms_ = ms;
    emit timeMoved();
  }
  void setCursorPeriods(double periods) {
    if (periods == cursor_periods_ || !(periods >= 0.0)) return;
    cursor_periods_ = periods;
    emit timeMoved();
  }
  /// A range that something elsewhere on the desk points at; empty (low = high): none.
  [[nodiscard]] FrequencyRange held() const { return held_; }
  void setHeld(FrequencyRange range) {
    if (range == held_) return;
    held_ = range;
    emit heldChanged();
  }
  /// Steps by 1/24 octave times `steps`.
  void nudgeCursor(double steps) { setCursorHz(cursor_hz_ * std::exp2(steps / 24.0)); }

 signals:
  void rangeChanged();
  void cursorMoved();
  void timeMoved();
  void proportionChanged();
  void heldChanged();

 private:
  FrequencyRange range_;
  FrequencyRange held_ = {0.0, 0.0};
  double cursor_hz_ = 1000.0;
  double cursor_ms_ = 0.0;
  double cursor_periods_ = 0.0;
  int decade_db_ = 0;
  double shown_decade_db_ = 0.0;
};

}  // namespace lalometer
