#pragma once

#include <QAction>
#include <QWidget>

#include "desk/report/report_desk.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QListWidget;
class QPlainTextEdit;
class QProgressBar;
class QPushButton;
class QVBoxLayout;

namespace lalometer {

/// Beside the report: its kind, the tester's verdict, which sections stand in which order, own
/// words for a sentence, and the forms it is written in.
class ReportPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  /// @param actions  what else leaves the program
  ReportPage(ReportDesk& desk, const QList<QAction*>& actions, QWidget* parent = nullptr);

 private:
  void makeChoices(QVBoxLayout* layout);
  void makeWords(QVBoxLayout* layout);
  void makeForms(QVBoxLayout* layout);
  void show();
  void showSections();
  void showOthers();
  void chooseSentence(const QString& key);
  /// Sections as they stand in the list now.
  void keepSections();
  void moveSection(int by);
  void save(ReportForm form);

  ReportDesk& desk_;
  QLabel* basis_ = nullptr;
  QComboBox* kind_ = nullptr;
  QComboBox* with_ = nullptr;
  QComboBox* template_ = nullptr;
  QPlainTextEdit* verdict_ = nullptr;
  QListWidget* sections_ = nullptr;
  QCheckBox* iec_ = nullptr;
  QLabel* sentence_ = nullptr;
  QPlainTextEdit* words_ = nullptr;
  QPushButton* keep_ = nullptr;
  QPushButton* as_made_ = nullptr;
  QProgressBar* progress_ = nullptr;
  QPushButton* stop_ = nullptr;
  QLabel* missing_ = nullptr;
  std::vector<QPushButton*> forms_;
  std::string key_;  ///< of the chosen sentence
  bool filling_ = false;
};

}  // namespace lalometer
