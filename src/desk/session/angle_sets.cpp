#include "desk/session/angle_sets.h"

#include <algorithm>
#include <map>

#include "desk/session/book_session.h"
#include "workbench/reading/lane_parts.h"
#include "workbench/spin/angle_set.h"

namespace lalometer {
namespace {

QString name_of(const Take& take) {
  return QStringLiteral("%1/%2/%3")
      .arg(take.variant_id)
      .arg(QString::fromStdString(take.conditions.driver),
           QString::fromStdString(take.conditions.sample));
}

}  // namespace

AngleSets::AngleSets(BookSession& session, Work& work) : session_(session), work_(work) {}

void AngleSets::want(bool advice) {
  if (wanted_ && (advice_wanted_ || !advice)) return;
  wanted_ = true;
  advice_wanted_ = advice_wanted_ || advice;
  follow();
  emit session_.resultsChanged();
}

void AngleSets::setView(const AngleView& view) {
  if (view == kept_.view) return;
  kept_.view = view;
  if (!view.draft) keep();
  emit lookChanged();
  lookAgain();
}

void AngleSets::setLook(const MapLook& look) {
  if (look == kept_.look) return;
  kept_.look = look;
  keep();
  emit lookChanged();
  emit session_.resultsChanged();
}

void AngleSets::setWish(const EqualiseWish& wish) {
  kept_.wish = wish;
  keep();
  emit lookChanged();
  lookAgain();
}

void AngleSets::keep() {
  session_.setView("angles", to_json(kept_));
}

void AngleSets::restart() {
  shown_.clear();
  working_.clear();
  kept_ = angles_from_json(session_.view("angles"));
}

void AngleSets::fill(std::vector<LaidTake>& laid, Id chosen) const {
  if (!wanted_) return;
  QHash<QString, LaidTake*> leads;
  for (LaidTake& one : laid) {
    const QString name = name_of(one.take);
    if (!shown_.contains(name) || !is_of_an_orbit(one.take)) continue;
    LaidTake*& lead = leads[name];
    if (lead == nullptr || one.take.id == chosen) lead = &one;
  }
  QSet<Id> subjects;
  for (const LaidTake* lead : leads) subjects.insert(lead->take.subject_id);
  std::map<std::string, int> named;
  // In the order of their colours, so that a name does not change with the choice.
  for (LaidTake& one : laid) {
    const QString name = name_of(one.take);
    const auto lead = leads.constFind(name);
    if (lead == leads.cend() || *lead != &one) continue;
    const Shown& shown = shown_[name];
    LaidSet set = shown.set;
    set.key = shown.key;
    set.pending = shown.key != shown.wanted_key;
    set.look = kept_.look;
    set.name = set_label(one);
    const Subject* subject = session_.subject(one.take.subject_id);
    if (subjects.size() > 1 && subject != nullptr) set.name = subject->name + ", " + set.name;
    // Two variants may bear one name.
    if (const int before = named[set.name]++; before > 0)
      set.name += " (" + std::to_string(before + 1) + ")";
    one.set = std::move(set);
  }
}

void AngleSets::follow() {
  if (!wanted_ || !session_.isOpen()) return;
  QSet<QString> laid;
  for (const Take& take : session_.takes()) {
    if (take.colour < 0) continue;
    const QString name = name_of(take);
    if (laid.contains(name)) continue;
    const AngleMembers members = angle_members(session_.takes(), take);
    if (members.far.empty()) continue;
    laid.insert(name);
    AngleSetInputs in;
    const auto put = [&](const std::vector<const Take*>& from, std::vector<TakeInputs>& to) {
      for (const Take* one : from) {
        to.push_back(session_.inputsOf(*one));
        to.back().level = {};
      }
    };
    put(members.far, in.far);
    put(members.near, in.near);
    put(members.alone, in.alone);
    for (TakeInputs& near : in.near) near.recipe.smoothing = 0;
    in.geometry = session_.geometries_.value(take.subject_id);
    if (const Subject* s = session_.subject(take.subject_id)) in.drawing = s->drawing_mark;
    Shown& shown = shown_[name];
    shown.inputs_key = orbit_node(in, {}).key;
    shown.inputs = std::make_shared<const AngleSetInputs>(std::move(in));
  }
  for (const QString& name : shown_.keys())
    if (!laid.contains(name)) shown_.remove(name);
  lookAgain();
}

void AngleSets::lookAgain() {
  KeptAngles looked_at = kept_;
  looked_at.look = {};
  const bool advice = advice_wanted_ && !kept_.view.draft;
  const std::string words =
      to_json(looked_at) + (kept_.view.draft ? "draft" : "") + (advice ? "advice" : "");
  for (const QString& name : shown_.keys()) {
    Shown& shown = shown_[name];
    shown.wanted_key = shown.inputs_key + words;
    if (shown.key != shown.wanted_key && !working_.contains(name)) read(name);
  }
}

void AngleSets::read(const QString& name) {
  working_.insert(name);
  const auto inputs = shown_[name].inputs;
  const std::string key = shown_[name].wanted_key;
  const bool advice = advice_wanted_ && !kept_.view.draft;
  work_.start<Made>(
      this, {},
      [store = session_.store(), inputs, kept = kept_, advice](const WorkContext& context) {
        const Making making{*store, context.stop, context.parallel};
        const Node<AngleReading> node = angles_node(*inputs, kept.view);
        // Drafts are looked at once: kept, a drag would push everything else out of the store.
        auto read = kept.view.draft ? node.make(making).map([](AngleReading&& reading) {
          return std::make_shared<const AngleReading>(std::move(reading));
        })
                                    : store->get(node, making);
        return std::move(read).map([&](std::shared_ptr<const AngleReading> reading) {
          Made made{std::move(reading), nullptr, {}};
          if (!advice) return made;
          auto found = store->get(advice_node(*inputs, kept.view, kept.wish), making);
          if (found)
            made.advice = *std::move(found);
          else
            made.problem = found.error().message;
          return made;
        });
      },
      [this, name, key, generation = work_.generation()](const Result<Made>& made) {
        if (generation != work_.generation()) return;
        working_.remove(name);
        if (!shown_.contains(name)) return;
        if (!made && made.error().code == ErrorCode::kCancelled) return;
        Shown& shown = shown_[name];
        shown.key = key;
        if (made) {
          shown.set.reading = made->reading;
          // While the axis is dragged the filters stay as they were.
          if (made->advice || !made->problem.empty()) shown.set.advice = made->advice;
          shown.set.problem = made->problem;
        } else {
          shown.set.reading = nullptr;
          shown.set.problem = made.error().text();
        }
        emit session_.resultsChanged();
        // The view may have moved on meanwhile (an axis being dragged).
        if (shown.wanted_key != key) lookAgain();
      });
}

}  // namespace lalometer
