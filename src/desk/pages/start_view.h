#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"

class QVBoxLayout;

namespace lalometer {

/// The middle of an empty book: what may be on the bench, each one step from its first take.
class StartView : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit StartView(QWidget* parent = nullptr);

 signals:
  void loudspeakerAsked();
  void driverAsked();
  void filesAsked();
  void drawingAsked();
  void practiceAsked();

 private:
  void add(const char* name, const QString& title, const QString& text,
           void (StartView::*signal)());
  QVBoxLayout* column_;
};

}  // namespace lalometer
