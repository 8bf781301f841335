#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/parts/theme.h"
#include "desk/session/book_session.h"

class QButtonGroup;
class QLabel;
class QListWidget;
class QPushButton;
class QVBoxLayout;

namespace lalometer {

/// Mystery loudspeakers beside the score: choose one, read its takes, commit to a verdict, and be
/// told the truth.
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
  void show();
  void showChoices();
  void commit();
  /// After a verdict: what the diagnosis makes of the same takes.
  void showOwn(Id subject, bool judged);
  /// Subject of the book that was opened from the chosen case; 0: none yet.
  [[nodiscard]] Id subjectOfCase() const;
  [[nodiscard]] QString chosenCase() const;

  BookSession& session_;
  Theme theme_ = Theme::light();
  QListWidget* cases_;
  QLabel* story_;
  QPushButton* open_;
  QVBoxLayout* choices_;
  QButtonGroup* group_ = nullptr;
  QPushButton* commit_;
  QLabel* verdict_;
  QLabel* own_;
  QLabel* rate_;  ///< how often the learner was right
  QString shown_choices_;
};

}  // namespace lalometer
