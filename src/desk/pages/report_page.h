#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"

class QAction;

namespace lalometer {

/// Pictures and open files.
class ReportPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit ReportPage(const QList<QAction*>& actions, QWidget* parent = nullptr);
};

}  // namespace lalometer
