#include "desk/shelf/shelf_model.h"

#include <QMimeData>

#include "base/text.h"
#include "desk/parts/theme.h"
#include "desk/score/score_view.h"

namespace lalometer {

ShelfModel::ShelfModel(BookSession& session, QObject* parent)
    : QAbstractItemModel(parent), session_(session) {
  connect(&session_, &BookSession::rowsChanged, this, &ShelfModel::rebuild);
  const auto all_changed = [this] {
    const auto touch = [this](const QModelIndex& above, const auto& self) -> void {
      const int rows = rowCount(above);
      if (rows == 0) return;
      emit dataChanged(index(0, 0, above), index(rows - 1, 0, above));
      for (int row = 0; row < rows; ++row) self(index(row, 0, above), self);
    };
    touch(QModelIndex(), touch);
  };
  connect(&session_, &BookSession::laidChanged, this, all_changed);
  connect(&session_, &BookSession::miniatureKnown, this, [this](qint64 take) {
    const QModelIndex at = indexOfTake(take);
    if (at.isValid()) emit dataChanged(at, at, {kMiniatureRole});
  });
  if (session_.isOpen()) rebuild();
}

void ShelfModel::rebuild() {
  beginResetModel();
  subjects_.clear();
  QHash<Id, Node*> variants;
  QHash<Id, Node*> subjects;
  const auto add = [](std::vector<std::unique_ptr<Node>>& list, RowKind kind, Id id, Node* parent) {
    list.push_back(
        std::make_unique<Node>(Node{kind, id, parent, static_cast<int>(list.size()), {}}));
    return list.back().get();
  };
  for (const Subject& s : session_.subjects())
    subjects.insert(s.id, add(subjects_, RowKind::kSubject, s.id, nullptr));
  for (const Variant& v : session_.variants()) {
    if (Node* subject = subjects.value(v.subject_id))
      variants.insert(v.id, add(subject->children, RowKind::kVariant, v.id, subject));
  }
  QSet<Id> grouped;
  for (const Take& t : session_.takes()) {
    Node* variant = variants.value(t.variant_id);
    if (variant == nullptr) continue;
    if (t.group_id == 0 || session_.group(t.group_id) == nullptr) {
      add(variant->children, RowKind::kTake, t.id, variant);
    } else if (!grouped.contains(t.group_id)) {
      // The whole group stands where its first take stands.
      grouped.insert(t.group_id);
      Node* group = add(variant->children, RowKind::kGroup, t.group_id, variant);
      for (const Id member : session_.membersOf(t.group_id))
        add(group->children, RowKind::kTake, member, group);
    }
  }
  endResetModel();
}

QModelIndex ShelfModel::index(int row, int column, const QModelIndex& parent) const {
  if (column != 0 || row < 0) return {};
  const auto& list = parent.isValid() ? nodeOf(parent)->children : subjects_;
  if (row >= static_cast<int>(list.size())) return {};
  return createIndex(row, 0, list[static_cast<std::size_t>(row)].get());
}

QModelIndex ShelfModel::parent(const QModelIndex& child) const {
  if (!child.isValid()) return {};
  Node* up = nodeOf(child)->parent;
  return up == nullptr ? QModelIndex() : createIndex(up->row, 0, up);
}

int ShelfModel::rowCount(const QModelIndex& parent) const {
  return static_cast<int>(parent.isValid() ? nodeOf(parent)->children.size() : subjects_.size());
}

int ShelfModel::columnCount(const QModelIndex&) const {
  return 1;
}

QVariant ShelfModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid()) return {};
  const Node* node = nodeOf(index);
  if (role == kKindRole) return static_cast<int>(node->kind);
  if (role == kIdRole) return static_cast<qint64>(node->id);
  const auto text = [](const std::string& s) { return QString::fromStdString(s); };
  if (node->kind == RowKind::kSubject) {
    const Subject* s = session_.subject(node->id);
    if (s == nullptr) return {};
    if (role == Qt::DisplayRole || role == Qt::EditRole) return text(s->name);
    if (role == kDetailRole)
      return count_text(static_cast<qsizetype>(node->children.size()), tr("variant"),
                        tr("variants"));
    return {};
  }
  if (node->kind == RowKind::kVariant) {
    const Variant* v = session_.variant(node->id);
    if (v == nullptr) return {};
    if (role == Qt::DisplayRole || role == Qt::EditRole) return text(v->name);
    if (role == Qt::ToolTipRole) return text(v->changed);
    if (role == kDetailRole)
      return count_text(static_cast<qsizetype>(node->children.size()), tr("take"), tr("takes"));
    return {};
  }
  if (node->kind == RowKind::kGroup) return groupData(*node, role);
  const Take* t = session_.take(node->id);
  return t == nullptr ? QVariant() : takeData(*t, role);
}

QVariant ShelfModel::groupData(const Node& node, int role) const {
  const TakeGroup* g = session_.group(node.id);
  if (g == nullptr) return {};
  std::size_t laid = 0;
  int style = -1;
  for (const auto& member : node.children) {
    const Take* t = session_.take(member->id);
    if (t == nullptr || t->colour < 0) continue;
    ++laid;
    style = t->colour;
  }
  switch (role) {
    case Qt::DisplayRole:
      return QString::fromStdString(g->name);
    case Qt::CheckStateRole:
      return laid == 0                      ? Qt::Unchecked
             : laid == node.children.size() ? Qt::Checked
                                            : Qt::PartiallyChecked;
    case kDetailRole:
      return count_text(static_cast<qsizetype>(node.children.size()), tr("take"), tr("takes"));
    case kStyleRole:
      return style;
    default:
      return {};
  }
}

QVariant ShelfModel::takeData(const Take& t, int role) const {
  const auto text = [](const std::string& s) { return QString::fromStdString(s); };
  switch (role) {
    case Qt::DisplayRole:
    case Qt::EditRole:
      return text(t.name);
    case Qt::CheckStateRole:
      return t.colour >= 0 ? Qt::Checked : Qt::Unchecked;
    case Qt::ToolTipRole: {
      QString tip = tr("%1, taken %2").arg(text(spoken_kind(t)), text(t.taken_at));
      for (const Remark& r : t.remarks) tip += QLatin1Char('\n') + text(r.text);
      return tip;
    }
    case kDetailRole: {
      if (!t.accepted) return tr("refused");
      if (t.kind() == TakeKind::kImpedance && !t.conditions.sample.empty())
        return QStringLiteral("Ω ") + text(t.conditions.sample);
      if (t.kind() == TakeKind::kImpedance)
        return condition_of(t) == "free-air" ? tr("free air") : QStringLiteral("Ω");
      if (const auto* tones = std::get_if<MultitoneSetup>(&t.setup))
        return tr("%1 tones").arg(tones->tones_hz.size());
      if (const auto* tones = std::get_if<SteadyTonesSetup>(&t.setup))
        return tr("%1 tones in turn").arg(tones->tones_hz.size());
      if (!has_curve(t)) return tr("not read");
      if (!t.conditions.sample.empty()) return text(t.conditions.sample);
      const Placement place = place_of(t);
      if (t.kind() == TakeKind::kNearField) return tr("%1 mm").arg(place.distance_m * 1e3);
      if (place.horizontal_deg != 0.0) return tr("%1° h").arg(place.horizontal_deg);
      if (place.vertical_deg != 0.0) return tr("%1° v").arg(place.vertical_deg);
      return tr("%1 m").arg(place.distance_m, 0, 'f', 2);
    }
    case kStyleRole:
      return t.colour;
    case kAcceptedRole:
      return t.accepted;
    case kChosenRole:
      return session_.chosenTake() == t.id;
    case kImpedanceRole:
      return t.kind() == TakeKind::kImpedance;
    case kMiniatureRole: {
      const std::vector<float> points = session_.miniatureOf(t);
      return QVariant::fromValue(QList<float>(points.begin(), points.end()));
    }
    default:
      return {};
  }
}

bool ShelfModel::setData(const QModelIndex& index, const QVariant& value, int role) {
  if (!index.isValid()) return false;
  const Node node_copy{nodeOf(index)->kind, nodeOf(index)->id, nullptr, 0, {}};
  if (role == Qt::CheckStateRole && node_copy.kind == RowKind::kGroup) {
    session_.setGroupLaid(node_copy.id, value.toInt() == Qt::Checked);
    return true;
  }
  if (role == Qt::CheckStateRole && node_copy.kind == RowKind::kTake) {
    session_.setLaid(node_copy.id, value.toInt() == Qt::Checked);
    return true;
  }
  const Id id = node_copy.id;
  const std::string name = value.toString().trimmed().toStdString();
  if (role != Qt::EditRole || name.empty() ||
      value.toString() == data(index, Qt::EditRole).toString())
    return false;
  switch (node_copy.kind) {
    case RowKind::kGroup:
      return false;
    case RowKind::kSubject:
      session_.edit([id, name](Book& book) { return book.rename_subject(id, name); });
      break;
    case RowKind::kVariant: {
      const Variant* v = session_.variant(id);
      if (v == nullptr) return false;
      Variant changed = *v;
      changed.name = name;
      session_.edit([changed](Book& book) { return book.set_variant(changed); });
      break;
    }
    case RowKind::kTake:
      session_.edit([id, name](Book& book) { return book.rename_take(id, name); });
      break;
  }
  return true;
}

Qt::ItemFlags ShelfModel::flags(const QModelIndex& index) const {
  if (!index.isValid()) return Qt::NoItemFlags;
  Qt::ItemFlags flags = Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsEditable;
  if (nodeOf(index)->kind == RowKind::kGroup)
    flags = Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable;
  if (nodeOf(index)->kind == RowKind::kTake)
    flags |= Qt::ItemIsUserCheckable | Qt::ItemIsDragEnabled | Qt::ItemNeverHasChildren;
  return flags;
}

QStringList ShelfModel::mimeTypes() const {
  return {QLatin1String(kTakeMime)};
}

QMimeData* ShelfModel::mimeData(const QModelIndexList& indexes) const {
  if (indexes.isEmpty()) return nullptr;
  auto* mime = new QMimeData;  // the drag takes it over
  mime->setData(QLatin1String(kTakeMime),
                QByteArray::number(data(indexes.first(), kIdRole).toLongLong()));
  return mime;
}

QModelIndex ShelfModel::indexOfTake(Id take) const {
  const auto find = [&](const std::vector<std::unique_ptr<Node>>& nodes,
                        const auto& self) -> Node* {
    for (const auto& node : nodes) {
      if (node->kind == RowKind::kTake && node->id == take) return node.get();
      if (Node* below = self(node->children, self)) return below;
    }
    return nullptr;
  };
  Node* node = find(subjects_, find);
  return node == nullptr ? QModelIndex() : createIndex(node->row, 0, node);
}

}  // namespace lalometer
