#include "rig/serial/serial_line.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <termios.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <utility>

namespace lalometer {
namespace {

using namespace std::chrono_literals;

struct Speed {
  int baud;
  speed_t code;
};
constexpr Speed kSpeeds[] = {{9600, B9600},     {19200, B19200},   {38400, B38400},
                             {57600, B57600},   {115200, B115200}, {230400, B230400},
                             {460800, B460800}, {921600, B921600}};

}  // namespace

Result<SerialLine> SerialLine::open(const std::filesystem::path& path, int baud) {
  const auto* const speed = std::find_if(std::begin(kSpeeds), std::end(kSpeeds),
                                         [&](const Speed& s) { return s.baud == baud; });
  if (speed == std::end(kSpeeds))
    return bad_input(fmt::format("A line speed of {} baud is not usual.", baud), path.string());
  const int file = ::open(path.c_str(), O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
  if (file < 0) {
    const int why = errno;
    const char* advice = why == EACCES   ? " Join the group that owns it (often dialout)."
                         : why == ENOENT ? " Plug the table in, or choose another line."
                                         : "";
    return fail(ErrorCode::kDevice,
                fmt::format("The line cannot be opened: {}.{}", std::strerror(why), advice),
                path.string());
  }
  SerialLine line(file, path.string());
  termios settings{};
  if (tcgetattr(file, &settings) != 0)
    return fail(ErrorCode::kDevice, "This is not a serial line.", path.string());
  cfmakeraw(&settings);
  settings.c_cflag |= CLOCAL | CREAD;
  cfsetispeed(&settings, speed->code);
  cfsetospeed(&settings, speed->code);
  if (tcsetattr(file, TCSANOW, &settings) != 0)
    return fail(ErrorCode::kDevice, fmt::format("The line refuses {} baud.", baud), path.string());
  return line;
}

SerialLine::SerialLine(SerialLine&& other) noexcept
    : file_(std::exchange(other.file_, -1)),
      path_(std::move(other.path_)),
      pending_(std::move(other.pending_)) {}

SerialLine& SerialLine::operator=(SerialLine&& other) noexcept {
  std::swap(file_, other.file_);
  std::swap(path_, other.path_);
  std::swap(pending_, other.pending_);
  return *this;
}

SerialLine::~SerialLine() {
  if (file_ >= 0) ::close(file_);
}

tl::unexpected<Error> SerialLine::pulled_out() const {
  return fail(ErrorCode::kDevice,
              "The line is gone: the cable was pulled out, or the power is off.", path_);
}

Result<void> SerialLine::write(const std::string& line) {
  const std::string text = line + "\n";
  std::size_t sent = 0;
  const auto until = std::chrono::steady_clock::now() + 1s;
  while (sent < text.size()) {
    const ssize_t now = ::write(file_, text.data() + sent, text.size() - sent);
    if (now > 0) {
      sent += static_cast<std::size_t>(now);
      continue;
    }
    if (now < 0 && errno != EAGAIN && errno != EINTR) return pulled_out();
    if (std::chrono::steady_clock::now() > until)
      return fail(ErrorCode::kDevice, "The line takes nothing.", path_);
    pollfd ready{file_, POLLOUT, 0};
    ::poll(&ready, 1, 20);
  }
  return {};
}

Result<std::optional<std::string>> SerialLine::read_line(std::chrono::milliseconds patience,
                                                         std::stop_token stop) {
  const auto until = std::chrono::steady_clock::now() + patience;
  for (;;) {
    if (const auto end = pending_.find('\n'); end != std::string::npos) {
      std::string line = pending_.substr(0, end);
      pending_.erase(0, end + 1);
      while (!line.empty() && (line.back() == '\r' || line.back() == ' ')) line.pop_back();
      return line;
    }
    if (stop.stop_requested()) return cancelled();
    if (std::chrono::steady_clock::now() > until) return std::nullopt;
    pollfd ready{file_, POLLIN, 0};
    if (::poll(&ready, 1, 20) <= 0) continue;
    std::array<char, 256> bytes{};
    const ssize_t got = ::read(file_, bytes.data(), bytes.size());
    if (got > 0)
      pending_.append(bytes.data(), static_cast<std::size_t>(got));
    else if (got == 0 || (errno != EAGAIN && errno != EINTR))
      return pulled_out();
  }
}

void SerialLine::forget() {
  tcflush(file_, TCIFLUSH);
  pending_.clear();
}

}  // namespace lalometer
