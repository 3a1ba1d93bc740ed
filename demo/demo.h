// What the generator makes: the harbour lantern of Skerrin Sound and the two environments it is looked at in.
#pragma once
#include "shape.h"

namespace vemtra::demo {

std::vector<Part> lantern();
std::vector<Part> swatch_form();               ///< what the stock is shown on
Status write_quay(const std::string& file);    ///< overcast harbour with a bright break in the clouds
Status write_studio(const std::string& file);  ///< dark room with soft boxes

}  // namespace vemtra::demo
