#pragma once

#include <QWidget>

#include "desk/networks/network_desk.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QStackedWidget;
class QVBoxLayout;

namespace lalometer {

/// Help under the network's page, one at a time: building stones with first values, where a driver
/// stands and what its own amplifier does, and what was measured of the built loudspeaker.
class NetworkHelp : public QWidget {
  Q_OBJECT
 public:
  NetworkHelp(NetworkDesk& desk, QWidget* parent);
  void show();

 private:
  void open(int which);
  QWidget* makeStones();
  QWidget* makePlace();
  QWidget* makeBuilt();
  QWidget* makeLanes();
  void showLanes();
  void putStone();
  void placed();
  void showPlace();
  /// The branch that the place is of; -1: none.
  [[nodiscard]] int placedBranch() const;

  NetworkDesk& desk_;
  std::vector<QPushButton*> tabs_;
  std::vector<QWidget*> sheets_;
  QComboBox* stone_driver_ = nullptr;
  QComboBox* stone_kind_ = nullptr;
  QLabel* stone_told_ = nullptr;
  QComboBox* place_driver_ = nullptr;
  QDoubleSpinBox* moved_[3] = {};
  QDoubleSpinBox* tilt_ = nullptr;
  QDoubleSpinBox* gain_ = nullptr;
  QDoubleSpinBox* delay_ = nullptr;
  QComboBox* built_ = nullptr;
  QLabel* built_told_ = nullptr;
  QVBoxLayout* lanes_ = nullptr;
  bool filling_ = false;
};

}  // namespace lalometer
