#pragma once

#include <QWidget>
#include <optional>

#include "desk/parts/theme.h"
#include "workbench/reading/scale/mapping.h"
#include "workbench/reading/lane_content.h"

namespace lalometer {

/// One curve as the score would draw it, small: what a file was understood as.
class CurvePreview : public QWidget {
  Q_OBJECT
 public:
  explicit CurvePreview(QWidget* parent = nullptr);
  void setTheme(const Theme& theme);
  void setContent(std::optional<LaneContent> content);
  /// Without names beside the curves, over a range of its own: for small places.
  void setCompact(double low_hz, double high_hz);
  [[nodiscard]] const std::optional<LaneContent>& content() const { return content_; }

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  void paintCompact(class QPainter& painter) const;
  std::optional<FrequencyRange> compact_;
  Theme theme_ = Theme::light();
  std::optional<LaneContent> content_;
};

}  // namespace lalometer
