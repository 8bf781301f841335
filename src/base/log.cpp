#include "base/log.h"

#include <spdlog/sinks/rotating_file_sink.h>
#include <spdlog/spdlog.h>
#include <sys/utsname.h>

#include <algorithm>
#include <mutex>
#include <string>

namespace lalometer {
namespace {

constexpr std::size_t kLargest_bytes = 1024 * 1024;
constexpr std::size_t kOlder = 2;

struct Log {
  std::mutex guard;
  std::shared_ptr<spdlog::logger> logger;
  std::filesystem::path file;
};
Log& the_log() {
  static Log log;
  return log;
}

}  // namespace

Result<void> start_log(const std::filesystem::path& file) {
  std::shared_ptr<spdlog::logger> logger;
  try {
    if (file.has_parent_path()) {
      std::error_code ignored;
      std::filesystem::create_directories(file.parent_path(), ignored);
    }
    logger = std::make_shared<spdlog::logger>(
        "lalometer", std::make_shared<spdlog::sinks::rotating_file_sink_mt>(
                         file.string(), kLargest_bytes, kOlder));
  } catch (const spdlog::spdlog_ex& problem) {
    return fail(ErrorCode::kStorage, fmt::format("The log cannot be written: {}.", problem.what()),
                file.string());
  }
  logger->set_pattern("%Y-%m-%dT%H:%M:%S.%e%z %L %v");
  logger->flush_on(spdlog::level::info);
  {
    const std::lock_guard lock(the_log().guard);
    the_log().logger = std::move(logger);
    the_log().file = file;
  }
  utsname system{};
  uname(&system);
  log_line(LogWeight::kEvent, fmt::format("lalometer {} on {} {} {}", LALOMETER_VERSION,
                                          system.sysname, system.release, system.machine));
  return {};
}

void log_line(LogWeight weight, std::string_view text) {
  std::shared_ptr<spdlog::logger> logger;
  {
    const std::lock_guard lock(the_log().guard);
    logger = the_log().logger;
  }
  if (!logger) return;
  // A line is a line, whatever a file's name holds.
  std::string line(text);
  std::replace_if(line.begin(), line.end(), [](unsigned char c) { return c < 0x20; }, ' ');
  logger->log(weight == LogWeight::kTrouble ? spdlog::level::warn : spdlog::level::info, "{}",
              line);
}

std::filesystem::path log_file() {
  const std::lock_guard lock(the_log().guard);
  return the_log().file;
}

}  // namespace lalometer
