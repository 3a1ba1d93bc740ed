// What is odd about the maps of a set: by their names and headers, and by their pixels where those were looked at.
#include <map>
#include <set>

#include "texture/colour.h"
#include "texture/map_set.h"

namespace vemtra::texture {
namespace {

using Grade = MapNote::Grade;

// Of the mean colour, linear: a white has all channels above, a black none. No dry surface of the trade's measured
// tables reflects more than fresh snow or less than soot.
constexpr float brightest_real = .85f, darkest_real = .008f;
constexpr float flat_tilt = .004f;  // mean slope of a normal map below which it changes nothing that is seen
constexpr float sure_green = .08f;  // how much the slopes have to agree before their sign is believed

void note(MapEntry& m, MapNote::Grade grade, const std::string& what, const std::string& remedy) {
    m.notes.push_back({grade, what, remedy});
}

std::string list_of(const std::vector<int>& tiles) {
    std::string text;
    for (size_t i = 0; i < tiles.size() && i < 8; ++i) text += (i ? ", " : "") + std::to_string(tiles[i]);
    return text + (tiles.size() > 8 ? "..." : "");
}

/// Folds the facts of one tile into those of all.

void note_tiles(MapEntry& m, const std::set<int>& all_tiles) {
    m.missing.clear();
    for (int t : all_tiles)
        if (!m.tiles.empty() && std::find(m.tiles.begin(), m.tiles.end(), t) == m.tiles.end()) m.missing.push_back(t);
    if (!m.missing.empty())
        note(m, Grade::finding, "tiles " + list_of(m.missing) + " are missing",
             "Export them: the loud colour stands there until then");
    if (m.tiles.empty() && !all_tiles.empty())
        note(m, Grade::finding, "it has no tiles, but other maps of the set have",
             "Export it over tiles, or leave it out");
}

void note_header(MapEntry& m) {
    if (m.kind == MapKind::unknown) note(m, Grade::hint, "its name does not tell what it is", "Choose its kind");
    const bool height = m.kind == MapKind::height || m.kind == MapKind::displacement || m.kind == MapKind::bump;
    if (height && m.header.bits <= 8)
        note(m, Grade::finding, "heights of 8 bits step visibly", "Export it with 16 bits or as floats");
    if (m.header.cmyk)
        note(m, Grade::finding, "it is made for print (CMYK); the conversion to RGB is a guess", "Export it as RGB");
    if (m.header.palette && !info(m.kind).colour)
        note(m, Grade::hint, "it has a palette: few values", "Export it without a palette");
    for (const fs::path& f : m.files) {
        const auto h = read_header(f);
        if (!h || h->channels == m.header.channels) continue;
        note(m, Grade::finding,
             f.filename().string() + " has " + std::to_string(h->channels) + " channels, the first tile " +
                 std::to_string(m.header.channels),
             "Export all tiles alike");
        break;
    }
    if (m.kind != MapKind::packed) return;
    for (size_t c = size_t(m.header.channels); c < m.packed.size(); ++c)
        if (m.packed[c] != MapKind::unknown)
            note(m, Grade::finding,
                 std::string("its name promises ") + info(m.packed[c]).title + " in a channel that it does not have",
                 "Choose what its channels are");
}

void note_constant(MapEntry& m, const MapFacts& f) {
    m.blank.reset();
    if (f.alpha_all_one) note(m, Grade::hint, "its alpha is one everywhere", "It can be left out");
    if (m.kind == MapKind::opacity && m.channel == "a" && f.alpha_all_one) m.channel = "r";
    if (!f.constant || f.channels.empty() || m.kind == MapKind::unknown || m.kind == MapKind::packed) return;
    const size_t last = f.channels.size() - 1;
    m.blank = std::array<float, 3>{f.channels[0].mean, f.channels[std::min<size_t>(1, last)].mean,
                                   f.channels[std::min<size_t>(2, last)].mean};
    note(m, Grade::hint, "it is one value everywhere", "The value takes its place");
}

void note_normal(MapEntry& m, const MapFacts& f) {
    if (m.kind != MapKind::normal) return;
    if (f.normal_tilt < flat_tilt) {
        m.blank = std::array<float, 3>{.5f, .5f, 1.f};
        if (!f.constant) note(m, Grade::hint, "it is flat", "It is left out");
    } else if (f.normal_length < .9f || f.normal_length > 1.1f) {
        note(m, Grade::finding, "its directions have a mean length of " + std::to_string(f.normal_length).substr(0, 4),
             "It may have been decoded as colour, or be no normal map");
    }
    if (std::fabs(f.green_up) > sure_green && (f.green_up < 0.f) != m.green_down)
        note(m, Grade::finding,
             std::string("green points ") + (f.green_up < 0.f ? "down" : "up") + " by its pixels, " +
                 (m.green_down ? "down" : "up") + " by its name",
             "Turn it around if edges look pressed in");
}

void note_brightness(MapEntry& m, const MapFacts& f) {
    if (m.kind != MapKind::base_color || m.colour_space == "raw" || f.channels.size() < 3 || f.constant) return;
    auto decode = colour_decode(m.colour_space);
    auto linear = [&](float x) {
        return decode && (*decode)->has_curve ? (*decode)->curve16[size_t(clamp01(x) * 65535.f + .5f)] : x;
    };
    const auto [low, high] = std::minmax({f.channels[0].mean, f.channels[1].mean, f.channels[2].mean});
    if (linear(low) > brightest_real)
        note(m, Grade::finding, "its colour is brighter than what real materials reflect",
             "Check its colour space, or darken it");
    if (linear(high) < darkest_real)
        note(m, Grade::finding, "its colour is darker than what real materials reflect", "Check its colour space");
}

void note_colour_space(MapEntry& m, const MapFacts& f) {
    if (m.kind == MapKind::base_color && m.colour_space == "raw")
        note(m, Grade::finding, "a colour is taken raw", "Choose its colour space");
    if (info(m.kind).colour || m.kind == MapKind::unknown) return;
    if (m.colour_space != "raw") note(m, Grade::finding, "data is decoded as a colour", "Take it raw");
    const bool one_number = m.kind != MapKind::normal && m.kind != MapKind::packed && m.kind != MapKind::mask;
    if (one_number && !f.grey && m.header.channels - (m.header.alpha >= 0) >= 3)
        note(m, Grade::hint, "its channels differ: the " + m.channel + " channel is read",
             "Choose the channel that is meant");
}

void note_sizes(MapSet& set) {
    std::map<std::pair<int, int>, int> sizes;
    for (const MapEntry& m : set.maps) ++sizes[{m.header.width, m.header.height}];
    if (sizes.size() < 2) return;
    std::string text;
    for (const auto& [size, count] : sizes)
        text += (text.empty() ? "" : ", ") + std::to_string(size.first) + " x " + std::to_string(size.second) + " (" +
                std::to_string(count) + ")";
    set.notes.push_back(
        {Grade::hint, "the maps differ in size: " + text, "Harmless, unless one was meant to be finer"});
}

void note_rivals(MapSet& set) {
    std::map<std::string, std::vector<std::string>> slots;
    for (const MapEntry& m : set.maps)
        if (m.use && !m.slot.empty()) slots[m.slot].push_back(info(m.kind).title);
    for (const auto& [slot, kinds] : slots) {
        if (kinds.size() < 2) continue;
        std::string text;
        for (const std::string& k : kinds) text += (text.empty() ? "" : ", ") + k;
        set.notes.push_back({Grade::finding, "several maps would feed " + slot + ": " + text,
                             "The first one that is used does; leave out the others"});
    }
}

}  // namespace

void check_map_set(MapSet& set) {
    set.notes.clear();
    std::set<int> all_tiles;
    for (const MapEntry& m : set.maps) all_tiles.insert(m.tiles.begin(), m.tiles.end());
    for (MapEntry& m : set.maps) {
        m.notes.clear();
        note_tiles(m, all_tiles);
        note_header(m);
        if (!m.facts) continue;
        note_constant(m, *m.facts);
        note_normal(m, *m.facts);
        note_brightness(m, *m.facts);
        note_colour_space(m, *m.facts);
    }
    note_sizes(set);
    note_rivals(set);
}

}  // namespace vemtra::texture
