#include <cstdio>

#include "cli/support.h"
#include "exchange/map_pack.h"
#include "texture/map_set.h"

namespace vemtra::cli {
namespace {

using namespace texture;

struct MapsCall {
    std::vector<std::string> paths;
    std::string recipe, output;  ///< of --pack: a file, or the name of one that ships
    bool json = false, quick = false;
};

ordered_json as_json(const MapNote& n) {
    return {{"grade", n.grade == MapNote::Grade::finding ? "finding" : "hint"}, {"what", n.what}, {"remedy", n.remedy}};
}
ordered_json as_json(const MapEntry& m) {
    ordered_json j{{"file", m.pattern},
                   {"kind", info(m.kind).name},
                   {"tiles", m.tiles},
                   {"missing_tiles", m.missing},
                   {"width", m.header.width},
                   {"height", m.header.height},
                   {"channels", m.header.channels},
                   {"bits", m.header.bits},
                   {"floating", m.header.floating},
                   {"colour_space", m.colour_space},
                   {"slot", m.slot}};
    if (m.kind == MapKind::packed) {
        j["packed"] = ordered_json::array();
        for (MapKind k : m.packed) j["packed"].push_back(info(k).name);
    } else if (!info(m.kind).colour && m.kind != MapKind::normal) {
        j["channel"] = m.channel;
    }
    if (m.invert) j["invert"] = true;
    if (m.kind == MapKind::normal) j["green"] = m.green_down ? "down" : "up";
    if (m.blank) j["value"] = *m.blank;
    j["notes"] = ordered_json::array();
    for (const MapNote& n : m.notes) j["notes"].push_back(as_json(n));
    return j;
}

fs::path recipe_file(const std::string& name) {
    if (name.find('/') != std::string::npos || fs::path(name).extension() == ".json") return name;
    for (const fs::path& p : exchange::shipped_recipes())
        if (p.stem() == name) return p;
    return name;
}

int list_recipes() {
    for (const fs::path& p : exchange::shipped_recipes()) {
        const auto r = exchange::read_recipe(p);
        if (!r) return fail(r.error());
        std::printf("%-32s %s\n", p.stem().c_str(), r->about.c_str());
    }
    return done;
}

int pack_sets(const MapsCall& call, const std::vector<MapSet>& sets, const std::vector<Error>& problems) {
    const auto recipe = exchange::read_recipe(recipe_file(call.recipe));
    if (!recipe) return fail(recipe.error());
    ordered_json j{{"written", ordered_json::array()}, {"left_out", ordered_json::array()}};
    for (const MapSet& s : sets) {
        const auto packed = exchange::pack(s, *recipe, call.output);
        if (!packed) return fail(packed.error());
        for (const fs::path& p : packed->written) {
            if (!call.json) std::printf("%s\n", p.c_str());
            j["written"].push_back(p.string());
        }
        for (const std::string& t : packed->left_out) {
            if (!call.json) std::fprintf(stderr, "left out: %s\n", t.c_str());
            j["left_out"].push_back(t);
        }
    }
    if (call.json) say(j);
    return problems.empty() ? done : incomplete;
}

void print_json(const std::vector<MapSet>& sets, const std::vector<Error>& problems) {
    ordered_json j{{"sets", ordered_json::array()}, {"problems", ordered_json::array()}};
    for (const MapSet& s : sets) {
        ordered_json set{{"name", s.name},
                         {"folder", s.folder.string()},
                         {"maps", ordered_json::array()},
                         {"notes", ordered_json::array()}};
        for (const MapEntry& m : s.maps) set["maps"].push_back(as_json(m));
        for (const MapNote& n : s.notes) set["notes"].push_back(as_json(n));
        j["sets"].push_back(set);
    }
    j["problems"] = cli::as_json(problems);
    say(j);
}

void print_text(const std::vector<MapSet>& sets) {
    for (const MapSet& s : sets) {
        std::printf("%s  (%s)\n", s.name.c_str(), s.folder.c_str());
        for (const MapEntry& m : s.maps) {
            std::printf("  %-18s %-44s %3zu %s  %d x %d, %d bits  %-12s -> %s\n", info(m.kind).title,
                        fs::path(m.pattern).filename().c_str(), m.files.size(), m.tiles.empty() ? "file " : "tiles",
                        m.header.width, m.header.height, m.header.bits, m.colour_space.c_str(),
                        m.slot.empty() ? "(stands by)" : m.slot.c_str());
            std::string more;
            for (size_t c = 0; m.kind == MapKind::packed && c < m.packed.size(); ++c)
                if (m.packed[c] != MapKind::unknown)
                    more += (more.empty() ? "" : ", ") + std::string(1, "rgba"[std::min<size_t>(c, 3)]) + " " +
                            info(m.packed[c]).title;
            if (m.kind == MapKind::normal) more = m.green_down ? "green points down" : "green points up";
            if (!more.empty()) std::printf("    %s\n", more.c_str());
            for (const MapNote& n : m.notes)
                std::printf("    %s %s. %s\n", n.grade == MapNote::Grade::finding ? "!" : "-", n.what.c_str(),
                            n.remedy.c_str());
        }
        for (const MapNote& n : s.notes)
            std::printf("  %s %s. %s\n", n.grade == MapNote::Grade::finding ? "!" : "-", n.what.c_str(),
                        n.remedy.c_str());
    }
}

int run(const MapsCall& call) {
    if (call.paths.empty()) {
        if (call.recipe.empty()) return wrong_call("maps takes folders or maps");
        return list_recipes();
    }
    if (!call.recipe.empty() && call.output.empty()) return wrong_call("--pack needs -o FOLDER");
    std::vector<Error> problems;
    auto sets = find_map_sets({call.paths.begin(), call.paths.end()}, problems);
    const MapGuesses guesses(guesses_file());
    for (MapSet& s : sets) {
        if (!call.quick) probe_map_set(s, problems);
        guesses.apply(s);
    }
    warn(problems);
    if (sets.empty())
        return fail({"No texture maps were found", call.paths.front(), "",
                     problems.empty() ? "there are no image files" : "none of the images can be read",
                     "Name a folder with maps, or one of the maps"});
    if (!call.recipe.empty()) return pack_sets(call, sets, problems);
    if (call.json)
        print_json(sets, problems);
    else
        print_text(sets);
    return problems.empty() ? done : incomplete;
}

}  // namespace

void add_maps(CLI::App& app, Options& all) {
    auto m = std::make_shared<MapsCall>();
    auto* c =
        app.add_subcommand("maps", "Find the texture map sets of a folder, say what they are, and write them anew");
    c->add_option("paths", m->paths, "Folders, or single maps whose siblings are found");
    c->add_option("--pack", m->recipe, "Recipe: a file, or the name of one that ships; without paths: lists those");
    c->add_option("-o,--output", m->output, "Folder for --pack");
    c->add_flag("--quick", m->quick, "By names and headers alone, without a look at the pixels");
    c->add_flag("--json", m->json, "As JSON");
    c->final_callback([m, &all] { all.exit = run(*m); });
}

}  // namespace vemtra::cli
