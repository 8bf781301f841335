#pragma once

#include <QWidget>

#include "desk/boxes/box_field_view.h"
#include "desk/parts/desk_part.h"
#include "desk/score/score_view.h"
#include "desk/session/book_session.h"

namespace lalometer {

/// Candidates for the chosen subject's box: a field in which they are moved, and what each does on
/// lanes over one axis. The candidates are kept in the book's view, not as edits.
class BoxDesk : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit BoxDesk(BookSession& session, QWidget* parent = nullptr);

  void setTheme(const Theme& theme) override;
  [[nodiscard]] BoxFieldView* field() { return field_; }
  [[nodiscard]] ScoreView* lanes() { return lanes_; }
  [[nodiscard]] const std::vector<BoxOutcome>& outcomes() const { return outcomes_; }
  [[nodiscard]] std::size_t chosen() const { return chosen_; }
  [[nodiscard]] const std::optional<BoxDriver>& driver() const { return driver_; }
  [[nodiscard]] const QString& trouble() const { return trouble_; }
  [[nodiscard]] double powerW() const { return power_w_; }

  void choose(std::size_t candidate);
  /// Puts the chosen candidate's figures; `done` keeps them.
  void change(const BoxCandidate& candidate, bool done);
  void setPower(double watts);
  /// Another beside the chosen one, alike; at most six.
  void add();
  void remove();
  /// The chosen candidate as a variant of the subject, named after it.
  void makeVariant();
  /// Writes box and port into the subject's drawing.
  void takeIntoDrawing();

 signals:
  void changed();

 private:
  void follow();
  void refresh();
  void keep();
  void restore();
  void makeField();

  BookSession& session_;
  ScoreState state_;
  BoxFieldView* field_;
  ScoreView* lanes_;
  std::optional<BoxDriver> driver_;
  QString trouble_;
  std::vector<BoxOutcome> outcomes_;
  std::size_t chosen_ = 0;
  double power_w_ = 20.0;
  Id subject_ = 0;
  Description description_;
};

}  // namespace lalometer
