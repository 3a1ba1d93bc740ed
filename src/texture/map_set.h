// A folder of maps as sets: per map its kind, tiles, numbers and the slot that it feeds, with what is odd about it.
// Every guess can be corrected, and a correction is remembered for the set.
#pragma once
#include <functional>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>

#include "nodes/map_wires.h"
#include "texture/map_names.h"
#include "texture/map_probe.h"

namespace vemtra::texture {

struct MapNote {
    enum class Grade : uint8_t { hint, finding } grade = Grade::finding;
    std::string what, remedy;
};

struct MapEntry {
    std::string pattern;  ///< path, with <UDIM> where it has tiles
    std::string word;     ///< the part of the name that told the kind
    MapKind kind = MapKind::unknown;
    std::vector<MapKind> packed;      ///< per channel, red first
    std::vector<int> tiles, missing;  ///< found, and those between that other maps of the set have
    std::vector<fs::path> files;
    ImageHeader header;             ///< of the first file
    std::optional<MapFacts> facts;  ///< over all tiles; none until they were looked at
    std::string colour_space;       ///< of the configuration; "raw" for data
    std::string channel = "r";      ///< of a single number
    std::string slot;               ///< of a surface; empty: stands by for masks
    bool invert = false;            ///< glossiness becomes roughness
    bool green_down = false;
    bool use = true;
    std::optional<std::array<float, 3>> blank;  ///< it carries nothing: this value stands for it
    std::vector<MapNote> notes;
    bool corrected = false;
};

struct MapSet {
    std::string name;
    fs::path folder;
    std::vector<MapEntry> maps;
    std::vector<MapNote> notes;
};

/// Sets among these files and folders (folders are read one level deep; of a single file its siblings are found).
/// Headers are read, pixels are not. What cannot be read is told in `problems` and left out.
std::vector<MapSet> find_map_sets(const std::vector<fs::path>& paths, std::vector<Error>& problems);

/// Looks at the pixels of every map, in parallel, and refines the guesses by them. False if it was stopped.
bool probe_map_set(MapSet& set, std::vector<Error>& problems, Progress* progress = nullptr);

/// Sets a kind by hand, with all that follows from it.
void set_kind(MapEntry& map, MapKind kind);
/// Writes all notes anew from what is known.
void check_map_set(MapSet& set);

/// What applying the set does: one wire per map that is used, packed maps per channel. Paths are written relative to
/// `folder` where that is not empty and they lie below it or beside it.
std::vector<nodes::MapWire> wires_of(const MapSet& set, const fs::path& folder);

/// Corrected guesses, kept for the user by set and word.
class MapGuesses {
public:
    explicit MapGuesses(fs::path file);
    void apply(MapSet& set) const;
    Status remember(const MapSet& set, const MapEntry& map);

private:
    static std::string key(const MapSet& set, const MapEntry& map);
    fs::path file_;
    std::map<std::string, nlohmann::json> kept_;
};
fs::path guesses_file();  ///< where the user's are kept

}  // namespace vemtra::texture
