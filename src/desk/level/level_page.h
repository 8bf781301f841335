#pragma once

#include <QWidget>

#include "desk/parts/desk_part.h"
#include "desk/score/score_state.h"
#include "desk/session/book_session.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QSlider;
class QVBoxLayout;

namespace lalometer {

struct LevelsReading;
class SliceView;

/// Level and time: how loud it goes, what it adds, what lingers.
class LevelPage : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  LevelPage(BookSession& session, ScoreState& state, QWidget* parent = nullptr);
  void shown() override;
  void setTheme(const Theme& theme) override;

 signals:
  void lanesAsked(bool time);

 protected:
  void showEvent(QShowEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void makeSlices(QVBoxLayout* layout, QWidget* inside);
  void makeListening(QVBoxLayout* layout, QWidget* inside);
  void fill();
  void fillLevels(const LaidTake& own, const std::vector<LaidTake>& laid);
  void fillTones(const std::vector<LaidTake>& laid);
  /// Rub and buzz, against a good one too; noise of a port; cone and port side by side.
  void fillNoises(const LaidTake& own, const std::vector<LaidTake>& laid);
  void fillParts(const LaidTake& own, const std::vector<LaidTake>& laid);
  void fillDecay(const LaidTake& own, const std::vector<LaidTake>& laid);
  void showListening();
  void addRow(QVBoxLayout* to, const std::string& name, const std::string& value,
              const std::string& basis, double at_hz = 0.0);
  void addCard(QVBoxLayout* to, const std::string& text, bool doubt = false, double at_hz = 0.0);

  BookSession& session_;
  ScoreState& state_;
  QLabel* take_;
  QVBoxLayout* levels_;
  QVBoxLayout* cards_;
  QWidget* listening_;
  QDoubleSpinBox* distance_;
  QComboBox* count_;
  QLabel* heard_;
  QVBoxLayout* noises_;
  QVBoxLayout* ridges_;
  SliceView* slices_;
  QSlider* time_;
  std::string filled_;  ///< what stands there
  ValidRange judged_ = {};
  double clean_1m_db_ = 0.0;  ///< highest clean level at 1 m; 0: not known
};

}  // namespace lalometer
