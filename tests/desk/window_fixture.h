#pragma once

#include <gtest/gtest.h>

#include <QMouseEvent>
#include <QTest>
#include <memory>

#include "desk/frame/main_window.h"
#include "support/books.h"

namespace lalometer::test {

/// The real window on a real book on disk.
class WindowTest : public ::testing::Test {
 protected:
  void SetUp() override {
    // Made once at build time: practice takes cost a second each.
    std::filesystem::copy_file(LALOMETER_DEMO_BOOK, folder_ / "demo.lalo");
    reopen();
  }
  void reopen() {
    window_ = std::make_unique<MainWindow>();
    window_->capture().practiceSetup().pace = 0.0;
    window_->show();
    ASSERT_TRUE(window_->openBook(QString::fromStdString((folder_ / "demo.lalo").string())));
    rest();
  }
  /// Waits for the signal-driven work to end; never for a fixed time.
  void rest() {
    QCoreApplication::processEvents();
    ASSERT_TRUE(QTest::qWaitFor([this] { return window_->atRest(); }, 20000));
  }
  /// Changes the book as a page would, and waits until it is through.
  void edit(std::function<Result<void>(Book&)> change) {
    session().edit(std::move(change));
    rest();
  }
  void describe(Id subject, const Description& description) {
    edit([=](Book& book) { return book.set_description(subject, description); });
  }
  void undo() {
    session().undo();
    rest();
  }
  template <class Widget>
  Widget* part(const char* name) {
    return window_->findChild<Widget*>(QLatin1String(name));
  }
  BookSession& session() { return window_->session(); }
  ScoreView& score() { return *window_->score(); }
  std::size_t lane(const std::string& kind) {
    for (std::size_t i = 0; i < score().lanes().size(); ++i) {
      if (score().lanes()[i].kind == kind) return i;
    }
    ADD_FAILURE() << "no lane " << kind;
    return 0;
  }
  QPoint gatePoint() {
    const std::size_t index = lane("impulse");
    const QRectF rect = score().laneRect(index);
    return {static_cast<int>(score().geometryOf(index).across.px(
                score().lanes()[index].content.find<GateLayer>()->end_ms)),
            static_cast<int>(rect.center().y())};
  }

  TemporaryFolder folder_;
  std::unique_ptr<MainWindow> window_;
};

}  // namespace lalometer::test
