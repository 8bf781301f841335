#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/session/book_session.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QSpinBox;
class QVBoxLayout;

namespace lalometer {

struct EqualiseAdvice;

/// What of a loudspeaker equalising would mend, by which filters, what it does to other angles and
/// to headroom, and what must be left, with reasons.
class EqualiserPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit EqualiserPage(BookSession& session, QWidget* parent = nullptr);
  void shown() override;

 signals:
  void laneAsked();
  void failed(const QString& message);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void makeWish(QVBoxLayout* layout, QWidget* inside);
  void wish();
  void showWish();
  void fill();
  void fillAdvice(const EqualiseAdvice& advice);
  void copy() const;
  void save();

  BookSession& session_;
  QLabel* set_;
  QComboBox* of_;
  QComboBox* target_;
  QSpinBox* filters_;
  QDoubleSpinBox* boost_;
  QComboBox* rate_;
  QLabel* outcome_;
  QVBoxLayout* rows_;
  QPushButton* copy_;
  QPushButton* save_;
  QVBoxLayout* cards_;
  bool filling_ = false;
};

}  // namespace lalometer
