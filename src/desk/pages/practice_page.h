#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/parts/theme.h"
#include "desk/session/book_session.h"

class QAbstractButton;
class QButtonGroup;
class QComboBox;
class QLabel;
class QListWidget;
class QPushButton;
class QSlider;
class QSpinBox;
class QVBoxLayout;

namespace lalometer {

/// Mystery loudspeakers beside the score: choose one, read its takes, commit to a verdict and say
/// how sure it is, and be told the truth. The workshop's own, or series drawn by lot.
class PracticePage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit PracticePage(BookSession& session, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;
  /// Chooses a case of the list.
  void choose(const QString& id);

 signals:
  /// Take the case's takes and put them on the shelf.
  void caseAsked(const QString& id);

 private:
  /// Workshop's own or drawn by lot, which series, its cases.
  void makeList(QVBoxLayout* layout);
  void makeVerdict(QVBoxLayout* layout);
  /// Puts the cases of the chosen series into the list.
  void fillList();
  void show();
  void showMarks();
  void showChoices();
  void commit();
  /// After a verdict: what the diagnosis makes of the same takes.
  void showOwn(Id subject, bool judged);
  /// Subject of the book that was opened from the chosen case; 0: none yet.
  [[nodiscard]] Id subjectOfCase() const;
  [[nodiscard]] QString chosenCase() const;
  [[nodiscard]] std::vector<QAbstractButton*> chosenCauses() const;

  BookSession& session_;
  Theme theme_ = Theme::light();
  QComboBox* kind_ = nullptr;
  QSpinBox* series_ = nullptr;
  QPushButton* anew_ = nullptr;
  QListWidget* cases_ = nullptr;
  QLabel* story_ = nullptr;
  QPushButton* open_ = nullptr;
  QVBoxLayout* choices_ = nullptr;
  QButtonGroup* group_ = nullptr;
  QLabel* sure_said_ = nullptr;
  QSlider* sure_ = nullptr;
  QPushButton* commit_ = nullptr;
  QLabel* verdict_ = nullptr;
  QLabel* own_ = nullptr;
  QLabel* rate_ = nullptr;  ///< how often the learner was right
  QString shown_choices_;
};

}  // namespace lalometer
