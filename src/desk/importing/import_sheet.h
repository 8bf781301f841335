#pragma once

#include <QFrame>

#include "desk/parts/curve_preview.h"
#include "desk/parts/desk_part.h"
#include "desk/session/book_session.h"
#include "workbench/sharing/by_plan.h"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QProgressBar;
class QTreeWidget;
class QTreeWidgetItem;

namespace lalometer {

/// Shows what was understood of dropped files before anything is taken. Lies over the score, blocks
/// nothing.
class ImportSheet : public QFrame, public DeskPart {
  Q_OBJECT
 public:
  ImportSheet(BookSession& session, QWidget* parent);
  /// Reads the files on a worker and shows the preview.
  void open(const QStringList& paths);
  [[nodiscard]] bool reading() const { return reading_; }
  void setTheme(const Theme& theme) override;

 signals:
  void taken(int count);
  /// A microphone's correction was ticked: it goes with the rig, and so does the sensitivity that
  /// its file tells (Pa peak per recorded 1.0).
  void correctionTaken(const QString& name, const Response& correction,
                       std::optional<double> pa_per_unit);

 private:
  static constexpr int kAngleColumn = 2;
  static constexpr int kPlannedColumn = 3;
  void makeOptions(class QVBoxLayout* layout);
  void read();
  void show(ImportPreview preview);
  void offerAngles();
  /// Which planned take a recorded sweep is, first in order; which part a near field is of.
  void offerSources();
  /// Of the chosen subject: what a microphone can be held to.
  [[nodiscard]] std::vector<std::string> partIds() const;
  [[nodiscard]] std::vector<WantedTake> wantedByPlan() const;
  void takeWanted();
  void finishTaking(const Result<std::vector<Id>>& ids);
  void leave();
  void showCurve();
  [[nodiscard]] ImportChoices choices() const;

  BookSession& session_;
  QStringList paths_;
  ImportPreview preview_;
  std::vector<WantedTake> planned_;
  QLabel* title_;
  QTreeWidget* list_;
  QComboBox* kind_;
  QComboBox* sound_;
  QWidget* sweep_box_;
  QDoubleSpinBox* sweep_[6];  ///< start, stop, duration, silence, how often, period
  QComboBox* loopback_;
  QCheckBox* chirps_;
  QDoubleSpinBox* chirp_distance_;
  QWidget* near_box_;
  QDoubleSpinBox* near_mm_;
  QPushButton* take_;
  CurvePreview* preview_curve_;
  QProgressBar* progress_;
  WorkId work_id_ = 0;
  Theme theme_ = Theme::light();
  bool reading_ = false;
  int reading_number_ = 0;
};

}  // namespace lalometer
