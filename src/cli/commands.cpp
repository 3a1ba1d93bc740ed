#include "cli/commands.h"

#include <tbb/global_control.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>
#include <sstream>
#include <thread>

#include "exchange/collect.h"
#include "nodes/description.h"
#include "render/picture.h"
#include "review/albedo.h"
#include "review/map_findings.h"
#include "review/plausible.h"
#include "review/swatch.h"
#include "review/uv_check.h"
#include "review/uv_points.h"
#include "review/visible.h"
#include "scene/edits.h"
#include "scene/project_file.h"

namespace vemtra::cli {
namespace {

using nlohmann::ordered_json;

int fail(const Error& e) {
    std::fprintf(stderr, "error: %s\n", e.line().c_str());
    return failed;
}
int wrong_call(const std::string& why) {
    std::fprintf(stderr, "usage: %s\n", why.c_str());
    return usage;
}
void warn(const std::vector<Error>& problems) {
    for (const Error& e : problems) std::fprintf(stderr, "warning: %s\n", e.line().c_str());
}
ordered_json as_json(const Error& e) {
    return {{"what", e.what}, {"file", e.file}, {"place", e.place}, {"why", e.why}, {"remedy", e.remedy}};
}
/// Where the project's paths start, and which of them are not read.
void place(render::PrepareOptions& options, const scene::Scene& scene, const fs::path& project) {
    options.folder = fs::absolute(project).parent_path();
    options.blocked = blocked_paths(scene, project);
}
bool four_numbers(const std::string& text, const char* format, int* n, int count) {
    int end = 0;
    const int got = count == 2 ? std::sscanf(text.c_str(), format, n, n + 1, &end) : std::sscanf(text.c_str(), format, n, n + 1, n + 2, n + 3, &end);
    return got == count && size_t(end) == text.size();
}

Progress* watched = nullptr;
void on_interrupt(int) {
    if (watched) watched->stop = true;
}

/// Draws a bar on a terminal while the work goes on; silent where standard error is not one.
class Bar {
public:
    Bar(Progress& progress, const char* what) : progress_(progress) {
        watched = &progress;
        std::signal(SIGINT, on_interrupt);
        if (!isatty(STDERR_FILENO)) return;
        thread_ = std::thread([this, what] {
            const auto begin = std::chrono::steady_clock::now();
            while (!over_) {
                const float f = progress_.fraction;
                const double spent = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
                char bar[41] = {};
                for (int i = 0; i < 40; ++i) bar[i] = float(i) < f * 40.f ? '=' : '.';
                std::fprintf(stderr, "\r%s [%s] %3.0f %%  %.0f s left ", what, bar, double(f * 100.f), f > 0.01f ? spent * double((1.f - f) / f) : 0.0);
                std::this_thread::sleep_for(std::chrono::milliseconds(100));
            }
            std::fprintf(stderr, "\r%80s\r", "");
        });
    }
    ~Bar() {
        over_ = true;
        if (thread_.joinable()) thread_.join();
        std::signal(SIGINT, SIG_DFL);
        watched = nullptr;
    }

private:
    Progress& progress_;
    std::atomic<bool> over_{false};
    std::thread thread_;
};

}  // namespace

bool allow_outside = false;

BlockedPaths blocked_paths(const scene::Scene& scene, const fs::path& project) {
    if (allow_outside || OwnProjects().holds(project)) return nullptr;
    return exchange::paths_that_leave(scene, fs::absolute(project).parent_path());
}

int render(const RenderCall& call) {
    std::optional<tbb::global_control> limit;
    if (call.threads > 0) limit.emplace(tbb::global_control::max_allowed_parallelism, size_t(call.threads));
    auto loaded = scene::load(call.project);
    if (!loaded) return fail(loaded.error());
    render::PictureSettings settings = render::picture_settings(loaded->scene);
    int n[4];
    if (!call.size.empty()) {
        if (!four_numbers(call.size, "%dx%d%n", n, 2) || n[0] < 1 || n[1] < 1 || n[0] > 16384 || n[1] > 16384)
            return wrong_call("--size takes WIDTHxHEIGHT, each 1 to 16384, not '" + call.size + "'");
        settings.width = n[0];
        settings.height = n[1];
    }
    if (!call.region.empty()) {
        if (!four_numbers(call.region, "%d,%d,%d,%d%n", n, 4) || n[0] < 0 || n[1] < 0 || n[2] <= n[0] || n[3] <= n[1] || n[2] > settings.width || n[3] > settings.height)
            return wrong_call("--region takes x0,y0,x1,y1 inside of the picture, not '" + call.region + "'");
        settings.region = {n[0], n[1], n[2], n[3]};
    }
    if (!render::view_from_name(call.view, settings.view)) return wrong_call("--view takes beauty, clay, coverage, normal, depth, uv or node, not '" + call.view + "'");
    if (settings.view == render::View::node && call.node.empty()) return wrong_call("--view node needs --node BUILD-UP/NODE");
    if (call.samples > 0) settings.samples = call.samples;
    if (call.seed >= 0) settings.seed = uint32_t(call.seed);
    settings.preview_clamp = call.preview;
    const fs::path out = call.output;
    if (out.extension() != ".exr" && out.extension() != ".png") return wrong_call("-o takes a file that ends in .exr or .png, not '" + call.output + "'");
    render::PrepareOptions options;
    place(options, loaded->scene, call.project);
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
    if (!call.camera.empty() && !scene::find(scene.cameras, call.camera)) return wrong_call("the project has no camera '" + call.camera + "'");
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
    render::PictureInfo about{fs::path(call.project).filename().string(), std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count()};
    if (Status s = render::write_picture(*prepared, *film, settings, about, out); !s) return fail(s.error());
    if (call.json) {
        ordered_json j{{"file", out.string()}, {"width", settings.width}, {"height", settings.height}, {"samples", settings.samples}, {"seed", settings.seed},
                       {"seconds", about.seconds}, {"noise", film->noise()}, {"problems", ordered_json::array()}};
        for (const Error& e : prepared->problems) j["problems"].push_back(as_json(e));
        std::printf("%s\n", j.dump(1).c_str());
    }
    return loaded->problems.empty() && prepared->problems.empty() ? done : incomplete;
}

int make_new(const std::vector<std::string>& assets, const std::string& output, bool json) {
    scene::Scene scene;
    const fs::path folder = fs::absolute(output).parent_path();
    scene.name = fs::path(output).stem().string();
    scene.build_ups.push_back(scene::default_build_up("material", "Material"));
    scene.rigs.push_back(scene::default_rig());
    scene.rig = "bench";
    Box3f box;
    std::vector<Error> problems;
    std::vector<std::string> asset_ids, part_ids;
    for (const std::string& file : assets) {
        scene::Asset asset;
        asset.id = scene::fresh_id(asset_ids, scene::stem_of(fs::path(file).stem().string()));
        asset_ids.push_back(asset.id);
        asset.file = fs::proximate(fs::absolute(file), folder).generic_string();
        Progress progress;
        Bar bar(progress, "importing");
        auto imported = geometry::import(file, {}, &progress);
        if (!imported) return stopped(&progress) ? int(was_stopped) : fail(imported.error());
        problems.insert(problems.end(), imported->warnings.begin(), imported->warnings.end());
        for (const auto& mesh : imported->parts) {
            scene::Part part{scene::fresh_id(part_ids, scene::stem_of(mesh->name)), asset.id, mesh->name, mesh->name, "material", true, {}};
            part_ids.push_back(part.id);
            scene.parts.push_back(part);
            box.extendBy(mesh->bounds());
        }
        scene.assets.push_back(asset);
    }
    scene::fit_to(scene, box);
    if (Status s = scene::save(scene, output); !s) return fail(s.error());
    if (Status s = OwnProjects().add(output); !s) warn({s.error()});
    warn(problems);
    if (json) std::printf("%s\n", ordered_json{{"project", output}, {"parts", scene.parts.size()}}.dump(1).c_str());
    return problems.empty() ? done : incomplete;
}

int info(const std::string& file, bool json) {
    ordered_json j{{"file", file}};
    const std::string extension = fs::path(file).extension().string();
    if (extension == ".vemtra" || extension == ".autosave") {
        auto loaded = scene::load(file);
        if (!loaded) return fail(loaded.error());
        const scene::Scene& s = loaded->scene;
        j["kind"] = "project";
        j["name"] = s.name;
        for (const auto& a : s.assets) j["assets"].push_back(a.file);
        for (const auto& p : s.parts) j["parts"].push_back({{"id", p.id}, {"name", p.name}, {"build_up", p.build_up}});
        for (const auto& b : s.build_ups) {
            ordered_json layers = ordered_json::array();
            for (const auto& l : b.layers) layers.push_back(l.name);
            j["build_ups"].push_back({{"id", b.id}, {"name", b.name}, {"layers", layers}});
        }
        for (const auto& r : s.rigs) j["rigs"].push_back(r.id);
        for (const auto& c : s.cameras) j["cameras"].push_back(c.id);
    } else if (extension == ".exr" || extension == ".png" || extension == ".hdr" || extension == ".jpg" || extension == ".tif") {
        auto picture = texture::read_picture(file);
        if (!picture) return fail(picture.error());
        j["kind"] = "image";
        j["width"] = picture->width;
        j["height"] = picture->height;
    } else {
        auto imported = geometry::import(file, {});
        if (!imported) return fail(imported.error());
        j["kind"] = "asset";
        j["triangles"] = imported->triangles();
        for (const auto& m : imported->parts) {
            const Box3f b = m->bounds();
            j["parts"].push_back({{"name", m->name}, {"triangles", m->triangles()}, {"vertices", m->positions.size()}, {"uvs", !m->uvs.empty()},
                                  {"colors", !m->colors.empty()}, {"min", {b.min.x, b.min.y, b.min.z}}, {"max", {b.max.x, b.max.y, b.max.z}}});
        }
        warn(imported->warnings);
    }
    if (json) {
        std::printf("%s\n", j.dump(1).c_str());
        return done;
    }
    for (const auto& [key, value] : j.items()) {
        if (!value.is_array()) {
            std::printf("%-10s %s\n", key.c_str(), value.is_string() ? value.get<std::string>().c_str() : value.dump().c_str());
            continue;
        }
        std::printf("%s\n", key.c_str());
        for (const auto& item : value) std::printf("           %s\n", item.is_string() ? item.get<std::string>().c_str() : item.dump().c_str());
    }
    return done;
}

int values(const ValuesCall& call) {
    auto loaded = scene::load(call.project);
    if (!loaded) return fail(loaded.error());
    if (call.node.empty() == call.slot.empty()) return wrong_call("values takes either --node ID or --slot PART/LAYER/SLOT");
    if (call.uv_grid < 1 || call.uv_grid > 4096) return wrong_call("--uv-grid takes 1 to 4096");
    render::Workshop workshop;
    auto scene = std::make_shared<const scene::Scene>(loaded->scene);
    render::PrepareOptions options;
    place(options, loaded->scene, call.project);
    auto prepared = render::prepare(scene, workshop, options);
    std::string part_id = call.part, layer_id, slot;
    if (!call.slot.empty()) {
        const size_t a = call.slot.find('/'), b = call.slot.rfind('/');
        if (a == std::string::npos || a == b) return wrong_call("--slot takes PART/LAYER/SLOT, not '" + call.slot + "'");
        part_id = call.slot.substr(0, a);
        layer_id = call.slot.substr(a + 1, b - a - 1);
        slot = call.slot.substr(b + 1);
    }
    int mesh = -1;
    const scene::BuildUp* build_up = nullptr;
    for (size_t i = 0; i < prepared->parts.size() && mesh < 0; ++i) {
        const scene::Part& part = *prepared->parts[i];
        const scene::BuildUp* b = scene::find(scene->build_ups, part.build_up);
        if (!b || (!part_id.empty() && part.id != part_id)) continue;
        if (!call.node.empty() && !scene::find_node(*b, call.node).node) continue;
        mesh = int(i);
        build_up = b;
    }
    if (mesh < 0) return fail({"Nothing to evaluate", call.project, call.node + call.slot, "no visible part has it", "See 'vemtra-cli info' for the parts, and the project for its nodes"});
    program::Wanted wanted{"value", nodes::Type::number, {}};
    if (!call.node.empty()) {
        const scene::Node& node = *scene::find_node(*build_up, call.node).node;
        if (const auto* d = nodes::describe(node.kind)) wanted.type = d->output_type(node);
        wanted.input.from = call.node;
    } else {
        const scene::Layer* layer = scene::find(build_up->layers, layer_id);
        const nodes::Port* port = layer ? nodes::slots_of(*layer).port(slot) : nullptr;
        if (!layer || (!port && slot != "gate"))
            return fail({"Nothing to evaluate", call.project, call.slot, layer ? "there is no slot '" + slot + "'" : "there is no layer '" + layer_id + "'", "Slots bear the names of OpenPBR Surface, or 'gate'"});
        if (port) {
            wanted.type = port->type;
            if (auto it = layer->surface.find(slot); it != layer->surface.end()) wanted.input = it->second;
            wanted.input.value = nodes::literal_of(layer->surface, *port);
        } else wanted.input = layer->gate.mask;
    }
    std::vector<Error> problems;
    program::Resources resources = prepared->resources;
    const program::Program program = program::compile(*build_up, {wanted}, resources, problems);
    if (resources.images.size() != prepared->resources.images.size() || resources.fields.size() != prepared->resources.fields.size()) {
        // The node feeds nothing that shows, so that its maps and fields were not prepared: show it, then they are.
        options.shown_build_up = build_up->id;
        options.shown_node = call.node;
        if (call.node.empty()) return fail({"Nothing to evaluate", call.project, call.slot, "the layer does not show", "Switch it on first"});
        prepared = render::prepare(scene, workshop, options);
        resources = prepared->resources;
    }
    const program::Program final_program = program::compile(*build_up, {wanted}, resources, problems);
    warn(problems);
    const auto points = review::uv_grid_points(*prepared->geometry->meshes()[size_t(mesh)], call.uv_grid, call.tile);
    const std::vector<float> values = review::evaluate_at(*prepared, uint32_t(mesh), points, final_program);
    const size_t components = size_t(final_program.component_count());
    if (call.json) {
        ordered_json grid = ordered_json::array();
        for (float v : values) grid.push_back(std::isfinite(v) ? ordered_json(v) : ordered_json());
        std::printf("%s\n", ordered_json{{"type", nodes::type_name(wanted.type)}, {"components", components}, {"uv_grid", call.uv_grid}, {"tile", call.tile}, {"grid", grid}}.dump().c_str());
        return done;
    }
    for (int y = call.uv_grid; y-- > 0;) {
        for (int x = 0; x < call.uv_grid; ++x) {
            for (size_t c = 0; c < components; ++c) {
                const float v = values[(size_t(y) * size_t(call.uv_grid) + size_t(x)) * components + c];
                if (std::isfinite(v)) std::printf("%s%.5g", c ? "," : "", double(v));
                else std::printf("%s-", c ? "," : "");
            }
            std::printf(x + 1 < call.uv_grid ? " " : "\n");
        }
    }
    return done;
}

int check(const std::string& project, bool json) {
    auto loaded = scene::load(project);
    if (!loaded) {
        if (json) std::printf("%s\n", ordered_json{{"project", project}, {"problems", {as_json(loaded.error())}}}.dump(1).c_str());
        return fail(loaded.error());
    }
    render::Workshop workshop;
    render::PrepareOptions options;
    place(options, loaded->scene, project);
    options.field_rays = 1;  // whether a field can be computed, not its value
    auto prepared = render::prepare(std::make_shared<const scene::Scene>(loaded->scene), workshop, options);
    std::vector<Error> problems = loaded->problems;
    problems.insert(problems.end(), prepared->problems.begin(), prepared->problems.end());
    for (const scene::BuildUp& b : loaded->scene.build_ups) {
        const review::Measured measured = review::measure(*prepared, b.id);
        problems.insert(problems.end(), measured.faults.begin(), measured.faults.end());
    }
    std::vector<Error> hints;
    for (size_t m = 0; m < prepared->parts.size(); ++m)
        for (const Error& e : review::uv_findings(review::check_uvs(*prepared->geometry->meshes()[m]), prepared->parts[m]->name)) hints.push_back(e);
    review::MapReview maps;
    for (const review::MapFinding& m : maps.look(*prepared, *workshop.textures(), Paths(options.folder, loaded->scene.search_folders, options.blocked))) hints.push_back(m.error);
    for (const Error& e : review::plausibility(loaded->scene)) hints.push_back(e);  // it renders, but looks like nothing real
    if (json) {
        ordered_json j{{"project", project}, {"problems", ordered_json::array()}, {"hints", ordered_json::array()}};
        for (const Error& e : problems) j["problems"].push_back(as_json(e));
        for (const Error& e : hints) j["hints"].push_back(as_json(e));
        std::printf("%s\n", j.dump(1).c_str());
    } else {
        warn(problems);
        for (const Error& e : hints) std::fprintf(stderr, "hint: %s\n", e.line().c_str());
        std::printf("%s: %zu %s\n", project.c_str(), problems.size(), problems.size() == 1 ? "problem" : "problems");
    }
    return problems.empty() ? done : incomplete;
}

int measure_albedo(const AlbedoCall& call) {
    auto loaded = scene::load(call.project);
    if (!loaded) return fail(loaded.error());
    std::vector<float> cosines;
    std::istringstream list(call.cosines);
    for (std::string word; std::getline(list, word, ',');) {
        char* end = nullptr;
        const float c = std::strtof(word.c_str(), &end);
        if (word.empty() || *end || !(c > 0.f) || c > 1.f) return wrong_call("--cos takes numbers above 0 and up to 1, separated by commas");
        cosines.push_back(c);
    }
    V2f uv(0.f);
    if (int end = 0; !call.uv.empty() && (std::sscanf(call.uv.c_str(), "%f,%f%n", &uv.x, &uv.y, &end) != 2 || size_t(end) != call.uv.size())) return wrong_call("--uv takes two numbers, as 0.5,0.5");
    render::Workshop workshop;
    render::PrepareOptions options;
    place(options, loaded->scene, call.project);
    const auto prepared = render::prepare(std::make_shared<const scene::Scene>(loaded->scene), workshop, options);
    warn(loaded->problems);
    warn(prepared->problems);
    int mesh = -1;
    for (size_t i = 0; i < prepared->parts.size(); ++i)
        if (prepared->parts[i]->id == call.part || prepared->parts[i]->name == call.part) mesh = int(i);
    if (mesh < 0) return fail({"Nothing to measure", call.project, call.part, "no visible part has that id or name", "See 'vemtra-cli info'"});
    const geometry::Mesh& m = *prepared->geometry->meshes()[size_t(mesh)];
    review::UvPoint at{true, 0, 1.f / 3.f, 1.f / 3.f};
    if (!call.uv.empty()) {
        at = review::uv_point(m, uv);
        if (!at.covered) return fail({"Nothing to measure", call.project, call.part, "no triangle of the part lies at UV " + call.uv, "Choose a place that the UV check shows, or leave --uv out"});
    }
    ordered_json j = ordered_json::array();
    if (!call.json) std::printf("cos      red     green    blue     +-       through\n");
    for (float c : cosines) {
        const review::MeasuredAlbedo a = review::measure_albedo(*prepared, uint32_t(mesh), at.triangle, at.u, at.v, c, call.paths);
        if (call.json)
            j.push_back({{"cos", c}, {"albedo", {a.mean.x, a.mean.y, a.mean.z}}, {"standard_error", {a.deviation.x, a.deviation.y, a.deviation.z}}, {"through", {a.through.x, a.through.y, a.through.z}}, {"paths", a.paths}});
        else
            std::printf("%-6.3g %8.5f %8.5f %8.5f  %.5f  %8.5f %8.5f %8.5f\n", double(c), double(a.mean.x), double(a.mean.y), double(a.mean.z), double(max_component(a.deviation)), double(a.through.x), double(a.through.y), double(a.through.z));
    }
    if (call.json) std::printf("%s\n", ordered_json{{"project", call.project}, {"part", call.part}, {"measured", j}}.dump(1).c_str());
    return prepared->problems.empty() && loaded->problems.empty() ? done : incomplete;
}

namespace {
scene::Stock whole_stock() {
    scene::Stock stock = scene::load_stock(shipped_assets() / "stock", scene::own_stock_file());
    warn(stock.problems);
    return stock;
}
}  // namespace

int stock_list(bool json) {
    const scene::Stock stock = whole_stock();
    ordered_json j = ordered_json::array();
    for (const auto& i : stock.items) {
        if (json) j.push_back({{"id", i.layer.id}, {"kind", i.layer.kind}, {"group", i.group}, {"name", i.layer.name}, {"note", i.note}, {"own", i.own}});
        else std::printf("%-22s %-6s %-30s %s\n", i.layer.id.c_str(), i.layer.kind.c_str(), i.group.c_str(), i.layer.name.c_str());
    }
    if (json) std::printf("%s\n", j.dump(1).c_str());
    return stock.problems.empty() ? done : incomplete;
}

int stock_show(const std::string& id) {
    const scene::Stock stock = whole_stock();
    const scene::StockItem* i = stock.find(id);
    if (!i) return fail({"No such stock entry", "", id, "the stock has no entry with that id", "See 'vemtra-cli stock list'"});
    scene::Json j = scene::layer_json(i->layer);
    for (const char* key : {"on", "amount", "gate", "build_up"}) j.erase(key);
    j["group"] = i->group;
    j["note"] = i->note;
    std::printf("%s\n", j.dump(1).c_str());
    return done;
}

int stock_render(const StockCall& call) {
    const scene::Stock stock = whole_stock();
    if (!call.id.empty() && !stock.find(call.id)) return fail({"No such stock entry", "", call.id, "the stock has no entry with that id", "See 'vemtra-cli stock list'"});
    scene::Scene lit;
    const scene::Rig* rig = nullptr;
    fs::path folder = fs::current_path();
    if (!call.project.empty()) {
        auto loaded = scene::load(call.project);
        if (!loaded) return fail(loaded.error());
        lit = std::move(loaded->scene);
        folder = fs::absolute(call.project).parent_path();
        rig = call.rig.empty() ? scene::active_rig(lit) : scene::find(lit.rigs, call.rig);
        if (!rig) return fail({"No such rig", call.project, call.rig, "the project has no rig with that id", "See 'vemtra-cli info'"});
    }
    std::error_code ec;
    if (call.id.empty()) fs::create_directories(call.output, ec);
    render::Workshop workshop(64);
    for (const scene::StockItem& item : stock.items) {
        if (!call.id.empty() && item.layer.id != call.id) continue;
        auto made = review::swatch_picture(item, rig, folder, {call.size, call.samples}, workshop);
        if (!made) return fail(made.error());
        auto bytes = read_file(*made);
        if (!bytes) return fail(bytes.error());
        const fs::path to = call.id.empty() ? fs::path(call.output) / (item.layer.id + ".png") : fs::path(call.output);
        if (Status s = write_file_atomically(to, *bytes); !s) return fail(s.error());
    }
    return done;
}

int list_nodes() {
    std::printf("# Nodes and slots\n\nMade from the descriptions by `vemtra-cli nodes`. Types: N number (float), C colour (color3), D direction (vector2, vector3).\n");
    auto text = [](const scene::Value& v) -> std::string {
        if (auto* t = std::get_if<std::string>(&v)) return t->empty() ? "-" : *t;
        char b[64];
        if (auto* x = std::get_if<V3f>(&v)) return std::snprintf(b, sizeof b, "%g, %g, %g", double(x->x), double(x->y), double(x->z)), b;
        if (auto* x = std::get_if<V2f>(&v)) return std::snprintf(b, sizeof b, "%g, %g", double(x->x), double(x->y)), b;
        return std::snprintf(b, sizeof b, "%g", double(scene::as_number(v))), b;
    };
    auto print = [&](const nodes::NodeDescription& d) {
        std::printf("\n## %s `%s`\n\n%s%s%s", d.title.c_str(), d.kind.c_str(), d.help.c_str(), d.standard.empty() ? "" : " Standard: ", d.standard.c_str());
        if (d.group != "surface") {
            std::printf("%s Types:", d.standard.empty() ? "" : ".");
            for (nodes::Type t : d.types) std::printf(" %s", nodes::type_name(t));
        }
        std::printf(".\n");
        if (d.ports.empty()) return;
        std::printf("\n| input | type | default | usual range | meaning |\n|---|---|---|---|---|\n");
        for (const nodes::Port& p : d.ports) {
            static const char* reads[] = {"", "UV", "object position", "object normal", "vertex colour"};
            std::string value = p.reads == nodes::Reads::literal ? text(p.value) : reads[size_t(p.reads)], range = "-";
            if (!p.choices.empty()) {
                range.clear();
                for (const auto& c : p.choices) range += (range.empty() ? "" : ", ") + c;
            } else if (!p.text) {
                char b[64];
                std::snprintf(b, sizeof b, "%g to %g%s%s%s", double(p.low), double(p.high), p.unit.empty() ? "" : " ", p.unit.c_str(), p.hard ? ", clamped" : "");
                range = b;
            }
            std::printf("| `%s` | %s%s | %s | %s | %s |\n", p.name.c_str(), p.text ? "word" : p.same_as_output ? "as output" : nodes::type_name(p.type), p.uniform ? ", fixed" : "", value.c_str(), range.c_str(), p.help.c_str());
        }
    };
    print(nodes::surface_description());
    print(nodes::coat_description());
    for (const auto& d : nodes::catalogue()) print(d);
    return done;
}

}  // namespace vemtra::cli
