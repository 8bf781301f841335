#include "rig/serial/serial_line.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <libserialport.h>
#include <poll.h>
#include <termios.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <utility>

namespace lalometer {
using namespace std::chrono_literals;

struct SerialLine::Port {
  explicit Port(sp_port* opened) : port(opened) {}
  ~Port() {
    sp_close(port);
    sp_free_port(port);
  }
  Port(const Port&) = delete;
  Port& operator=(const Port&) = delete;
  sp_port* port;
};

namespace {

constexpr int kSpeeds[] = {9600, 19200, 38400, 57600, 115200, 230400, 460800, 921600};

tl::unexpected<Error> not_opened(int why, const std::filesystem::path& path) {
  const char* advice = why == EACCES   ? " Join the group that owns it (often dialout)."
                       : why == ENOENT ? " Plug the table in, or choose another line."
                                       : "";
  return fail(ErrorCode::kDevice,
              fmt::format("The line cannot be opened: {}.{}", std::strerror(why), advice),
              path.string());
}

}  // namespace

std::vector<SerialPortInfo> serial_ports() {
  std::vector<SerialPortInfo> ports;
  sp_port** all = nullptr;
  if (sp_list_ports(&all) != SP_OK) return ports;
  for (sp_port** one = all; *one != nullptr; ++one) {
    const char* description = sp_get_port_description(*one);
    ports.push_back({sp_get_port_name(*one), description == nullptr ? "" : description});
  }
  sp_free_port_list(all);
  return ports;
}

Result<SerialLine> SerialLine::open_pseudo_terminal(const std::filesystem::path& path) {
  const int file = ::open(path.c_str(), O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
  if (file < 0) return not_opened(errno, path);
  SerialLine line;
  line.file_ = file;
  line.path_ = path.string();
  termios settings{};
  if (tcgetattr(file, &settings) != 0)
    return fail(ErrorCode::kDevice, "This is not a serial line.", path.string());
  cfmakeraw(&settings);
  if (tcsetattr(file, TCSANOW, &settings) != 0) return not_opened(errno, path);
  return line;
}

Result<SerialLine> SerialLine::open(const std::filesystem::path& path, int baud) {
  if (std::find(std::begin(kSpeeds), std::end(kSpeeds), baud) == std::end(kSpeeds))
    return bad_input(fmt::format("A line speed of {} baud is not usual.", baud), path.string());
  // The library knows lines with hardware behind them only.
  sp_port* port = nullptr;
  if (sp_get_port_by_name(path.c_str(), &port) != SP_OK) return open_pseudo_terminal(path);
  if (sp_open(port, SP_MODE_READ_WRITE) != SP_OK) {
    const int why = sp_last_error_code();
    sp_free_port(port);
    return not_opened(why, path);
  }
  SerialLine line;
  line.port_ = std::make_unique<Port>(port);
  line.path_ = path.string();
  const bool set = sp_set_baudrate(port, baud) == SP_OK && sp_set_bits(port, 8) == SP_OK &&
                   sp_set_parity(port, SP_PARITY_NONE) == SP_OK &&
                   sp_set_stopbits(port, 1) == SP_OK &&
                   sp_set_flowcontrol(port, SP_FLOWCONTROL_NONE) == SP_OK &&
                   sp_get_port_handle(port, &line.file_) == SP_OK;
  if (!set)
    return fail(ErrorCode::kDevice, fmt::format("The line refuses {} baud.", baud), path.string());
  return line;
}

SerialLine::SerialLine() = default;

SerialLine::SerialLine(SerialLine&& other) noexcept
    : port_(std::move(other.port_)),
      file_(std::exchange(other.file_, -1)),
      path_(std::move(other.path_)),
      pending_(std::move(other.pending_)) {}

SerialLine& SerialLine::operator=(SerialLine&& other) noexcept {
  std::swap(port_, other.port_);
  std::swap(file_, other.file_);
  std::swap(path_, other.path_);
  std::swap(pending_, other.pending_);
  return *this;
}

SerialLine::~SerialLine() {
  // A real line's file belongs to the library.
  if (file_ >= 0 && !port_) ::close(file_);
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
