#include "workbench/results/result_store.h"

#include "base/hash.h"

namespace lalometer {

std::string node_key(const std::string& kind, int version,
                     const std::vector<std::string>& inputs_and_parameters) {
  // Lengths in front, so that no two lists read alike.
  std::string text = fmt::format("{} {}", kind, version);
  for (const std::string& part : inputs_and_parameters)
    text += fmt::format("|{}:{}", part.size(), part);
  return kind + "/" + sha256_hex(text);
}

std::size_t ResultStore::bytes() const {
  const std::lock_guard held(lock_);
  return bytes_;
}

std::size_t ResultStore::size() const {
  const std::lock_guard held(lock_);
  return entries_.size();
}

std::shared_ptr<const void> ResultStore::touched(const std::string& key) const {
  const auto found = entries_.find(key);
  if (found == entries_.end()) return nullptr;
  used_.splice(used_.begin(), used_, found->second.used);
  return found->second.value;
}

std::shared_ptr<const void> ResultStore::look_up(const std::string& key) const {
  const std::lock_guard held(lock_);
  return touched(key);
}

std::shared_ptr<const void> ResultStore::look_up_or_begin(const std::string& key,
                                                          const std::stop_token& stop, bool& mine) {
  std::unique_lock held(lock_);
  mine = false;
  if (!made_.wait(held, stop, [&] { return !making_.contains(key); })) return nullptr;
  if (auto found = touched(key)) return found;
  making_.insert(key);
  mine = true;
  return nullptr;
}

void ResultStore::put(const std::string& key, std::shared_ptr<const void> value,
                      std::size_t bytes) {
  const std::lock_guard held(lock_);
  if (entries_.contains(key)) return;
  used_.push_front(key);
  entries_.emplace(key, Entry{std::move(value), bytes, used_.begin()});
  bytes_ += bytes;
  // The newest stays even where it alone is more than the limit: somebody is about to look at it.
  while (bytes_ > limit_bytes_ && used_.size() > 1) {
    const auto oldest = entries_.find(used_.back());
    bytes_ -= oldest->second.bytes;
    entries_.erase(oldest);
    used_.pop_back();
  }
}

void ResultStore::end(const std::string& key) {
  {
    const std::lock_guard held(lock_);
    making_.erase(key);
  }
  made_.notify_all();
}

}  // namespace lalometer
