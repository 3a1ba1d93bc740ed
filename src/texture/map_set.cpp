#include "texture/map_set.h"

#include "scene/relief_slots.h"

#include <algorithm>
#include <mutex>
#include <nlohmann/json.hpp>
#include <set>

#include "base/json_text.h"
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
    const std::string named = colour_space_named(from_name);
    const std::string own = colour_space_named(m.header.colour_space);
    if (!named.empty() && named != "raw")
        m.colour_space = named;
    else if (!own.empty() && own != "raw" && m.header.floating)
        m.colour_space = own;
    else
        m.colour_space = m.header.floating ? "lin_rec709" : "srgb_texture";
}

void merge(MapFacts& all, const MapFacts& one, bool first) {
    if (first) {
        all = one;
        return;
    }
    all.constant &= one.constant;
    all.grey &= one.grey;
    all.alpha_all_one &= one.alpha_all_one;
    for (size_t c = 0; c < all.channels.size() && c < one.channels.size(); ++c) {
        ChannelFacts& a = all.channels[c];
        const ChannelFacts& b = one.channels[c];
        if (all.constant && std::fabs(a.mean - b.mean) > 1.5f / 255.f) all.constant = false;
        a.low = std::min(a.low, b.low);
        a.high = std::max(a.high, b.high);
        a.mean = .5f * (a.mean + b.mean);
        a.deviation = std::max(a.deviation, b.deviation);
        a.at_zero = std::max(a.at_zero, b.at_zero);
        a.at_one = std::max(a.at_one, b.at_one);
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

namespace {

/// The files to look at, from what was chosen: folders with those directly in them, and single files with the sets that
/// they belong to.
class MapSearch {
public:
    explicit MapSearch(std::vector<Error>& problems) : problems_(problems) {}
    void add(const fs::path& path);
    std::vector<MapSet> sets() const;

private:
    void add_folder(const fs::path& folder);
    void sets_in(const fs::path& folder, const std::vector<fs::path>& files, std::vector<MapSet>& sets) const;

    std::vector<Error>& problems_;
    std::map<fs::path, std::vector<fs::path>> folders_;
    std::set<fs::path> chosen_;  // single files
};

void MapSearch::add_folder(const fs::path& folder) {
    std::error_code ec;
    std::vector<fs::path> files;
    const fs::directory_iterator readable(folder, ec);
    if (ec) {
        problems_.push_back({"A folder cannot be read", folder.string(), "", ec.message(), "Check its rights"});
        return;
    }
    for (const fs::directory_entry& e : entries_of(folder)) {
        if (!is_picture_name(e.path())) continue;
        if (e.is_directory(ec))
            problems_.push_back({"A texture map cannot be read", e.path().string(), "", "it is a folder",
                                 "Rename the folder, or move it away"});
        else
            files.push_back(e.path());
    }
    std::sort(files.begin(), files.end());
    folders_[folder] = files;
}

void MapSearch::add(const fs::path& path) {
    std::error_code ec;
    if (fs::is_directory(path, ec)) {
        add_folder(path);
        for (const auto& e : entries_of(path))
            if (e.is_directory(ec) && !e.is_symlink(ec) && !is_picture_name(e.path())) add_folder(e.path());
        return;
    }
    chosen_.insert(path);
    const fs::path folder = path.has_parent_path() ? path.parent_path() : fs::path(".");
    if (!folders_.count(folder)) add_folder(folder);
    if (!fs::exists(path, ec))
        problems_.push_back(
            {"A texture map cannot be read", path.string(), "", "it does not exist", "Choose another one"});
}

MapEntry entry_of(const MapName& name, const std::string& pattern, const ImageHeader& header) {
    MapEntry m;
    m.pattern = pattern;
    m.word = name.word;
    m.header = header;
    m.kind = name.kind;
    set_kind(m, name.kind);
    if (name.kind == MapKind::packed) m.packed = name.channels;
    if (!name.colour_space.empty()) set_colour_space(m, name.colour_space);
    m.green_down = name.green < 0;
    return m;
}

void MapSearch::sets_in(const fs::path& folder, const std::vector<fs::path>& files, std::vector<MapSet>& sets) const {
    std::vector<std::string> names;
    for (const fs::path& f : files) names.push_back(f.filename().string());
    const std::vector<MapName> read = read_map_names(names);
    std::set<std::string> wanted;  // of single files: the sets that they belong to; empty: all
    for (size_t i = 0; i < files.size(); ++i)
        if (chosen_.count(files[i])) wanted.insert(lower(read[i].set));
    std::map<std::string, MapSet> by_name;
    std::map<std::string, std::map<std::string, size_t>> entries;  // set -> pattern -> index
    for (size_t i = 0; i < files.size(); ++i) {
        const MapName& n = read[i];
        const std::string id = lower(n.set);
        if (!wanted.empty() && !wanted.count(id)) continue;
        const auto header = read_header(files[i]);
        if (!header) {
            problems_.push_back(header.error());
            continue;
        }
        MapSet& set = by_name[id];
        if (set.name.empty()) set.name = n.set.empty() ? folder.filename().string() : n.set;
        set.folder = folder;
        const std::string pattern = n.tile ? (folder / n.pattern).string() : files[i].string();
        const auto [it, fresh] = entries[id].emplace(pattern, set.maps.size());
        if (fresh) set.maps.push_back(entry_of(n, pattern, *header));
        MapEntry& m = set.maps[it->second];
        if (n.tile) m.tiles.push_back(n.tile);
        m.files.push_back(files[i]);
    }
    for (auto& [id, set] : by_name) sets.push_back(std::move(set));
}

std::vector<MapSet> MapSearch::sets() const {
    std::vector<MapSet> sets;
    for (const auto& [folder, files] : folders_) sets_in(folder, files, sets);
    for (MapSet& set : sets) {
        std::sort(set.maps.begin(), set.maps.end(), [](const MapEntry& a, const MapEntry& b) {
            return std::make_pair(a.kind, a.pattern) < std::make_pair(b.kind, b.pattern);
        });
        check_map_set(set);
    }
    std::sort(sets.begin(), sets.end(), [](const MapSet& a, const MapSet& b) {
        return std::make_pair(a.folder, a.name) < std::make_pair(b.folder, b.name);
    });
    return sets;
}

}  // namespace

std::vector<MapSet> find_map_sets(const std::vector<fs::path>& paths, std::vector<Error>& problems) {
    MapSearch search(problems);
    for (const fs::path& p : paths) search.add(p);
    return search.sets();
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
            if (f)
                facts[i] = *f;
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
        if (m.kind == MapKind::unknown && m.facts->looks_normal() && m.facts->normal_tilt > .005f)
            set_kind(m, MapKind::normal);
        if (m.kind == MapKind::bump && m.facts->looks_normal() && !m.facts->grey) set_kind(m, MapKind::normal);
        if (m.kind == MapKind::normal && std::fabs(m.facts->green_up) > .08f) m.green_down = m.facts->green_up < 0.f;
    }
    std::sort(problems.begin(), problems.end(), [](const Error& a, const Error& b) { return a.file < b.file; });
    check_map_set(set);
    return true;
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
        auto kind = [&](MapKind k, const std::string& slot) {
            using Use = nodes::MapWire::Use;
            w.slot = slot;
            w.name = info(k).title;
            w.use = info(k).colour                                                             ? Use::color
                    : k == MapKind::normal                                                     ? Use::normal
                    : k == MapKind::height || k == MapKind::displacement || k == MapKind::bump ? Use::height
                                                                                               : Use::number;
            // What moves the form is the height itself; anywhere else it is a relief.
            if (w.use == Use::height && slot == scene::slot::height) w.use = Use::number;
            w.invert = k == MapKind::glossiness;
        };
        if (m.kind == MapKind::packed) {
            for (size_t c = 0; c < m.packed.size() && c < 4; ++c) {
                if (m.packed[c] == MapKind::unknown || int(c) >= m.header.channels) continue;
                kind(m.packed[c], info(m.packed[c]).slot);
                w.channel = std::string(1, "rgba"[c]);
                w.value.reset();
                if (m.facts && c < m.facts->channels.size() &&
                    m.facts->channels[c].high - m.facts->channels[c].low < 1.5f / 255.f)
                    w.value = V3f(m.facts->channels[c].mean);
                if (w.value && w.slot.empty()) continue;
                out.push_back(w);
            }
            continue;
        }
        kind(m.kind, m.slot);
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

fs::path guesses_file() {
    return data_folder() / "map-guesses.json";
}

MapGuesses::MapGuesses(fs::path file) : file_(std::move(file)) {
    const auto text = read_file(file_, most_text_bytes);
    if (!text) return;
    const Result<json> j = parse_json<json>(*text);
    if (!j || !j->is_object()) return;
    for (const auto& [k, v] : j->items())
        if (v.is_object()) kept_[k] = v;
}
std::string MapGuesses::key(const MapSet& set, const MapEntry& m) {
    std::error_code ec;
    return fs::absolute(set.folder, ec).lexically_normal().string() + "|" + lower(set.name) + "|" +
           lower(m.word.empty() ? fs::path(m.pattern).filename().string() : m.word);
}
void MapGuesses::apply(MapSet& set) const {
    for (MapEntry& m : set.maps) {
        const auto it = kept_.find(key(set, m));
        if (it == kept_.end()) continue;
        const json& j = it->second;
        auto word = [&](const char* key, const std::string& other) {
            return j.contains(key) && j[key].is_string() ? j[key].get<std::string>() : other;
        };
        auto yes = [&](const char* key, bool other) {
            return j.contains(key) && j[key].is_boolean() ? j[key].get<bool>() : other;
        };
        set_kind(m, map_kind_from_name(word("kind", "unknown")));
        m.colour_space = word("colour_space", m.colour_space);
        m.channel = word("channel", m.channel);
        m.slot = word("slot", m.slot);
        m.green_down = yes("green_down", m.green_down);
        m.use = yes("use", m.use);
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
    kept_[key(set, m)] = json{{"kind", info(m.kind).name},
                              {"colour_space", m.colour_space},
                              {"channel", m.channel},
                              {"slot", m.slot},
                              {"green_down", m.green_down},
                              {"use", m.use},
                              {"packed", packed}};
    json all = json::object();
    for (const auto& [k, v] : kept_) all[k] = v;
    std::error_code ec;
    fs::create_directories(file_.parent_path(), ec);
    return write_file_atomically(file_, json_text(all) + "\n");
}

}  // namespace vemtra::texture
