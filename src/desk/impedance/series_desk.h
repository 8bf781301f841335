#pragma once

#include <QWidget>
#include <optional>

#include "desk/impedance/series_strip.h"
#include "desk/parts/desk_part.h"
#include "desk/session/book_session.h"

class QComboBox;
class QLabel;
class QProgressBar;
class QPushButton;
class QTableWidget;
class QVBoxLayout;

namespace lalometer {

class CurvePreview;

/// Variants or samples of the chosen subject against one another: small pictures, all over each
/// other, a table of figures with what differs marked, and what it means in words.
class SeriesDesk : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit SeriesDesk(BookSession& session, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;

  [[nodiscard]] bool running() const { return running_; }
  [[nodiscard]] const std::optional<SeriesStudy>& study() const { return study_; }
  /// Which member the others are told against, and which one the words are about.
  void setReference(int member);
  void look(int member);

 signals:
  void failed(const QString& message);

 protected:
  void showEvent(QShowEvent* event) override;

 private:
  void addAims(QVBoxLayout* column);
  void follow();
  void start();
  void fill();
  void fillTable();
  void fillWords();
  void save();
  [[nodiscard]] std::vector<SeriesAim> aims() const;

  BookSession& session_;
  Theme theme_ = Theme::light();
  QComboBox* by_;
  QLabel* summary_;
  QLabel* empty_;
  QPushButton* save_;
  std::vector<QPushButton*> aims_;  ///< what the ranking counts
  QPushButton* stop_button_;
  QProgressBar* progress_;
  SeriesStrip* strip_;
  CurvePreview* overlay_;
  QTableWidget* table_;
  QLabel* words_;
  std::optional<SeriesStudy> study_;
  QString trouble_;
  QString shown_;  ///< what the study is of: it is made anew when that changes
  std::size_t reference_ = 0;
  std::size_t looked_at_ = 1;
  WorkId work_id_ = 0;
  bool running_ = false;
  bool again_ = false;
};

}  // namespace lalometer
