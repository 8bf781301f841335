#include "rig/serial/gcode_turntable.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <thread>

namespace lalometer {
namespace {

using namespace std::chrono_literals;

constexpr double kPatience_s = 5.0;
/// How far the controller may say it stands from where it was sent.
constexpr double kAgreement_deg = 0.1;

bool is_trouble(const std::string& line) {
  std::string low = line.substr(0, 6);
  std::transform(low.begin(), low.end(), low.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return low.starts_with("error") || low.starts_with("alarm") || low.starts_with("!!");
}

/// The number after "A:" in an answer to M114.
std::optional<double> number_after(const std::string& text, const std::string& word) {
  const auto at = text.find(word);
  if (at == std::string::npos) return std::nullopt;
  const auto begin = text.find_first_not_of(' ', at + word.size());
  if (begin == std::string::npos) return std::nullopt;
  double value = 0.0;
  const auto [end, code] = std::from_chars(text.data() + begin, text.data() + text.size(), value);
  if (code != std::errc()) return std::nullopt;
  return value;
}

}  // namespace

GcodeTurntable::GcodeTurntable(GcodeTableSetup setup) : setup_(std::move(setup)) {}

GcodeTurntable::~GcodeTurntable() = default;

TurntableAbility GcodeTurntable::ability() const {
  return {fmt::format("Turntable at {}", setup_.line.string()), setup_.lowest_deg,
          setup_.highest_deg, 0.01, false};
}

Result<std::string> GcodeTurntable::ask(const std::string& line, double patience_s,
                                        std::stop_token stop) {
  {
    const std::lock_guard held(writing_);
    if (!line_)
      return fail(ErrorCode::kDevice, "The table was not made ready.", setup_.line.string());
    if (auto sent = line_->write(line); !sent) return tl::unexpected(sent.error());
  }
  std::string answer;
  auto until =
      std::chrono::steady_clock::now() + std::chrono::milliseconds(std::lround(1e3 * patience_s));
  while (std::chrono::steady_clock::now() < until) {
    const auto got = line_->read_line(100ms, stop);
    if (halted_) return fail(ErrorCode::kDevice, "The table was stopped.", setup_.line.string());
    if (!got) return tl::unexpected(got.error());
    if (!*got) continue;
    if (is_trouble(**got))
      return fail(ErrorCode::kDevice, fmt::format("The table reports: {}", **got),
                  setup_.line.string());
    if ((*got)->starts_with("ok")) return answer + (*got)->substr(2);
    // A controller that is at work says so now and then: it is alive, and gets more time.
    if ((*got)->find("busy") != std::string::npos)
      until = std::max(until, std::chrono::steady_clock::now() + 3s);
    answer += **got + "\n";
  }
  return fail(ErrorCode::kDevice,
              fmt::format("The table does not answer to {}. Is it stuck, or without power?", line),
              setup_.line.string());
}

Result<void> GcodeTurntable::prepare(std::stop_token stop) {
  {
    const std::lock_guard held(writing_);
    line_.reset();
    halted_ = false;
    auto line = SerialLine::open(setup_.line, setup_.baud);
    if (!line) return tl::unexpected(line.error());
    line_ = std::move(*line);
  }
  // Many controllers start anew when the line is opened, and greet; what they say then is no
  // answer.
  for (auto until = std::chrono::steady_clock::now() + 3s;
       std::chrono::steady_clock::now() < until;) {
    const auto greeting = line_->read_line(300ms, stop);
    if (!greeting) return tl::unexpected(greeting.error());
    if (!*greeting) break;
  }
  std::vector<std::string> words = {"G21", "G90"};
  if (setup_.steps_per_degree > 0.0) {
    words.push_back(fmt::format("M92 {}{:.4f}", setup_.axis,
                                setup_.steps_per_degree / std::abs(setup_.units_per_degree)));
  }
  words.push_back(setup_.home_switch ? fmt::format("G28 {}", setup_.axis)
                                     : fmt::format("G92 {}0", setup_.axis));
  const double turn_s = 360.0 / setup_.degrees_per_s + kPatience_s;
  for (const std::string& word : words) {
    if (const auto done = ask(word, turn_s, stop); !done) return tl::unexpected(done.error());
  }
  position_deg_ = 0.0;
  return {};
}

Result<double> GcodeTurntable::asked_position(std::stop_token stop) {
  return ask("M114", kPatience_s, stop).and_then([&](const std::string& answer) -> Result<double> {
    const auto units = number_after(answer, fmt::format("{}:", setup_.axis));
    if (!units)
      return fail(ErrorCode::kDevice, "The table does not tell where it stands.",
                  setup_.line.string());
    return *units / setup_.units_per_degree;
  });
}

Result<void> GcodeTurntable::turn_to(double angle_deg, std::stop_token stop) {
  if (!(angle_deg >= setup_.lowest_deg && angle_deg <= setup_.highest_deg)) {
    return fail(ErrorCode::kDevice,
                fmt::format("{}° is outside the table's range of {}° to {}°.", angle_deg,
                            setup_.lowest_deg, setup_.highest_deg),
                ability().name);
  }
  const double way_s = std::abs(angle_deg - position_deg_) / setup_.degrees_per_s;
  const std::string move =
      fmt::format("G1 {}{:.4f} F{:.1f}", setup_.axis, angle_deg * setup_.units_per_degree,
                  60.0 * setup_.degrees_per_s * std::abs(setup_.units_per_degree));
  auto moved = ask(move, kPatience_s, stop);
  if (moved) moved = ask("M400", 2.0 * way_s + kPatience_s, stop);
  if (!moved) {
    // It may still be turning: M410 lets it come to rest and forget the rest of the way.
    const std::lock_guard held(writing_);
    if (line_ && !halted_) (void)line_->write("M410");
    return tl::unexpected(moved.error());
  }
  const auto stands = asked_position(stop);
  if (!stands) return tl::unexpected(stands.error());
  position_deg_ = *stands;
  if (std::abs(*stands - angle_deg) > kAgreement_deg) {
    return fail(ErrorCode::kDevice,
                fmt::format("The table was sent to {}° and stands at {:.1f}°.", angle_deg, *stands),
                setup_.line.string());
  }
  const auto settled = std::chrono::steady_clock::now() +
                       std::chrono::milliseconds(std::lround(1e3 * setup_.settle_s));
  while (std::chrono::steady_clock::now() < settled) {
    if (stop.stop_requested()) return cancelled();
    std::this_thread::sleep_for(10ms);
  }
  return {};
}

void GcodeTurntable::stop() {
  const std::lock_guard held(writing_);
  if (!line_ || halted_) return;
  halted_ = true;
  (void)line_->write("M112");
}

}  // namespace lalometer
