#pragma once

#include "desk/parts/theme.h"

namespace lalometer {

/// What the frame asks of every part that stands on a desk, beside being a widget. The frame finds
/// the parts by itself; nobody keeps lists of them.
class DeskPart {
 public:
  DeskPart() = default;
  DeskPart(const DeskPart&) = delete;
  DeskPart& operator=(const DeskPart&) = delete;
  virtual ~DeskPart() = default;

  virtual void setTheme(const Theme&) {}
  /// Something of it still settles that no worker knows of (a coarse picture, a timer).
  [[nodiscard]] virtual bool settling() const { return false; }
  /// It has come into view on its desk.
  virtual void shown() {}
};

}  // namespace lalometer
