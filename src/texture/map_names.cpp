#include "texture/map_names.h"

#include <algorithm>
#include <map>
#include <set>

#include "texture/map_words.h"

namespace vemtra::texture {
namespace {

using K = MapKind;

/// Packed maps that are known by letters, a channel each.
constexpr const char* packs[] = {"orm",  "arm",  "rom",  "rmo",  "rma",  "mra",  "mro",  "mor",
                                 "mar",  "ram",  "amr",  "omr",  "aorm", "ormh", "armh", "rmah",
                                 "mrah", "mroh", "orms", "arms", "rmao", "mrao", "armd", "ormd"};
K letter_kind(char c) {
    switch (c) {
        case 'o':
        case 'a': return K::ambient_occlusion;
        case 'r': return K::roughness;
        case 'm': return K::metalness;
        case 'h': return K::height;
        case 'd': return K::displacement;
        case 's': return K::specular;
        default: return K::unknown;
    }
}
std::vector<K> pack_channels(const std::string& text) {
    for (const char* p : packs)
        if (text == p) {
            std::vector<K> out;
            for (size_t i = 0; i < text.size(); ++i) {
                if (text.compare(i, 2, "ao") == 0)
                    out.push_back(K::ambient_occlusion), ++i;  // two letters, one channel
                else
                    out.push_back(letter_kind(text[i]));
            }
            return out;
        }
    return {};
}

bool is_digit(char c) {
    return c >= '0' && c <= '9';
}
bool is_lower(char c) {
    return (c >= 'a' && c <= 'z') || (c & 0x80);
}  // bytes of other scripts are letters
bool is_upper(char c) {
    return c >= 'A' && c <= 'Z';
}
std::string lower(std::string s) {
    for (char& c : s)
        if (is_upper(c)) c = char(c - 'A' + 'a');
    return s;
}
bool all_digits(const std::string& s) {
    return !s.empty() && std::all_of(s.begin(), s.end(), is_digit);
}

/// A piece of the name between boundaries; `text` in lower case.
struct Token {
    size_t begin, end;
    std::string text;
    bool glued;  // nothing stands between it and the one before
};

std::vector<Token> tokens_of(const std::string& stem) {
    std::vector<Token> out;
    size_t i = 0;
    while (i < stem.size()) {
        const char c = stem[i];
        if (!is_digit(c) && !is_lower(c) && !is_upper(c)) {
            ++i;
            continue;
        }
        size_t j = i + 1;
        if (is_digit(c)) {
            while (j < stem.size() && is_digit(stem[j])) ++j;
            // Sizes and depths keep their letters: 4k, 4096x4096, 16bit, 32f.
            const std::string rest = lower(stem.substr(j));
            auto ends = [&](size_t n) {
                return j + n >= stem.size() || !(is_lower(stem[j + n]) || is_upper(stem[j + n]));
            };
            if (rest.starts_with("k") && (ends(1) || (j + 1 < stem.size() && is_upper(stem[j + 1]))))
                j += 1;
            else if (rest.starts_with("px") && ends(2))
                j += 2;
            else if (rest.starts_with("bit") && ends(3))
                j += 3;
            else if (rest.starts_with("bits") && ends(4))
                j += 4;
            else if (rest.starts_with("b") && ends(1))
                j += 1;
            else if (rest.starts_with("f") && ends(1))
                j += 1;
            else if (rest.starts_with("x") && j + 1 < stem.size() && is_digit(stem[j + 1])) {
                ++j;
                while (j < stem.size() && is_digit(stem[j])) ++j;
                if (j < stem.size() && (stem[j] == 'k' || stem[j] == 'K')) ++j;
            }
        } else if (is_upper(c)) {
            // A word in capitals (AO, ORM), or a capital and what follows (Color).
            while (j < stem.size() && is_upper(stem[j])) ++j;
            if (j < stem.size() && is_lower(stem[j])) {
                if (j - i > 1)
                    --j;  // AOMap: AO, Map
                else
                    while (j < stem.size() && is_lower(stem[j])) ++j;
            }
        } else {
            while (j < stem.size() && is_lower(stem[j])) ++j;
        }
        out.push_back({i, j, lower(stem.substr(i, j - i)), i > 0 && !out.empty() && out.back().end == i});
        i = j;
    }
    return out;
}

bool is_resolution(const std::string& t) {
    if (t.size() >= 2 && t.size() <= 3 && t.back() == 'k' && all_digits(t.substr(0, t.size() - 1))) return true;
    if (t.size() > 2 && t.ends_with("px")) return all_digits(t.substr(0, t.size() - 2));
    if (const size_t x = t.find('x'); x != std::string::npos && x > 0)
        return all_digits(t.substr(0, x)) && (all_digits(t.substr(x + 1)) || t.back() == 'k');
    static const std::set<std::string> sizes{"128", "256", "512", "1024", "2048", "4096", "8192", "16384"};
    return sizes.count(t) > 0;
}
bool is_depth(const std::string& t) {
    static const std::set<std::string> depths{"8bit", "16bit", "32bit", "8bits", "16bits", "32bits",
                                              "8b",   "16b",   "32b",   "16f",   "32f"};
    return depths.count(t) > 0;
}
std::string space_word(const std::string& t) {
    static const std::set<std::string> spaces{"srgb", "linear", "lin", "acescg", "raw", "ap1", "aces"};
    return spaces.count(t) ? t : "";
}
bool is_tile(const std::string& t) {
    return t.size() == 4 && all_digits(t) && t >= "1001" && t <= "1999";
}

/// One way to read a name: which tokens tell the kind.
struct Reading {
    K kind = K::unknown;
    std::vector<K> channels;
    size_t first = 0, count = 0;  // tokens
    size_t cut = 0;               // letters at the end of a token that are the word; 0: whole tokens
    int sure = 0;
    std::string rest;  // the set's name under this reading
};

struct Parsed {
    std::string stem;
    std::vector<Token> tokens;
    std::vector<bool> taken;  // tile, size, version, depth, space
    MapName name;
    std::vector<Reading> readings;
};

void read_plain(Parsed& p, const std::string& file, bool tiles_seen) {
    size_t dot = file.rfind('.');
    if (dot == std::string::npos || dot == 0) dot = file.size();
    std::string extension = lower(file.substr(dot));
    if (extension.size() > 6 || all_digits(extension.substr(std::min<size_t>(1, extension.size()))))
        dot = file.size();  // no extension at all
    p.stem = file.substr(0, dot);
    p.tokens = tokens_of(p.stem);
    p.taken.assign(p.tokens.size(), false);
    MapName& n = p.name;
    n.pattern = file;
    // The tile is the last such number in the name.
    for (size_t i = p.tokens.size(); i-- > 0 && !n.tile;) {
        const Token& t = p.tokens[i];
        if (is_tile(t.text) && !t.glued && (t.text != "1024" || tiles_seen)) {
            n.tile = std::stoi(t.text);
            n.pattern = p.stem.substr(0, t.begin) + "<UDIM>" + file.substr(t.end);
            p.taken[i] = true;
        }
    }
    // u1_v1 and the like count tiles from one.
    for (size_t i = 0; !n.tile && i + 3 < p.tokens.size(); ++i)
        if (p.tokens[i].text == "u" && p.tokens[i + 2].text == "v" && p.tokens[i + 1].glued && p.tokens[i + 3].glued &&
            all_digits(p.tokens[i + 1].text) && all_digits(p.tokens[i + 3].text) && p.tokens[i + 1].text.size() <= 2 &&
            p.tokens[i + 3].text.size() <= 2) {
            const int u = std::stoi(p.tokens[i + 1].text);
            const int v = std::stoi(p.tokens[i + 3].text);
            if (u < 1 || u > 10 || v < 1 || v > 99) continue;
            n.tile = 1000 + u + 10 * (v - 1);
            n.pattern = p.stem.substr(0, p.tokens[i].begin) + "<UVTILE>" + file.substr(p.tokens[i + 3].end);
            for (size_t k = i; k < i + 4; ++k) p.taken[k] = true;
        }
    for (size_t i = 0; i < p.tokens.size(); ++i) {
        const std::string& t = p.tokens[i].text;
        if (p.taken[i]) continue;
        if (is_resolution(t))
            n.resolution = t, p.taken[i] = true;
        else if (is_depth(t))
            n.depth = t, p.taken[i] = true;
        else if (!space_word(t).empty() && i > 0)
            n.colour_space = t, p.taken[i] = true;
        else if ((t == "v" || t == "ver" || t == "version" || t == "rev") && i + 1 < p.tokens.size() &&
                 all_digits(p.tokens[i + 1].text) && !p.taken[i + 1] && (t != "v" || p.tokens[i + 1].glued)) {
            n.version = t + p.tokens[i + 1].text;
            p.taken[i] = p.taken[i + 1] = true;
        }
    }
}

std::string rest_of(const Parsed& p, const Reading& r) {
    std::string out;
    for (size_t i = 0; i < p.tokens.size(); ++i) {
        const bool word = i >= r.first && i < r.first + r.count;
        const bool cut = r.cut && i == r.first;  // a word at the end of its token; what follows it is whole tokens
        if (p.taken[i] || (word && !cut)) continue;
        std::string t = p.stem.substr(p.tokens[i].begin, p.tokens[i].end - p.tokens[i].begin);
        if (cut) t.resize(t.size() - std::min(t.size(), r.cut));
        if (!out.empty() && !p.tokens[i].glued) out += '_';
        out += t;
    }
    return out;
}

void find_readings(Parsed& p) {
    static const std::map<std::string, Word> by_text = [] {
        std::map<std::string, Word> m;
        for (const Word& w : words) m.emplace(w.text, w);
        return m;
    }();
    const size_t n = p.tokens.size();
    auto add = [&](Reading r) {
        r.rest = rest_of(p, r);
        p.readings.push_back(std::move(r));
    };
    size_t last_word = n;  // the last token that is no number and is not taken
    for (size_t i = 0; i < n; ++i)
        if (!p.taken[i] && !all_digits(p.tokens[i].text)) last_word = i;
    for (size_t i = 0; i < n; ++i) {
        std::string joined;
        for (size_t k = i; k < std::min(n, i + 4) && !p.taken[k]; ++k) {
            joined += p.tokens[k].text;
            if (const auto it = by_text.find(joined); it != by_text.end()) {
                // Single letters speak only at the end of a name.
                if (joined.size() == 1 && (i != last_word || p.tokens[i].glued)) continue;
                add({it->second.kind, {}, i, k - i + 1, 0, it->second.sure, {}});
            }
            if (auto channels = pack_channels(joined); !channels.empty())
                add({K::packed, channels, i, k - i + 1, 0, 2, {}});
        }
        // Several kinds in a row without a gap: one channel each.
        std::vector<K> row;
        size_t k = i;
        while (k < n && !p.taken[k] && (k == i || p.tokens[k].glued)) {
            size_t used = 0;
            K kind = K::unknown;
            std::string text;
            for (size_t m = k; m < std::min(n, k + 3) && !p.taken[m] && (m == k || p.tokens[m].glued); ++m) {
                text += p.tokens[m].text;
                if (const auto it = by_text.find(text); it != by_text.end() && text.size() > 1)
                    used = m - k + 1, kind = it->second.kind;
            }
            if (!used) break;
            row.push_back(kind);
            k += used;
        }
        if (row.size() >= 2 && row.size() <= 4 && std::set<K>(row.begin(), row.end()).size() == row.size() &&
            std::none_of(row.begin(), row.end(), [](K kind) {
                return kind == K::base_color || kind == K::normal || kind == K::mask || kind == K::id;
            })) {
            // The interchange format's own pair leaves red free.
            if (row == std::vector<K>{K::metalness, K::roughness}) row = {K::unknown, K::roughness, K::metalness};
            add({K::packed, row, i, k - i, 0, 4, {}});
        }
        // A long word at the end of a token that has no boundary: lanternroughness.
        if (!p.taken[i]) {
            const std::string& t = p.tokens[i].text;
            for (const Word& w : words) {
                const std::string text = w.text;
                if (text.size() >= 5 && t.size() > text.size() + 1 && t.ends_with(text))
                    add({w.kind, {}, i, 1, text.size(), 1, {}});
            }
        }
    }
}

/// Kinds that the set would have, how sure the word is, and how much of the name it explains.
int score_of(const Reading& r, size_t siblings, bool in_every_name) {
    int score = 4 * std::min<int>(4, int(siblings)) + 6 * r.sure + 2 * int(r.count);
    if (in_every_name && !r.cut && r.count == 1) score -= 20;
    if (r.rest.empty()) score -= 1;
    return score;
}

/// Where a word says that green points: the drawing interfaces' habits differ. 0: it says nothing.
int green_of(const std::string& t) {
    if (t == "gl" || t == "ogl" || t == "opengl" || t == "yup") return 1;
    if (t == "dx" || t == "directx" || t == "ydown") return -1;
    return 0;
}

/// A normal map's word, or one of the two that follow it, may say where green points.
void find_green(Parsed& p, const Reading& r) {
    MapName& n = p.name;
    const std::string word = lower(n.word);
    if (word.ends_with("gl")) n.green = 1;
    if (word.ends_with("dx")) n.green = -1;
    const size_t end = r.first + r.count;
    for (size_t k = end; k < std::min(p.tokens.size(), end + 2); ++k) {
        const int green = green_of(p.tokens[k].text);
        if (!green) break;
        n.green = green;
        Reading with = r;
        with.count = k - r.first + 1;
        n.set = rest_of(p, with);
    }
}

void name_by(Parsed& p, const Reading& r) {
    MapName& n = p.name;
    n.kind = r.kind;
    n.channels = r.channels;
    n.set = r.rest;
    const Token& first = p.tokens[r.first];
    const Token& last = p.tokens[r.first + r.count - 1];
    n.word = r.cut ? p.stem.substr(last.end - r.cut, r.cut) : p.stem.substr(first.begin, last.end - first.begin);
    if (n.kind == MapKind::normal) find_green(p, r);
}

}  // namespace

const std::vector<MapKindInfo>& map_kinds() {
    static const std::vector<MapKindInfo> all{
        {K::unknown, "unknown", "not known", "", false},
        {K::base_color, "base_color", "base colour", "base_color", true},
        {K::roughness, "roughness", "roughness", "specular_roughness", false},
        {K::glossiness, "glossiness", "glossiness", "specular_roughness", false},
        {K::metalness, "metalness", "metalness", "base_metalness", false},
        {K::specular, "specular", "specular", "specular_weight", false},
        {K::normal, "normal", "normal", "geometry_normal", false},
        {K::bump, "bump", "bump", "geometry_normal", false},
        {K::height, "height", "height", "geometry_normal", false},
        {K::displacement, "displacement", "displacement", "height", false},
        {K::ambient_occlusion, "ambient_occlusion", "ambient occlusion", "", false},
        {K::cavity, "cavity", "cavity", "", false},
        {K::curvature, "curvature", "curvature", "", false},
        {K::mask, "mask", "mask", "", false},
        {K::opacity, "opacity", "opacity", "geometry_opacity", false},
        {K::transmission, "transmission", "transmission", "transmission_weight", false},
        {K::subsurface, "subsurface", "subsurface", "subsurface_weight", false},
        {K::emission, "emission", "emission", "emission_color", true},
        {K::thickness, "thickness", "thickness", "", false},
        {K::id, "id", "id", "", true},
        {K::anisotropy, "anisotropy", "anisotropy", "specular_roughness_anisotropy", false},
        {K::coat, "coat", "coat", "coat_weight", false},
        {K::coat_roughness, "coat_roughness", "coat roughness", "coat_roughness", false},
        {K::fuzz, "fuzz", "fuzz", "fuzz_weight", false},
        {K::packed, "packed", "packed", "", false}};
    return all;
}
const MapKindInfo& info(MapKind kind) {
    return map_kinds()[size_t(kind)];
}
MapKind map_kind_from_name(const std::string& name) {
    for (const MapKindInfo& k : map_kinds())
        if (name == k.name) return k.kind;
    return MapKind::unknown;
}

std::vector<MapName> read_map_names(const std::vector<std::string>& files) {
    // 1024 is a tile only among other tiles: alone it is a size.
    bool tiles_seen = false;
    for (const std::string& f : files)
        for (const Token& t : tokens_of(f)) tiles_seen |= is_tile(t.text) && t.text != "1024" && !t.glued;
    std::vector<Parsed> all(files.size());
    std::map<std::string, std::set<K>> siblings;  // kinds that a set would have
    std::map<std::string, size_t> everywhere;     // files in which a token stands
    for (size_t i = 0; i < files.size(); ++i) {
        read_plain(all[i], files[i], tiles_seen);
        find_readings(all[i]);
        for (const Reading& r : all[i].readings) siblings[lower(r.rest)].insert(r.kind);
        std::set<std::string> mine;
        for (const Token& t : all[i].tokens) mine.insert(t.text);
        for (const std::string& t : mine) ++everywhere[t];
    }
    std::vector<MapName> out;
    for (Parsed& p : all) {
        const Reading* best = nullptr;
        int best_score = 0;
        for (const Reading& r : p.readings) {
            const bool in_every_name = files.size() > 2 && everywhere[p.tokens[r.first].text] == files.size();
            const int score = score_of(r, siblings[lower(r.rest)].size(), in_every_name);
            if (best && (score < best_score || (score == best_score && r.first < best->first))) continue;
            best = &r;
            best_score = score;
        }
        if (best)
            name_by(p, *best);
        else
            p.name.set = rest_of(p, {});
        out.push_back(std::move(p.name));
    }
    return out;
}

}  // namespace vemtra::texture
