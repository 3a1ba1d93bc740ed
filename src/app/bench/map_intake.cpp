#include "app/bench/map_intake.h"

#include "app/workbench.h"
#include "nodes/wiring.h"

namespace vemtra::app {

void MapIntake::look_for_maps(const std::vector<fs::path>& paths) {
    bench_.jobs().start("Looking at texture maps", [this, paths](Progress& progress) -> std::function<void()> {
        auto problems = std::make_shared<std::vector<Error>>();
        auto sets = std::make_shared<std::vector<texture::MapSet>>(texture::find_map_sets(paths, *problems));
        const texture::MapGuesses guesses(texture::guesses_file());
        bool whole = true;
        for (texture::MapSet& s : *sets) {
            whole = whole && texture::probe_map_set(s, *problems, &progress);
            guesses.apply(s);
        }
        return [this, sets, problems, whole] {
            map_sets_ = std::move(*sets);
            problems_ = *problems;
            Q_EMIT bench_.maps_changed();
            size_t maps = 0;
            for (const texture::MapSet& s : map_sets_) maps += s.maps.size();
            if (map_sets_.empty())
                Q_EMIT bench_.failed({"No texture maps were found", "", "",
                                      problems->empty() ? "there are no image files" : problems->front().line(),
                                      "Choose a folder with maps, or one of the maps"});
            else
                Q_EMIT bench_.said(QString("%1 maps in %2 %3%4")
                                       .arg(maps)
                                       .arg(map_sets_.size())
                                       .arg(map_sets_.size() == 1 ? "set" : "sets")
                                       .arg(whole ? "" : "; the look at their pixels was stopped"));
        };
    });
}
void MapIntake::correct_map(size_t set, size_t map, const std::function<void(texture::MapEntry&)>& change) {
    if (set >= map_sets_.size() || map >= map_sets_[set].maps.size()) return;
    texture::MapEntry& m = map_sets_[set].maps[map];
    change(m);
    m.corrected = true;
    texture::check_map_set(map_sets_[set]);
    if (Status s = texture::MapGuesses(texture::guesses_file()).remember(map_sets_[set], m); !s)
        Q_EMIT bench_.failed(s.error());
    Q_EMIT bench_.maps_changed();
}
void MapIntake::apply_map_set(size_t set) {
    if (set >= map_sets_.size()) return;
    if (bench_.selection().layer.empty() || !bench_.layer()) {
        Q_EMIT bench_.said("Select a layer on the board first");
        return;
    }
    const texture::MapSet& s = map_sets_[set];
    const auto wires = texture::wires_of(s, bench_.files().file() ? bench_.files().folder() : fs::path());
    std::string placement;
    bench_.edit_build_up("Maps: " + s.name, [&](scene::BuildUp& b) {
        placement = nodes::wire_maps(b, bench_.selection().layer, s.name, wires);
    });
    if (!placement.empty()) bench_.select_node(placement);
    Q_EMIT bench_.said(QString("%1: %2 maps on %3")
                           .arg(QString::fromStdString(s.name))
                           .arg(wires.size())
                           .arg(QString::fromStdString(bench_.layer() ? bench_.layer()->name : "")));
}

}  // namespace vemtra::app
