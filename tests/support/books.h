#pragma once

#include <sys/wait.h>
#include <unistd.h>

#include "book/book.h"
#include "support/descriptions.h"
#include "support/support.h"

namespace lalometer::test {

/// A book with one subject and one variant.
struct SmallBook {
  explicit SmallBook(const std::filesystem::path& path) : book(*Book::create(path)) {
    subject = *book.add_subject(
        {0, "Kiosk", SubjectKind::kLoudspeaker, described(R"({"loading":"vented"})")});
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

/// Runs a check in a child that may write nowhere: root gives its rights up first. 0 is good.
template <class Check>
int as_nobody(Check check) {
  const pid_t child = fork();
  if (child == 0) {
    constexpr uid_t kNobody = 65534;
    if (geteuid() == 0 && seteuid(kNobody) != 0) _exit(100);
    _exit(check());
  }
  int status = 0;
  waitpid(child, &status, 0);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 101;
}

inline RawData text_raw(const std::string& text) {
  const auto bytes = std::as_bytes(std::span(text.data(), text.size()));
  return {{bytes.begin(), bytes.end()}, 0.0, 0, "curve.frd"};
}

}  // namespace lalometer::test
