#pragma once

#include <QFrame>

#include "desk/book_session.h"
#include "workbench/importing.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QTreeWidget;

namespace lalometer {

/// Shows what was understood of dropped files before anything is taken. Lies over the score, blocks
/// nothing.
class ImportSheet : public QFrame {
  Q_OBJECT
 public:
  ImportSheet(BookSession& session, QWidget* parent);
  /// Reads the files on a worker and shows the preview.
  void open(const QStringList& paths);
  [[nodiscard]] bool reading() const { return reading_; }

 signals:
  void taken(int count);

 private:
  void read();
  void show(ImportPreview preview);
  void takeWanted();
  [[nodiscard]] ImportChoices choices() const;

  BookSession& session_;
  QStringList paths_;
  ImportPreview preview_;
  QLabel* title_;
  QTreeWidget* list_;
  QComboBox* kind_;
  QComboBox* sound_;
  QWidget* sweep_box_;
  QDoubleSpinBox* sweep_[4];
  QComboBox* loopback_;
  QPushButton* take_;
  bool reading_ = false;
  quint64 generation_ = 0;
};

}  // namespace lalometer
