#pragma once

#include "workbench/report/report_lanes.h"
#include "workbench/report/report_writer.h"

/// One function for each section of a report: what it says, shows and states of the material. A
/// section that has nothing to say puts down what was not measured.
namespace lalometer::sections {

struct SectionInput {
  const ReportMaterial& material;
  const ReportScore& score;
};

void put_response(ReportWriter& writer, const SectionInput& in);
void put_bass(ReportWriter& writer, const SectionInput& in);
void put_impedance(ReportWriter& writer, const SectionInput& in);
void put_angles(ReportWriter& writer, const SectionInput& in);
void put_decay(ReportWriter& writer, const SectionInput& in);
void put_distortion(ReportWriter& writer, const SectionInput& in);
/// @param full  evidence for and against, every cause; else the three that matter most.
void put_case(ReportWriter& writer, const SectionInput& in, bool full);
/// Takes with their conditions, rig and calibrations.
void put_conditions(ReportWriter& writer, const ReportMaterial& material,
                    const std::string& fingerprint);

}  // namespace lalometer::sections
