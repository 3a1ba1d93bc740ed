// The slots of a layer that move the form instead of saying what it is made of. Their meaning, units and ranges stand
// in nodes/surface_description.cpp.
#pragma once

#define VEMTRA_RELIEF_SLOTS(X) \
    X(height)                  \
    X(height_scale)            \
    X(height_strength)         \
    X(height_neutral)          \
    X(height_low)              \
    X(height_high)             \
    X(height_gamma)            \
    X(height_smoothing)        \
    X(height_direction)        \
    X(height_vector)           \
    X(height_vector_space)     \
    X(height_join)             \
    X(height_softness)         \
    X(height_thickness)        \
    X(height_lip)              \
    X(height_lip_width)        \
    X(height_levelling)

namespace vemtra::scene::slot {

#define VEMTRA_SLOT_NAME(name) inline constexpr const char* name = #name;
VEMTRA_RELIEF_SLOTS(VEMTRA_SLOT_NAME)
#undef VEMTRA_SLOT_NAME

}  // namespace vemtra::scene::slot

namespace vemtra::scene {

#define VEMTRA_SLOT_NAME(name) #name,
inline constexpr const char* relief_slots[] = {VEMTRA_RELIEF_SLOTS(VEMTRA_SLOT_NAME)};
#undef VEMTRA_SLOT_NAME

/// Those that say what the edge of a thick layer looks like: they go with its mask.
inline constexpr const char* edge_slots[] = {slot::height_thickness, slot::height_lip, slot::height_lip_width};

/// How a cover's height meets what is below it.
enum class HeightJoin : int { by_coverage, added, highest, none };
/// Which way a height goes: along the normals of the smooth form, or of the polygons before they were smoothed.
enum class HeightDirection : int { smooth, facets };
/// What the numbers of a vector say: along growing U, growing V and outwards; the same with outwards second; or along
/// x, y and z of the part.
enum class VectorSpace : int { uv_third_outwards, uv_second_outwards, part };
/// How the edge of a cover that has a thickness is shaped.
enum class Lip : int { square, rounded, worn, curled };

}  // namespace vemtra::scene
