#pragma once

#include <chrono>
#include <filesystem>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "base/result.h"

namespace lalometer {

/// A serial line that is plugged in.
struct SerialPortInfo {
  std::filesystem::path path;
  std::string description;  ///< what it says of itself; may be empty
};
/// The lines that this computer has now, without pseudo-terminals.
[[nodiscard]] std::vector<SerialPortInfo> serial_ports();

/// A serial line that speaks in lines of text: 8 data bits, no parity, one stop bit, raw. A
/// pseudo-terminal will do as well. For one thread at a time, but for write().
class SerialLine {
 public:
  /// @param baud  9600 to 921600, the usual steps.
  [[nodiscard]] static Result<SerialLine> open(const std::filesystem::path& path, int baud);
  SerialLine(SerialLine&& other) noexcept;
  SerialLine& operator=(SerialLine&& other) noexcept;
  ~SerialLine();

  /// Sends the text and a line feed. A line that was pulled out, or takes nothing for a second, is
  /// an error.
  [[nodiscard]] Result<void> write(const std::string& line);
  /// The next whole line without its end; nothing where none came in time. Gives kCancelled within
  /// 50 ms of a stop request, kDevice where the cable was pulled out.
  [[nodiscard]] Result<std::optional<std::string>> read_line(std::chrono::milliseconds patience,
                                                             std::stop_token stop);
  /// Drops whatever has come in and was not read.
  void forget();

 private:
  struct Port;  ///< what the library holds of a real line; null for a pseudo-terminal
  SerialLine();
  [[nodiscard]] static Result<SerialLine> open_pseudo_terminal(const std::filesystem::path& path);
  [[nodiscard]] tl::unexpected<Error> pulled_out() const;

  std::unique_ptr<Port> port_;
  int file_ = -1;
  std::string path_;
  std::string pending_;
};

}  // namespace lalometer
