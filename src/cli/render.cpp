#include <tbb/global_control.h>

#include <chrono>
#include <cstdio>

#include "cli/support.h"
#include "render/picture.h"
#include "scene/project_file.h"
#include "scene/relief_slots.h"

namespace vemtra::cli {
namespace {

struct RenderCall {
    std::string project, output, size, view = "beauty", camera, rig, region, node;
    int samples = 0, seed = -1, threads = 0;
    bool json = false, preview = false, reference = false, smooth = false;
};

bool four_numbers(const std::string& text, const char* format, int* n, int count) {
    int end = 0;
    const int got = count == 2 ? std::sscanf(text.c_str(), format, n, n + 1, &end)
                               : std::sscanf(text.c_str(), format, n, n + 1, n + 2, n + 3, &end);
    return got == count && size_t(end) == text.size();
}

/// What the call says of the picture; not 0: it says it wrong.
int settings_of(const RenderCall& call, render::PictureSettings& settings) {
    int n[4];
    if (!call.size.empty()) {
        if (!four_numbers(call.size, "%dx%d%n", n, 2) || n[0] < 1 || n[1] < 1 || n[0] > 16384 || n[1] > 16384)
            return wrong_call("--size takes WIDTHxHEIGHT, each 1 to 16384, not '" + call.size + "'");
        settings.width = n[0];
        settings.height = n[1];
    }
    if (!call.region.empty()) {
        if (!four_numbers(call.region, "%d,%d,%d,%d%n", n, 4) || n[0] < 0 || n[1] < 0 || n[2] <= n[0] || n[3] <= n[1] ||
            n[2] > settings.width || n[3] > settings.height)
            return wrong_call("--region takes x0,y0,x1,y1 inside of the picture, not '" + call.region + "'");
        settings.region = {n[0], n[1], n[2], n[3]};
    }
    if (!render::view_from_name(call.view, settings.view))
        return wrong_call("--view takes " + render::view_names() + ", not '" + call.view + "'");
    if (settings.view == render::View::node && call.node.empty())
        return wrong_call("--view node needs --node BUILD-UP/NODE");
    if (call.samples > 0) settings.samples = call.samples;
    if (call.seed >= 0) settings.seed = uint32_t(call.seed);
    settings.preview_clamp = call.preview;
    settings.reference = call.reference;
    settings.regression |= call.smooth;
    if (!render::picture_format_of(call.output))
        return wrong_call("-o takes a file that ends in " + render::picture_extensions() + ", not '" + call.output +
                          "'");
    return 0;
}

/// Layers keep of their surface what moves the form, and such as do not move it go: pictures of the form alone wait for
/// no map and no mask that shows on nothing.
void keep_forms_only(scene::Scene& scene) {
    for (scene::BuildUp& b : scene.build_ups) {
        for (scene::Layer& layer : b.layers) {
            scene::Inputs moving;
            for (const char* slot : scene::relief_slots)
                if (const auto it = layer.surface.find(slot); it != layer.surface.end()) moving.insert(*it);
            layer.surface = std::move(moving);
        }
        if (b.layers.empty()) continue;
        const auto still = [](const scene::Layer& layer) { return layer.surface.empty() && layer.build_up.empty(); };
        b.layers.erase(std::remove_if(b.layers.begin() + 1, b.layers.end(), still), b.layers.end());
    }
}

int run(const Options& all, const RenderCall& call) {
    std::optional<tbb::global_control> limit;
    if (call.threads > 0) limit.emplace(tbb::global_control::max_allowed_parallelism, size_t(call.threads));
    auto loaded = scene::load(call.project);
    if (!loaded) return fail(loaded.error());
    read_paintings(all, *loaded, call.project);
    render::PictureSettings settings = render::picture_settings(loaded->scene);
    const fs::path out = call.output;
    if (const int wrong = settings_of(call, settings)) return wrong;
    render::PrepareOptions options;
    place(options, all, loaded->scene, call.project);
    options.rig = call.rig;
    options.camera = call.camera;
    if (!call.node.empty()) {
        const size_t slash = call.node.find('/');
        if (slash == std::string::npos) return wrong_call("--node takes BUILD-UP/NODE");
        options.shown_build_up = call.node.substr(0, slash);
        options.shown_node = call.node.substr(slash + 1);
    }
    scene::Scene scene = loaded->scene;
    if (!call.rig.empty()) {
        if (!scene::find(scene.rigs, call.rig)) return wrong_call("the project has no rig '" + call.rig + "'");
        scene.rig = call.rig;
    }
    if (!call.camera.empty() && !scene::find(scene.cameras, call.camera))
        return wrong_call("the project has no camera '" + call.camera + "'");
    const render::ViewKind& view = render::info(settings.view);
    if (settings.view == render::View::clay || (view.color && !view.asks_layer)) keep_forms_only(scene);
    Progress progress;
    options.progress = &progress;
    options.maps_now = true;
    render::Workshop workshop;
    const auto begin = std::chrono::steady_clock::now();
    std::shared_ptr<const render::Prepared> prepared;
    {
        Bar bar(progress, "preparing");
        prepared = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    }
    if (!prepared) return was_stopped;
    warn(loaded->problems);
    warn(prepared->problems);
    Result<render::Film> film = Error{};
    {
        Bar bar(progress, "rendering");
        film = render::render_picture(*prepared, settings, &progress);
    }
    if (!film) {
        std::fprintf(stderr, "%s\n", film.error().line().c_str());
        return was_stopped;
    }
    render::PictureInfo about{fs::path(call.project).filename().string(),
                              std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count()};
    if (Status s = render::write_picture(*prepared, *film, settings, about, out); !s) return fail(s.error());
    if (film->smoothing && !call.json)
        std::fprintf(stderr, "noise %.2f %%, after smoothing about %.2f %%\n",
                     double(film->smoothing->noise_before) * 100., double(film->smoothing->error_after) * 100.);
    if (call.json) {
        ordered_json j{{"file", out.string()},      {"width", settings.width},
                       {"height", settings.height}, {"samples", settings.samples},
                       {"seed", settings.seed},     {"seconds", about.seconds},
                       {"noise", film->noise()},    {"problems", as_json(prepared->problems)}};
        if (film->smoothing) {
            j["noise"] = film->smoothing->noise_before;
            j["error_after_smoothing"] = film->smoothing->error_after;
        }
        say(j);
    }
    return loaded->problems.empty() && prepared->problems.empty() ? done : incomplete;
}

}  // namespace

void add_render(CLI::App& app, Options& all) {
    auto r = std::make_shared<RenderCall>();
    auto* c = app.add_subcommand("render", "Render a project to a picture");
    c->add_option("project", r->project, "Project file")->required();
    c->add_option("-o,--output", r->output, "Picture to write: " + render::picture_extensions())->required();
    c->add_option("--size", r->size, "WIDTHxHEIGHT in pixels");
    c->add_option("--samples", r->samples, "Samples per pixel")->check(CLI::Range(1, 1 << 20));
    c->add_option("--view", r->view, render::view_names());
    c->add_option("--node", r->node, "BUILD-UP/NODE for --view node");
    c->add_option("--camera", r->camera, "Camera of the project");
    c->add_option("--rig", r->rig, "Rig of the project");
    c->add_option("--region", r->region, "x0,y0,x1,y1 in pixels; the rest stays black");
    c->add_option("--seed", r->seed, "Seed of the noise")->check(CLI::NonNegativeNumber);
    c->add_option("--threads", r->threads, "Most threads to use")->check(CLI::Range(1, 1024));
    c->add_flag("--preview", r->preview, "Clamp bright single samples as the window does");
    c->add_flag("--reference", r->reference,
                "Do nothing against noise that is not exact at every number of samples: for pictures to compare with");
    c->add_flag("--smooth", r->smooth,
                "Smooth the light by regression, each light group by itself; tells the error that is left");
    c->add_flag("--json", r->json, "Report as JSON on standard output");
    c->final_callback([r, &all] { all.exit = run(all, *r); });
}

}  // namespace vemtra::cli
