#pragma once

#include <QMainWindow>
#include <functional>

#include "desk/capture/capture_controller.h"
#include "desk/frame/route_strip.h"
#include "desk/queue/queue_controller.h"
#include "desk/score/score_lanes.h"

class QLabel;
class QPushButton;
class QSplitter;
class QStackedWidget;
class QTimer;

namespace lalometer {

class ActionFinder;
class BoxDesk;
class ChartDesk;
class CapturePage;
class DrawingDesk;
class ImportSheet;
class JobStrip;
class QueueBanner;
class ShelfView;
class StartView;

/// A desk: what stands in the middle and the page beside it. The window's desks are rows of one
/// table; parts that implement DeskPart are themed, asked and told through that.
struct DeskRow {
  QString id;
  RouteStrip::Station station;
  QWidget* middle;
  QWidget* page;
  bool queue_banner = false;  ///< the queue's large view stands over it
};

/// The window: route on top, shelf, a desk, its page. It wires the parts; what they do is theirs.
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
  /// The first desk of a station.
  void setStation(RouteStrip::Station station);
  void showDesk(const QString& id);
  [[nodiscard]] QString desk() const { return desk_; }
  void showMessage(const QString& text);
  /// A copy of the log, to be sent to somebody.
  void saveLog(const QString& path);
  /// Says that a book is not there, with the step that makes it.
  void offerBook(const QString& path);
  void importFiles(const QStringList& paths);
  void exportTake(const QString& path);
  void exportSubject(const QString& folder);
  void duplicateTo(const QString& path);
  /// Silences and halts everything, whatever is shown.
  void stopEverything();

  [[nodiscard]] Work& work() { return work_; }
  [[nodiscard]] BookSession& session() { return session_; }
  [[nodiscard]] ScoreState& state() { return state_; }
  [[nodiscard]] ScoreView* score() { return score_; }
  [[nodiscard]] DrawingDesk* drawing() { return drawing_; }
  [[nodiscard]] BoxDesk* boxes() { return boxes_; }
  [[nodiscard]] ChartDesk* chart() { return chart_; }
  [[nodiscard]] CaptureController& capture() { return capture_; }
  [[nodiscard]] QueueController& queue() { return queue_; }
  [[nodiscard]] WiredRig& rig() { return rig_; }
  [[nodiscard]] JobStrip& job() { return *job_; }
  [[nodiscard]] QAction* actionNamed(const QString& id) const;
  /// Nothing is being analysed, taken, read, written or settled.
  [[nodiscard]] bool atRest() const;

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  void closeEvent(QCloseEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  QAction* addAct(const QString& id, const QString& text, const QString& tip,
                  const QKeySequence& keys, std::function<void()> run);
  void makeActions();
  void makeBookActions();
  void makeEditActions();
  void makeCaptureActions();
  void makeViewActions();
  void makeScoreActions();
  void makeLaneActions();
  void makeRecipeActions();
  void makeCurveActions();
  void makeBookMenu();

  void makeFrame();
  void makeMessage(QWidget* parent);
  void makeMiddle();
  void makeStart();
  void makeStationDesks();
  void makePlanDesks();
  void makeCaptureDesks();
  void makeReadDesks();
  void makeAngleDesks();
  void makeLevelDesk();
  void makeChartDesk();
  void addDesk(const DeskRow& row);
  void wireSession();
  void wireScore();
  void wireCurves();
  void wireQueue();

  void fold(QWidget* part, const char* key);
  void showLaneTexts();
  void dragGate(double seconds, bool done);
  /// Works a curve out of the chosen takes ("join", "near-sum", means) and lays it.
  void addWorked(const std::string& how);
  [[nodiscard]] std::vector<Take> takesFor(const std::string& how) const;
  void stepSmoothing(int steps);
  void stepProportion();
  void changeGate(double factor);
  void changeRecipe(const std::function<void(Recipe&)>& change);
  void findBestPlace(const QString& driver);
  void openCase(const QString& id);
  void showCase(const std::vector<qint64>& takes, qint64 subject);
  void showBanner(bool wanted);
  void showCautions();
  void laneMenu(const QPoint& global, int lane);
  void shelfMenu(const QPoint& global, qint64 subject, qint64 variant, qint64 take);
  void updateEditActions();
  void fillRecent();
  enum class Remember { kAsOpen, kAsRecent };
  void remember(const QString& path, Remember as);
  bool showOpened(const QString& path);
  [[nodiscard]] const DeskRow* deskRow(const QString& id) const;
  void showMiddle();
  void givePageWidth(int least_px);
  void drawSubject();
  void showFigure(const QString& id);
  /// Makes a subject where the book has none, then goes on.
  void withSubject(std::function<void()> then);

  Work work_;
  BookSession session_;
  ScoreState state_;
  WiredRig rig_;
  CaptureController capture_;
  QueueController queue_;
  RouteStrip* route_ = nullptr;
  ShelfView* shelf_ = nullptr;
  ScoreView* score_ = nullptr;
  ScoreLanes* lanes_ = nullptr;
  QStackedWidget* middle_ = nullptr;
  QStackedWidget* pages_ = nullptr;
  std::vector<DeskRow> desks_;
  QString desk_;
  DrawingDesk* drawing_ = nullptr;
  BoxDesk* boxes_ = nullptr;
  ChartDesk* chart_ = nullptr;
  CapturePage* capture_page_ = nullptr;
  QueueBanner* banner_ = nullptr;
  QWidget* cautions_ = nullptr;
  ImportSheet* import_ = nullptr;
  JobStrip* job_ = nullptr;
  ActionFinder* finder_ = nullptr;
  StartView* start_ = nullptr;
  QWidget* message_ = nullptr;
  QPushButton* message_step_ = nullptr;
  QLabel* message_text_ = nullptr;
  QSplitter* splitter_ = nullptr;
  QHash<int, QList<int>> splits_;  ///< widths of shelf, desk and page, by the page\'s least
  QMenu* recent_ = nullptr;
  QList<QAction*> all_actions_;
  bool dark_ = false;
};

}  // namespace lalometer
