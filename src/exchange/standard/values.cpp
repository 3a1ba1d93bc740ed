#include "exchange/standard/values.h"

#include <charconv>

#include "base/text.h"

namespace vemtra::exchange {
namespace {

/// Reads up to `most` numbers, apart by commas; -1 where something else stands there.
int numbers_in(const std::string& text, float* out, int most) {
    int count = 0;
    const char* at = text.data();
    const char* const end = at + text.size();
    auto skip = [&](const char* what) {
        while (at != end && std::string_view(what).find(*at) != std::string_view::npos) ++at;
    };
    for (skip(" \t\r\n"); at != end; skip(" \t\r\n,")) {
        if (count == most) return -1;
        if (*at == '+') ++at;
        const auto [next, error] = std::from_chars(at, end, out[count]);
        if (error == std::errc::result_out_of_range)
            out[count] = 0.f;
        else if (error != std::errc())
            return -1;
        if (!std::isfinite(out[count])) return -1;
        out[count] = std::clamp(out[count], -scene::largest_number, scene::largest_number);
        at = next;
        ++count;
    }
    return count;
}

struct Row {
    const char* name;
    int components;
};
constexpr Row number_types[] = {{"float", 1},   {"integer", 1}, {"vector2", 2}, {"vector3", 3},
                                {"vector4", 4}, {"color3", 3},  {"color4", 4}};

scene::Value value_of(const float* x, int components) {
    switch (components) {
        case 1: return x[0];
        case 2: return V2f(x[0], x[1]);
        case 3: return V3f(x[0], x[1], x[2]);
        default: return V4f(x[0], x[1], x[2], x[3]);
    }
}

std::string short_number(float x) {
    char text[32];
    const auto [end, error] = std::to_chars(text, text + sizeof text, x);
    return {text, error == std::errc() ? end : text};
}

float power(float x, float exponent) {
    return x < 0.f ? 0.f : std::pow(x, exponent);
}
float srgb(float x) {
    return x <= .04045f ? x / 12.92f : std::pow((x + .055f) / 1.055f, 2.4f);
}
V3f curve(const std::string& name, V3f c) {
    auto each = [&](float exponent) { return V3f(power(c.x, exponent), power(c.y, exponent), power(c.z, exponent)); };
    if (name == "srgb") return {srgb(c.x), srgb(c.y), srgb(c.z)};
    if (name == "1.8") return each(1.8f);
    if (name == "2.2") return each(2.2f);
    if (name == "2.4") return each(2.4f);
    if (name == "adobe") return each(563.f / 256.f);
    return c;
}

struct Space {
    const char *name, *curve;
    const float* to_rec709;  ///< three rows; null: the primaries are those of Rec.709
};
constexpr float from_ap1[9] = {1.705079555511475f,    -0.6242334842681885f, -0.0808461606502533f,
                               -0.1297005265951157f,  1.138468623161316f,   -0.008768024854362011f,
                               -0.02416634373366833f, -0.124614678322315f,  1.148781061172485f};
constexpr float from_adobe[9] = {1.39835574f, -.39835574f, 0.f, 0.f, 1.f, 0.f, 0.f, -.04292899f, 1.04292899f};
constexpr float from_p3[9] = {1.22494018f, -.22494018f, 0.f,         -.04205695f, 1.04205695f,
                              0.f,         -.01963755f, -.07863605f, 1.0982736f};
constexpr Space spaces[] = {
    {"lin_rec709", "", nullptr},      {"srgb_texture", "srgb", nullptr},   {"g18_rec709", "1.8", nullptr},
    {"g22_rec709", "2.2", nullptr},   {"rec709_display", "2.4", nullptr},  {"acescg", "", from_ap1},
    {"lin_ap1", "", from_ap1},        {"g22_ap1", "2.2", from_ap1},        {"adobergb", "adobe", from_adobe},
    {"lin_adobergb", "", from_adobe}, {"srgb_displayp3", "srgb", from_p3}, {"lin_displayp3", "", from_p3}};

}  // namespace

std::optional<scene::Value> standard_value(const std::string& type, const std::string& text) {
    if (type == "string" || type == "filename") return scene::Value(valid_utf8(text));
    if (type == "boolean") {
        if (text == "true") return scene::Value(true);
        if (text == "false") return scene::Value(false);
        return std::nullopt;
    }
    for (const Row& row : number_types) {
        if (type != row.name) continue;
        float x[4] = {};
        if (numbers_in(text, x, 4) != row.components) return std::nullopt;
        return value_of(x, row.components);
    }
    return std::nullopt;
}

std::optional<std::vector<scene::Value>> standard_array(const std::string& type, const std::string& text, size_t most) {
    for (const Row& row : number_types) {
        if (type != std::string(row.name) + "array") continue;
        std::vector<float> numbers(most * size_t(row.components));
        const int count = numbers_in(text, numbers.data(), int(numbers.size()));
        if (count < 0 || count % row.components != 0) return std::nullopt;
        std::vector<scene::Value> values;
        for (int at = 0; at < count; at += row.components)
            values.push_back(value_of(&numbers[size_t(at)], row.components));
        return values;
    }
    return std::nullopt;
}

std::string standard_text(const scene::Value& value, nodes::Type type) {
    if (const auto* words = std::get_if<std::string>(&value)) return *words;
    if (type == nodes::Type::boolean) return scene::as_number(value) != 0.f ? "true" : "false";
    const auto floats = nodes::literal(value, type);
    std::string text;
    for (int c = 0; c < nodes::components(type); ++c) text += (c ? ", " : "") + short_number(floats[size_t(c)]);
    return text;
}

std::optional<V3f> from_standard_space(const std::string& space, V3f colour) {
    for (const Space& s : spaces) {
        if (space != s.name) continue;
        const V3f c = curve(s.curve, colour);
        if (!s.to_rec709) return c;
        const float* m = s.to_rec709;
        return V3f(m[0] * c.x + m[1] * c.y + m[2] * c.z, m[3] * c.x + m[4] * c.y + m[5] * c.z,
                   m[6] * c.x + m[7] * c.y + m[8] * c.z);
    }
    return std::nullopt;
}

std::string our_type(const std::string& standard) {
    if (standard == "filename") return "string";
    nodes::Type type;
    return nodes::type_from_name(standard, type) && type != nodes::Type::place ? standard : std::string();
}

}  // namespace vemtra::exchange
