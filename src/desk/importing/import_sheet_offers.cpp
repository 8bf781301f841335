#include <QComboBox>
#include <QLineEdit>
#include <QTreeWidget>
#include <algorithm>

#include "desk/importing/import_sheet.h"
#include "workbench/keeping/plan_keeping.h"
#include "workbench/sharing/orbit_importing.h"
#include "workbench/taking/plan/plan_status.h"

/// What the preview offers to be corrected: angles, planned takes, near fields.
namespace lalometer {

std::vector<WantedTake> ImportSheet::wantedByPlan() const {
  const Subject* subject = session_.subject(session_.chosenSubject());
  if (subject == nullptr || preview_.subject) return {};
  const std::string kept = session_.document(subject->id, "plan");
  const auto plan = kept.empty() ? Result<MeasuringPlan>(cancelled()) : plan_from_json(kept);
  if (!plan) return {};
  return wanted_of(*plan, status_of(*plan, session_.takes(), subject->drawing_mark));
}

/// What single files are of, where they cannot tell: a take of the plan, a part's near field.
void ImportSheet::offerSources() {
  planned_ = wantedByPlan();
  const std::vector<std::string> parts = preview_.subject ? std::vector<std::string>() : partIds();
  std::size_t suggested = 0;
  bool any = false;
  for (int i = 0; i < list_->topLevelItemCount(); ++i) {
    QTreeWidgetItem* row = list_->topLevelItem(i);
    const QVariant place = row->data(0, Qt::UserRole);
    if (!place.isValid()) continue;
    const auto number = static_cast<std::size_t>(place.toULongLong());
    const ImportItem& item = preview_.items[number];
    const bool sweep = item.take.form == RawForm::kSweepFile && !planned_.empty();
    if (!sweep && (parts.empty() || item.calibration || item.take.kind() != TakeKind::kResponse))
      continue;
    auto* box = new QComboBox(list_);
    box->setObjectName(QStringLiteral("importPlanned%1").arg(number));
    box->addItem(sweep ? tr("none of the plan") : tr("far field"));
    if (sweep) {
      for (const WantedTake& each : planned_)
        box->addItem(QString::fromStdString(each.request.name));
      if (suggested < planned_.size()) box->setCurrentIndex(static_cast<int>(suggested) + 1);
      ++suggested;
    }
    const QString name = QString::fromStdString(item.file).toLower();
    for (const std::string& part : parts) {
      const QString id = QString::fromStdString(part);
      box->addItem(tr("near field of %1").arg(id), id);
      // A name that says so is believed, and can be corrected here.
      const bool near =
          name.contains(QLatin1String("near")) || name.startsWith(QLatin1String("nf"));
      if (!sweep && near && name.contains(id.toLower())) box->setCurrentIndex(box->count() - 1);
    }
    list_->setItemWidget(row, kPlannedColumn, box);
    any = true;
  }
  near_box_->setVisible(any && !parts.empty());
  list_->setColumnHidden(kPlannedColumn, !any);
}

/// Where names or directions told the angles, each may be corrected before anything is taken.
void ImportSheet::offerAngles() {
  const auto angled =
      std::count_if(preview_.items.begin(), preview_.items.end(), [](const ImportItem& item) {
        const Placement place = place_of(item.take);
        return item.take.kind() == TakeKind::kResponse &&
               (place.horizontal_deg != 0.0 || place.vertical_deg != 0.0);
      });
  // A set tells its own angles.
  const bool offered = angled > 0 && !preview_.subject;
  list_->setColumnHidden(kAngleColumn, !offered);
  for (int i = 0; offered && i < list_->topLevelItemCount(); ++i) {
    QTreeWidgetItem* row = list_->topLevelItem(i);
    const QVariant place = row->data(0, Qt::UserRole);
    if (!place.isValid()) continue;
    const auto number = static_cast<std::size_t>(place.toULongLong());
    if (preview_.items[number].take.kind() != TakeKind::kResponse) continue;
    auto* field =
        new QLineEdit(QString::fromStdString(spoken_angle(preview_.items[number].take)), list_);
    field->setObjectName(QStringLiteral("importAngle%1").arg(number));
    field->setMinimumWidth(118);
    field->home(false);
    field->setToolTip(tr("A number, with \"v\" before it for up and down: 30, v -10."));
    connect(field, &QLineEdit::editingFinished, this, [this, field, number] {
      Take& take = preview_.items[number].take;
      const auto told = angle_told(field->text().toStdString(), place_of(take));
      auto* far = std::get_if<FarFieldSetup>(&take.setup);
      if (told && far != nullptr) far->place = *told;
      // What is no angle goes back to what it was.
      field->setText(QString::fromStdString(spoken_angle(take)));
      field->home(false);
    });
    list_->setItemWidget(row, kAngleColumn, field);
  }
}

std::vector<std::string> ImportSheet::partIds() const {
  std::vector<std::string> ids;
  const Subject* subject = session_.subject(session_.chosenSubject());
  if (subject == nullptr) return ids;
  const Description& d = subject->description;
  for (const auto& driver : d.drivers) ids.push_back(driver.id);
  for (const auto& port : d.ports) ids.push_back(port.id);
  for (const auto& radiator : d.passive_radiators) ids.push_back(radiator.id);
  std::erase(ids, std::string());
  return ids;
}

}  // namespace lalometer
