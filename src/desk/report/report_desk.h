#pragma once

#include <QScrollArea>
#include <QWidget>

#include "desk/report/paper_view.h"
#include "desk/session/book_session.h"
#include "paper/report_writing.h"
#include "workbench/keeping/report_keeping.h"

namespace lalometer {

/// The chosen subject's report as it will be. It is made once from the takes, off the window's
/// thread, and anew when they change; what the user chooses shows at once.
class ReportDesk : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit ReportDesk(BookSession& session, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override { paper_->setTheme(theme); }
  void shown() override { follow(); }
  [[nodiscard]] bool settling() const override { return making_ || laying_ || writing_; }

  [[nodiscard]] PaperView* paper() { return paper_; }
  [[nodiscard]] const ReportWish& wish() const { return wish_; }
  /// All that was made; null while it is made, or where there is nothing to report.
  [[nodiscard]] const MadeReport* made() const { return made_.get(); }
  [[nodiscard]] const Report& report() const { return report_; }
  [[nodiscard]] const QString& trouble() const { return trouble_; }
  [[nodiscard]] bool busy() const { return making_ || writing_; }

  /// Kept with the subject, as one step of undo; shown at once.
  void change(const ReportWish& wish);
  /// Kind, sections and proportions under names, kept with the book.
  [[nodiscard]] std::vector<ReportTemplate> templates() const;
  void keepTemplate(const std::string& name);
  /// What could be compared with.
  [[nodiscard]] std::vector<std::string> otherSubjects() const;
  /// A tester's own words for a sentence; empty: as it was made.
  void reword(const std::string& key, const std::string& words);
  void write(ReportForm form, const QString& path);
  void stop();

 signals:
  void changed();
  void progressed(double share);
  void sentenceChosen(const QString& key);
  /// The lane of the score that a figure was made by.
  void figureAsked(const QString& id);
  void failed(const QString& message);
  void written(const QString& path);

 private:
  void follow();
  void make();
  void lay();

  BookSession& session_;
  QScrollArea* scroll_;
  PaperView* paper_;
  ReportWish wish_;
  std::shared_ptr<const MadeReport> made_;
  Report report_;
  QString trouble_;
  Id subject_ = 0;
  std::string shown_;   ///< what was made, or is being made
  std::string kept_;    ///< the wish as the book has it
  std::string wanted_;  ///< what the paper shows: made of what, with which wish
  bool making_ = false;
  bool laying_ = false;
  bool lay_again_ = false;
  bool writing_ = false;
  WorkId work_ = 0;
};

}  // namespace lalometer
