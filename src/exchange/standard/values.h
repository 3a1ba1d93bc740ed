// Values and colours as documents of the standard write them.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "nodes/types.h"

namespace vemtra::exchange {

/// A value of the standard's type (float, integer, boolean, color3, color4, vector2, vector3, vector4, string,
/// filename); nothing where the text is none.
std::optional<scene::Value> standard_value(const std::string& type, const std::string& text);
/// The elements of one of the standard's arrays (floatarray, integerarray, color3array, vector2array...), `most` of
/// them at most; nothing where the text is none, or longer.
std::optional<std::vector<scene::Value>> standard_array(const std::string& type, const std::string& text, size_t most);
/// The other way, with the fewest digits that read back as the same float.
std::string standard_text(const scene::Value& value, nodes::Type type);

/// A colour in one of the standard library's spaces as linear Rec.709, by the library's own numbers; nothing where it
/// does not know the space.
std::optional<V3f> from_standard_space(const std::string& space, V3f colour);

/// The type that a document's type is with us: "integer" and "boolean" are numbers where a node computes with them;
/// empty: we have none (shaders, matrices, arrays).
std::string our_type(const std::string& standard);

}  // namespace vemtra::exchange
