// The names of the slots as constants: a slot that does not exist does not compile.
#pragma once
#include "scene/slot_list.h"

namespace vemtra::scene::slot {

#define VEMTRA_SLOT_NAME(name, type, value, components, low, high, fallback) inline constexpr const char* name = #name;
VEMTRA_SLOTS(VEMTRA_SLOT_NAME)
#undef VEMTRA_SLOT_NAME

}  // namespace vemtra::scene::slot
