#include "desk/pages/read_page.h"

#include <QComboBox>
#include <QGridLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QPlainTextEdit>
#include <QPushButton>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "desk/parts/page_parts.h"

namespace lalometer {
namespace {

constexpr int kRow_px = 21;
constexpr int kHeading_px = 19;

QString text_of(const std::string& s) {
  return QString::fromStdString(s);
}

}  // namespace

CursorList::CursorList(BookSession& session, ScoreState& state, QWidget* parent)
    : QWidget(parent), session_(session), state_(state) {
  setObjectName(QStringLiteral("cursorList"));
  const auto fetch = [this] {
    laid_ = session_.laid();
    updateGeometry();
    update();
  };
  connect(&session_, &BookSession::laidChanged, this, fetch);
  connect(&session_, &BookSession::resultsChanged, this, fetch);
  connect(&state_, &ScoreState::cursorMoved, this, qOverload<>(&QWidget::update));
  fetch();
}

void CursorList::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

QSize CursorList::sizeHint() const {
  const std::vector<Row> all = rows();
  return {220, all.empty() ? kRow_px : static_cast<int>(all.back().top) + kRow_px};
}

QStringList CursorList::texts() const {
  QStringList lines;
  for (const CursorValue& v : cursor_values(laid_, state_.cursorHz()))
    lines.push_back(text_of(v.label + ": " + v.text));
  return lines;
}

std::vector<CursorList::Row> CursorList::rows() const {
  std::vector<Row> all;
  std::string group;
  double top = 0.0;
  for (const CursorValue& v : cursor_values(laid_, state_.cursorHz())) {
    if (v.group != group) {
      all.push_back({0, top});
      top += kHeading_px;
      group = v.group;
    }
    all.push_back({v.take_id, top});
    top += kRow_px;
  }
  return all;
}

void CursorList::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  if (laid_.empty()) {
    painter.setPen(theme_.quiet);
    painter.drawText(rect(), Qt::AlignLeft | Qt::AlignVCenter,
                     tr("Nothing lies on the score yet."));
    return;
  }
  double y = 0.0;
  std::string group;
  for (const CursorValue& v : cursor_values(laid_, state_.cursorHz())) {
    if (v.group != group) {
      group = v.group;
      painter.setFont(text_font(11));
      painter.setPen(theme_.quiet);
      painter.drawText(QRectF(0, y, width(), kHeading_px), Qt::AlignLeft | Qt::AlignVCenter,
                       text_of(group));
      y += kHeading_px;
    }
    const bool chosen = v.take_id == session_.chosenTake();
    const QRectF row(0, y, width(), kRow_px);
    const CurveStyle style = curve_style(v.style, theme_.dark);
    QPen pen(style.colour, 2.2);
    if (!style.dash_px.isEmpty()) {
      QList<qreal> pattern;
      for (const double d : style.dash_px) pattern.push_back(d / 2.2);
      pen.setDashPattern(pattern);
      pen.setCapStyle(Qt::FlatCap);
    }
    painter.setPen(pen);
    painter.drawLine(QPointF(1, row.center().y()), QPointF(17, row.center().y()));
    painter.setFont(text_font(13, true));
    painter.setPen(v.valid ? theme_.ink : theme_.quiet);
    const QString value =
        text_of(v.text) + (v.valid || v.text == "–" ? QString() : tr(" (not valid)"));
    const double value_width = QFontMetricsF(painter.font()).horizontalAdvance(value);
    painter.drawText(row.adjusted(0, 0, -2, 0), Qt::AlignRight | Qt::AlignVCenter, value);
    painter.setFont(text_font(12, chosen));
    painter.setPen(theme_.ink);
    const QString label =
        QFontMetricsF(painter.font())
            .elidedText(text_of(v.label), Qt::ElideRight, width() - 34 - value_width);
    painter.drawText(row.adjusted(24, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, label);
    y += kRow_px;
  }
}

void CursorList::mousePressEvent(QMouseEvent* event) {
  for (const Row& row : rows()) {
    const double y = event->position().y();
    if (row.take_id != 0 && y >= row.top && y < row.top + kRow_px) session_.chooseTake(row.take_id);
  }
}

ReadPage::ReadPage(BookSession& session, ScoreState& state, QWidget* parent)
    : QWidget(parent), session_(session), state_(state) {
  setObjectName(QStringLiteral("readPage"));
  auto* layout = scrolled_page(this, 8);
  QWidget* inside = layout->parentWidget();

  auto* head = new QHBoxLayout;
  frequency_ = role_label({}, "figure", inside);
  frequency_->setObjectName(QStringLiteral("cursorFrequency"));
  frequency_->setWordWrap(false);
  wavelength_ = role_label({}, "quiet", inside);
  wavelength_->setAlignment(Qt::AlignRight | Qt::AlignBottom);
  wavelength_->setContentsMargins(0, 0, 0, 6);
  wavelength_->setToolTip(
      tr("Wavelength: the distance sound travels in one cycle, here at 343 m/s."));
  head->addWidget(frequency_, 1);
  head->addWidget(wavelength_);
  layout->addLayout(head);
  list_ = new CursorList(session, state, inside);
  layout->addWidget(list_);
  proportion_ = role_label({}, "quiet", inside);
  proportion_->setObjectName(QStringLiteral("proportion"));
  proportion_->setToolTip(tr(
      "How many dB are as high as a decade of frequency is wide. P steps through the proportions "
      "of IEC 60263."));
  layout->addWidget(proportion_);
  layout->addWidget(rule(inside));
  chosen_ = role_label({}, "title", inside);
  chosen_->setObjectName(QStringLiteral("chosenTake"));
  conditions_ = role_label({}, "quiet", inside);
  layout->addWidget(chosen_);
  layout->addWidget(conditions_);
  figures_ = new QVBoxLayout;
  figures_->setSpacing(4);
  layout->addLayout(figures_);
  auto* recipe = new QHBoxLayout;
  recipe->addWidget(role_label(tr("Smoothing"), "quiet", inside));
  smoothing_ = new QComboBox(inside);
  smoothing_->setObjectName(QStringLiteral("smoothing"));
  smoothing_->setToolTip(
      tr("Power mean over a fraction of an octave, for all responses of the subject alike."));
  for (const int n : {0, 1, 3, 6, 12, 24, 48})
    smoothing_->addItem(n == 0 ? tr("none") : tr("1/%1 octave").arg(n), n);
  recipe->addWidget(smoothing_, 1);
  layout->addLayout(recipe);
  layout->addWidget(rule(inside));
  cards_ = new QVBoxLayout;
  cards_->setSpacing(6);
  layout->addLayout(cards_);
  layout->addWidget(role_label(tr("Note on this take"), "head", inside));
  note_ = new QPlainTextEdit(inside);
  note_->setObjectName(QStringLiteral("takeNote"));
  note_->setPlaceholderText(tr("What was heard, changed, doubted…"));
  note_->setTabChangesFocus(true);
  note_->setFixedHeight(64);
  layout->addWidget(note_);
  layout->addStretch(1);

  connect(&state_, &ScoreState::cursorMoved, this, &ReadPage::showCursor);
  connect(&state_, &ScoreState::proportionChanged, this, &ReadPage::showProportion);
  connect(&session_, &BookSession::laidChanged, this, &ReadPage::showChosen);
  connect(&session_, &BookSession::resultsChanged, this, &ReadPage::showChosen);
  connect(smoothing_, &QComboBox::activated, this, [this] {
    const Id subject = session_.chosenSubject();
    if (subject == 0) return;
    Recipe changed = session_.recipe(subject);
    changed.smoothing = smoothing_->currentData().toInt();
    session_.commitRecipe(subject, changed);
  });
  wireNote();
  showCursor();
  showProportion();
  showChosen();
}

void ReadPage::wireNote() {
  note_->installEventFilter(this);
  // Kept when the writing pauses: there is no save button.
  auto* pause = new QTimer(this);
  pause->setSingleShot(true);
  pause->setInterval(800);
  connect(note_, &QPlainTextEdit::textChanged, pause, qOverload<>(&QTimer::start));
  connect(pause, &QTimer::timeout, this, &ReadPage::keepNote);
}

void ReadPage::showCursor() {
  const double f = state_.cursorHz();
  frequency_->setText(text_of(frequency_text(f)));
  const double wave_mm = kSpeedOfSound20_m_s / f * 1e3;
  wavelength_->setText(wave_mm >= 1000.0 ? tr("λ %1 m").arg(text_of(three_digits(wave_mm / 1e3)))
                                         : tr("λ %1 mm").arg(text_of(three_digits(wave_mm))));
}

void ReadPage::showProportion() {
  const double db = state_.shownDecadeDb();
  proportion_->setVisible(db > 0.0);
  // Most published charts have 25 dB to the decade or near it (common practice, no source).
  const QString looks = db < 15.0   ? tr("dips and peaks look large")
                        : db > 40.0 ? tr("dips and peaks look small")
                                    : tr("as on most published charts");
  proportion_->setText(
      state_.decadeDb() > 0
          ? tr("%1 dB to the decade (IEC 60263): %2").arg(state_.decadeDb()).arg(looks)
          : tr("Scale: %1 dB to the decade: %2").arg(std::lround(db)).arg(looks));
}

/// Curves that were treated differently, with the one click that treats them alike.
void ReadPage::showUnlike(const std::vector<LaidTake>& laid) {
  const std::vector<std::string> reasons = unlike(laid);
  if (reasons.empty() && !session_.treatedAlike()) return;
  std::string list;
  for (const std::string& reason : reasons) list += (list.empty() ? "" : "; ") + reason;
  Remark remark;
  remark.weight = reasons.empty() ? Remark::Weight::kNote : Remark::Weight::kDoubt;
  remark.text =
      session_.treatedAlike()
          ? (reasons.empty() ? "The laid responses are treated alike."
                             : "Treated alike as far as it goes. What stays: " + list + ".")
          : "These responses are not treated alike: " + list + ".";
  QFrame* card = remark_card(remark, nullptr);
  card->setObjectName(QStringLiteral("unlikeCard"));
  auto* column = qobject_cast<QVBoxLayout*>(card->layout());
  const bool alike = session_.treatedAlike();
  if (column != nullptr) {
    QPushButton* step = add_button(
        column, alike ? tr("Each as it was taken") : tr("Treat alike"), "treatAlike",
        tr("Works them out anew with the shortest gate, the broadest smoothing, one drive and one "
           "distance."),
        card);
    connect(step, &QPushButton::clicked, this, [this, alike] { session_.setTreatedAlike(!alike); });
  }
  cards_->addWidget(card);
}

void ReadPage::keepNote() {
  const Take* take = session_.take(note_of_);
  if (take == nullptr) return;
  const std::string text = note_->toPlainText().toStdString();
  if (text == take->note) return;
  session_.edit([id = take->id, text](Book& book) { return book.set_take_note(id, text); });
}

void ReadPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  showChosen();
}

bool ReadPage::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::MouseButtonPress && watched->property("hz").isValid())
    state_.setCursorHz(watched->property("hz").toDouble());
  return QWidget::eventFilter(watched, event);
}

/// One card per loop: where, how high, why; a click puts the cursor there.
void ReadPage::showLoops(const LaidTake& laid) {
  for (const ExplainedWiggle& e : explained_loops(laid, session_.laid())) {
    const Wiggle& w = e.wiggle;
    Remark remark;
    remark.weight = w.height_percent >= 2.0 ? Remark::Weight::kDoubt : Remark::Weight::kNote;
    remark.text =
        fmt::format("Resonance at {}: {:.1f} % high, Q {}", frequency_text(w.frequency_hz.value),
                    w.height_percent, three_digits(w.q));
    if (e.name != "not predicted") remark.text += ", " + e.name;
    for (const WiggleCause& cause : e.causes) {
      if (cause.weight < 0.15 && &cause != &e.causes.front()) continue;
      std::string reasons;
      for (const std::string& reason : cause.evidence)
        reasons += (reasons.empty() ? "" : "; ") + reason;
      for (const std::string& reason : cause.against)
        reasons += (reasons.empty() ? "but " : "; but ") + reason;
      remark.advice += fmt::format("{}{} {:.0f} %: {}.", remark.advice.empty() ? "" : "\n",
                                   cause.cause, 100.0 * cause.weight, reasons);
    }
    QFrame* card = remark_card(remark, nullptr);
    card->setObjectName(QStringLiteral("loopCard"));
    card->setProperty("hz", w.frequency_hz.value);
    card->setCursor(Qt::PointingHandCursor);
    card->installEventFilter(this);
    cards_->addWidget(card);
  }
}

void ReadPage::showChosen() {
  if (!isVisible()) return;
  clear_layout(figures_);
  clear_layout(cards_);
  const Take* take = session_.take(session_.chosenTake());
  note_->setEnabled(take != nullptr);
  smoothing_->setCurrentIndex(
      smoothing_->findData(session_.recipe(session_.chosenSubject()).smoothing));
  if (take == nullptr) {
    chosen_->setText(tr("No take is chosen"));
    conditions_->setText(tr("Click one on the shelf, or a curve on the score."));
    return;
  }
  if (note_of_ != take->id) {
    keepNote();
    note_of_ = take->id;
    note_->setPlainText(text_of(take->note));
  }
  const Variant* variant = session_.variant(take->variant_id);
  chosen_->setText(text_of(take->name));
  const Conditions& c = take->conditions;
  QString text = variant == nullptr ? QString() : text_of(variant->name) + QStringLiteral(" · ");
  if (is_pressure(*take))
    text += tr("%1 V, %2 m, %3 °C · ")
                .arg(text_of(three_digits(c.drive_v)),
                     text_of(three_digits(place_of(*take).distance_m)))
                .arg(c.temperature_c);
  conditions_->setText(text + text_of(take->taken_at.substr(0, 16)).replace(u'T', u' '));
  const std::vector<LaidTake> all = session_.laid();
  showUnlike(all);
  for (const LaidTake& laid : all) {
    if (laid.take.id != take->id) continue;
    for (const KeyFigure& figure : key_figures(laid)) {
      auto* row = new QWidget;
      auto* grid = new QGridLayout(row);
      grid->setContentsMargins(0, 0, 0, 0);
      grid->setVerticalSpacing(0);
      grid->addWidget(role_label(text_of(figure.name), "quiet", row), 0, 0);
      auto* value = new QLabel(text_of(figure.value), row);
      value->setFont(text_font(13, true));
      grid->addWidget(value, 0, 1, Qt::AlignRight);
      if (!figure.basis.empty()) {
        auto* basis = role_label(text_of(figure.basis), "quiet", row);
        basis->setAlignment(Qt::AlignRight);
        grid->addWidget(basis, 1, 0, 1, 2);
      }
      figures_->addWidget(row);
    }
    showLoops(laid);
    if (laid.analysis) {
      for (const std::string& note : laid.analysis->notes)
        cards_->addWidget(remark_card({Remark::Weight::kDoubt, "", note, ""}, nullptr));
    }
  }
  for (const Remark& remark : take->remarks) cards_->addWidget(remark_card(remark, nullptr));
}

}  // namespace lalometer
