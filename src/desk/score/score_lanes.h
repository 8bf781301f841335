#pragma once

#include <QObject>
#include <QSet>
#include <QTimer>

#include "desk/score/score_view.h"
#include "desk/session/book_session.h"

namespace lalometer {

/// Which lanes the score has, and what stands in them: kept in the book's view, built on the pool
/// from what is laid, by key. Knows no lane by name.
class ScoreLanes : public QObject {
  Q_OBJECT
 public:
  ScoreLanes(BookSession& session, ScoreView& score, QObject* parent = nullptr);

  /// The lanes of the open book; the usual ones where it has none.
  void restore();
  [[nodiscard]] bool shown(const std::string& kind) const;
  void setShown(const std::string& kind, bool shown);
  /// These lanes and no others, in this order.
  void setOnly(const std::vector<std::string>& kinds);
  [[nodiscard]] bool settling() const { return refresh_.isActive() || !building_.isEmpty(); }

 signals:
  void arranged();  ///< lanes were added, hidden or moved

 private:
  void keep();
  void refresh();
  void build(const LaneKind& kind, const std::vector<LaidTake>& laid);
  void want(const LaneKind& kind);
  [[nodiscard]] ScoreView::Lane made(const LaneKind& kind);

  BookSession& session_;
  ScoreView& score_;
  QTimer refresh_;  ///< once per round, after other events
  QSet<QString> building_;
};

}  // namespace lalometer
