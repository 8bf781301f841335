#pragma once

#include <QWidget>

#include "desk/networks/network_desk.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QProgressBar;
class QPushButton;
class QSpinBox;
class QVBoxLayout;

namespace lalometer {

class NetworkHelp;

/// Pink noise that loads are told for, W.
inline constexpr double kNetworkPower_w = 10.0;

/// Beside the network: the chosen element, parts to add, each branch's polarity, a design by wish,
/// where the drivers can meet, what the load and the parts must stand, and what can be taken out.
class NetworkPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit NetworkPage(NetworkDesk& desk, QWidget* parent = nullptr);

 private:
  void makeElement(QVBoxLayout* layout);
  void makeDesign(QVBoxLayout* layout);
  void makeTarget(QVBoxLayout* layout);
  void makeOut(QVBoxLayout* layout);
  void openTarget();
  void openNetwork();
  void saveFilters();
  [[nodiscard]] SystemTarget target() const;
  void show();
  void showElement();
  void showBranches();
  void showDrivers();
  void tell();
  void add(LadderPart::Place place);
  void design();
  /// Writes what `text` gives to a file that the user names.
  void save(const QString& title, const QString& name, const QString& filter,
            const std::string& text);

  NetworkDesk& desk_;
  QLabel* basis_ = nullptr;
  QLabel* element_ = nullptr;
  QDoubleSpinBox* value_ = nullptr;
  QPushButton* on_ = nullptr;
  QComboBox* tolerance_ = nullptr;
  QPushButton* remove_ = nullptr;
  QComboBox* kind_ = nullptr;
  QComboBox* branch_ = nullptr;
  QVBoxLayout* branches_ = nullptr;
  QComboBox* low_ = nullptr;
  QComboBox* high_ = nullptr;
  QDoubleSpinBox* hz_ = nullptr;
  QComboBox* slope_ = nullptr;
  QComboBox* series_ = nullptr;
  QComboBox* target_ = nullptr;
  QDoubleSpinBox* target_db_ = nullptr;
  std::vector<std::pair<double, double>> drawn_;  ///< a target out of a file
  NetworkHelp* help_ = nullptr;
  QSpinBox* most_ = nullptr;
  QPushButton* find_ = nullptr;
  QPushButton* stop_ = nullptr;
  QProgressBar* progress_ = nullptr;
  QLabel* verdict_ = nullptr;
  QLabel* windows_ = nullptr;
  QLabel* facts_ = nullptr;
  QLabel* parts_ = nullptr;
  bool filling_ = false;
};

}  // namespace lalometer
