#pragma once

#include <QSet>
#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/score/score_state.h"
#include "desk/session/book_session.h"
#include "workbench/diagnosing/case_cards.h"
#include "workbench/taking/plan/measuring_plan.h"

class QLabel;
class QPlainTextEdit;
class QPushButton;
class QVBoxLayout;

namespace lalometer {

class QueueController;

/// The case: what was found and why, what the latest take changed, what the tester says; notes on
/// the subject and all doubts about its takes.
class CasePage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  CasePage(BookSession& session, ScoreState& state, QueueController& queue,
           QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;
  void shown() override;
  [[nodiscard]] bool settling() const override;

 protected:
  void showEvent(QShowEvent* event) override;
  void hideEvent(QHideEvent* event) override;

 private:
  void makeNotes(QVBoxLayout* layout, QWidget* inside);
  void show();
  void showNote(Id subject);
  void showDoubts(Id subject);
  void showCase();
  void fillCase(const Diagnosis* diagnosis, bool secret);
  void sayState(const Diagnosis* diagnosis, bool secret);
  struct Counts {
    int lesser = 0;  ///< traits and weak suspicions
    int aside = 0;   ///< put aside by the tester
  };
  [[nodiscard]] Counts fill(const Diagnosis& diagnosis);
  void addNext(const Diagnosis& diagnosis);
  /// @param secret  a practice case that waits for its verdict: nothing is told.
  void showChanges(bool secret);
  void addCard(QVBoxLayout* to, const CaseCard& card, const std::vector<CaseCard>& all);
  void point(const Finding& finding, bool on);
  /// The plan with what a finding asks for.
  [[nodiscard]] Result<MeasuringPlan> planWith(const Finding& finding) const;
  [[nodiscard]] bool isPlanned(const Finding& finding) const;
  void plan(const Finding& finding);
  void lay(const std::vector<std::int64_t>& takes);
  void keep();

  BookSession& session_;
  ScoreState& state_;
  QueueController& queue_;
  Theme theme_ = Theme::light();
  QLabel* state_of_case_;
  QVBoxLayout* changes_;
  QVBoxLayout* findings_;
  QPushButton* more_;
  QWidget* lesser_box_;
  QVBoxLayout* lesser_;
  QPushButton* aside_;
  QWidget* dismissed_box_;
  QVBoxLayout* dismissed_;
  QPlainTextEdit* note_;
  QVBoxLayout* cards_;
  Id subject_ = 0;
  bool unkept_ = false;  ///< written since it was last kept
  std::string shown_;    ///< what the cards say
  QSet<QString> open_;   ///< cards whose reasons stand open
};

}  // namespace lalometer
