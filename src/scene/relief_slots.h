// The slots of a layer that move the form instead of saying what it is made of. Their meaning, units and ranges stand
// in nodes/surface_description.cpp.
#pragma once

namespace vemtra::scene::slot {

inline constexpr const char* height = "height";
inline constexpr const char* height_scale = "height_scale";
inline constexpr const char* height_strength = "height_strength";
inline constexpr const char* height_neutral = "height_neutral";
inline constexpr const char* height_low = "height_low";
inline constexpr const char* height_high = "height_high";
inline constexpr const char* height_gamma = "height_gamma";
inline constexpr const char* height_smoothing = "height_smoothing";
inline constexpr const char* height_join = "height_join";
inline constexpr const char* height_softness = "height_softness";
inline constexpr const char* height_thickness = "height_thickness";
inline constexpr const char* height_levelling = "height_levelling";

}  // namespace vemtra::scene::slot

namespace vemtra::scene {

/// How a cover's height meets what is below it.
enum class HeightJoin : int { by_coverage, added, highest, none };

}  // namespace vemtra::scene
