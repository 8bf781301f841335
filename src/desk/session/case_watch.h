#pragma once

#include <QObject>
#include <QTimer>

#include "desk/session/work.h"
#include "workbench/diagnosing/case_file.h"
#include "workbench/diagnosing/case_study.h"

namespace lalometer {

class BookSession;

/// The case of the chosen subject: diagnosed anew in the background whenever its takes, recipes or
/// drawing change, once somebody has wanted it; and what the tester says of it.
class CaseWatch : public QObject {
  Q_OBJECT
 public:
  CaseWatch(BookSession& session, Work& work);

  /// A page shows the case; once wanted it stays so.
  void want();
  /// Of the chosen subject; null while it is not known, or could not be made.
  [[nodiscard]] const Diagnosis* diagnosis() const;
  [[nodiscard]] const QString& problem() const { return problem_; }
  [[nodiscard]] qsizetype takeCount() const { return count_; }
  [[nodiscard]] bool awaiting() const { return working_ || soon_.isActive(); }
  /// Verdicts, and what the latest takes changed.
  [[nodiscard]] const CaseFile& file() const { return file_; }
  /// Kept in the book as one step of undo.
  void give(const FindingPlace& place, CaseVerdict verdict, const std::string& reason);
  /// Findings as the tester arranges them (CaseFile), kept likewise.
  void merge(const FindingPlace& into, const FindingPlace& part);
  void split(const FindingPlace& place, const std::string& cause);
  void asFound(const FindingPlace& place);
  /// Another book was opened.
  void restart();

 signals:
  void changed();

 private:
  void follow();
  void read(CaseInputs inputs, const std::string& key);
  void readFile();
  /// Keeps what the tester says.
  void keep(const char* step);
  /// What the new diagnosis says otherwise than the last.
  void compare();

  BookSession& session_;
  Work& work_;
  QTimer soon_;
  bool wanted_ = false;
  bool working_ = false;
  std::int64_t subject_ = 0;
  qsizetype count_ = 0;
  std::string key_;         ///< of what is shown
  std::string wanted_key_;  ///< of what it should be
  std::shared_ptr<const Diagnosis> diagnosis_;
  QString problem_;
  CaseFile file_;
};

}  // namespace lalometer
