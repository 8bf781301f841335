#include "desk/session/book_session.h"

/// What changes the book, and how the window looks: all through the one writer, on its thread.
namespace lalometer {

void BookSession::edit(std::function<Result<void>(Book&)> change,
                       std::function<void(bool)> settled) {
  edit<void>(std::move(change), [settled = std::move(settled)](const Result<void>& outcome) {
    if (settled) settled(outcome.has_value());
  });
}

void BookSession::finishEdit(const Error* problem) {
  // Of a book that is not open any more: it was carried out there.
  if (problem != nullptr && problem->code == ErrorCode::kCancelled) return;
  --edits_;
  if (problem != nullptr) emit failed(QString::fromStdString(problem->text()));
  preview_.reset();
  join_preview_.reset();
  reload();
}

void BookSession::undo() {
  edit([](Book& book) { return book.undo(); });
}

void BookSession::redo() {
  edit([](Book& book) { return book.redo(); });
}

void BookSession::previewRecipe(Id subject, const Recipe& recipe, TakeRole role) {
  preview_ = Preview{subject, role, recipe};
  followRecipe(subject, role);
}

void BookSession::followRecipe(Id subject, TakeRole role) {
  for (const Take& t : takes_) {
    if (t.colour >= 0 && t.subject_id == subject &&
        (role_of(t.kind()) == role || t.form == RawForm::kWorked))
      follow(t);
  }
}

void BookSession::commitRecipe(Id subject, const Recipe& recipe, TakeRole role) {
  preview_.reset();
  if (this->recipe(subject, role) == recipe) {
    followRecipe(subject, role);  // dragged and put back: the curves follow, nothing is kept
    return;
  }
  // Shown until it is kept.
  preview_ = Preview{subject, role, recipe};
  followRecipe(subject, role);
  edit([subject, recipe, role](Book& book) { return book.set_recipe(subject, recipe, role); });
}

void BookSession::moveJoin(Id id, double at_hz, bool done) {
  const Take* t = take(id);
  if (t == nullptr || t->form != RawForm::kWorked) return;
  join_preview_ = std::pair(id, at_hz);
  follow(*t);
  if (!done) return;
  Conditions changed = t->conditions;
  changed.worked.at_hz = at_hz;
  edit([id, changed](Book& book) { return book.set_conditions(id, changed, "Move the join"); });
}

void BookSession::setView(const std::string& key, const std::string& value) {
  if (!isOpen() || book_->read_only()) return;
  pending_view_[key] = value;
  view_timer_.start();
}

std::string BookSession::view(const std::string& key) const {
  if (const auto found = pending_view_.find(key); found != pending_view_.end())
    return found->second;
  if (const auto found = writing_view_.find(key); found != writing_view_.end())
    return found->second;
  return isOpen() ? book_->view(key) : std::string();
}

void BookSession::flushView() {
  view_timer_.stop();
  if (!writer_ || (pending_view_.empty() && pending_colours_.empty())) return;
  const auto views = std::exchange(pending_view_, {});
  const auto colours = std::exchange(pending_colours_, {});
  for (const auto& [key, value] : views) writing_view_[key] = value;
  for (const auto& [take, colour] : colours) writing_colours_[take] = colour;
  ++view_writes_;
  work_.start<void>(
      this, {WorkKind::kWrite, WorkScope::kBook, {}},
      [writer = writer_, views, colours](const WorkContext&) -> Result<void> {
        return writer->run([&](Book& book) -> Result<void> {
          for (const auto& [key, value] : views)
            if (auto kept = book.set_view(key, value); !kept) return kept;
          for (const auto& [take, colour] : colours)
            if (auto kept = book.set_colour(take, colour); !kept) return kept;
          return {};
        });
      },
      [this, generation = work_.generation()](const Result<void>& kept) {
        if (generation != work_.generation()) return;
        if (--view_writes_ == 0) {
          writing_view_.clear();
          writing_colours_.clear();
        }
        seen_changes_ = book_->foreign_changes();
        if (!kept && kept.error().code != ErrorCode::kCancelled)
          emit failed(QString::fromStdString(kept.error().text()));
      });
}

std::string BookSession::document(Id subject, const std::string& kind) const {
  const auto pending = pending_documents_.find({subject, kind});
  if (pending != pending_documents_.end()) return pending->second.value;
  return isOpen() ? book_->document(subject, kind) : std::string();
}

void BookSession::setDocument(Id subject, const std::string& kind, const std::string& value,
                              const std::string& step_name) {
  if (!isOpen() || book_->read_only() || document(subject, kind) == value) return;
  PendingDocument& pending = pending_documents_[{subject, kind}];
  pending.value = value;
  stands_.clear();
  ++pending.writes;
  ++edits_;
  work_.start<void>(
      this, {WorkKind::kWrite, WorkScope::kBook, {}},
      [writer = writer_, subject, kind, value, step_name](const WorkContext&) {
        return writer->run(
            [&](Book& book) { return book.set_document(subject, kind, value, step_name); });
      },
      [this, place = std::pair(subject, kind),
       generation = work_.generation()](const Result<void>& kept) {
        if (generation != work_.generation()) return;
        const auto found = pending_documents_.find(place);
        if (found != pending_documents_.end() && --found->second.writes == 0)
          pending_documents_.erase(found);
        finishEdit(kept ? nullptr : &kept.error());
      });
}

}  // namespace lalometer
