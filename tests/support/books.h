#pragma once

#include "book/book.h"
#include "support/support.h"

namespace lalometer::test {

/// A book with one subject and one variant.
struct SmallBook {
  explicit SmallBook(const std::filesystem::path& path) : book(*Book::create(path)) {
    subject = *book.add_subject({0, "Kiosk", DriverKind::kLoudspeaker, R"({"loading":"vented"})"});
    variant = *book.add_variant({0, subject, "Bare", "no damping"});
  }
  Take text_take(const std::string& name) const {
    Take take;
    take.subject_id = subject;
    take.variant_id = variant;
    take.form = RawForm::kTextFile;
    take.name = name;
    return take;
  }
  Book book;
  Id subject = 0;
  Id variant = 0;
};

inline RawData text_raw(const std::string& text) {
  const auto bytes = std::as_bytes(std::span(text.data(), text.size()));
  return {{bytes.begin(), bytes.end()}, 0.0, 0, "curve.frd"};
}

}  // namespace lalometer::test
