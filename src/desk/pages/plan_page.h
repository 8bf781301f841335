#pragma once

#include <QWidget>

#include "desk/book_session.h"

class QVBoxLayout;

namespace lalometer {

/// What the chosen subject has and what is missing, variant by variant.
class PlanPage : public QWidget {
  Q_OBJECT
 public:
  explicit PlanPage(BookSession& session, QWidget* parent = nullptr);

 signals:
  void captureAsked(bool impedance);
  void takesAsked();
  void drawingAsked();
  void boxesAsked();
  void practiceAsked();

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void show();
  BookSession& session_;
  QVBoxLayout* rows_;
};

/// Notes on the subject and all doubts about its takes.
class CasePage : public QWidget {
  Q_OBJECT
 public:
  explicit CasePage(BookSession& session, QWidget* parent = nullptr);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void show();
  void keep();
  BookSession& session_;
  class QPlainTextEdit* note_;
  QVBoxLayout* cards_;
  Id subject_ = 0;
};

/// Pictures and open files.
class ReportPage : public QWidget {
  Q_OBJECT
 public:
  explicit ReportPage(const QList<class QAction*>& actions, QWidget* parent = nullptr);
};

}  // namespace lalometer
