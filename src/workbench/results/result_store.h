#pragma once

#include <condition_variable>
#include <cstddef>
#include <functional>
#include <list>
#include <memory>
#include <mutex>
#include <set>
#include <stop_token>
#include <string>
#include <unordered_map>
#include <vector>

#include "base/progress.h"
#include "base/result.h"

/// Results by key. A node is a pure function of other nodes and of parameters; its key is the hash
/// of all of it, so that what is found under a key is never stale, and nothing is analysed twice.
namespace lalometer {

/// kind, version of the computation, keys of the inputs and parameters, hashed: "curve/3f0a...".
/// Raise `version` whenever the same inputs give another result.
[[nodiscard]] std::string node_key(const std::string& kind, int version,
                                   const std::vector<std::string>& inputs_and_parameters);

class ResultStore;

/// What a node is made with.
struct Making {
  ResultStore& store;
  std::stop_token stop;
  Parallel parallel = in_turn;
};

template <class T>
struct Node {
  std::string key;
  std::function<Result<T>(const Making&)> make;
  std::function<std::size_t(const T&)> bytes;  ///< roughly what it takes in memory
};

/// Results in memory, the least recently used forgotten where they take more than the limit.
/// Threads: any.
class ResultStore {
 public:
  explicit ResultStore(std::size_t limit_bytes) : limit_bytes_(limit_bytes) {}

  /// Null where it is not there.
  template <class T>
  [[nodiscard]] std::shared_ptr<const T> find(const std::string& key) const {
    return std::static_pointer_cast<const T>(look_up(key));
  }

  /// Found, or made now: once, whoever else asks for it meanwhile. A failure is not kept.
  template <class T>
  [[nodiscard]] Result<std::shared_ptr<const T>> get(const Node<T>& node, const Making& making) {
    for (;;) {
      bool mine = false;
      if (auto found = look_up_or_begin(node.key, making.stop, mine))
        return std::static_pointer_cast<const T>(found);
      if (!mine) return cancelled();
      const Finish finish{*this, node.key};
      Result<T> made = node.make(making);
      if (!made) return tl::unexpected(made.error());
      auto shared = std::make_shared<const T>(std::move(*made));
      put(node.key, shared, node.bytes ? node.bytes(*shared) : sizeof(T));
      return shared;
    }
  }

  [[nodiscard]] std::size_t bytes() const;
  [[nodiscard]] std::size_t size() const;

 private:
  struct Finish {
    ResultStore& store;
    const std::string& key;
    ~Finish() { store.end(key); }
  };
  struct Entry {
    std::shared_ptr<const void> value;
    std::size_t bytes = 0;
    std::list<std::string>::iterator used;
  };
  [[nodiscard]] std::shared_ptr<const void> look_up(const std::string& key) const;
  /// Waits while another thread makes it. Null and `mine`: the caller makes it; null and not
  /// `mine`: stopped while waiting.
  [[nodiscard]] std::shared_ptr<const void> look_up_or_begin(const std::string& key,
                                                             const std::stop_token& stop,
                                                             bool& mine);
  void put(const std::string& key, std::shared_ptr<const void> value, std::size_t bytes);
  void end(const std::string& key);
  [[nodiscard]] std::shared_ptr<const void> touched(const std::string& key) const;

  const std::size_t limit_bytes_;
  mutable std::mutex lock_;  ///< guards what follows
  std::condition_variable_any made_;
  std::unordered_map<std::string, Entry> entries_;
  mutable std::list<std::string> used_;  ///< the latest first
  std::set<std::string> making_;
  std::size_t bytes_ = 0;
};

}  // namespace lalometer
