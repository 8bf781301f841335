#pragma once

#include "workbench/report/report_writer.h"
#include "workbench/sharing/importing.h"

namespace lalometer::sections {

/// A driver's parameters, its impedance in free air with what it shows beside the resonance, and
/// its samples against one another.
void put_driver(ReportWriter& writer, const ImportPreview& preview, const std::string& where);

/// Variants against one another, or the subject against others: what differs beyond repeats, the
/// ranking, and what several varied things do.
/// @param others  other subjects; each one's variant with most takes stands for it. Empty: the
///                variants of `preview`.
void put_comparison(ReportWriter& writer, const ImportPreview& preview,
                    const std::vector<ImportPreview>& others = {});

}  // namespace lalometer::sections
