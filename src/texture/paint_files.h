// Paintings as ordinary files beside the project: one tiled, mip-mapped OpenEXR file of half floats per sheet, named by
// UDIM, colour (or a number, "Y") multiplied by its coverage "A". Each saving writes under new names and leaves the old
// files alone until the project names the new ones: a kill at any moment leaves a project with the files that belong to
// it. Sheets that did not change are linked, not written.
#pragma once
#include "base/paths.h"
#include "base/progress.h"
#include "scene/scene.h"

namespace vemtra::texture {

/// Reads a sheet. A file without mip levels, or of other numbers, is taken as it is meant; the size of the sheet is
/// that of the file, taken to the power of two below it. An Error where the file is missing, cut off or no image.
Result<std::shared_ptr<const scene::Texels>> read_sheet(const fs::path& file, int lanes, Progress* progress = nullptr);
/// Programs differ in what they take an "A" for: for others values and coverage go into files of their own.
enum class SheetPart : uint8_t { all, values, coverage };
Status write_sheet(const fs::path& file, const scene::Texels& texels, Progress* progress = nullptr,
                   SheetPart part = SheetPart::all);
/// The file of a sheet by a pattern with <UDIM>.
fs::path sheet_file(const fs::path& pattern, int tile);

/// Reads the sheets of the scene that have none yet. What cannot be read is told and stays away; its file is left alone
/// by later savings. `known`: a scene that has read the same files already.
void load_paintings(scene::Scene& scene, const Paths& paths, std::vector<Error>& problems,
                    const scene::Scene* known = nullptr, Progress* progress = nullptr);

/// Writes what the disk does not have, beside `project`, and names the files in the scene. `saved`: as the disk has it.
/// Returns the files that the project will not name any more: to be removed once it is written.
Result<std::vector<fs::path>> save_paintings(scene::Scene& scene, const fs::path& project, const Paths& paths,
                                             const scene::Scene* saved, Progress* progress = nullptr);

}  // namespace vemtra::texture
