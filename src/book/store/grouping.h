#pragma once

#include <cstdint>

namespace SQLite {
class Database;
}

namespace lalometer {

/// Puts takes that are in no group yet into one, where their own setups say that they are read
/// together: angles of one distance and drive (three at least), near fields of one state, drives at
/// one place, the same again. Groups that are there take new members in. The caller holds a
/// transaction.
/// @param subject  0: all subjects.
void group_takes(SQLite::Database& database, std::int64_t subject);

}  // namespace lalometer
