#pragma once

#include <QMainWindow>

#include "desk/bench/queue_controller.h"
#include "desk/book_session.h"
#include "desk/capture_controller.h"
#include "desk/route_strip.h"
#include "desk/score/score_view.h"

class QLabel;
class QSplitter;
class QStackedWidget;
class QTimer;

namespace lalometer {

class ActionFinder;
class BoxDesk;
class BoxPage;
class DrawingDesk;
class DrawingPage;
class CapturePage;
class ImportSheet;
class PracticePage;
class PlanDesk;
class StandPage;
class RigPage;
class MonitorDesk;
class MonitorPage;
class SeriesDesk;
class DriverPage;
class QueueBanner;
class JobStrip;
class ReadPage;
class ShelfView;

/// The window: route on top, shelf, score, page. It wires the parts; what they do is theirs.
class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  explicit MainWindow(QWidget* parent = nullptr);
  ~MainWindow() override;

  /// Opens a book and remembers it; a failure is shown where the eye is.
  bool openBook(const QString& path);
  bool newBook(const QString& path);
  /// For this window only; the action of the same name is remembered.
  void setDark(bool dark);
  void setStation(RouteStrip::Station station);
  /// What stands in the middle: the score, or one of the desks of the Plan station.
  enum Desk { kScore, kDrawing, kBoxes, kPractice, kTakes, kRig, kMonitor, kImpedance };
  void showDesk(Desk desk);
  void showMessage(const QString& text);
  void importFiles(const QStringList& paths);
  void exportTake(const QString& path);
  void exportSubject(const QString& folder);
  void duplicateTo(const QString& path);

  [[nodiscard]] BookSession& session() { return session_; }
  [[nodiscard]] ScoreState& state() { return state_; }
  [[nodiscard]] ScoreView* score() { return score_; }
  [[nodiscard]] DrawingDesk* drawing() { return drawing_; }
  [[nodiscard]] BoxDesk* boxes() { return boxes_; }
  [[nodiscard]] CaptureController& capture() { return capture_; }
  [[nodiscard]] QueueController& queue() { return queue_; }
  [[nodiscard]] BenchRig& bench() { return bench_; }
  [[nodiscard]] QAction* actionNamed(const QString& id) const;
  /// Nothing is being worked out, taken, read or settled.
  [[nodiscard]] bool atRest() const;

 protected:
  void closeEvent(QCloseEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  QAction* addAct(const QString& id, const QString& text, const QString& tip,
                  const QKeySequence& keys, std::function<void()> run);
  void makeActions();
  void makeBookActions();
  void makeScoreActions();
  void makeBookMenu();
  void refreshContents();
  void restoreLanes();
  void keepLanes();
  void showLane(const std::string& kind, bool shown);
  void dragGate(double seconds, bool done);
  void changeGate(double factor);
  void findBestPlace(const QString& driver);
  void openCase(const QString& id);
  void makeDesks();
  void makeBenchDesks();
  void makeImpedanceDesk();
  void showBanner(bool wanted);
  void showCautions();
  void laneMenu(const QPoint& global, int lane);
  void shelfMenu(const QPoint& global, qint64 subject, qint64 variant, qint64 take);
  void updateEditActions();
  void fillRecent();
  enum class Remember { kAsOpen, kAsRecent };
  void remember(const QString& path, Remember as);
  void followForeignChanges();

  BookSession session_;
  ScoreState state_;
  BenchRig bench_;
  CaptureController capture_;
  QueueController queue_;
  RouteStrip* route_ = nullptr;
  ShelfView* shelf_ = nullptr;
  ScoreView* score_ = nullptr;
  QStackedWidget* middle_ = nullptr;
  DrawingDesk* drawing_ = nullptr;
  DrawingPage* drawing_page_ = nullptr;
  BoxDesk* boxes_ = nullptr;
  BoxPage* box_page_ = nullptr;
  PracticePage* practice_page_ = nullptr;
  PlanDesk* plan_desk_ = nullptr;
  StandPage* stand_page_ = nullptr;
  RigPage* rig_page_ = nullptr;
  MonitorDesk* monitor_ = nullptr;
  MonitorPage* monitor_page_ = nullptr;
  SeriesDesk* series_ = nullptr;
  DriverPage* driver_page_ = nullptr;
  QueueBanner* banner_ = nullptr;
  QWidget* cautions_ = nullptr;
  QStackedWidget* pages_ = nullptr;
  ReadPage* read_page_ = nullptr;
  CapturePage* capture_page_ = nullptr;
  ImportSheet* import_ = nullptr;
  JobStrip* job_ = nullptr;
  ActionFinder* finder_ = nullptr;
  QWidget* message_ = nullptr;
  QLabel* message_text_ = nullptr;
  QSplitter* splitter_ = nullptr;
  QMenu* recent_ = nullptr;
  QList<QAction*> all_actions_;
  std::int64_t seen_changes_ = 0;
  bool dark_ = false;
  QTimer* refresh_ = nullptr;  ///< contents are worked out once per round, after other events
};

}  // namespace lalometer
