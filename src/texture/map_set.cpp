#include "texture/map_set.h"

#include <algorithm>
#include <mutex>
#include <nlohmann/json.hpp>
#include <set>

#include "base/parallel.h"
#include "base/text.h"
#include "texture/colour.h"
#include "texture/picture_formats.h"
#include "texture/texture.h"

namespace vemtra::texture {
namespace {

using nlohmann::json;

void set_colour_space(MapEntry& m, const std::string& from_name) {
    if (!info(m.kind).colour) {
        m.colour_space = "raw";
        return;
    }
    const std::string named = colour_space_named(from_name), own = colour_space_named(m.header.colour_space);
    if (!named.empty() && named != "raw") m.colour_space = named;
    else if (!own.empty() && own != "raw" && m.header.floating) m.colour_space = own;
    else m.colour_space = m.header.floating ? "lin_rec709" : "srgb_texture";
}

void note(MapEntry& m, MapNote::Grade grade, const std::string& what, const std::string& remedy) { m.notes.push_back({grade, what, remedy}); }

std::string list_of(const std::vector<int>& tiles) {
    std::string text;
    for (size_t i = 0; i < tiles.size() && i < 8; ++i) text += (i ? ", " : "") + std::to_string(tiles[i]);
    return text + (tiles.size() > 8 ? "..." : "");
}

/// Folds the facts of one tile into those of all.
void merge(MapFacts& all, const MapFacts& one, bool first) {
    if (first) {
        all = one;
        return;
    }
    all.constant &= one.constant;
    all.grey &= one.grey;
    all.alpha_all_one &= one.alpha_all_one;
    for (size_t c = 0; c < all.channels.size() && c < one.channels.size(); ++c) {
        ChannelFacts &a = all.channels[c];
        const ChannelFacts& b = one.channels[c];
        if (all.constant && std::fabs(a.mean - b.mean) > 1.5f / 255.f) all.constant = false;
        a.low = std::min(a.low, b.low);
        a.high = std::max(a.high, b.high);
        a.mean = .5f * (a.mean + b.mean);
        a.deviation = std::max(a.deviation, b.deviation);
    }
    all.normal_length = .5f * (all.normal_length + one.normal_length);
    all.normal_tilt = std::max(all.normal_tilt, one.normal_tilt);
    if (std::fabs(one.green_up) > std::fabs(all.green_up)) all.green_up = one.green_up;
}

}  // namespace

void set_kind(MapEntry& m, MapKind kind) {
    m.kind = kind;
    m.slot = info(kind).slot;
    m.invert = kind == MapKind::glossiness;
    m.blank.reset();
    if (kind != MapKind::packed) m.packed.clear();
    set_colour_space(m, "");
    m.channel = kind == MapKind::opacity && m.header.alpha >= 0 ? "a" : "r";
    m.use = kind != MapKind::unknown;
}

std::vector<MapSet> find_map_sets(const std::vector<fs::path>& paths, std::vector<Error>& problems) {
    std::map<fs::path, std::vector<fs::path>> folders;
    std::map<fs::path, std::string> only;  // of a single file: the set that it belongs to
    std::set<fs::path> chosen;
    std::error_code ec;
    auto add_folder = [&](const fs::path& folder) {
        std::vector<fs::path> files;
        fs::directory_iterator it(folder, ec);
        if (ec) {
            problems.push_back({"A folder cannot be read", folder.string(), "", ec.message(), "Check its rights"});
            return;
        }
        for (const auto& e : it) {
            if (!is_picture_name(e.path())) continue;
            if (e.is_directory(ec)) problems.push_back({"A texture map cannot be read", e.path().string(), "", "it is a folder", "Rename the folder, or move it away"});
            else files.push_back(e.path());
        }
        std::sort(files.begin(), files.end());
        folders[folder] = files;
    };
    for (const fs::path& p : paths) {
        if (fs::is_directory(p, ec)) {
            add_folder(p);
            for (const auto& e : fs::directory_iterator(p, ec))
                if (e.is_directory(ec) && !e.is_symlink(ec) && !is_picture_name(e.path())) add_folder(e.path());
        } else {
            chosen.insert(p);
            const fs::path folder = p.has_parent_path() ? p.parent_path() : fs::path(".");
            if (!folders.count(folder)) add_folder(folder);
            if (!fs::exists(p, ec)) problems.push_back({"A texture map cannot be read", p.string(), "", "it does not exist", "Choose another one"});
        }
    }

    std::vector<MapSet> sets;
    for (const auto& [folder, files] : folders) {
        std::vector<std::string> names;
        for (const fs::path& f : files) names.push_back(f.filename().string());
        const std::vector<MapName> read = read_map_names(names);
        std::map<std::string, MapSet> by_name;
        std::map<std::string, std::map<std::string, size_t>> entries;  // set -> pattern -> index
        std::set<std::string> wanted;
        for (size_t i = 0; i < files.size(); ++i)
            if (chosen.count(files[i])) wanted.insert(lower(read[i].set));
        const bool by_file = std::any_of(files.begin(), files.end(), [&](const fs::path& f) { return chosen.count(f) > 0; });
        for (size_t i = 0; i < files.size(); ++i) {
            const MapName& n = read[i];
            const std::string id = lower(n.set);
            if (by_file && !wanted.count(id)) continue;
            const auto header = read_header(files[i]);
            if (!header) {
                problems.push_back(header.error());
                continue;
            }
            MapSet& set = by_name[id];
            if (set.name.empty()) set.name = n.set.empty() ? folder.filename().string() : n.set;
            set.folder = folder;
            const std::string pattern = n.tile ? (folder / n.pattern).string() : files[i].string();
            auto [it, fresh] = entries[id].emplace(pattern, set.maps.size());
            if (fresh) {
                MapEntry m;
                m.pattern = pattern;
                m.word = n.word;
                m.header = *header;
                m.kind = n.kind;
                set_kind(m, n.kind);
                if (n.kind == MapKind::packed) m.packed = n.channels;
                if (!n.colour_space.empty()) set_colour_space(m, n.colour_space);
                m.green_down = n.green < 0;
                set.maps.push_back(std::move(m));
            }
            MapEntry& m = set.maps[it->second];
            if (n.tile) m.tiles.push_back(n.tile);
            m.files.push_back(files[i]);
        }
        for (auto& [id, set] : by_name) sets.push_back(std::move(set));
    }
    for (MapSet& set : sets) {
        std::sort(set.maps.begin(), set.maps.end(), [](const MapEntry& a, const MapEntry& b) { return std::make_pair(a.kind, a.pattern) < std::make_pair(b.kind, b.pattern); });
        check_map_set(set);
    }
    std::sort(sets.begin(), sets.end(), [](const MapSet& a, const MapSet& b) { return std::make_pair(a.folder, a.name) < std::make_pair(b.folder, b.name); });
    return sets;
}

bool probe_map_set(MapSet& set, std::vector<Error>& problems, Progress* progress) {
    struct Work {
        size_t map, file;
    };
    std::vector<Work> work;
    for (size_t m = 0; m < set.maps.size(); ++m)
        for (size_t f = 0; f < set.maps[m].files.size(); ++f) work.push_back({m, f});
    std::vector<std::optional<MapFacts>> facts(work.size());
    std::mutex mutex;
    std::atomic<size_t> done{0};
    parallel_ranges(work.size(), 1, [&](size_t first, size_t last) {
        for (size_t i = first; i < last && !stopped(progress); ++i) {
            auto f = probe_map(set.maps[work[i].map].files[work[i].file], nullptr);
            if (f) facts[i] = *f;
            else {
                std::lock_guard lock(mutex);
                problems.push_back(f.error());
            }
            report(progress, float(++done) / float(work.size()));
        }
    });
    if (stopped(progress)) return false;
    for (size_t i = 0; i < work.size(); ++i) {
        MapEntry& m = set.maps[work[i].map];
        if (!facts[i]) continue;
        const bool first = !m.facts;
        if (first) m.facts.emplace();
        merge(*m.facts, *facts[i], first);
    }
    for (MapEntry& m : set.maps) {
        if (!m.facts || m.corrected) continue;
        // Names that tell nothing: the pixels may.
        if (m.kind == MapKind::unknown && m.facts->looks_normal() && m.facts->normal_tilt > .005f) set_kind(m, MapKind::normal);
        if (m.kind == MapKind::bump && m.facts->looks_normal() && !m.facts->grey) set_kind(m, MapKind::normal);
        if (m.kind == MapKind::normal && std::fabs(m.facts->green_up) > .08f) m.green_down = m.facts->green_up < 0.f;
    }
    std::sort(problems.begin(), problems.end(), [](const Error& a, const Error& b) { return a.file < b.file; });
    check_map_set(set);
    return true;
}

void check_map_set(MapSet& set) {
    using Grade = MapNote::Grade;
    set.notes.clear();
    std::set<int> all_tiles;
    std::map<std::pair<int, int>, int> sizes;
    std::map<std::string, std::vector<std::string>> slots;
    for (const MapEntry& m : set.maps) {
        all_tiles.insert(m.tiles.begin(), m.tiles.end());
        ++sizes[{m.header.width, m.header.height}];
        if (m.use && !m.slot.empty()) slots[m.slot].push_back(info(m.kind).title);
    }
    for (MapEntry& m : set.maps) {
        m.notes.clear();
        m.missing.clear();
        for (int t : all_tiles)
            if (!m.tiles.empty() && std::find(m.tiles.begin(), m.tiles.end(), t) == m.tiles.end()) m.missing.push_back(t);
        if (!m.missing.empty()) note(m, Grade::finding, "tiles " + list_of(m.missing) + " are missing", "Export them: the loud colour stands there until then");
        if (m.tiles.empty() && !all_tiles.empty()) note(m, Grade::finding, "it has no tiles, but other maps of the set have", "Export it over tiles, or leave it out");
        if (m.kind == MapKind::unknown) note(m, Grade::hint, "its name does not tell what it is", "Choose its kind");
        const bool height = m.kind == MapKind::height || m.kind == MapKind::displacement || m.kind == MapKind::bump;
        if (height && m.header.bits <= 8) note(m, Grade::finding, "heights of 8 bits step visibly", "Export it with 16 bits or as floats");
        if (m.header.cmyk) note(m, Grade::finding, "it is made for print (CMYK); the conversion to RGB is a guess", "Export it as RGB");
        if (m.header.palette && !info(m.kind).colour) note(m, Grade::hint, "it has a palette: few values", "Export it without a palette");
        for (const fs::path& f : m.files) {
            const auto h = read_header(f);
            if (h && h->channels != m.header.channels) {
                note(m, Grade::finding, f.filename().string() + " has " + std::to_string(h->channels) + " channels, the first tile " + std::to_string(m.header.channels), "Export all tiles alike");
                break;
            }
        }
        if (m.kind == MapKind::packed) {
            for (size_t c = size_t(m.header.channels); c < m.packed.size(); ++c)
                if (m.packed[c] != MapKind::unknown) note(m, Grade::finding, std::string("its name promises ") + info(m.packed[c]).title + " in a channel that it does not have", "Choose what its channels are");
        }
        if (!m.facts) continue;
        const MapFacts& f = *m.facts;
        m.blank.reset();
        if (f.constant && !f.channels.empty() && m.kind != MapKind::unknown && m.kind != MapKind::packed) {
            std::array<float, 3> v{f.channels[0].mean, f.channels[std::min<size_t>(1, f.channels.size() - 1)].mean, f.channels[std::min<size_t>(2, f.channels.size() - 1)].mean};
            m.blank = v;
            note(m, Grade::hint, "it is one value everywhere", "The value takes its place");
        }
        if (m.kind == MapKind::normal) {
            if (f.normal_tilt < .004f) {
                m.blank = std::array<float, 3>{.5f, .5f, 1.f};
                if (!f.constant) note(m, Grade::hint, "it is flat", "It is left out");
            } else if (f.normal_length < .9f || f.normal_length > 1.1f) {
                note(m, Grade::finding, "its directions have a mean length of " + std::to_string(f.normal_length).substr(0, 4), "It may have been decoded as colour, or be no normal map");
            }
            if (std::fabs(f.green_up) > .08f && (f.green_up < 0.f) != m.green_down)
                note(m, Grade::finding, std::string("green points ") + (f.green_up < 0.f ? "down" : "up") + " by its pixels, " + (m.green_down ? "down" : "up") + " by its name", "Turn it around if edges look pressed in");
        }
        if (f.alpha_all_one) note(m, Grade::hint, "its alpha is one everywhere", "It can be left out");
        if (m.kind == MapKind::opacity && m.channel == "a" && f.alpha_all_one) m.channel = "r";
        if (m.kind == MapKind::base_color && m.colour_space != "raw" && f.channels.size() >= 3 && !f.constant) {
            auto decode = colour_decode(m.colour_space);
            auto linear = [&](float x) { return decode && (*decode)->has_curve ? (*decode)->curve16[size_t(clamp01(x) * 65535.f + .5f)] : x; };
            // Of the mean colour: a white has all channels high, a black none.
            const float bright = linear(std::min({f.channels[0].mean, f.channels[1].mean, f.channels[2].mean}));
            const float dark = linear(std::max({f.channels[0].mean, f.channels[1].mean, f.channels[2].mean}));
            if (bright > .85f) note(m, Grade::finding, "its colour is brighter than what real materials reflect", "Check its colour space, or darken it");
            if (dark < .008f) note(m, Grade::finding, "its colour is darker than what real materials reflect", "Check its colour space");
        }
        if (m.kind == MapKind::base_color && m.colour_space == "raw") note(m, Grade::finding, "a colour is taken raw", "Choose its colour space");
        if (!info(m.kind).colour && m.kind != MapKind::unknown && m.colour_space != "raw") note(m, Grade::finding, "data is decoded as a colour", "Take it raw");
        if (!info(m.kind).colour && m.kind != MapKind::normal && m.kind != MapKind::packed && m.kind != MapKind::unknown && m.kind != MapKind::mask && !f.grey && m.header.channels - (m.header.alpha >= 0) >= 3)
            note(m, Grade::hint, "its channels differ: the " + m.channel + " channel is read", "Choose the channel that is meant");
    }
    if (sizes.size() > 1) {
        std::string text;
        for (const auto& [size, count] : sizes) text += (text.empty() ? "" : ", ") + std::to_string(size.first) + " x " + std::to_string(size.second) + " (" + std::to_string(count) + ")";
        set.notes.push_back({Grade::hint, "the maps differ in size: " + text, "Harmless, unless one was meant to be finer"});
    }
    for (const auto& [slot, kinds] : slots)
        if (kinds.size() > 1) {
            std::string text;
            for (const std::string& k : kinds) text += (text.empty() ? "" : ", ") + k;
            set.notes.push_back({Grade::finding, "several maps would feed " + slot + ": " + text, "The first one that is used does; leave out the others"});
        }
}

std::vector<nodes::MapWire> wires_of(const MapSet& set, const fs::path& folder) {
    std::vector<nodes::MapWire> out;
    for (const MapEntry& m : set.maps) {
        if (!m.use) continue;
        nodes::MapWire w;
        w.file = m.pattern;
        std::error_code ec;
        if (!folder.empty())
            if (const fs::path relative = fs::proximate(m.pattern, folder, ec); !ec) w.file = relative.generic_string();
        auto kind = [&](MapKind k) {
            using Use = nodes::MapWire::Use;
            w.name = info(k).title;
            w.use = info(k).colour ? Use::color : k == MapKind::normal ? Use::normal : k == MapKind::height || k == MapKind::displacement || k == MapKind::bump ? Use::height : Use::number;
            w.invert = k == MapKind::glossiness;
        };
        if (m.kind == MapKind::packed) {
            for (size_t c = 0; c < m.packed.size() && c < 4; ++c) {
                if (m.packed[c] == MapKind::unknown || int(c) >= m.header.channels) continue;
                kind(m.packed[c]);
                w.slot = info(m.packed[c]).slot;
                w.channel = std::string(1, "rgba"[c]);
                w.value.reset();
                if (m.facts && c < m.facts->channels.size() && m.facts->channels[c].high - m.facts->channels[c].low < 1.5f / 255.f) w.value = V3f(m.facts->channels[c].mean);
                if (w.value && w.slot.empty()) continue;
                out.push_back(w);
            }
            continue;
        }
        kind(m.kind);
        w.slot = m.slot;
        w.invert = m.invert;
        w.colorspace = m.colour_space;
        w.channel = m.channel;
        w.green_down = m.green_down;
        if (m.blank) {
            V3f v((*m.blank)[0], (*m.blank)[1], (*m.blank)[2]);
            if (auto decode = colour_decode(m.colour_space); decode && info(m.kind).colour) {
                (*decode)->apply_curve(&v.x, 1);
                v = (*decode)->transform(v);
            }
            w.value = v;
            if (w.slot.empty()) continue;
        }
        out.push_back(w);
    }
    return out;
}

fs::path guesses_file() { return data_folder() / "map-guesses.json"; }

MapGuesses::MapGuesses(fs::path file) : file_(std::move(file)) {
    const auto text = read_file(file_);
    if (!text) return;
    const json j = json::parse(*text, nullptr, false);
    if (!j.is_object()) return;
    for (const auto& [k, v] : j.items()) kept_[k] = v.dump();
}
std::string MapGuesses::key(const MapSet& set, const MapEntry& m) {
    std::error_code ec;
    return fs::absolute(set.folder, ec).lexically_normal().string() + "|" + lower(set.name) + "|" + lower(m.word.empty() ? fs::path(m.pattern).filename().string() : m.word);
}
void MapGuesses::apply(MapSet& set) const {
    for (MapEntry& m : set.maps) {
        const auto it = kept_.find(key(set, m));
        if (it == kept_.end()) continue;
        const json j = json::parse(it->second, nullptr, false);
        if (!j.is_object()) continue;
        set_kind(m, map_kind_from_name(j.value("kind", std::string("unknown"))));
        m.colour_space = j.value("colour_space", m.colour_space);
        m.channel = j.value("channel", m.channel);
        m.slot = j.value("slot", m.slot);
        m.green_down = j.value("green_down", m.green_down);
        m.use = j.value("use", m.use);
        if (j.contains("packed") && j["packed"].is_array()) {
            m.packed.clear();
            for (const json& k : j["packed"])
                if (k.is_string()) m.packed.push_back(map_kind_from_name(k.get<std::string>()));
        }
        m.corrected = true;
    }
    check_map_set(set);
}
Status MapGuesses::remember(const MapSet& set, const MapEntry& m) {
    json packed = json::array();
    for (MapKind k : m.packed) packed.push_back(info(k).name);
    kept_[key(set, m)] = json{{"kind", info(m.kind).name}, {"colour_space", m.colour_space}, {"channel", m.channel}, {"slot", m.slot}, {"green_down", m.green_down}, {"use", m.use}, {"packed", packed}}.dump();
    json all = json::object();
    for (const auto& [k, v] : kept_) all[k] = json::parse(v);
    std::error_code ec;
    fs::create_directories(file_.parent_path(), ec);
    return write_file_atomically(file_, all.dump(1) + "\n");
}

}  // namespace vemtra::texture
