#pragma once

#include <QWidget>
#include <map>
#include <optional>

#include "desk/parts/desk_part.h"
#include "desk/parts/theme.h"
#include "desk/session/book_session.h"

class QComboBox;
class QDoubleSpinBox;
class QGridLayout;
class QLabel;
class QLineEdit;
class QPushButton;
class QVBoxLayout;

namespace lalometer {

class CurvePreview;

/// Parameters of a driver from its takes, beside what its sheet says, on their way to the models;
/// and help to tune the box it goes into.
class DriverPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit DriverPage(BookSession& session, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;
  [[nodiscard]] bool running() const { return running_; }
  [[nodiscard]] const std::optional<DriverStudy>& study() const { return study_; }

 signals:
  void failed(const QString& message);
  void takesAsked();

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void makeTuning(class QVBoxLayout* layout);
  void wire();
  void follow();
  void start();
  void fill();
  void fillRows();
  void fillTuning();
  void useInModels();
  void save();
  void keepSheet(const std::string& key, const QString& text);
  [[nodiscard]] const Description& description() const;
  [[nodiscard]] double areaM2() const;

  BookSession& session_;
  QComboBox* group_;
  QDoubleSpinBox* area_;
  QDoubleSpinBox* re_;
  QLabel* basis_;
  QGridLayout* rows_;
  QWidget* rows_box_;
  CurvePreview* residual_;
  QPushButton* use_;
  QPushButton* save_;
  QPushButton* take_;
  QVBoxLayout* notes_;
  QLabel* tuned_;
  QLineEdit* wanted_;
  QLabel* steps_;
  std::vector<DriverGroup> groups_;
  std::optional<DriverStudy> study_;
  QString trouble_;
  QString shown_;
  WorkId work_id_ = 0;
  bool running_ = false;
  bool again_ = false;
  bool filling_ = false;
};

}  // namespace lalometer
