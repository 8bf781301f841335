#pragma once

#include <QAbstractItemModel>
#include <memory>
#include <vector>

#include "desk/session/book_session.h"

namespace lalometer {

/// Subject -> variant -> group -> take, as the session has them; takes of no group stand in their
/// variant. Ticking a take lays it on the score, ticking a group all of its takes.
class ShelfModel : public QAbstractItemModel {
  Q_OBJECT
 public:
  enum Role {
    kKindRole = Qt::UserRole + 1,
    kIdRole,
    kDetailRole,
    kStyleRole,
    kMiniatureRole,
    kAcceptedRole,
    kChosenRole,
    kImpedanceRole
  };
  enum class RowKind { kSubject, kVariant, kGroup, kTake };

  explicit ShelfModel(BookSession& session, QObject* parent = nullptr);

  [[nodiscard]] QModelIndex index(int row, int column, const QModelIndex& parent) const override;
  [[nodiscard]] QModelIndex parent(const QModelIndex& child) const override;
  [[nodiscard]] int rowCount(const QModelIndex& parent) const override;
  [[nodiscard]] int columnCount(const QModelIndex& parent) const override;
  [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;
  [[nodiscard]] Qt::ItemFlags flags(const QModelIndex& index) const override;
  [[nodiscard]] QStringList mimeTypes() const override;
  [[nodiscard]] QMimeData* mimeData(const QModelIndexList& indexes) const override;
  [[nodiscard]] Qt::DropActions supportedDragActions() const override { return Qt::CopyAction; }
  [[nodiscard]] QModelIndex indexOfTake(Id take) const;

 private:
  struct Node {
    RowKind kind;
    Id id;
    Node* parent;
    int row;
    std::vector<std::unique_ptr<Node>> children;
  };
  void rebuild();
  [[nodiscard]] QVariant groupData(const Node& node, int role) const;
  [[nodiscard]] QVariant takeData(const Take& take, int role) const;
  [[nodiscard]] static Node* nodeOf(const QModelIndex& index) {
    return static_cast<Node*>(index.internalPointer());
  }

  BookSession& session_;
  std::vector<std::unique_ptr<Node>> subjects_;
};

}  // namespace lalometer
