#include "desk/parts/theme.h"

#include <QFontDatabase>

#include "book/records.h"
#include "workbench/reading/scale/palette.h"

namespace lalometer {

const Theme& Theme::light() {
  static const Theme theme{.dark = false,
                           .paper = QColor(0xF1, 0xED, 0xE4),
                           .sheet = QColor(0xFB, 0xF9, 0xF5),
                           .ink = QColor(0x1D, 0x28, 0x2E),
                           .quiet = QColor(0x5F, 0x68, 0x69),
                           .faint = QColor(0xE6, 0xE1, 0xD6),
                           .line = QColor(0xCF, 0xC8, 0xB9),
                           .accent = QColor(0x0E, 0x6B, 0x72),
                           .accent_soft = QColor(0xD7, 0xE7, 0xE4),
                           .warn = QColor(0x96, 0x68, 0x04),
                           .refuse = QColor(0xB0, 0x3A, 0x2E)};
  return theme;
}

const Theme& Theme::night() {
  static const Theme theme{.dark = true,
                           .paper = QColor(0x14, 0x1A, 0x1D),
                           .sheet = QColor(0x1C, 0x24, 0x28),
                           .ink = QColor(0xE9, 0xE5, 0xDB),
                           .quiet = QColor(0x9C, 0xA6, 0xA6),
                           .faint = QColor(0x2B, 0x35, 0x39),
                           .line = QColor(0x41, 0x4C, 0x50),
                           .accent = QColor(0x4F, 0xB8, 0xB8),
                           .accent_soft = QColor(0x23, 0x41, 0x44),
                           .warn = QColor(0xE0, 0xB0, 0x4C),
                           .refuse = QColor(0xEE, 0x83, 0x75)};
  return theme;
}

CurveStyle curve_style(int index, bool dark) {
  const auto colour = [dark](int i) {
    const Rgb c = line_colour(i, dark);
    return QColor(c.red, c.green, c.blue);
  };
  if (index >= kGroupColours) {
    // Shades of one hue, solid: dashes of seventy curves would be noise.
    const int hue = (index - kGroupColours) / kShades;
    const double share = static_cast<double>((index - kGroupColours) % kShades) / (kShades - 1.0);
    const QColor base = colour(hue);
    return {dark ? base.darker(100 + static_cast<int>(110 * (1.0 - share)))
                 : base.lighter(100 + static_cast<int>(75 * (1.0 - share))),
            {}};
  }
  const int i = ((index % kCurveStyleCount) + kCurveStyleCount) % kCurveStyleCount;
  const std::vector<double>& dash = line_dash(i);
  return {colour(i), QList<double>(dash.begin(), dash.end())};
}

QString count_text(qsizetype count, const QString& one, const QString& several) {
  return QStringLiteral("%1 %2").arg(count).arg(count == 1 ? one : several);
}

void load_fonts() {
  for (const char* face : {":/fonts/Lato-Regular.ttf", ":/fonts/Lato-Semibold.ttf"}) {
    QFontDatabase::addApplicationFont(QString::fromLatin1(face));
  }
}

QFont text_font(double pixel_size, bool strong) {
  QFont font(QStringLiteral("Lato"));
  font.setPixelSize(static_cast<int>(pixel_size));
  if (strong) font.setWeight(QFont::DemiBold);
  return font;
}

QString Theme::style_sheet() const {
  const auto c = [](const QColor& colour) { return colour.name(); };
  QString sheet_text = QStringLiteral(R"(
QWidget { color: %INK%; font-size: 13px; }
QMainWindow, QDialog { background: %PAPER%; }
QWidget#shelf, QStackedWidget#page, QScrollArea, QWidget#inside, QFrame#importSheet, QFrame#finder { background: %SHEET%; }
QFrame#importSheet, QFrame#finder { border: 1px solid %LINE%; border-radius: 6px; }
QLabel { background: transparent; }
QLabel[role="title"] { font-size: 15px; font-weight: 600; }
QLabel[role="head"] { color: %QUIET%; font-weight: 600; font-size: 12px; }
QLabel[role="quiet"] { color: %QUIET%; font-size: 12px; }
QLabel[role="plain"] { color: %INK%; }
QLabel[role="figure"] { font-size: 30px; font-weight: 600; }
QLineEdit, QPlainTextEdit, QComboBox, QDoubleSpinBox, QSpinBox {
  background: %PAPER%; border: 1px solid %LINE%; border-radius: 4px; padding: 3px 6px; selection-background-color: %ACCENT_SOFT%; selection-color: %INK%;
}
QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus, QDoubleSpinBox:focus, QSpinBox:focus { border-color: %ACCENT%; }
QPushButton { background: %PAPER%; border: 1px solid %LINE%; border-radius: 4px; padding: 5px 12px; }
QPushButton:hover, QPushButton:focus { border-color: %ACCENT%; }
QPushButton:disabled { color: %QUIET%; border-color: %FAINT%; }
QPushButton[main="true"] { background: %ACCENT%; color: %SHEET%; border-color: %ACCENT%; font-weight: 600; }
QPushButton[main="true"]:disabled { background: %FAINT%; color: %QUIET%; border-color: %FAINT%; }
QPushButton:checked { background: %ACCENT_SOFT%; border-color: %ACCENT%; }
QCheckBox { background: transparent; spacing: 7px; }
QCheckBox::indicator, QListView::indicator { width: 13px; height: 13px; border: 1px solid %QUIET%; border-radius: 3px; background: %PAPER%; }
QCheckBox::indicator:checked, QListView::indicator:checked { background: %ACCENT%; border-color: %ACCENT%; }
QTableView { background: %SHEET%; border: 1px solid %LINE%; outline: none; selection-background-color: %ACCENT_SOFT%; selection-color: %INK%; }
QWidget#planDesk { background: %PAPER%; }
QTreeView, QListView { background: %SHEET%; border: none; outline: none; show-decoration-selected: 0; }
QTreeView#finderList::item { padding: 4px 6px; }
QTreeView#importList::item { padding: 3px 2px; }
QTreeView#importList QLineEdit { padding: 0px 5px; }
QTreeView::branch, QTreeView::branch:selected { background: %SHEET%; }
QTreeView::item:selected, QListView::item:selected { background: %ACCENT_SOFT%; color: %INK%; }
QHeaderView::section { background: %SHEET%; color: %QUIET%; border: none; border-bottom: 1px solid %LINE%; padding: 3px 4px; }
QComboBox::drop-down { border: none; width: 18px; }
QComboBox::down-arrow { image: none; width: 0; height: 0; border-left: 4px solid %PAPER%; border-right: 4px solid %PAPER%; border-top: 5px solid %QUIET%; }
QComboBox QAbstractItemView::item { color: %INK%; min-height: 22px; padding: 1px 6px; }
QComboBox QAbstractItemView::item:selected, QComboBox QAbstractItemView::item:hover { background: %ACCENT_SOFT%; color: %INK%; }
QComboBox QAbstractItemView { background: %SHEET%; border: 1px solid %LINE%; selection-background-color: %ACCENT_SOFT%; selection-color: %INK%; }
QProgressBar { background: %PAPER%; border: 1px solid %LINE%; border-radius: 3px; height: 8px; text-align: center; }
QProgressBar::chunk { background: %ACCENT%; border-radius: 2px; }
QFrame[card="true"] { background: %PAPER%; border: none; border-left: 3px solid %LINE%; border-radius: 3px; }
QFrame[card="doubt"] { background: %PAPER%; border: none; border-left: 3px solid %WARN%; border-radius: 3px; }
QFrame[card="refusal"] { background: %PAPER%; border: none; border-left: 3px solid %REFUSE%; border-radius: 3px; }
QFrame[role="rule"] { background: %LINE%; border: none; max-height: 1px; min-height: 1px; }
QMenu { background: %SHEET%; border: 1px solid %LINE%; padding: 4px; }
QMenu::item { padding: 4px 22px 4px 12px; border-radius: 3px; }
QMenu::item:selected { background: %ACCENT_SOFT%; }
QMenu::item:disabled { color: %QUIET%; }
QToolTip { background: %SHEET%; color: %INK%; border: 1px solid %LINE%; padding: 4px; }
QScrollBar:vertical { background: transparent; width: 9px; margin: 0; }
QScrollBar::handle:vertical { background: %LINE%; border-radius: 4px; min-height: 24px; }
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page { background: none; height: 0; }
QSplitter::handle { background: %LINE%; width: 1px; }
)");
  const std::pair<const char*, QColor> names[] = {
      {"%PAPER%", paper}, {"%SHEET%", sheet},  {"%INK%", ink},       {"%QUIET%", quiet},
      {"%FAINT%", faint}, {"%LINE%", line},    {"%ACCENT%", accent}, {"%ACCENT_SOFT%", accent_soft},
      {"%WARN%", warn},   {"%REFUSE%", refuse}};
  for (const auto& [name, colour] : names) sheet_text.replace(QLatin1String(name), c(colour));
  return sheet_text;
}

}  // namespace lalometer
