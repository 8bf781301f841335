#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/session/book_session.h"

class QPlainTextEdit;
class QVBoxLayout;

namespace lalometer {

/// Notes on the subject and all doubts about its takes.
class CasePage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit CasePage(BookSession& session, QWidget* parent = nullptr);

 protected:
  void showEvent(QShowEvent* event) override;
  void hideEvent(QHideEvent* event) override;

 private:
  void show();
  void keep();
  BookSession& session_;
  QPlainTextEdit* note_;
  QVBoxLayout* cards_;
  Id subject_ = 0;
  bool unkept_ = false;  ///< written since it was last kept
};

}  // namespace lalometer
