#include <gtest/gtest.h>

#include <QApplication>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <cstdlib>

#include "desk/parts/theme.h"

int main(int argc, char** argv) {
  ::testing::InitGoogleTest(&argc, argv);
  // Listing the tests needs no window, so the build never needs a display.
  if (::testing::GTEST_FLAG(list_tests)) return RUN_ALL_TESTS();
  const QTemporaryDir home;
  qputenv("HOME", home.path().toUtf8());
  qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM") && qEnvironmentVariableIsEmpty("DISPLAY"))
    qputenv("QT_QPA_PLATFORM", "offscreen");
  QCoreApplication::setOrganizationName(QStringLiteral("lalometer-test"));
  QCoreApplication::setApplicationName(QStringLiteral("lalometer-test"));
  QApplication app(argc, argv);
  lalometer::load_fonts();
  QApplication::setFont(lalometer::text_font(13));
  return RUN_ALL_TESTS();
}
