// The image files that are read: one list for folders, dialogs and the command line. The image library knows their
// formats.
#pragma once
#include <filesystem>
#include <string>

namespace vemtra::texture {

bool is_picture_name(const std::filesystem::path& file);
/// "*.exr *.png ...": for file dialogs.
std::string picture_patterns();

}  // namespace vemtra::texture
