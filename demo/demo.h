// What the generator makes: the harbour lantern of Skerrin Sound, a buoy to stand beside it, and the two environments
// it is looked at in.
#pragma once
#include "base/file.h"
#include "shape.h"

namespace vemtra::demo {

std::vector<Part> lantern();
std::vector<Part> buoy();                      ///< to stand beside it
std::vector<Part> swatch_form();               ///< what the stock is shown on
Status write_quay(const std::string& file);    ///< overcast harbour with a bright break in the clouds
Status write_studio(const std::string& file);  ///< dark room with soft boxes

/// A texture set for the hardware into maps/ beside the project, wired to its base. False where something could not be
/// read or written.
bool write_maps(const fs::path& project);

/// What is painted by hand, beside the project, which has the paintings already. Likewise.
bool write_paint(const fs::path& project);

}  // namespace vemtra::demo
