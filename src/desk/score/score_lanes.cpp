#include "desk/score/score_lanes.h"

#include "workbench/keeping/lane_keeping.h"

namespace lalometer {

ScoreLanes::ScoreLanes(BookSession& session, ScoreView& score, QObject* parent)
    : QObject(parent), session_(session), score_(score) {
  // In a round of its own: keeping, filling and drawing one take in a single round would hold up
  // mouse and keys.
  refresh_.setSingleShot(true);
  refresh_.setInterval(0);
  connect(&refresh_, &QTimer::timeout, this, &ScoreLanes::refresh);
  connect(&session_, &BookSession::laidChanged, &refresh_, qOverload<>(&QTimer::start));
  connect(&session_, &BookSession::resultsChanged, &refresh_, qOverload<>(&QTimer::start));
  connect(&session_, &BookSession::bookChanged, this, [this] {
    building_.clear();
    restore();
  });
  connect(&score_, &ScoreView::lanesArranged, this, &ScoreLanes::keep);
}

void ScoreLanes::want(const LaneKind& kind) {
  if (kind.wants_models) session_.setModelsWanted(true);
  if (kind.wants_angles) session_.angles().want(kind.wants_advice);
  if (kind.wants_time != 0) session_.time().want(kind.wants_time);
}

ScoreView::Lane ScoreLanes::made(const LaneKind& kind) {
  want(kind);
  ScoreView::Lane lane;
  lane.kind = kind.id;
  lane.weight = kind.usual_weight;
  lane.content.title = kind.title;
  return lane;
}

void ScoreLanes::restore() {
  std::vector<ScoreView::Lane> lanes;
  for (const KeptLane& kept : lanes_from_json(session_.view("lanes"))) {
    if (lane_kind(kept.kind) == nullptr) continue;
    ScoreView::Lane lane;
    lane.kind = kept.kind;
    lane.weight = kept.weight;
    lane.fitted = kept.fitted;
    lane.values = {kept.low, kept.high};
    lanes.push_back(std::move(lane));
  }
  if (lanes.empty()) {
    for (const LaneKind& kind : lane_kinds()) {
      if (kind.shown_at_first) lanes.push_back(made(kind));
    }
  }
  for (ScoreView::Lane& lane : lanes) {
    const LaneKind& kind = *lane_kind(lane.kind);
    lane.content.title = kind.title;
    want(kind);
  }
  score_.setLanes(std::move(lanes));
  refresh_.start();
}

void ScoreLanes::keep() {
  std::vector<KeptLane> kept;
  for (const ScoreView::Lane& lane : score_.lanes())
    kept.push_back({lane.kind, lane.weight, lane.fitted, lane.values.low, lane.values.high});
  session_.setView("lanes", to_json(kept));
  emit arranged();
}

bool ScoreLanes::shown(const std::string& kind) const {
  const auto& lanes = score_.lanes();
  return std::any_of(lanes.begin(), lanes.end(),
                     [&](const auto& lane) { return lane.kind == kind; });
}

void ScoreLanes::setShown(const std::string& kind, bool wanted) {
  const LaneKind* plug = lane_kind(kind);
  if (plug == nullptr || shown(kind) == wanted) return;
  std::vector<ScoreView::Lane> lanes = score_.lanes();
  if (!wanted) {
    const auto found = std::find_if(lanes.begin(), lanes.end(),
                                    [&](const auto& lane) { return lane.kind == kind; });
    score_.removeLane(static_cast<std::size_t>(found - lanes.begin()));
    return;
  }
  lanes.push_back(made(*plug));
  score_.setLanes(std::move(lanes));
  keep();
  refresh_.start();
}

void ScoreLanes::setOnly(const std::vector<std::string>& kinds) {
  std::vector<ScoreView::Lane> lanes;
  for (const std::string& id : kinds) {
    const LaneKind* kind = lane_kind(id);
    if (kind == nullptr) continue;
    // One that is there keeps its scale and height.
    const auto& now = score_.lanes();
    const auto there =
        std::find_if(now.begin(), now.end(), [&](const auto& one) { return one.kind == id; });
    lanes.push_back(there != now.end() ? *there : made(*kind));
  }
  score_.setLanes(std::move(lanes));
  keep();
  refresh_.start();
}

void ScoreLanes::refresh() {
  if (!session_.isOpen()) return;
  const std::vector<LaidTake> laid = session_.laid();
  for (std::size_t i = 0; i < score_.lanes().size(); ++i) {
    const LaneKind* kind = lane_kind(score_.lanes()[i].kind);
    if (kind == nullptr) continue;
    const std::string key = lane_node(*kind, laid, session_.chosenTake()).key;
    if (const auto content = session_.store()->find<LaneContent>(key))
      score_.setContent(i, *content);
    else
      build(*kind, laid);
  }
}

void ScoreLanes::build(const LaneKind& kind, const std::vector<LaidTake>& laid) {
  const QString id = QString::fromStdString(kind.id);
  // One at a time of each: what has changed meanwhile is seen when it comes in.
  if (building_.contains(id)) return;
  building_.insert(id);
  session_.work().start<std::shared_ptr<const LaneContent>>(
      this, {},
      [store = session_.store(),
       node = lane_node(kind, laid, session_.chosenTake())](const WorkContext& context) {
        return store->get(node, {*store, context.stop, context.parallel});
      },
      [this, id, generation = session_.work().generation()](const auto&) {
        if (generation != session_.work().generation()) return;
        building_.remove(id);
        refresh_.start();
      });
}

}  // namespace lalometer
