// The types that ports and outputs carry: one row each. How a literal is read, how one type becomes another and how it
// is edited follow from the row; no other floor knows a type by its name.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "scene/scene.h"

namespace vemtra::nodes {

/// `place` is where a map is read: u, v and the footprint's two axes. A box projection gives three of them and their
/// weights (box_components); who wants a plain vector2 gets the first u and v.
enum class Type : uint8_t { number, color, vector2, vector3, place, integer, boolean, text, vector4, color4 };
inline constexpr size_t type_count = 10;
inline constexpr int most_components = 6;  ///< of a type
inline constexpr int box_components = 21;  ///< what a placement on a box gives: three places, three weights

/// What a value of the type is edited with.
enum class Editor : uint8_t { number, color, vector, toggle, words, none };
/// How more than one component become one number.
enum class ToNumber : uint8_t { first, luminance };

struct TypeInfo {
    Type type;
    const char* name;  ///< the standard's; "place" is ours
    char letter;       ///< what the tab of a port shows: N, C, D; T for words
    int components;    ///< floats per point; 0: words, which are the same everywhere
    ToNumber to_number;
    Editor editor;
};
const TypeInfo& info(Type type);
inline int components(Type t) {
    return info(t).components;
}
inline const char* type_name(Type t) {
    return info(t).name;
}
inline char type_letter(Type t) {
    return info(t).letter;
}
/// What can be computed with component by component: number, colour, vectors of two to four, colour with alpha.
const std::vector<Type>& value_types();
bool type_from_name(const std::string& name, Type& type);

/// The floats of a literal as a value of the type. One number stands for all components; what a shorter literal lacks
/// is 0, an alpha 1; of a place there is (u, v) alone, without a footprint.
std::array<float, most_components> literal(const scene::Value& value, Type type);
/// The other way: what the project keeps.
scene::Value to_value(Type type, const V3f& v);

}  // namespace vemtra::nodes
