#include "scenes.h"

#include "where_support.h"

#include <OpenImageIO/imageio.h>

#include <cmath>
#include <cstdio>
#include <fstream>
#include <functional>

#include "geometry/import.h"
#include "render/asset_into.h"
#include "scene/edits.h"
#include "scene/project_file.h"
#include "scene/slot_names.h"
#include "scene/stock.h"

namespace vemtra::bench {
namespace {

using scene::Scene;
using scene::Value;

/// Named parts, written as an OBJ.
class Model {
public:
    void ball(const std::string& name, const V3f& middle, const V3f& radius) {
        constexpr int across = 64;
        constexpr int down = 32;
        begin(name);
        const int first = vertices_;
        for (int y = 0; y <= down; ++y)
            for (int x = 0; x <= across; ++x) {
                const float a = 2.f * pi * float(x) / across;
                const float b = pi * float(y) / down;
                const V3f d(std::sin(b) * std::sin(a), std::cos(b), std::sin(b) * std::cos(a));
                vertex(middle + d * radius, (d / radius).normalized(), float(x) / across, 1.f - float(y) / down);
            }
        for (int y = 0; y < down; ++y)
            for (int x = 0; x < across; ++x) {
                const int p = first + y * (across + 1) + x;
                const int below = p + across + 1;
                if (y == 0)
                    face({p, below, below + 1});
                else if (y == down - 1)
                    face({p, below, p + 1});
                else
                    face({p, below, below + 1, p + 1});
            }
    }
    /// `inside`: its faces look inwards, as a room's.
    void box(const std::string& name, const V3f& low, const V3f& high, bool inside = false) {
        begin(name);
        for (int axis = 0; axis < 3; ++axis)
            for (int side = 0; side < 2; ++side) {
                const int first = vertices_;
                V3f n(0.f);
                n[axis] = (side ? 1.f : -1.f) * (inside ? -1.f : 1.f);
                for (int k = 0; k < 4; ++k) {
                    V3f p;
                    p[axis] = side ? high[axis] : low[axis];
                    const int u = (axis + 1) % 3;
                    const int v = (axis + 2) % 3;
                    p[u] = k == 1 || k == 2 ? high[u] : low[u];
                    p[v] = k >= 2 ? high[v] : low[v];
                    vertex(p, n, k == 1 || k == 2 ? 1.f : 0.f, k >= 2 ? 1.f : 0.f);
                }
                if ((side == 1) != inside)
                    face({first, first + 1, first + 2, first + 3});
                else
                    face({first, first + 3, first + 2, first + 1});
            }
    }
    void write(const fs::path& file) const { std::ofstream(file) << text_; }

private:
    void begin(const std::string& name) { text_ += "o " + name + "\n"; }
    void vertex(const V3f& p, const V3f& n, float u, float v) {
        char line[200];
        std::snprintf(line, sizeof line, "v %.6f %.6f %.6f\nvn %.5f %.5f %.5f\nvt %.5f %.5f\n", double(p.x),
                      double(p.y), double(p.z), double(n.x), double(n.y), double(n.z), double(u), double(v));
        text_ += line;
        ++vertices_;
    }
    void face(std::initializer_list<int> corners) {
        text_ += "f";
        for (const int k : corners) {
            const std::string n = std::to_string(k + 1);
            text_ += " " + n + "/" + n + "/" + n;
        }
        text_ += "\n";
    }
    std::string text_;
    int vertices_ = 0;
};

class Maker {
public:
    explicit Maker(fs::path folder)
        : folder_(std::move(folder)), stock_(scene::load_stock(shipped_assets() / "stock", {})) {
        fs::create_directories(folder_);
    }

    /// A room at night as a panorama: dim walls, lamps half a degree wide.
    void panorama(const std::string& file) const {
        constexpr int w = 2048;
        constexpr int h = 1024;
        std::vector<V3f> lamps;
        for (int k = 0; k < 9; ++k) {
            const float azimuth = radians(40.f * float(k) + 13.f * float(k % 3));
            const float height = radians(22.f + 17.f * float(k % 4));
            lamps.push_back(
                {std::cos(height) * std::sin(azimuth), std::sin(height), std::cos(height) * std::cos(azimuth)});
        }
        std::vector<V3f> pixels(size_t(w) * h);
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) {
                const float b = pi * (float(y) + .5f) / h;
                const float a = 2.f * pi * ((float(x) + .5f) / w - .5f);
                const V3f d(std::sin(b) * std::sin(a), std::cos(b), std::sin(b) * std::cos(a));
                V3f c = d.y > 0.f ? V3f(.10f, .095f, .09f) : V3f(.05f, .045f, .04f);
                c *= .7f + .3f * std::cos(6.f * a);
                for (const V3f& lamp : lamps)
                    if (d.dot(lamp) > std::cos(radians(.25f))) c = V3f(9000.f, 7600.f, 5600.f);
                pixels[size_t(y) * w + size_t(x)] = c;
            }
        const std::string path = (folder_ / file).string();
        OIIO::ImageSpec spec(w, h, 3, OIIO::TypeDesc::FLOAT);
        spec.attribute("compression", "zip");
        auto out = OIIO::ImageOutput::create(path);
        if (out && out->open(path, spec)) out->write_image(OIIO::TypeDesc::FLOAT, pixels.data());
    }

    /// A scene around the model; `wears` names the build-up of each part.
    Scene scene_of(const std::string& name, const Model& model) const {
        Scene s;
        s.name = name;
        model.write(folder_ / (name + ".obj"));
        s.rigs.push_back(scene::Rig());
        s.rigs[0].id = s.rigs[0].name = s.rig = "bench";
        s.rigs[0].environment.seen = false;
        s.rigs[0].stage.fade_start = 6.f;
        s.rigs[0].stage.fade_end = 12.f;
        s.build_ups.push_back(scene::default_build_up("plain", "Plain"));
        scene::Asset asset;
        asset.file = name + ".obj";
        if (auto imported = geometry::import(folder_ / asset.file, {}, nullptr))
            render::asset_into(s, asset, *imported, "plain");
        s.cameras.push_back(scene::Camera());
        s.cameras[0].id = s.cameras[0].name = s.camera = "main";
        return s;
    }
    static void wear(Scene& s, const std::string& part, const std::string& build_up) {
        for (scene::Part& p : s.parts)
            if (p.source.rfind(part, 0) == 0) p.build_up = build_up;
    }
    /// A build-up of entries of the stock, the base first.
    void dress(Scene& s, const std::string& id, const std::vector<std::string>& entries, float amount = 1.f) const {
        s.build_ups.push_back(scene::default_build_up(id, id));
        for (size_t k = 0; k < entries.size(); ++k) {
            const scene::StockItem* item = stock_.find(entries[k]);
            if (!item) std::fprintf(stderr, "the stock has no %s\n", entries[k].c_str());
            std::string layer = s.build_ups.back().layers[0].id;
            if (k) layer = scene::add_layer(s.build_ups.back(), entries[k]);
            if (item) scene::apply_stock(s, id, layer, *item);
            if (k && s.build_ups.back().layers.back().kind == scene::LayerKind::cover)
                s.build_ups.back().layers.back().amount = amount;
        }
    }
    static void look(Scene& s, const V3f& from, const V3f& at, float length) {
        s.cameras[0].position = from;
        s.cameras[0].target = at;
        s.cameras[0].focal_length = length;
    }
    NoiseScene write(const Scene& s, int reference_samples) const {
        const fs::path file = folder_ / (s.name + ".vemtra");
        if (Status saved = scene::save(s, file); !saved) std::fprintf(stderr, "%s\n", saved.error().line().c_str());
        return {s.name, file, reference_samples};
    }

    NoiseScene coated() const {
        Model m;
        for (int k = 0; k < 3; ++k) m.ball("ball" + std::to_string(k), {1.1f * float(k - 1), .5f, 0.f}, V3f(.5f));
        Scene s = scene_of("coated", m);
        s.rigs[0].environment.image = "lamps.exr";
        dress(s, "car", {"flake-red"});
        dress(s, "brass", {"brass", "varnish-honey"});
        dress(s, "fifteen",
              {"galvanised", "primer-grey", "enamel-sea-green", "lacquer-clear", "rust-young", "varnish-honey",
               "candy-red", "lacquer-matt", "grime", "lacquer-clear", "varnish-dark", "water-film", "shellac", "dust",
               "lacquer-clear"},
              .25f);
        wear(s, "ball0", "car");
        wear(s, "ball1", "brass");
        wear(s, "ball2", "fifteen");
        look(s, {0.f, 1.5f, 4.f}, {0.f, .45f, 0.f}, 42.f);
        return write(s, 1024);
    }
    NoiseScene wax() const {
        Model m;
        for (int k = 0; k < 3; ++k) m.ball("ball" + std::to_string(k), {.11f * float(k - 1), .05f, 0.f}, V3f(.05f));
        Scene s = scene_of("wax", m);
        s.rigs[0].environment.image = "lamps.exr";
        dress(s, "wax", {"wax-white"});
        dress(s, "milk", {"milk"});
        dress(s, "skin", {"skin-fair"});
        wear(s, "ball0", "wax");
        wear(s, "ball1", "milk");
        wear(s, "ball2", "skin");
        look(s, {0.f, .15f, .4f}, {0.f, .045f, 0.f}, 42.f);
        return write(s, 1024);
    }
    NoiseScene lens() const {
        Model m;
        m.ball("lens", {-.35f, .5f, 0.f}, {.14f, .4f, .4f});
        m.ball("glass", {.55f, .36f, .1f}, V3f(.36f));
        Scene s = scene_of("lens", m);
        s.rigs[0].environment.tint = V3f(.08f, .09f, .1f);
        scene::Light lamp;
        lamp.id = lamp.name = "lamp";
        lamp.shape = "sphere";
        lamp.position = {-2.6f, 2.2f, .4f};
        lamp.size = {.16f, .16f};
        lamp.intensity = 900.f;
        s.rigs[0].lights.push_back(lamp);
        s.build_ups.push_back(scene::default_build_up("clear", "Clear"));
        auto& clear = s.build_ups.back().layers[0].surface;
        clear[scene::slot::transmission_weight] = {Value{1.f}, {}};
        clear[scene::slot::specular_roughness] = {Value{0.f}, {}};
        wear(s, "lens", "clear");
        wear(s, "glass", "clear");
        look(s, {.6f, 1.7f, 3.4f}, {.25f, .25f, 0.f}, 40.f);
        return write(s, 4096);
    }
    NoiseScene letters() const {
        Model m;
        m.box("room", {-4.f, 0.f, -3.f}, {4.f, 3.f, 5.f}, true);
        for (int k = 0; k < 7; ++k) {  // strokes of letters before the back wall
            const float x = -2.1f + .7f * float(k);
            m.box("sign" + std::to_string(2 * k), {x, 1.5f, -2.6f}, {x + .06f, 2.1f, -2.55f});
            m.box("sign" + std::to_string(2 * k + 1), {x, k % 2 ? 1.5f : 2.04f, -2.6f},
                  {x + .34f, k % 2 ? 1.56f : 2.1f, -2.55f});
        }
        m.ball("matt", {-.8f, .5f, -1.f}, V3f(.5f));
        m.ball("gloss", {.8f, .5f, -1.f}, V3f(.5f));
        Scene s = scene_of("letters", m);
        s.rigs[0].environment.on = false;
        s.rigs[0].stage.on = false;
        s.build_ups.push_back(scene::default_build_up("sign", "Sign"));
        auto& sign = s.build_ups.back().layers[0].surface;
        sign[scene::slot::emission_luminance] = {Value{16000.f}, {}};
        sign[scene::slot::emission_color] = {Value{V3f(1.f, .35f, .2f)}, {}};
        dress(s, "gloss", {"plastic-glossy"});
        wear(s, "sign", "sign");
        wear(s, "gloss", "gloss");
        look(s, {0.f, 1.6f, 4.2f}, {0.f, 1.1f, -2.f}, 30.f);
        return write(s, 1024);
    }
    NoiseScene lamps() const {
        Model m;
        m.box("floor", {-9.f, -.1f, -9.f}, {9.f, 0.f, 9.f});
        for (int k = 0; k < 5; ++k) m.ball("ball" + std::to_string(k), {1.6f * float(k - 2), .5f, 0.f}, V3f(.5f));
        Scene s = scene_of("lamps", m);
        s.rigs[0].environment.on = false;
        s.rigs[0].stage.on = false;
        for (int k = 0; k < 100; ++k) {
            scene::Light lamp;
            lamp.id = lamp.name = "lamp" + std::to_string(k);
            lamp.shape = k % 2 ? "sphere" : "rectangle";
            lamp.position = {1.8f * float(k % 10) - 8.1f, 1.4f + .2f * float(k % 3), 1.8f * float(k / 10) - 8.1f};
            lamp.target = lamp.position - V3f(0.f, 1.f, 0.f);
            lamp.size = {.08f, .08f};
            lamp.color = {1.f, .8f + .2f * float(k % 2), .6f + .1f * float(k % 5)};
            lamp.intensity = 300.f;
            s.rigs[0].lights.push_back(lamp);
        }
        dress(s, "gloss", {"plastic-glossy"});
        dress(s, "brass", {"brass"});
        wear(s, "ball1", "gloss");
        wear(s, "ball3", "brass");
        look(s, {0.f, 2.2f, 6.f}, {0.f, .3f, 0.f}, 35.f);
        return write(s, 1024);
    }
    NoiseScene metal() const {
        Model m;
        for (int k = 0; k < 12; ++k)
            m.ball("ball" + std::to_string(k), {1.1f * float(k % 6) - 2.75f, .5f + 1.1f * float(k / 6), 0.f}, V3f(.5f));
        Scene s = scene_of("metal", m);
        s.rigs[0].environment.image = "lamps.exr";
        dress(s, "brushed", {"stainless"});
        dress(s, "cast", {"aluminium-cast"});
        dress(s, "spun", {"brass"});
        const char* worn[] = {"brushed", "cast", "spun"};
        for (size_t k = 0; k < s.parts.size(); ++k) s.parts[k].build_up = worn[k % 3];
        look(s, {2.f, 4.f, 16.f}, {0.f, .8f, 0.f}, 60.f);
        return write(s, 1024);
    }

private:
    fs::path folder_;
    scene::Stock stock_;
};

}  // namespace

std::vector<NoiseScene> write_noise_scenes(const fs::path& folder) {
    const Maker make(folder);
    make.panorama("lamps.exr");
    return {{"demo", fs::path(test::source_folder) / "demo" / "lantern.vemtra", 1024},
            make.coated(),
            make.wax(),
            make.lens(),
            make.letters(),
            make.lamps(),
            make.metal()};
}

}  // namespace vemtra::bench
