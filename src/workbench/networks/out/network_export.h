#pragma once

#include <string>

#include "workbench/networks/network_material.h"

namespace lalometer {

/// The circuit for any SPICE (3f5 syntax): source of 1 V, each branch, and each driver as the usual
/// circuit near its measured impedance (resistance, coil, a resonance for each impedance peak).
/// Active parts, which are no circuit, stand as comments. An .ac line covers 20 Hz to 20 kHz.
[[nodiscard]] std::string spice_netlist(const DesignedNetwork& network,
                                        const NetworkMaterial& material);
/// "driver,part,value,unit,peak_a,watt" and a line each.
[[nodiscard]] std::string parts_csv(const std::vector<PartLoad>& parts);

}  // namespace lalometer
