#pragma once

#include "workbench/sharing/importing.h"

/// Sets of angles that come without a set.json: folders of files by name, AES69 files.
namespace lalometer {

/// Items of a folder whose files' names carry the angle, in the order of their angles. Files whose
/// names tell none are problems. Where the folder holds no response file at all, that is one.
void read_angle_folder(ImportPreview& preview, const std::filesystem::path& folder,
                       const ImportChoices& choices, const std::stop_token& stop,
                       const Progress& progress, const Parallel& parallel);

void read_sofa_into(ImportPreview& preview, const std::filesystem::path& path,
                    const std::stop_token& stop, const Parallel& parallel);

/// What is written as AES69: the responses of one variant at their angles.
[[nodiscard]] Result<void> export_sofa(const ImportPreview& source, const std::string& title,
                                       const std::filesystem::path& path);

/// "horizontal +30°", as previews show it.
[[nodiscard]] std::string spoken_angle(const Take& take);
/// What somebody typed for it: a number, and "v" before it for the vertical circle. The distance
/// stays. Nothing where it is no angle from -180 to 180.
[[nodiscard]] std::optional<Placement> angle_told(const std::string& text, Placement as_it_is);

}  // namespace lalometer
