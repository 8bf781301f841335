#pragma once

#include <QWidget>
#include <optional>

#include "desk/theme.h"
#include "workbench/lane_content.h"

namespace lalometer {

/// One curve as the score would draw it, small: what a file was understood as.
class CurvePreview : public QWidget {
  Q_OBJECT
 public:
  explicit CurvePreview(QWidget* parent = nullptr);
  void setTheme(const Theme& theme);
  void setContent(std::optional<LaneContent> content);
  [[nodiscard]] const std::optional<LaneContent>& content() const { return content_; }

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  Theme theme_ = Theme::light();
  std::optional<LaneContent> content_;
};

}  // namespace lalometer
