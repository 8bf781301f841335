#pragma once

#include <QColor>
#include <QFont>
#include <QList>
#include <QString>

/// Colours, fonts and curve styles of the window, in one place. Two themes: paper-light (default)
/// and dark.
namespace lalometer {

struct Theme {
  bool dark = false;
  QColor paper;        ///< window and gutters
  QColor sheet;        ///< lanes and panels
  QColor ink;          ///< text
  QColor quiet;        ///< secondary text
  QColor faint;        ///< grid
  QColor line;         ///< frames, stronger grid
  QColor accent;       ///< the one accent: cursor, choice, main action
  QColor accent_soft;  ///< its wash behind selected things
  QColor warn;         ///< doubts
  QColor refuse;       ///< refusals

  [[nodiscard]] static const Theme& light();
  [[nodiscard]] static const Theme& night();
  [[nodiscard]] QString style_sheet() const;
};

/// Eight colours that stay apart for colour-blind eyes; each also has its own dash pattern, so that
/// colour is never the only code. Index wraps; from the ninth curve on the dash moves on, so that
/// pairs stay distinct up to 32.
struct CurveStyle {
  QColor colour;
  QList<double> dash_px;  ///< on, off, on, off...; empty: solid
};
[[nodiscard]] CurveStyle curve_style(int index, bool dark);
inline constexpr int kCurveStyleCount = 32;

/// "1 take", "3 takes".
[[nodiscard]] QString count_text(qsizetype count, const QString& one, const QString& several);

/// The shipped family; call load_fonts() once before.
void load_fonts();
[[nodiscard]] QFont text_font(double pixel_size, bool strong = false);

}  // namespace lalometer
