#pragma once

#include <mutex>
#include <utility>

#include "book/book.h"

namespace lalometer {

/// The one connection of a window through which its book is changed: edits, takes, imports are all
/// steps of one list of undo. Threads: any; one change at a time.
class BookWriter {
 public:
  explicit BookWriter(Book book) : path_(book.path()), book_(std::move(book)) {}

  [[nodiscard]] const std::filesystem::path& path() const { return path_; }

  /// Runs change(Book&) and gives back what it gives. May wait for another program that holds the
  /// book: not for the interface thread.
  template <class Change>
  auto run(Change change) {
    const std::lock_guard held(writing_);
    auto outcome = change(book_);
    const std::lock_guard names(names_lock_);
    undo_name_ = book_.undo_name();
    redo_name_ = book_.redo_name();
    return outcome;
  }

  /// Names of the steps that would be undone or redone; empty where there is none. Does not wait.
  [[nodiscard]] std::string undo_name() const {
    const std::lock_guard held(names_lock_);
    return undo_name_;
  }
  [[nodiscard]] std::string redo_name() const {
    const std::lock_guard held(names_lock_);
    return redo_name_;
  }

 private:
  const std::filesystem::path path_;
  std::mutex writing_;  ///< guards book_
  Book book_;
  mutable std::mutex names_lock_;  ///< guards the names
  std::string undo_name_;
  std::string redo_name_;
};

}  // namespace lalometer
