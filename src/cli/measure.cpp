#include <cstdio>
#include <sstream>

#include "cli/support.h"
#include "geometry/uv_points.h"
#include "review/albedo.h"
#include "scene/project_file.h"

namespace vemtra::cli {
namespace {

struct AlbedoCall {
    std::string project, part, uv, cosines = "1,0.7,0.3";
    int paths = 20000;
    bool json = false;
};

int run(const Options& all, const AlbedoCall& call) {
    auto loaded = scene::load(call.project);
    if (!loaded) return fail(loaded.error());
    read_paintings(all, *loaded, call.project);
    std::vector<float> cosines;
    std::istringstream list(call.cosines);
    for (std::string word; std::getline(list, word, ',');) {
        char* end = nullptr;
        const float c = std::strtof(word.c_str(), &end);
        if (word.empty() || *end || !(c > 0.f) || c > 1.f)
            return wrong_call("--cos takes numbers above 0 and up to 1, separated by commas");
        cosines.push_back(c);
    }
    V2f uv(0.f);
    if (int end = 0; !call.uv.empty() && (std::sscanf(call.uv.c_str(), "%f,%f%n", &uv.x, &uv.y, &end) != 2 ||
                                          size_t(end) != call.uv.size()))
        return wrong_call("--uv takes two numbers, as 0.5,0.5");
    render::Workshop workshop;
    render::PrepareOptions options;
    place(options, all, loaded->scene, call.project);
    const auto prepared = render::prepare(std::make_shared<const scene::Scene>(loaded->scene), workshop, options);
    warn(loaded->problems);
    warn(prepared->problems);
    int mesh = -1;
    for (size_t i = 0; i < prepared->parts.size(); ++i)
        if (prepared->parts[i]->id == call.part || prepared->parts[i]->name == call.part) mesh = int(i);
    if (mesh < 0)
        return fail({"Nothing to measure", call.project, call.part, "no visible part has that id or name",
                     "See 'vemtra-cli info'"});
    geometry::UvPoint at{true, 0, 1.f / 3.f, 1.f / 3.f};
    if (!call.uv.empty()) {
        at = geometry::uv_point(prepared->geometry->shape(uint32_t(mesh)), uv);
        if (!at.covered)
            return fail({"Nothing to measure", call.project, call.part, "no triangle of the part lies at UV " + call.uv,
                         "Choose a place that the UV check shows, or leave --uv out"});
    }
    ordered_json j = ordered_json::array();
    if (!call.json) std::printf("cos      red     green    blue     +-       through\n");
    for (float c : cosines) {
        const review::MeasuredAlbedo a =
            review::measure_albedo(*prepared, {uint32_t(mesh), at.face, at.u, at.v}, c, call.paths);
        if (call.json)
            j.push_back({{"cos", c},
                         {"albedo", {a.mean.x, a.mean.y, a.mean.z}},
                         {"standard_error", {a.deviation.x, a.deviation.y, a.deviation.z}},
                         {"through", {a.through.x, a.through.y, a.through.z}},
                         {"paths", a.paths}});
        else
            std::printf("%-6.3g %8.5f %8.5f %8.5f  %.5f  %8.5f %8.5f %8.5f\n", double(c), double(a.mean.x),
                        double(a.mean.y), double(a.mean.z), double(max_component(a.deviation)), double(a.through.x),
                        double(a.through.y), double(a.through.z));
    }
    if (call.json) say(ordered_json{{"project", call.project}, {"part", call.part}, {"measured", j}});
    return prepared->problems.empty() && loaded->problems.empty() ? done : incomplete;
}

}  // namespace

void add_measure(CLI::App& app, Options& all) {
    auto* measure = app.add_subcommand("measure", "Measure a build-up");
    measure->require_subcommand(1);
    auto a = std::make_shared<AlbedoCall>();
    auto* c = measure->add_subcommand("albedo", "Directional albedo at a point, with its standard error");
    c->add_option("project", a->project, "Project file")->required();
    c->add_option("--part", a->part, "Part: id or name")->required();
    c->add_option("--uv", a->uv, "u,v of the point; else the middle of the part's first face");
    c->add_option("--cos", a->cosines, "Cosines of incidence, separated by commas");
    c->add_option("--paths", a->paths, "Paths per cosine")->check(CLI::Range(100, 100000000));
    c->add_flag("--json", a->json, "As JSON");
    c->final_callback([a, &all] { all.exit = run(all, *a); });
}

}  // namespace vemtra::cli
