// Sets of texture maps on their way in: found, reviewed and corrected by the artist, and wired to a layer.
#pragma once
#include <functional>

#include "texture/map_set.h"

namespace vemtra::app {

class Workbench;

class MapIntake {
public:
    explicit MapIntake(Workbench& bench) : bench_(bench) {}

    const std::vector<texture::MapSet>& map_sets() const { return map_sets_; }  ///< found last, to be reviewed
    const std::vector<Error>& problems() const { return problems_; }
    void look_for_maps(const std::vector<fs::path>& paths);  ///< in the background
    /// Changes a guess; it is remembered for the set.
    void correct_map(size_t set, size_t map, const std::function<void(texture::MapEntry&)>& change);
    void apply_map_set(size_t set);  ///< to the selected layer

private:
    Workbench& bench_;
    std::vector<texture::MapSet> map_sets_;
    std::vector<Error> problems_;
};

}  // namespace vemtra::app
