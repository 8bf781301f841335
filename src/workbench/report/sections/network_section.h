#pragma once

#include "acoustics/network/whatif/designed_network.h"
#include "workbench/report/report_writer.h"
#include "workbench/sharing/importing.h"

namespace lalometer::sections {

/// What a network would make of the drivers that were taken alone: sum, angles and load, where they
/// meet, parts and what they must stand.
void put_network(ReportWriter& writer, const ImportPreview& preview, const DesignedNetwork& network,
                 const std::string& where);

}  // namespace lalometer::sections
