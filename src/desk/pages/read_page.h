#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/parts/theme.h"
#include "desk/score/score_state.h"
#include "desk/session/book_session.h"

class QComboBox;
class QLabel;
class QPlainTextEdit;
class QVBoxLayout;

namespace lalometer {

/// Values of every curve at the cursor, painted in one go: it follows each move of the mouse.
class CursorList : public QWidget {
  Q_OBJECT
 public:
  CursorList(BookSession& session, ScoreState& state, QWidget* parent = nullptr);
  void setTheme(const Theme& theme);
  [[nodiscard]] QSize sizeHint() const override;
  /// What stands there, line by line, for tests and screen readers.
  [[nodiscard]] QStringList texts() const;

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;

 private:
  /// One painted line: a heading (take 0) or a value.
  struct Row {
    Id take_id;
    double top;
  };
  [[nodiscard]] std::vector<Row> rows() const;
  BookSession& session_;
  ScoreState& state_;
  Theme theme_ = Theme::light();
  std::vector<LaidTake> laid_;
};

/// The reading: cursor, values, key figures, remarks and notes of the chosen take, recipe.
class ReadPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  ReadPage(BookSession& session, ScoreState& state, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override { list_->setTheme(theme); }
  [[nodiscard]] CursorList* list() const { return list_; }

 protected:
  void showEvent(QShowEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void wireNote();
  void showCursor();
  void showChosen();
  void showLoops(const LaidTake& laid);
  void showUnlike(const std::vector<LaidTake>& laid);
  void showProportion();
  void keepNote();

  BookSession& session_;
  ScoreState& state_;
  QLabel* frequency_;
  QLabel* wavelength_;
  QLabel* proportion_;
  CursorList* list_;
  QLabel* chosen_;
  QLabel* conditions_;
  QVBoxLayout* figures_;
  QVBoxLayout* cards_;
  QComboBox* smoothing_;
  QPlainTextEdit* note_;
  Id note_of_ = 0;
};

}  // namespace lalometer
