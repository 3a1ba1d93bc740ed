// Channels of a file by the words that nodes say for them.
#pragma once
#include "texture/image_header.h"

namespace vemtra::texture {

/// Index of a channel by its letter or its name in the file, also without the name of its layer (the first layer that
/// has it); -1: there is none.
int channel_of(const ImageHeader& header, const std::string& wanted);

}  // namespace vemtra::texture
