#include "rig/practice/practice_serial_table.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <pty.h>
#include <termios.h>
#include <unistd.h>

#include <array>
#include <charconv>
#include <cmath>

namespace lalometer {
namespace {

double number_in(const std::string& line, char letter, double otherwise) {
  const auto at = line.find(letter, 2);
  if (at == std::string::npos) return otherwise;
  double value = otherwise;
  std::from_chars(line.data() + at + 1, line.data() + line.size(), value);
  return value;
}

}  // namespace

PracticeSerialTable::PracticeSerialTable(TableFaults faults, double seconds_per_degree)
    : table_(faults, seconds_per_degree) {
  std::array<char, 128> name{};
  if (openpty(&master_, &slave_, name.data(), nullptr, nullptr) != 0) return;
  termios raw{};
  tcgetattr(slave_, &raw);
  cfmakeraw(&raw);
  tcsetattr(slave_, TCSANOW, &raw);
  fcntl(master_, F_SETFL, O_NONBLOCK);
  line_ = name.data();
  server_ = std::jthread([this](const std::stop_token& stop) { serve(stop); });
}

PracticeSerialTable::~PracticeSerialTable() {
  server_.request_stop();
  if (server_.joinable()) server_.join();
  pull_out();
}

std::vector<std::string> PracticeSerialTable::heard() const {
  const std::lock_guard held(lock_);
  return heard_;
}

void PracticeSerialTable::pull_out_at(double angle_deg) {
  pull_at_deg_ = angle_deg;
}

void PracticeSerialTable::pull_out() {
  const std::lock_guard held(lock_);
  if (slave_ >= 0) ::close(slave_);
  if (master_ >= 0) ::close(master_);
  master_ = slave_ = -1;
}

void PracticeSerialTable::answer(const std::string& text) {
  const std::lock_guard held(lock_);
  const std::string line = text + "\n";
  if (master_ >= 0) (void)!::write(master_, line.data(), line.size());
}

void PracticeSerialTable::move_to(double angle_deg, const std::stop_token& stop) {
  // In small steps, so that a stop or a pulled cable finds it on its way.
  constexpr double kStride_deg = 5.0;
  while (!stop.stop_requested() && !halted_) {
    const double from = table_.position_deg();
    const double rest = angle_deg - from;
    if (std::abs(rest) < 1e-6) return answer("ok");
    if (told_to_stand()) return;
    const double next = from + std::clamp(rest, -kStride_deg, kStride_deg);
    if ((from - pull_at_deg_) * (next - pull_at_deg_) <= 0.0) return pull_out();
    if (auto done = table_.turn_to(next, stop); !done)
      return answer("Error:" + done.error().text());
    true_deg_ = table_.true_deg();
  }
}

void PracticeSerialTable::take_in() {
  const std::lock_guard held(lock_);
  std::array<char, 256> bytes{};
  const ssize_t got = master_ < 0 ? 0 : ::read(master_, bytes.data(), bytes.size());
  if (got > 0) pending_.append(bytes.data(), static_cast<std::size_t>(got));
}

/// A controller listens for these two words even in the middle of a move.
bool PracticeSerialTable::told_to_stand() {
  take_in();
  if (pending_.find("M112") != std::string::npos) halted_ = true;
  return halted_ || pending_.find("M410") != std::string::npos;
}

void PracticeSerialTable::obey(const std::string& line, const std::stop_token& stop) {
  {
    const std::lock_guard held(lock_);
    heard_.push_back(line);
  }
  if (line.starts_with("M112")) {
    halted_ = true;
    return;
  }
  if (halted_) return;
  if (stuck_ == Stuck::kSilent) return;
  if (line.starts_with("G1 ")) {
    if (stuck_ == Stuck::kReported) return answer("Error:stalled");
    return move_to(number_in(line, 'A', 0.0), stop);
  }
  if (line.starts_with("G28")) {
    const auto home = table_.prepare(stop);
    true_deg_ = table_.true_deg();
    return answer(home ? "ok" : "Error:" + home.error().text());
  }
  if (line.starts_with("M92")) steps_per_unit_ = number_in(line, 'A', 0.0);
  if (line.starts_with("M114"))
    answer(fmt::format("X:0.00 Y:0.00 Z:0.00 A:{:.2f}", table_.position_deg()));
  answer("ok");
}

void PracticeSerialTable::serve(const std::stop_token& stop) {
  while (!stop.stop_requested()) {
    int file = -1;
    {
      const std::lock_guard held(lock_);
      file = master_;
    }
    if (file < 0) return;
    pollfd ready{file, POLLIN, 0};
    if (::poll(&ready, 1, 10) <= 0) continue;
    take_in();
    for (auto end = pending_.find('\n'); end != std::string::npos; end = pending_.find('\n')) {
      const std::string line = pending_.substr(0, end);
      pending_.erase(0, end + 1);
      obey(line, stop);
    }
  }
}

}  // namespace lalometer
