#include "nodes/types.h"

namespace vemtra::nodes {
namespace {

constexpr std::array<TypeInfo, type_count> rows = {{
    {Type::number, "float", 'N', 1, ToNumber::first, Editor::number},
    {Type::color, "color3", 'C', 3, ToNumber::luminance, Editor::color},
    {Type::vector2, "vector2", 'D', 2, ToNumber::first, Editor::vector},
    {Type::vector3, "vector3", 'D', 3, ToNumber::first, Editor::vector},
    {Type::place, "place", 'D', 6, ToNumber::first, Editor::none},
    {Type::integer, "integer", 'N', 1, ToNumber::first, Editor::number},
    {Type::boolean, "boolean", 'N', 1, ToNumber::first, Editor::toggle},
    {Type::text, "string", 'T', 0, ToNumber::first, Editor::words},
    {Type::vector4, "vector4", 'D', 4, ToNumber::first, Editor::vector},
    {Type::color4, "color4", 'C', 4, ToNumber::luminance, Editor::color},
}};
constexpr bool in_order() {
    for (size_t i = 0; i < rows.size(); ++i)
        if (size_t(rows[i].type) != i || rows[i].components > most_components) return false;
    return true;
}
static_assert(in_order(), "rows stand in the order of the enumeration");

}  // namespace

const TypeInfo& info(Type type) {
    return rows[size_t(type)];
}

const std::vector<Type>& value_types() {
    static const std::vector<Type> all{Type::number,  Type::color,   Type::vector2,
                                       Type::vector3, Type::vector4, Type::color4};
    return all;
}

bool type_from_name(const std::string& name, Type& type) {
    for (const TypeInfo& row : rows)
        if (name == row.name) return type = row.type, true;
    return false;
}

std::array<float, most_components> literal(const scene::Value& value, Type type) {
    std::array<float, most_components> out{};
    const size_t count = size_t(components(type));
    if (std::holds_alternative<float>(value) || std::holds_alternative<bool>(value)) {
        const size_t filled = type == Type::place ? 2 : count;
        std::fill_n(out.begin(), filled, scene::as_number(value));
    } else if (const auto* v = std::get_if<V2f>(&value)) {
        std::copy_n(&v->x, std::min<size_t>(2, count), out.begin());
    } else if (const auto* v = std::get_if<V3f>(&value)) {
        std::copy_n(&v->x, std::min<size_t>(type == Type::place ? 2 : 3, count), out.begin());
    } else if (const auto* v = std::get_if<V4f>(&value)) {
        std::copy_n(&v->x, std::min<size_t>(type == Type::place ? 2 : 4, count), out.begin());
    }
    const bool all_given = std::holds_alternative<float>(value) || std::holds_alternative<bool>(value) ||
                           std::holds_alternative<V4f>(value);
    if (type == Type::color4 && !all_given) out[3] = 1.f;
    for (float& x : out)
        if (!std::isfinite(x)) x = 0.f;
    return out;
}

scene::Value to_value(Type type, const V3f& v) {
    switch (components(type)) {
        case 1: return v.x;
        case 2: return V2f(v.x, v.y);
        case 4: return V4f(v.x, v.y, v.z, 1.f);
        default: return v;
    }
}

}  // namespace vemtra::nodes
