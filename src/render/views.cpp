#include "render/views.h"

namespace vemtra::render {
namespace {

/// Whether a figure of the tile's number covers the place: four digits of 3 x 5 dots in the lower half of every quarter
/// of a tile, with u to their right, so that mirrored islands show them mirrored.
bool on_number(int tile, float u, float v) {
    static constexpr uint16_t digits[] = {075557, 022222, 071747, 071717, 055711,
                                          074717, 074757, 071111, 075757, 075717};  // rows, top first
    const float x = (u * 4.f - std::floor(u * 4.f)) * 20.f - 2.f;
    const float y = (v * 4.f - std::floor(v * 4.f)) * 20.f - 2.f;
    if (x < 0.f || x >= 15.f || y < 0.f || y >= 5.f) return false;
    const int column = int(x);
    const int row = 4 - int(y);
    const int place = column / 4;
    if (column % 4 == 3) return false;
    static constexpr int powers[] = {1000, 100, 10, 1};
    return digits[tile / powers[place] % 10] >> (3 * (4 - row) + 2 - column % 4) & 1;
}
/// A checker of 16 fields per tile in a colour per UDIM tile, with the tiles' numbers; red where there are no UVs.
V3f uv_check(const geometry::SurfacePoint& s) {
    if (s.uv_per_metre <= 0.f) return V3f(.7f, .1f, .08f);
    const int tile = int(std::floor(s.uv.x)) + 10 * int(std::floor(s.uv.y));
    const bool numbered = s.uv.x >= 0.f && s.uv.x < 10.f && s.uv.y >= 0.f && s.uv.y < 100.f;
    if (numbered && on_number(1001 + tile, s.uv.x, s.uv.y)) return V3f(.95f);
    const bool odd = (int(std::floor(s.uv.x * 16.f)) + int(std::floor(s.uv.y * 16.f))) & 1;
    return coverage_color(tile + 7) * .5f + V3f(odd ? .5f : .12f);
}

V3f show_coverage(const FirstHit& h) {
    return coverage_color(h.layer) * h.facing();
}
V3f show_normal(const FirstHit& h) {
    return h.s.normal * .5f + V3f(.5f);
}
V3f show_depth(const FirstHit& h) {
    return V3f(clamp01(1.f - (h.distance - h.nearest) / h.depth));
}
V3f show_uv(const FirstHit& h) {
    return uv_check(h.s) * h.facing();
}

}  // namespace

const std::vector<ViewKind>& views() {
    static const std::vector<ViewKind> all = {
        {View::beauty, "beauty", "&Beauty", "1", true, 8.f, nullptr, true},
        {View::clay, "clay", "&Clay", "2", true, 2.f, nullptr, false},
        {View::coverage, "coverage", "C&overage", "3", false, 2.f, show_coverage, true},
        {View::normal, "normal", "&Normals", "4", false, 2.f, show_normal, false},
        {View::depth, "depth", "&Depth", "5", false, 2.f, show_depth, false},
        {View::uv, "uv", "&UV check", "6", false, 2.f, show_uv, false},
        {View::node, "node", "Node", "", false, 2.f, nullptr, false},
    };
    return all;
}
const ViewKind& info(View view) {
    return views()[size_t(view)];
}

bool view_from_name(const std::string& name, View& view) {
    for (const ViewKind& v : views())
        if (name == v.name) return view = v.view, true;
    return false;
}
std::string view_names() {
    std::string text;
    for (size_t i = 0; i < views().size(); ++i)
        text += (i == 0 ? "" : i + 1 == views().size() ? " or " : ", ") + std::string(views()[i].name);
    return text;
}

void hatch_ends(const std::vector<V3f>& numbers, int width, int enlarge, std::vector<uint8_t>& bgra) {
    constexpr float near = .0005f;  // half a step of 10 bits
    constexpr int apart = 7;
    if (width <= 0 || enlarge <= 0) return;
    const size_t across = size_t(width) * size_t(enlarge);
    for (size_t p = 0; p * 4 + 3 < bgra.size(); ++p) {
        const size_t x = p % across;
        const size_t y = p / across;
        const size_t at = y / size_t(enlarge) * size_t(width) + x / size_t(enlarge);
        if (at >= numbers.size()) return;
        const V3f& v = numbers[at];
        const bool black = max_component(v) <= near;
        const bool white = std::min(v.x, std::min(v.y, v.z)) >= 1.f - near;
        if (black && (x + y) % apart == 0)
            for (int c = 0; c < 3; ++c) bgra[p * 4 + size_t(c)] = 96;
        if (white && (x + apart * across - y % apart) % apart == 0)
            for (int c = 0; c < 3; ++c) bgra[p * 4 + size_t(c)] = 150;
    }
}

namespace {
struct NamedColor {
    const char* name;
    uint8_t red, green, blue;  ///< sRGB
};
constexpr NamedColor coverage_hues[] = {
    {"blue", 0, 114, 178},     {"orange", 230, 159, 0},      {"green", 0, 158, 115}, {"yellow", 240, 228, 66},
    {"purple", 204, 121, 167}, {"light blue", 86, 180, 233}, {"red", 213, 94, 0},    {"white", 228, 228, 228}};
constexpr int hue_count = int(std::size(coverage_hues));
}  // namespace

V3f coverage_color(int layer) {
    if (layer < 0) return V3f(.18f);
    const NamedColor& hue = coverage_hues[layer % hue_count];
    const V3f c(srgb_to_linear(float(hue.red) / 255.f), srgb_to_linear(float(hue.green) / 255.f),
                srgb_to_linear(float(hue.blue) / 255.f));
    const int round = layer / hue_count % 3;
    return round == 0 ? c : round == 1 ? c * .3f : c * .35f + V3f(.33f);
}
std::string coverage_color_name(int layer) {
    if (layer < 0) return "grey";
    const int round = layer / hue_count % 3;
    return std::string(round == 0 ? "" : round == 1 ? "dark " : "pale ") + coverage_hues[layer % hue_count].name;
}

}  // namespace vemtra::render
