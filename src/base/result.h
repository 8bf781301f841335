#pragma once

#include <fmt/format.h>

#include <string>
#include <tl/expected.hpp>
#include <utility>

/// Errors as values. Code decides, message explains, `where` names file and line, device or take.
/// A doubtful measurement is not an error: clipping or a short gate travel with the data.
namespace lalometer {

enum class ErrorCode {
  kBadInput,      ///< a file or an entry that cannot be understood or is impossible
  kNotFound,      ///< a file, take or channel that is not there
  kStorage,       ///< disk full, read-only, damaged
  kNewerVersion,  ///< written by a newer Lalometer
  kDevice,        ///< an interface, jig or turntable did not do what was asked
  kCancelled,     ///< the user chose to stop; never shown as a failure
};

struct Error {
  ErrorCode code = ErrorCode::kBadInput;
  std::string message;  ///< a sentence for the user: what is wrong, what was kept, what to do
  std::string where;    ///< "file.frd:12", a path, a device; may be empty

  /// "where: message", or the message alone where there is no place.
  [[nodiscard]] std::string text() const {
    return where.empty() ? message : where + ": " + message;
  }
};

template <class T>
using Result = tl::expected<T, Error>;

[[nodiscard]] inline tl::unexpected<Error> fail(ErrorCode code, std::string message,
                                                std::string where = {}) {
  return tl::unexpected<Error>(Error{code, std::move(message), std::move(where)});
}

[[nodiscard]] inline tl::unexpected<Error> bad_input(std::string message, std::string where = {}) {
  return fail(ErrorCode::kBadInput, std::move(message), std::move(where));
}

[[nodiscard]] inline tl::unexpected<Error> cancelled() {
  return fail(ErrorCode::kCancelled, "Stopped.");
}

}  // namespace lalometer
