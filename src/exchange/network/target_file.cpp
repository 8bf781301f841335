#include "exchange/network/target_file.h"

#include "exchange/audio_file.h"
#include "exchange/text_table.h"

namespace lalometer {

Result<std::vector<std::pair<double, double>>> read_target(const std::filesystem::path& file) {
  const auto bytes = file_bytes(file);
  if (!bytes) return tl::unexpected(bytes.error());
  const auto table = read_text_table(*bytes, file.string(), ColumnKind::kResponse);
  if (!table) return tl::unexpected(table.error());
  std::vector<std::pair<double, double>> rows;
  for (const TableRow& row : table->rows) rows.emplace_back(row.frequency_hz, row.magnitude);
  return rows;
}

}  // namespace lalometer
