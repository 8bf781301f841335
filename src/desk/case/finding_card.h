#pragma once

#include <QFrame>
#include <QPointer>

#include "desk/parts/theme.h"
#include "workbench/diagnosing/case_cards.h"

class QLabel;
class QLineEdit;
class QPushButton;
class QVBoxLayout;

namespace lalometer {

/// How probable a cause is, as a bar over the full width; a tick at one half.
class ChanceBar : public QWidget {
  Q_OBJECT
 public:
  ChanceBar(double share, QWidget* parent);
  void setTheme(const Theme& theme);
  [[nodiscard]] QSize sizeHint() const override { return {120, 7}; }

 protected:
  void paintEvent(QPaintEvent* event) override;

 private:
  double share_;
  QColor ink_, ground_, tick_;
};

/// Turns the button that puts takes into the plan into a word that they are in it.
void show_planned(QPushButton* button);

/// A finding: where it is, its causes with what speaks for and against each, whether equalising
/// helps, what to do next, and what the tester says.
class FindingCard : public QFrame {
  Q_OBJECT
 public:
  FindingCard(const CaseCard& card, const KeptVerdict* verdict, const Theme& theme,
              QWidget* parent);
  [[nodiscard]] const Finding& finding() const { return finding_; }
  /// Offers to merge it with these others, to split its causes, to take it apart again.
  void offerArrangement(const std::vector<FindingPlace>& others);

 signals:
  /// The pointer rests on it, or the keyboard; left: on nothing.
  void pointed(bool on);
  void takesAsked();
  /// The takes that one sentence is told by.
  void sentenceAsked(const std::vector<std::int64_t>& takes);
  void planAsked();
  void judged(CaseVerdict verdict, const QString& reason);
  void unfolded(bool on);
  void mergeAsked(const FindingPlace& part);
  void splitAsked(const std::string& cause);
  void asFoundAsked();

 public:
  void setUnfolded(bool on);
  /// The takes it asks for are in the plan already.
  void setPlanned();

 protected:
  void enterEvent(QEnterEvent* event) override;
  void leaveEvent(QEvent* event) override;

 private:
  void addHeading(QVBoxLayout* layout);
  void addCauses(QVBoxLayout* layout, const Theme& theme);
  void addSentence(QVBoxLayout* layout, const QString& sign, const FindingCause& cause,
                   const std::string& sentence, const Theme& theme);
  void addSteps(QVBoxLayout* layout);
  void addVerdict(QVBoxLayout* layout, const KeptVerdict* verdict);

  Finding finding_;
  FindingPlace place_;
  std::vector<FindingPlace> merged_;
  QPushButton* arrange_ = nullptr;
  QPushButton* plan_ = nullptr;
  QWidget* reasons_;
  QPushButton* why_;
};

}  // namespace lalometer
