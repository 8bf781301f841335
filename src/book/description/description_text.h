#pragma once

#include <string>

#include "base/result.h"
#include "book/description/description.h"

namespace lalometer {

/// A description as the "subject" of a measurement set writes it. A member of another kind than it
/// should be (a word for a number) counts as not specified and is kept as it is; a list of drivers,
/// ports or the like with something else than objects in it is an error that names its place.
/// "name" and "kind" are the subject's, not the description's, and are left out.
[[nodiscard]] Result<Description> description_from_json(const std::string& json,
                                                        const std::string& where = {});
/// One line, members in a fixed order, those that this version does not know last.
[[nodiscard]] std::string to_json(const Description& description);

/// Names a description as it is kept, for takes that were planned by it. 16 hexadecimal digits.
[[nodiscard]] std::string drawing_mark(const std::string& kept_text);

}  // namespace lalometer
