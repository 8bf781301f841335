#pragma once

#include <QFrame>
#include <QLabel>
#include <QVBoxLayout>
#include <QWidget>

#include "book/records.h"
#include "desk/parts/theme.h"

/// Small parts that the pages at the right share.
class QDoubleSpinBox;
class QPushButton;

namespace lalometer {

/// A button with an object name, what it does, and its place at the end of a layout.
QPushButton* add_button(QBoxLayout* layout, const QString& text, const char* name,
                        const QString& tip, QWidget* parent);
/// A label with a role that the style sheet knows: "title", "head", "quiet", "figure".
[[nodiscard]] QLabel* role_label(const QString& text, const char* role, QWidget* parent);
[[nodiscard]] QFrame* rule(QWidget* parent);
/// A remark as a card: what was seen, and below it what to do.
[[nodiscard]] QFrame* remark_card(const Remark& remark, QWidget* parent);
/// A figure on a line of its own: name, value, and below them what it rests on.
[[nodiscard]] QWidget* figure_row(const QString& name, const QString& value, const QString& basis);
/// A number to type, with its unit; no arrows.
[[nodiscard]] QDoubleSpinBox* number_box(const char* name, double low, double high, double value,
                                         int decimals, const QString& unit, QWidget* parent);
/// The layout of a page's inside, which scrolls upward and downward only.
[[nodiscard]] QVBoxLayout* scrolled_page(QWidget* page, int spacing = 8);
/// Empties a layout and its widgets.
void clear_layout(QLayout* layout);

}  // namespace lalometer
