#include "desk/networks/network_desk.h"
#include "workbench/telling/network/network_told.h"

/// The built loudspeaker against what was foretold.
namespace lalometer {

std::vector<std::pair<Id, QString>> NetworkDesk::builtVariants() const {
  std::vector<std::pair<Id, QString>> all;
  if (!session_.isOpen()) return all;
  for (const Variant& v : session_.variants()) {
    if (v.subject_id != subject_) continue;
    const bool whole =
        std::any_of(session_.takes().begin(), session_.takes().end(), [&](const Take& t) {
          return t.variant_id == v.id && t.accepted && has_curve(t) &&
                 t.conditions.driver.empty() &&
                 (t.kind() == TakeKind::kResponse || t.kind() == TakeKind::kImpedance);
        });
    if (whole) all.emplace_back(v.id, QString::fromStdString(v.name));
  }
  return all;
}

void NetworkDesk::setBuilt(Id variant) {
  built_variant_ = variant;
  built_.reset();
  built_told_.clear();
  built_off_db_ = 0.0;
  if (variant != 0)
    readBuilt();
  else
    refresh();
}

void NetworkDesk::readBuilt() {
  if (judging_) return;
  judging_ = true;
  using Read = std::shared_ptr<const BuiltTakes>;
  session_.work().start<Read>(
      this, {},
      [in = inputs(), source = session_.curveSource(subject_),
       variant = built_variant_](const WorkContext& context) {
        return study_built(in, variant, source, context.stop).map([](BuiltTakes b) {
          return std::make_shared<const BuiltTakes>(std::move(b));
        });
      },
      [this, of = built_variant_, subject = subject_](const Result<Read>& made) {
        judging_ = false;
        if (of != built_variant_ || subject != subject_)
          return built_variant_ != 0 ? readBuilt() : void();
        built_ = made ? *made : nullptr;
        if (!made) built_told_ = QString::fromStdString(made.error().message);
        refresh();
      });
}

/// Off the window's thread: some hundred boards are reckoned.
void NetworkDesk::judgeBuilt() {
  if (judging_ || built_ == nullptr || material_ == nullptr || !sum_) return;
  judging_ = true;
  session_.work().start<AsBuilt>(
      this, {},
      [material = material_, built = built_, network = network_](const WorkContext&) {
        return as_built(network, material->drivers, *built);
      },
      [this, of = json_text(told_of(network_), 0), built = built_](const Result<AsBuilt>& made) {
        judging_ = false;
        // Drawn otherwise meanwhile, or another one was chosen: once more.
        if (built != built_ || of != json_text(told_of(network_), 0)) return judgeBuilt();
        built_told_ = QString::fromStdString(made ? made->told : made.error().message);
        built_off_db_ = made ? made->level_off_db : 0.0;
        if (sum_) fillLanes();
        emit changed();
      });
}

}  // namespace lalometer
