#pragma once

#include <QWidget>
#include <memory>
#include <vector>

#include "desk/parts/theme.h"
#include "desk/score/score_state.h"
#include "desk/session/book_session.h"
#include "workbench/level/level_nodes.h"

namespace lalometer {

/// Slices of the laid decays at the time cursor: level over frequency after so many milliseconds,
/// the chosen one's whole response faint behind it.
class SliceView : public QWidget {
  Q_OBJECT
 public:
  SliceView(BookSession& session, ScoreState& state, QWidget* parent = nullptr);
  void setTheme(const Theme& theme);
  [[nodiscard]] QSize sizeHint() const override { return {260, 150}; }
  /// A line a curve: its name and its level at the cursor's frequency; for tests and screen
  /// readers.
  [[nodiscard]] QStringList texts() const;
  [[nodiscard]] double lastMs() const { return last_ms_; }

 signals:
  void fetched();

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  struct Curve {
    QString name;
    int style = 0;
    bool chosen = false;
    std::shared_ptr<const LaidTime> time;  ///< keeps the map alive
    const DecayMap* map = nullptr;
  };
  void fetch();
  [[nodiscard]] QRectF plot() const;
  void drawCurve(QPainter& painter, const Curve& curve, double ms, const QColor& colour,
                 double width) const;

  BookSession& session_;
  ScoreState& state_;
  Theme theme_ = Theme::light();
  std::vector<Curve> curves_;
  double top_db_ = 100.0;
  double last_ms_ = 20.0;
  double low_hz_ = 200.0;
  double high_hz_ = 20000.0;
};

}  // namespace lalometer
