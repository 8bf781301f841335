#include "desk/networks/network_desk.h"

#include <fmt/format.h>

#include <QScrollArea>
#include <QSplitter>
#include <QVBoxLayout>

#include "exchange/network/network_file.h"
#include "workbench/networks/network_study.h"
#include "workbench/telling/network/network_told.h"

namespace lalometer {

NetworkDesk::NetworkDesk(BookSession& session, QWidget* parent)
    : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("networkDesk"));
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  auto* split = new QSplitter(Qt::Vertical, this);
  split->setHandleWidth(1);
  auto* scroll = new QScrollArea(split);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setWidgetResizable(true);
  view_ = new NetworkView;
  scroll->setWidget(view_);
  lanes_ = new ScoreView(session_.work(), state_, split);
  lanes_->setObjectName(QStringLiteral("networkLanes"));
  lanes_->setArrangeable(false);
  state_.setRange({100.0, 20000.0});
  state_.setCursorHz(2000.0);
  split->setStretchFactor(0, 0);
  split->setStretchFactor(1, 1);
  split->setSizes({270, 470});
  layout->addWidget(split);
  connect(view_, &NetworkView::chosen, this, [this](const NetworkPlace& place) { choose(place); });
  connect(view_, &NetworkView::valueAsked, this, &NetworkDesk::setValue);
  connect(view_, &NetworkView::removeAsked, this, &NetworkDesk::remove);
  connect(&session_, &BookSession::rowsChanged, this, &NetworkDesk::follow);
  connect(&session_, &BookSession::laidChanged, this, &NetworkDesk::follow);
}

void NetworkDesk::setTheme(const Theme& theme) {
  view_->setTheme(theme);
  lanes_->setTheme(theme);
}

/// Reads anew where takes or drawing have changed, and takes what the book keeps (undo).
void NetworkDesk::follow() {
  if (!isVisible() || !session_.isOpen()) return;
  const Id subject = session_.chosenSubject();
  const Subject* described = session_.subject(subject);
  if (generation_ != session_.work().generation()) {
    generation_ = session_.work().generation();
    subject_ = -1;  // none of this book
  }
  std::string what = fmt::format("{} {}", generation_, subject);
  if (described != nullptr) what += described->drawing_mark;
  for (const Take& t : session_.takes())
    if (t.subject_id == subject && has_curve(t))
      what += fmt::format("|{} {} {} {}", t.id, t.variant_id, t.conditions.driver, t.accepted);
  if (what != shown_) {
    if (subject != subject_) {
      chosen_.reset();
      verdict_.clear();
      built_variant_ = 0;
      built_.reset();
      built_told_.clear();
      kept_.clear();
      sent_.clear();
      network_ = {};
    }
    subject_ = subject;
    shown_ = what;
    material_ = nullptr;
    trouble_.clear();
    if (described != nullptr) read();
  }
  const std::string kept = session_.document(subject_, "network");
  // What is on its way is newer than what the book has.
  if (!sent_.empty() && kept == sent_.back()) {
    kept_ = kept;
    sent_.clear();
  }
  if (sent_.empty() && kept != kept_) {
    kept_ = kept;
    if (auto network = network_from_json(kept, "network"); network && !kept.empty())
      network_ = *std::move(network);
    else if (material_ != nullptr)
      network_ = bare_network(*material_);
  }
  refresh();
}

NetworkStudyInputs NetworkDesk::inputs() const {
  NetworkStudyInputs in{.takes = {}, .description = {}, .name = {}};
  if (const Subject* subject = session_.subject(subject_)) {
    in.description = subject->description;
    in.name = subject->name;
  }
  for (const Take& t : session_.takes())
    if (t.subject_id == subject_) in.takes.push_back(t);
  return in;
}

void NetworkDesk::read() {
  const Subject* subject = session_.isOpen() ? session_.subject(subject_) : nullptr;
  if (reading_ || subject == nullptr) return;
  NetworkStudyInputs in = inputs();
  reading_ = true;
  using Read = std::shared_ptr<const NetworkMaterial>;
  session_.work().start<Read>(
      this, {},
      [in = std::move(in), source = session_.curveSource(subject_)](const WorkContext& context) {
        return study_network(in, source, context.stop, context.progress).map([](NetworkMaterial m) {
          return std::make_shared<const NetworkMaterial>(std::move(m));
        });
      },
      [this, of = shown_](const Result<Read>& made) {
        reading_ = false;
        if (of != shown_) return read();
        material_ = made ? *made : nullptr;
        trouble_ = made ? QString() : QString::fromStdString(made.error().message);
        if (material_ != nullptr && network_.branches.empty()) network_ = bare_network(*material_);
        refresh();
      });
}

void NetworkDesk::refresh() {
  sum_.reset();
  sum_trouble_.clear();
  if (material_ != nullptr && !network_.branches.empty()) {
    auto made = network_sum(network_, material_->drivers);
    if (made)
      sum_ = *std::move(made);
    else
      sum_trouble_ = QString::fromStdString(made.error().message);
  }
  if (chosen_ && part_at(network_, *chosen_) == nullptr) chosen_.reset();
  view_->setNetwork(network_, chosen_);
  if (!sum_) {
    lanes_->setLanes({});
    emit changed();
    return;
  }
  // An old band is none of this network.
  band_.reset();
  fillLanes();
  emit changed();
  spread();
  judgeBuilt();
}

void NetworkDesk::fillLanes() {
  NetworkExtras extras{.network = &network_, .drivers = &material_->drivers};
  if (band_) extras.band = &*band_;
  extras.built = built_.get();
  extras.built_off_db = built_off_db_;
  auto contents = network_lanes(*sum_, extras);
  lane_kinds_.clear();
  for (const auto& [kind, content] : contents)
    lane_kinds_.emplace_back(kind, QString::fromStdString(content.title));
  std::erase_if(contents, [this](const auto& one) { return hidden_.contains(one.first); });
  const auto& shown = lanes_->lanes();
  bool same = shown.size() == contents.size();
  for (std::size_t i = 0; same && i < contents.size(); ++i)
    same = shown[i].kind == contents[i].first;
  if (same) {
    for (std::size_t i = 0; i < contents.size(); ++i)
      lanes_->setContent(i, std::move(contents[i].second));
  } else {
    std::vector<ScoreView::Lane> lanes;
    for (auto& [kind, content] : contents) {
      ScoreView::Lane lane;
      lane.kind = kind;
      lane.weight = kind == "network-level" ? 1.6 : kind == "network-phase" ? 0.7 : 1.0;
      lane.content = std::move(content);
      lanes.push_back(std::move(lane));
    }
    lanes_->setLanes(std::move(lanes));
  }
}

void NetworkDesk::setLaneShown(const std::string& kind, bool shown) {
  if (shown)
    hidden_.erase(kind);
  else
    hidden_.insert(kind);
  if (sum_) fillLanes();
}

void NetworkDesk::setTolerance(double percent, double samples_db) {
  tolerance_percent_ = percent;
  samples_db_ = samples_db;
  refresh();
}

void NetworkDesk::spread() {
  if (banding_ || tolerance_percent_ <= 0.0 || !sum_) return;
  banding_ = true;
  const double p = tolerance_percent_, samples_db = samples_db_;
  session_.work().start<ToleranceBand>(
      this, {},
      [material = material_, network = network_, p, samples_db](const WorkContext&) {
        return tolerance_band(network, material->drivers,
                              {.coil_percent = p,
                               .capacitor_percent = p,
                               .resistor_percent = p,
                               .driver_db = samples_db});
      },
      [this, of = json_text(told_of(network_), 0), p,
       samples_db](const Result<ToleranceBand>& made) {
        banding_ = false;
        const bool same = of == json_text(told_of(network_), 0) && p == tolerance_percent_ &&
                          samples_db == samples_db_;
        if (!same) return spread();
        if (!made || !sum_ || made->half_width_db.size() != sum_->axis.size()) return;
        band_ = *made;
        fillLanes();
      });
}

void NetworkDesk::choose(const std::optional<NetworkPlace>& place) {
  chosen_ = place;
  view_->setNetwork(network_, chosen_);
  emit changed();
}

void NetworkDesk::change(const DesignedNetwork& network, bool done) {
  network_ = network;
  refresh();
  if (done) keep();
}

void NetworkDesk::setValue(const NetworkPlace& place, double value, bool done) {
  DesignedNetwork next = network_;
  set_value(next, place, value);
  change(next, done);
}

void NetworkDesk::remove(const NetworkPlace& place) {
  DesignedNetwork next = network_;
  remove_part(next, place);
  chosen_.reset();
  change(next, true);
}

void NetworkDesk::keep() {
  if (!session_.isOpen() || session_.book().read_only() || subject_ == 0) return;
  sent_.push_back(json_text(told_of(network_), 0));
  session_.setDocument(subject_, "network", sent_.back(), "Change the network");
}

void NetworkDesk::design(CrossoverWish wish) {
  if (material_ == nullptr || designing_) return;
  designing_ = true;
  verdict_.clear();
  emit changed();
  work_ = session_.work().start<CrossoverDesign>(
      this, {WorkKind::kJob, WorkScope::kBook, [this](double share) { emit progressed(share); }},
      [material = material_, wish = std::move(wish)](const WorkContext& context) {
        CrossoverWish asked = wish;
        asked.stop = context.stop;
        asked.progress = context.progress;
        asked.parallel = context.parallel;
        return crossover_design(material->drivers, asked);
      },
      [this, subject = subject_](const Result<CrossoverDesign>& made) {
        designing_ = false;
        if (!made) {
          if (made.error().code != ErrorCode::kCancelled)
            emit failed(QString::fromStdString(made.error().text()));
        } else if (subject == subject_) {
          verdict_ = QString::fromStdString(made->verdict);
          // Branches of drivers that the design is not about stay as they are.
          DesignedNetwork next = network_;
          next.source_ohm = network_.source_ohm;
          for (const DesignBranch& found : made->network.branches) {
            const auto old =
                std::find_if(next.branches.begin(), next.branches.end(),
                             [&](const DesignBranch& b) { return b.driver == found.driver; });
            if (old == next.branches.end())
              next.branches.push_back(found);
            else
              *old = found;
          }
          chosen_.reset();
          change(next, true);
        }
        emit changed();
      });
}

void NetworkDesk::stop() {
  session_.work().stop(work_);
}

}  // namespace lalometer
