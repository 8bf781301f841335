#include "workbench/results/result_store.h"

#include <gtest/gtest.h>

#include <atomic>
#include <chrono>
#include <thread>

namespace lalometer {
namespace {

using namespace std::chrono_literals;

Node<int> number(const std::string& key, int value, std::atomic<int>* made = nullptr,
                 std::size_t bytes = 100) {
  return {key,
          [=](const Making&) -> Result<int> {
            if (made != nullptr) ++*made;
            return value;
          },
          [bytes](const int&) { return bytes; }};
}

/// A node of all the others.
Node<int> sum_of(std::vector<Node<int>> inputs) {
  std::vector<std::string> keys;
  for (const auto& input : inputs) keys.push_back(input.key);
  return {node_key("sum", 1, keys),
          [inputs](const Making& making) -> Result<int> {
            int sum = 0;
            for (const auto& input : inputs) {
              auto part = making.store.get(input, making);
              if (!part) return tl::unexpected(part.error());
              sum += **part;
            }
            return sum;
          },
          {}};
}

TEST(ResultStore, ANodeOfSeventyInputsIsMadeOnceAndFoundAfterwards) {
  ResultStore store(1 << 20);
  std::atomic<int> made = 0;
  std::vector<Node<int>> inputs;
  for (int i = 0; i < 70; ++i) inputs.push_back(number("n" + std::to_string(i), i, &made));
  const Node<int> sum = sum_of(inputs);
  EXPECT_EQ(store.find<int>(sum.key), nullptr);
  EXPECT_EQ(**store.get(sum, {store, {}}), 69 * 70 / 2);
  EXPECT_EQ(**store.get(sum, {store, {}}), 69 * 70 / 2);
  EXPECT_EQ(made, 70);
  EXPECT_NE(store.find<int>(sum.key), nullptr);
}

TEST(ResultStore, KeysDependOnKindVersionInputsAndTheirOrder) {
  const std::string key = node_key("curve", 1, {"a", "bc"});
  EXPECT_EQ(key, node_key("curve", 1, {"a", "bc"}));
  EXPECT_NE(key, node_key("curve", 2, {"a", "bc"}));
  EXPECT_NE(key, node_key("other", 1, {"a", "bc"}));
  EXPECT_NE(key, node_key("curve", 1, {"ab", "c"}));
  EXPECT_NE(key, node_key("curve", 1, {"bc", "a"}));
  EXPECT_NE(key, node_key("curve", 1, {"a", "bc", ""}));
}

TEST(ResultStore, TheLeastRecentlyUsedIsForgottenFirst) {
  ResultStore store(250);
  for (const char* key : {"a", "b"}) ASSERT_TRUE(store.get(number(key, 1), {store, {}}));
  ASSERT_NE(store.find<int>("a"), nullptr);  // used: "b" is the older one now
  ASSERT_TRUE(store.get(number("c", 1), {store, {}}));
  EXPECT_NE(store.find<int>("a"), nullptr);
  EXPECT_EQ(store.find<int>("b"), nullptr);
  EXPECT_EQ(store.bytes(), 200U);
  ASSERT_TRUE(store.get(number("huge", 1, nullptr, 9999), {store, {}}));
  EXPECT_NE(store.find<int>("huge"), nullptr) << "the newest stays, however large";
  EXPECT_EQ(store.size(), 1U);
}

TEST(ResultStore, AFailureIsNotKept) {
  ResultStore store(1000);
  bool fails = true;
  const Node<int> node{"n",
                       [&](const Making&) -> Result<int> {
                         if (fails) return bad_input("no");
                         return 3;
                       },
                       {}};
  EXPECT_EQ(store.get(node, {store, {}}).error().message, "no");
  fails = false;
  EXPECT_EQ(**store.get(node, {store, {}}), 3);
}

TEST(ResultStore, ManyWhoAskAtOnceGetOneMaking) {
  ResultStore store(1 << 20);
  std::atomic<int> made = 0;
  const Node<int> slow{"slow",
                       [&](const Making&) -> Result<int> {
                         std::this_thread::sleep_for(20ms);
                         return ++made;
                       },
                       {}};
  std::atomic<int> right = 0;
  {
    std::vector<std::jthread> threads;
    for (int i = 0; i < 8; ++i) {
      threads.emplace_back([&] {
        const auto value = store.get(slow, {store, {}});
        if (value && **value == 1) ++right;
      });
    }
  }
  EXPECT_EQ(made, 1);
  EXPECT_EQ(right, 8);
}

TEST(ResultStore, WhoWaitsForAnotherMakingHearsAStop) {
  ResultStore store(1 << 20);
  std::atomic<bool> go = false;
  std::atomic<bool> begun = false;
  const Node<int> slow{"slow",
                       [&](const Making&) -> Result<int> {
                         begun = true;
                         while (!go) std::this_thread::sleep_for(1ms);
                         return 1;
                       },
                       {}};
  std::jthread maker([&] { (void)store.get(slow, {store, {}}); });
  while (!begun) std::this_thread::sleep_for(1ms);
  std::stop_source stop;
  stop.request_stop();
  EXPECT_EQ(store.get(slow, {store, stop.get_token()}).error().code, ErrorCode::kCancelled);
  go = true;
}

}  // namespace
}  // namespace lalometer
