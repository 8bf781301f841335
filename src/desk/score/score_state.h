#pragma once

#include <QObject>

#include "desk/score/picture/mapping.h"

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
  /// Steps by 1/24 octave times `steps`.
  void nudgeCursor(double steps) { setCursorHz(cursor_hz_ * std::exp2(steps / 24.0)); }

 signals:
  void rangeChanged();
  void cursorMoved();

 private:
  FrequencyRange range_;
  double cursor_hz_ = 1000.0;
};

}  // namespace lalometer
