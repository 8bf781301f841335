#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/session/book_session.h"

class QVBoxLayout;

namespace lalometer {

/// What the chosen subject has and what is missing, variant by variant.
class PlanPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit PlanPage(BookSession& session, QWidget* parent = nullptr);

 signals:
  void captureAsked(bool impedance);
  void deskAsked(const QString& id);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void show();
  BookSession& session_;
  QVBoxLayout* rows_;
};

}  // namespace lalometer
