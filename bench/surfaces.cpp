// What the full surface costs: stacks of layers against one, subsurface against diffuse, and the noise of combined
// sampling per lobe.
#include <fstream>

#include "bench.h"
#include "render/picture.h"
#include "scene/edits.h"
#include "scene/project_file.h"
#include "scene/stock.h"

namespace vemtra::bench {
namespace {

const fs::path root = test::source_folder;

std::shared_ptr<const render::Prepared> prepare(const scene::Scene& s, render::Workshop& workshop) {
    render::PrepareOptions options;
    options.folder = root / "demo";
    options.field_rays = geometry::field_rays_first;
    return render::prepare(std::make_shared<const scene::Scene>(s), workshop, options);
}

/// The lantern, all of it in one build-up.
scene::Scene lantern(const scene::BuildUp& wears, const char* rig) {
    scene::Scene s = scene::load(root / "demo" / "lantern.vemtra")->scene;
    s.build_ups = {wears};
    for (auto& part : s.parts) part.build_up = wears.id;
    s.rig = rig;
    s.render.depth = 6;
    return s;
}

/// Fifteen layers with masks that all show somewhere: covers, and a coat among every four.
scene::BuildUp fifteen(const scene::Stock& stock) {
    const char* entries[] = {"galvanised",   "primer-grey", "primer-red",   "lacquer-clear", "enamel-sea-green",
                             "enamel-white", "rust-old",    "lacquer-matt", "rust-young",    "grime",
                             "verdigris",    "oil-film",    "dust",         "salt",          "chalked"};
    scene::BuildUp b = scene::default_build_up("wears", "Wears");
    scene::apply_stock(b, b.layers.front().id, *stock.find(entries[0]));
    const auto place = scene::add_node(b, {}, "position", "vector3", "Place"),
               size = scene::add_node(b, {}, "multiply", "vector3", "Size");
    scene::node(b, size)->inputs["in1"].from = place;
    scene::node(b, size)->inputs["in2"].value = 40.f;
    for (int k = 1; k < 15; ++k) {
        const auto* item = stock.find(entries[k]);
        const auto layer = scene::add_layer(b, item->layer.name, {}, item->layer.kind);
        scene::apply_stock(b, layer, *item);
        const auto own = scene::add_node(b, layer, "multiply", "vector3", "Own size"),
                   noise = scene::add_node(b, layer, "noise3d", "float", "Noise"),
                   levels = scene::add_node(b, layer, "levels", "float", "Mask");
        scene::node(b, own)->inputs["in1"].from = size;
        scene::node(b, own)->inputs["in2"].value = .6f + .137f * float(k);
        scene::node(b, noise)->inputs["position"].from = own;
        scene::node(b, levels)->inputs["in"].from = noise;
        scene::node(b, levels)->inputs["inlow"].value = .12f;
        scene::node(b, levels)->inputs["inhigh"].value = .2f;
        scene::find(b.layers, layer)->gate.mask.from = levels;
    }
    return b;
}

void stacks(const scene::Stock& stock) {
    const scene::BuildUp many = fifteen(stock);
    // One layer of the average kind: each of the fifteen alone (a coat over the steel), the same samples each, and the
    // mean of their times.
    render::Workshop workshop;
    std::vector<std::shared_ptr<const render::Prepared>> alone;
    for (const scene::Layer& layer : many.layers) {
        scene::BuildUp one = many;
        std::erase_if(one.layers, [&](const scene::Layer& l) {
            return l.id != layer.id && !(layer.kind == scene::LayerKind::coat && l.id == many.layers.front().id);
        });
        one.layers.back().gate.mask = {scene::Value{1.f}, {}};
        one.layers.back().nodes.clear();
        alone.push_back(prepare(lantern(one, "quay"), workshop));
    }
    const auto all = prepare(lantern(many, "quay"), workshop);
    auto film = render::render_picture(*all, {.width = 240, .height = 150, .samples = 4});
    int seen = 0;
    for (size_t k = 0; k < many.layers.size(); ++k) {
        double sum = 0;
        for (float v : film->coverage[k]) sum += double(v);
        seen += sum > 0;
    }
    constexpr render::View view = render::View::beauty;
    auto work = [&](const render::Prepared& p, int samples) {
        render::render_picture(p, {.width = 320, .height = 240, .samples = samples, .view = view, .coverage = false});
    };
    const auto [fifteen_time, one_time] = side_by_side(
        5, [&] { work(*all, 15); },
        [&] {
            for (const auto& p : alone) work(*p, 1);
        });
    std::printf("  fifteen layers, of which %d covers show (coats are looked through)\n", seen);
    line("fifteen layers that all show, against one of the average kind", fifteen_time / one_time, "x", "<= 1.6x",
         fifteen_time / one_time <= 1.6);
}

void subsurface(const scene::Stock& stock) {
    scene::BuildUp wax = scene::default_build_up("wears", "Wears");
    scene::apply_stock(wax, wax.layers.front().id, *stock.find("wax-white"));
    scene::BuildUp matt = wax;
    matt.layers.front().surface["subsurface_weight"].value = 0.f;
    render::Workshop workshop;
    const auto a = prepare(lantern(wax, "studio"), workshop), b = prepare(lantern(matt, "studio"), workshop);
    auto work = [&](const render::Prepared& p) {
        render::render_picture(p, {.width = 320, .height = 240, .samples = 4, .coverage = false});
    };
    const auto [walks, diffuse] = side_by_side(
        5, [&] { work(*a); }, [&] { work(*b); });
    line("samples per second of wax, against the same form matt", diffuse / walks, "x", ">= 0.33x",
         diffuse / walks >= 1. / 3.);
}

/// Mean squared deviation of single-sample pictures from their own mean over many: the variance per sample.
double variance(const render::Prepared& p, const scene::Scene& s, render::FrameSettings::Strategy strategy) {
    constexpr int width = 64, height = 64, rounds = 96;
    std::vector<double> sum(width * height), squares(width * height);
    auto frame = render::frame_settings(s, {.width = width, .height = height, .samples = 1});
    frame.strategy = strategy;
    frame.softening = 0.f;  // what vanishes with the samples would hide what one way alone cannot do
    frame.reweighs = false;
    frame.depth = 16;  // so deep that what the last bounce alone leaves to the lights does not count
    for (int k = 0; k < rounds; ++k) {
        frame.seed = uint32_t(1000 + k);
        render::Film film(width, height, p.rig.groups.size());
        render::render_samples(p, frame, 0, 1, film, nullptr, nullptr, nullptr);
        std::vector<V3f> out;
        film.resolve(render::group_gains(p, s), out);
        for (size_t i = 0; i < out.size(); ++i)
            sum[i] += double(luminance(out[i])), squares[i] += double(luminance(out[i])) * double(luminance(out[i]));
    }
    double total = 0;
    for (size_t i = 0; i < sum.size(); ++i) total += squares[i] / rounds - sum[i] / rounds * (sum[i] / rounds);
    return total / double(sum.size());
}

void sampling(const scene::Stock& stock) {
    const std::pair<const char*, const char*> lobes[] = {{"matt", "clay"},
                                                         {"metal, rough", "iron"},
                                                         {"metal, polished", "brass-polished"},
                                                         {"paint", "plastic-satin"},
                                                         {"enamel", "enamel-sea-green"},
                                                         {"fuzz", "velvet"},
                                                         {"thin, translucent", "leaf"},
                                                         {"glass, frosted", "glass-frosted"},
                                                         {"coat over satin", ""}};
    render::Workshop workshop;
    for (const auto& [name, id] : lobes) {
        scene::BuildUp b = scene::default_build_up("wears", "Wears");
        if (*id) {
            scene::apply_stock(b, b.layers.front().id, *stock.find(id));
        } else {  // a coat layer, as it stands in stacks
            scene::apply_stock(b, b.layers.front().id, *stock.find("plastic-satin"));
            scene::Layer coat = stock.find("varnish-honey")->layer;
            coat.id = "coat";
            b.layers.push_back(coat);
        }
        scene::Scene s = lantern(b, "quay");
        for (auto& part : s.parts) part.visible = part.id == "cap";
        s.rigs[0].stage.on = false;
        s.rigs[0].environment.seen = false;
        s.cameras[0].position = V3f(.2f, .45f, .4f);
        s.cameras[0].target = V3f(0.f, .29f, 0.f);
        s.camera = s.cameras[0].id;
        const auto p = prepare(s, workshop);
        using Strategy = render::FrameSettings::Strategy;
        const double both = variance(*p, s, Strategy::combined), light = variance(*p, s, Strategy::light_only),
                     surface = variance(*p, s, Strategy::surface_only);
        const double best = std::min(light, surface);
        char text[96];
        std::snprintf(text, sizeof text, "variance, combined over the better of both: %s", name);
        line(text, both / best, "x", "<= 1.3x", both / best <= 1.3);
    }
}

}  // namespace

void surfaces() {
    const scene::Stock stock = scene::load_stock(root / "assets" / "stock", "/nowhere");
    stacks(stock);
    subsurface(stock);
    sampling(stock);
}

}  // namespace vemtra::bench
