#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/parts/theme.h"
#include "desk/queue/queue_controller.h"

class QLabel;
class QProgressBar;
class QPushButton;

namespace lalometer {

/// The queue in type that is read from three metres: what is next, what to do, how long; over the
/// score, on which the take that just came in lies with the one before it.
class QueueBanner : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  QueueBanner(QueueController& queue, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;

 signals:
  /// Stop the table where it stands.
  void haltAsked();

 private:
  void show();

  QueueController& queue_;
  QLabel* what_;
  QLabel* state_;
  QLabel* todo_;
  QLabel* count_;
  QProgressBar* progress_;
  QPushButton* start_;
  QPushButton* pause_;
  QPushButton* go_on_;
  QPushButton* again_;
  QPushButton* halt_;
  QPushButton* pips_;
  QPushButton* timer_;
};

}  // namespace lalometer
