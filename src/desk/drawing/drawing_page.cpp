#include "desk/drawing/drawing_page.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QPushButton>
#include <cmath>

#include "desk/parts/page_parts.h"

namespace lalometer {

DrawingPage::DrawingPage(DrawingDesk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
  setObjectName(QStringLiteral("drawingPage"));
  layout_ = scrolled_page(this, 5);
  layout_->addWidget(role_label(tr("Drawn to scale"), "title", this));
  layout_->addWidget(role_label(tr("Drag a driver, a port, its inner end or an edge of the box. "
                                   "Arrow keys move the chosen part by 1 mm, with Shift by 10."),
                                "quiet", this));
  first_ = new QPushButton(tr("Draw a box for it"), this);
  first_->setObjectName(QStringLiteral("firstBox"));
  first_->setProperty("main", "true");
  connect(first_, &QPushButton::clicked, this,
          [this] { desk_.edit(with_first_box(desk_.description()), true); });
  layout_->addWidget(first_);

  part_ = new QComboBox(this);
  part_->setObjectName(QStringLiteral("drawnPart"));
  connect(part_, &QComboBox::activated, this, [this](int row) {
    desk_.choosePart(row <= 0 ? std::nullopt : std::optional(static_cast<std::size_t>(row - 1)));
  });
  layout_->addWidget(part_);
  const QString mm = tr(" mm");
  x_ = field(tr("right"), mm, 5000.0, 1, tr("Of its centre, from the baffle's origin."));
  y_ = field(tr("up"), mm, 5000.0, 1, tr("Of its centre, from the baffle's origin."));
  size_ = field(tr("diameter"), mm, 1000.0, 1,
                tr("Of a driver's moving part, or of the port; a slot's width."));
  length_ = field(tr("length"), mm, 2000.0, 1, tr("Of the port."));
  best_ = new QPushButton(tr("Find its best place"), this);
  best_->setObjectName(QStringLiteral("bestPlace"));
  best_->setToolTip(
      tr("Tries every place on the front and moves the driver to the one with the "
         "least edge ripple in its range."));
  connect(best_, &QPushButton::clicked, this, [this] {
    if (const auto part = desk_.chosenPart())
      emit bestPlaceAsked(
          QString::fromStdString(drawn_subject(desk_.description()).parts[*part].id));
  });
  layout_->addWidget(best_);
  layout_->addWidget(rule(this));
  width_ = field(tr("box width"), mm, 5000.0, 1, tr("Outside."));
  height_ = field(tr("box height"), mm, 5000.0, 1, tr("Outside."));
  depth_ = field(tr("box depth"), mm, 5000.0, 1, tr("Outside."));
  edge_kind_ = new QComboBox(this);
  edge_kind_->addItems({tr("square edges"), tr("round edges"), tr("chamfered edges")});
  layout_->addWidget(edge_kind_);
  edge_ = field(tr("edge size"), mm, 500.0, 1,
                tr("Radius of a round edge, width of the face of a chamfered one."));
  volume_ = field(tr("net volume"), tr(" l"), 5000.0, 2,
                  tr("What is left for the air: inside less drivers, ports, braces, crossover."));
  layout_->addWidget(rule(this));
  figures_ = new QLabel(this);
  figures_->setObjectName(QStringLiteral("drawingFigures"));
  figures_->setWordWrap(true);
  figures_->setTextFormat(Qt::RichText);
  layout_->addWidget(figures_);
  layout_->addStretch(1);
  wire();
  connect(&desk_, &DrawingDesk::changed, this, &DrawingPage::show);
  show();
}

void DrawingPage::wire() {
  const auto place = [this] {
    if (filling_ || !desk_.chosenPart()) return;
    const DrawnSubject s = drawn_subject(desk_.description());
    desk_.edit(
        with_part_at(desk_.description(), s.parts[*desk_.chosenPart()], x_->value(), y_->value()),
        true);
  };
  connect(x_, &QDoubleSpinBox::valueChanged, this, place);
  connect(y_, &QDoubleSpinBox::valueChanged, this, place);
  connect(size_, &QDoubleSpinBox::valueChanged, this,
          [this](double mm_value) { changePart(PartFigure::kDiameter, mm_value); });
  connect(length_, &QDoubleSpinBox::valueChanged, this,
          [this](double mm_value) { changePart(PartFigure::kLength, mm_value); });
  for (const auto& [spin, figure] : {std::pair{width_, BoxFigure::kWidth},
                                     {height_, BoxFigure::kHeight},
                                     {depth_, BoxFigure::kDepth},
                                     {volume_, BoxFigure::kNetVolume}}) {
    connect(spin, &QDoubleSpinBox::valueChanged, this, [this, which = figure](double v) {
      if (!filling_) desk_.edit(with_figure(desk_.description(), which, v), true);
    });
  }
  const auto edge = [this] {
    if (filling_) return;
    const int kind = edge_kind_->currentIndex();
    desk_.edit(with_figure(desk_.description(),
                           kind == 2 ? BoxFigure::kEdgeChamfer : BoxFigure::kEdgeRadius,
                           kind == 0 ? 0.0 : std::max(edge_->value(), 1.0)),
               true);
  };
  connect(edge_kind_, &QComboBox::activated, this, edge);
  connect(edge_, &QDoubleSpinBox::valueChanged, this, edge);
}

QDoubleSpinBox* DrawingPage::field(const QString& name, const QString& unit, double highest,
                                   int digits, const QString& tip) {
  auto* row = new QHBoxLayout;
  auto* label = role_label(name, "quiet", this);
  label->setFixedWidth(84);
  auto* spin = new QDoubleSpinBox(this);
  spin->setObjectName(name);
  spin->setRange(-highest, highest);
  spin->setDecimals(digits);
  spin->setSuffix(unit);
  spin->setToolTip(tip);
  spin->setKeyboardTracking(false);
  spin->setButtonSymbols(QAbstractSpinBox::NoButtons);
  row->addWidget(label);
  row->addWidget(spin, 1);
  layout_->addLayout(row);
  return spin;
}

void DrawingPage::setTheme(const Theme& theme) {
  quiet_ = theme.quiet;
  refuse_ = theme.refuse;
  show();
}

void DrawingPage::changePart(PartFigure figure, double value) {
  if (filling_ || !desk_.chosenPart()) return;
  const DrawnSubject s = drawn_subject(desk_.description());
  desk_.edit(with_part_figure(desk_.description(), s.parts[*desk_.chosenPart()], figure, value),
             true);
}

void DrawingPage::show() {
  const DrawnSubject s = drawn_subject(desk_.description());
  filling_ = true;
  first_->setVisible(!s.has_baffle);
  part_->clear();
  part_->addItem(tr("the box alone"));
  for (const DrawnPart& p : s.parts)
    part_->addItem(p.panel == "front" ? QString::fromStdString(p.id)
                                      : tr("%1, %2").arg(QString::fromStdString(p.id),
                                                         QString::fromStdString(p.panel)));
  const auto chosen = desk_.chosenPart();
  part_->setCurrentIndex(chosen ? static_cast<int>(*chosen) + 1 : 0);
  const bool has_part = chosen && *chosen < s.parts.size();
  const bool port = has_part && s.parts[*chosen].kind == DrawnPart::Kind::kPort;
  const bool driver = has_part && s.parts[*chosen].kind == DrawnPart::Kind::kDriver;
  for (QDoubleSpinBox* spin : {x_, y_, size_}) spin->setEnabled(has_part);
  length_->setEnabled(port);
  best_->setEnabled(driver && s.has_baffle);
  if (has_part) {
    const DrawnPart& p = s.parts[*chosen];
    x_->setValue(p.x_mm);
    y_->setValue(p.y_mm);
    size_->setValue(2.0 * p.radius_mm);
    length_->setValue(p.length_mm);
  }
  for (QWidget* w : std::initializer_list<QWidget*>{width_, height_, depth_, edge_kind_, volume_})
    w->setEnabled(s.has_baffle);
  edge_->setEnabled(s.has_baffle && s.edge != EdgeShape::kSquare);
  width_->setValue(s.width_mm);
  height_->setValue(s.height_mm);
  depth_->setValue(s.depth_mm);
  edge_kind_->setCurrentIndex(s.edge == EdgeShape::kSquare  ? 0
                              : s.edge == EdgeShape::kRound ? 1
                                                            : 2);
  edge_->setValue(s.edge_mm);
  volume_->setValue(s.net_volume_l.value_or(0.0));
  filling_ = false;
  // One label for all: it is written anew with each movement of a hand.
  QString text;
  const auto problem = [&](const std::string& what) {
    text += QStringLiteral("<p style='color:%1'><b>%2</b></p>")
                .arg(refuse_.name(), QString::fromStdString(what).toHtmlEscaped());
  };
  for (const std::string& what : s.problems) problem(what);
  for (const DrawnPart& p : s.parts)
    for (const std::string& what : p.problems) problem(p.id + ": " + what);
  for (const KeyFigure& figure : drawing_figures(desk_.description(), chosen)) {
    text += QStringLiteral(
                "<p style='margin:4px 0 0 0'>%1 <b>%2</b> <span style='color:%4'>%3</span></p>")
                .arg(QString::fromStdString(figure.name).toHtmlEscaped(),
                     QString::fromStdString(figure.value).toHtmlEscaped(),
                     QString::fromStdString(figure.basis).toHtmlEscaped(), quiet_.name());
  }
  figures_->setText(text);
}

}  // namespace lalometer
