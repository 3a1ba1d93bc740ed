// The slots of a surface as plain numbers at one point: OpenPBR Surface 1.1 by name, then ours. The list stands once,
// in scene/slot_list.h; meaning and units in nodes::surface_description(). Lengths are metres, film thickness
// micrometres, luminance nits, temperature kelvin; directions lie in the asset's space, 0 0 0 being the surface's own.
#pragma once
#include <cstddef>
#include <vector>

#include "base/vec.h"
#include "scene/slot_list.h"

namespace vemtra::surface {

struct Slots {
#define VEMTRA_SLOT_MEMBER(name, type, value, components, low, high, fallback) type name = value;
    VEMTRA_SLOTS(VEMTRA_SLOT_MEMBER)
#undef VEMTRA_SLOT_MEMBER
    // Beside the slots: the axes along which what the normals stand for varies over the footprint, in the asset's
    // space, as long as the deviation of the slopes along it beyond that across it (nodes/kernels/spread.h).
    V3f normal_spread{0.f}, coat_normal_spread{0.f};
};

struct SlotField {
    const char* name;
    size_t offset;  ///< in bytes
    int components;
    float low, high;  ///< what is computed with; values outside are clamped
    float fallback;   ///< instead of a value that is not finite
};
const std::vector<SlotField>& slot_fields();
const SlotField* slot_field(const std::string& name);
/// Of a normal: the axis along which it varies; null: of any other slot.
const SlotField* spread_of(const SlotField& field);
inline float* at(Slots& s, const SlotField& f) {
    return reinterpret_cast<float*>(reinterpret_cast<char*>(&s) + f.offset);
}
inline constexpr size_t most_slot_components = sizeof(Slots) / sizeof(float);

/// All values brought into their ranges.
Slots sane(Slots slots);
/// One field alone.
void make_sane(Slots& slots, const SlotField& field);

}  // namespace vemtra::surface
