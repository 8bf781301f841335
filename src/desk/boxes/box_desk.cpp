#include "desk/boxes/box_desk.h"

#include <QSplitter>
#include <QVBoxLayout>
#include <cmath>

#include "workbench/keeping/box_keeping.h"

namespace lalometer {
BoxDesk::BoxDesk(BookSession& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("boxDesk"));
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  auto* split = new QSplitter(Qt::Vertical, this);
  split->setHandleWidth(1);
  field_ = new BoxFieldView(split);
  lanes_ = new ScoreView(session_.work(), state_, split);
  lanes_->setObjectName(QStringLiteral("boxLanes"));
  lanes_->setArrangeable(false);
  state_.setRange({10.0, 1000.0});
  state_.setCursorHz(40.0);
  split->setStretchFactor(0, 0);
  split->setStretchFactor(1, 1);
  split->setSizes({184, 556});
  layout->addWidget(split);
  connect(field_, &BoxFieldView::chosenChanged, this,
          [this](int k) { choose(static_cast<std::size_t>(k)); });
  connect(field_, &BoxFieldView::moved, this, [this](double litres, double hz, bool done) {
    if (outcomes_.empty()) return;
    BoxCandidate c = outcomes_[chosen_].candidate;
    // A tenth of a litre or a hundredth of it, whichever is coarser, is finer than any saw.
    c.volume_l = litres > 20.0 ? std::round(litres * 2.0) / 2.0 : std::round(litres * 10.0) / 10.0;
    if (c.kind == BoxCandidate::Kind::kVented) c.tuning_hz = std::round(hz * 5.0) / 5.0;
    change(c, done);
  });
  connect(&session_, &BookSession::rowsChanged, this, &BoxDesk::follow);
  connect(&session_, &BookSession::laidChanged, this, &BoxDesk::follow);
  if (session_.isOpen()) follow();
}

void BoxDesk::setTheme(const Theme& theme) {
  field_->setTheme(theme);
  lanes_->setTheme(theme);
}

void BoxDesk::follow() {
  const Id id = session_.chosenSubject();
  const Subject* subject = session_.subject(id);
  const Description description = subject != nullptr ? subject->description : Description{};
  if (id == subject_ && description == description_) return;
  subject_ = id;
  description_ = description;
  auto driver = box_driver_of(description);
  outcomes_.clear();
  chosen_ = 0;
  driver_.reset();
  trouble_.clear();
  if (driver) {
    driver_ = std::move(*driver);
    restore();
    makeField();
  } else {
    trouble_ = QString::fromStdString(driver.error().message);
  }
  refresh();
}

void BoxDesk::restore() {
  const BoxCandidate first = first_candidate(description_, *driver_);
  const KeptBoxes kept = boxes_from_json(session_.document(subject_, "box-candidates"), first);
  power_w_ = kept.power_w;
  for (const BoxCandidate& c : kept.candidates)
    outcomes_.push_back(box_outcome(*driver_, c, power_w_));
  if (outcomes_.empty()) outcomes_.push_back(box_outcome(*driver_, first, power_w_));
}

void BoxDesk::keep() {
  if (!session_.isOpen() || session_.book().read_only() || subject_ == 0) return;
  KeptBoxes boxes{power_w_, {}};
  for (const BoxOutcome& o : outcomes_) boxes.candidates.push_back(o.candidate);
  session_.setDocument(subject_, "box-candidates", to_json(boxes), "Change the boxes");
}

void BoxDesk::makeField() {
  if (!driver_ || outcomes_.empty()) return;
  field_->setField(f3_field(*driver_, outcomes_[chosen_].candidate, BoxFieldView::kLowest_l,
                            BoxFieldView::kHighest_l, BoxFieldView::kLowest_hz,
                            BoxFieldView::kHighest_hz));
}

void BoxDesk::refresh() {
  std::vector<BoxCandidate> candidates;
  for (const BoxOutcome& o : outcomes_) candidates.push_back(o.candidate);
  field_->setCandidates(candidates, chosen_);
  if (driver_ && !outcomes_.empty()) {
    auto contents = box_lanes(outcomes_, chosen_, *driver_);
    const bool same = lanes_->lanes().size() == contents.size();
    if (same) {
      for (std::size_t i = 0; i < contents.size(); ++i)
        lanes_->setContent(i, std::move(contents[i].second));
    } else {
      std::vector<ScoreView::Lane> lanes;
      for (auto& [kind, content] : contents) {
        // Two more stand in the list of lanes' order but low: the first four answer most.
        const double weight = kind == "box-level" ? 1.5 : kind == "box-delay" ? 0.6 : 1.0;
        ScoreView::Lane lane;
        lane.kind = kind;
        lane.weight = weight;
        lane.content = std::move(content);
        lanes.push_back(std::move(lane));
      }
      lanes_->setLanes(std::move(lanes));
    }
  } else {
    lanes_->setLanes({});
  }
  emit changed();
}

void BoxDesk::choose(std::size_t candidate) {
  if (candidate >= outcomes_.size()) return;
  chosen_ = candidate;
  makeField();
  refresh();
}

void BoxDesk::change(const BoxCandidate& candidate, bool done) {
  if (!driver_ || outcomes_.empty()) return;
  const BoxCandidate& before = outcomes_[chosen_].candidate;
  const bool other_field = before.ql != candidate.ql || before.qa != candidate.qa ||
                           before.qp != candidate.qp || before.series_ohm != candidate.series_ohm;
  outcomes_[chosen_] = box_outcome(*driver_, candidate, power_w_);
  if (other_field && done) makeField();
  refresh();
  if (done) keep();
}

void BoxDesk::setPower(double watts) {
  if (!driver_ || !(watts > 0.0)) return;
  power_w_ = watts;
  for (BoxOutcome& o : outcomes_) o = box_outcome(*driver_, o.candidate, power_w_);
  refresh();
  keep();
}

void BoxDesk::add() {
  if (!driver_ || outcomes_.empty() || outcomes_.size() >= 6) return;
  BoxCandidate c = outcomes_[chosen_].candidate;
  // The first letter that is free.
  for (char letter = 'A'; letter <= 'Z'; ++letter) {
    c.name = std::string(1, letter);
    const bool taken = std::any_of(outcomes_.begin(), outcomes_.end(),
                                   [&](const BoxOutcome& o) { return o.candidate.name == c.name; });
    if (!taken) break;
  }
  c.volume_l = std::min(c.volume_l * 1.3, BoxFieldView::kHighest_l);
  outcomes_.push_back(box_outcome(*driver_, c, power_w_));
  chosen_ = outcomes_.size() - 1;
  refresh();
  keep();
}

void BoxDesk::remove() {
  if (outcomes_.size() < 2) return;
  outcomes_.erase(outcomes_.begin() + static_cast<std::ptrdiff_t>(chosen_));
  chosen_ = std::min(chosen_, outcomes_.size() - 1);
  refresh();
  keep();
}

void BoxDesk::makeVariant() {
  if (outcomes_.empty() || subject_ == 0) return;
  const BoxOutcome& o = outcomes_[chosen_];
  session_.edit([variant = Variant{0, subject_, "Box " + o.candidate.name, in_words(o), "box"}](
                    Book& book) { return book.add_variant(variant).map([](Id) {}); });
}

void BoxDesk::takeIntoDrawing() {
  if (outcomes_.empty() || subject_ == 0) return;
  session_.edit([subject = subject_,
                 description = with_candidate(description_, outcomes_[chosen_])](Book& book) {
    return book.set_description(subject, description);
  });
}

}  // namespace lalometer
