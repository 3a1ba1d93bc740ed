#include "scene/repair.h"

#include <set>

#include "scene/edits.h"

namespace vemtra::scene {
namespace {

constexpr float farthest = 1e6f;    // metres
constexpr float brightest = 1e9f;   // linear light: the sun's disc has 2e9 cd/m2, an open flame 1e4
constexpr float most_tint = 1e4f;   // what multiplies light
constexpr float most_stops = 24.f;  // either way
constexpr float most_shown_stops = 32.f;
constexpr float most_degrees = 3.6e5f;
constexpr size_t most_notes = 200;  // of one file; of the rest the number is told

class Repair {
public:
    Repair(Scene& scene, const std::string& file, std::vector<Error>& problems)
        : scene_(scene), file_(file), problems_(problems) {}
    void ids();
    void ranges();
    void layers();
    void placements();
    void rigs();
    void cameras();
    void decals();
    void paintings();
    void tell_rest();

private:
    void note(const std::string& place, const std::string& why, const std::string& remedy) {
        if (++notes_ <= most_notes) problems_.push_back({"Corrected while loading", file_, place, why, remedy});
    }
    template <class T> void unique(std::vector<T>& items, const std::string& place, FreshIds& taken) {
        for (size_t i = 0; i < items.size(); ++i) {
            const std::string id = taken.take(items[i].id.empty() ? "unnamed" : items[i].id);
            if (id != items[i].id)
                note(place + "[" + std::to_string(i) + "].id", "the id '" + items[i].id + "' is missing or used twice",
                     "It is '" + id + "' now");
            items[i].id = id;
        }
    }
    template <class T> void unique(std::vector<T>& items, const std::string& place) {
        FreshIds taken({});
        unique(items, place, taken);
    }
    template <class T> void within(T& value, T low, T high, const std::string& place) {
        const T kept = std::clamp(value, low, high);
        if (kept != value) note(place, "the value is outside of its range", "It is " + std::to_string(kept) + " now");
        value = kept;
    }
    template <class V> void each_within(V& value, float low, float high, const std::string& place) {
        for (unsigned c = 0; c < V::dimensions(); ++c) within(value[int(c)], low, high, place);
    }
    void light(Light& l, const std::string& place);
    void placement(Placement& p, const std::string& place);

    Scene& scene_;
    const std::string& file_;
    std::vector<Error>& problems_;
    size_t notes_ = 0;
};

void Repair::ids() {
    unique(scene_.assets, "assets");
    unique(scene_.parts, "parts");
    unique(scene_.build_ups, "build_ups");
    unique(scene_.networks, "networks");
    for (Network& n : scene_.networks) unique(n.nodes, "networks." + n.id + ".nodes");
    unique(scene_.rigs, "rigs");
    unique(scene_.cameras, "cameras");
    for (BuildUp& b : scene_.build_ups) {
        FreshIds taken({});  // the nodes of all its layers see each other
        unique(b.layers, "build_ups." + b.id + ".layers");
        unique(b.commons, "build_ups." + b.id + ".commons", taken);
        for (Layer& l : b.layers) unique(l.nodes, "build_ups." + b.id + "." + l.id + ".nodes", taken);
    }
}

void Repair::ranges() {
    within(scene_.render.width, 1, 16384, "render.width");
    within(scene_.render.height, 1, 16384, "render.height");
    within(scene_.render.samples, 1, 1 << 20, "render.samples");
    within(scene_.render.depth, 1, 64, "render.depth");
    within(scene_.render.noise, 0.f, 1.f, "render.noise");
    within(scene_.render.clamp, 0.f, largest_number, "render.clamp");
    within(scene_.render.preview_clamp, 0.f, largest_number, "render.preview_clamp");
    within(scene_.render.relief_pixels, .1f, 1000.f, "render.relief_pixels");
    within(scene_.render.relief_points, 1, 512, "render.relief_points");
    for (Part& p : scene_.parts) within(p.subdivision, 0, 6, "parts." + p.id + ".subdivision");
    within(scene_.display.exposure, -most_shown_stops, most_shown_stops, "display.exposure");
    for (Asset& a : scene_.assets) within(a.scale, 1e-6f, 1e6f, "assets." + a.id + ".scale");
}

void Repair::light(Light& l, const std::string& place) {
    each_within(l.position, -farthest, farthest, place + ".position");
    each_within(l.target, -farthest, farthest, place + ".target");
    each_within(l.size, 0.f, farthest, place + ".size");
    each_within(l.color, 0.f, most_tint, place + ".color");
    within(l.intensity, 0.f, brightest, place + ".intensity");
    within(l.exposure, -most_stops, most_stops, place + ".exposure");
}

void Repair::rigs() {
    for (Rig& r : scene_.rigs) {
        const std::string place = "rigs." + r.id;
        Environment& e = r.environment;
        each_within(e.tint, 0.f, most_tint, place + ".environment.tint");
        each_within(e.backdrop, 0.f, most_tint, place + ".environment.backdrop");
        within(e.exposure, -most_stops, most_stops, place + ".environment.exposure");
        within(e.rotation, -most_degrees, most_degrees, place + ".environment.rotation");
        for (Light& l : r.lights) light(l, place + ".lights." + l.id);
        for (LightGroup& g : r.groups) {
            within(g.exposure, -most_stops, most_stops, place + ".groups." + g.name + ".exposure");
            each_within(g.tint, 0.f, most_tint, place + ".groups." + g.name + ".tint");
        }
        within(r.stage.height, -farthest, farthest, place + ".stage.height");
        within(r.stage.fade_start, 0.f, farthest, place + ".stage.fade_start");
        within(r.stage.fade_end, 0.f, farthest, place + ".stage.fade_end");
    }
}

void Repair::layers() {
    for (BuildUp& b : scene_.build_ups)
        if (!b.layers.empty() && !traits(b.layers[0].kind).may_be_base) {
            note("build_ups." + b.id + "." + b.layers[0].id + ".kind",
                 "the base cannot be a coat: there is nothing to look through to", "It is a cover now");
            b.layers[0].kind = LayerKind::cover;
        }
    for (Layer* l : layers_in_circles(scene_)) {
        note("layers." + l->id + ".build_up", "the build-up '" + l->build_up + "' would contain itself",
             "The layer has a surface of its own now");
        l->build_up.clear();
    }
}

void Repair::placement(Placement& p, const std::string& place) {
    for (int c = 0; c < 3; ++c) {
        within(p.position[c], -farthest, farthest, place + ".position");
        within(p.rotation[c], -most_degrees, most_degrees, place + ".rotation");
        const float size = std::clamp(std::fabs(p.scale[c]), 1e-6f, 1e6f);
        if (size != std::fabs(p.scale[c]))
            note(place + ".scale", "a scale lies between 0.000001 and a million, and is not 0",
                 "It was brought into that range");
        p.scale[c] = std::copysign(size, p.scale[c]);
    }
}

void Repair::placements() {
    for (Asset& a : scene_.assets) placement(a.placement, "assets." + a.id + ".placement");
    for (Part& p : scene_.parts) placement(p.placement, "parts." + p.id + ".placement");
}

void Repair::cameras() {
    for (Camera& c : scene_.cameras) {
        each_within(c.position, -farthest, farthest, "cameras." + c.id + ".position");
        each_within(c.target, -farthest, farthest, "cameras." + c.id + ".target");
        within(c.focal_length, 1.f, 5000.f, "cameras." + c.id + ".focal_length");
        if ((c.target - c.position).length() >= 1e-6f) continue;
        note("cameras." + c.id, "position and target are the same", "The camera was moved back by one metre");
        c.position.z += std::max(1.f, std::fabs(c.position.z) * 1e-3f);  // not lost by rounding, far out
    }
}

void Repair::decals() {
    for (BuildUp& b : scene_.build_ups)
        for (Layer& l : b.layers) {
            Decal& d = l.decal;
            const std::string place = "build_ups." + b.id + "." + l.id + ".decal";
            within(d.steep, 1.f, 90.f, place + ".steep");
            within(d.columns, 1, 256, place + ".columns");
            within(d.rows, 1, 256, place + ".rows");
            within(d.lip, -1.f, 1.f, place + ".lip");
            within(d.lip_width, 1e-6f, 1.f, place + ".lip_width");
            for (Pin& p : d.pins) {
                each_within(p.position, -farthest, farthest, place + ".pins.position");
                within(p.turn, -most_degrees, most_degrees, place + ".pins.turn");
                each_within(p.size, 1e-6f, farthest, place + ".pins.size");
                within(p.cell, 0, 65535, place + ".pins.cell");
                if (p.axis.length() >= 1e-6f) continue;
                note(place + ".pins.axis", "an axis has a length", "It points up now");
                p.axis = V3f(0.f, 1.f, 0.f);
            }
        }
}

void Repair::paintings() {
    unique(scene_.paintings, "paintings");
    auto power_of_two = [&](int& size, const std::string& place) {
        const int before = size;
        size = std::clamp(size, least_sheet, largest_sheet);
        while (size & (size - 1)) size &= size - 1;
        if (size != before)
            note(place, "a sheet is 64 to 8192 texels a side, a power of two",
                 "It is " + std::to_string(size) + " now");
    };
    for (Painting& p : scene_.paintings) {
        const std::string place = "paintings." + p.id;
        if (p.type != "float" && p.type != "color3") {
            note(place + ".type", "a painting is \"float\" or \"color3\"", "It is \"float\" now");
            p.type = "float";
        }
        within(p.texel, 0.f, 1000.f, place + ".texel");
        power_of_two(p.size, place + ".size");
        std::set<int> tiles;
        std::erase_if(p.sheets, [&](const Sheet& s) {
            const bool good = s.tile >= 1001 && s.tile <= 1999 && tiles.insert(s.tile).second;
            if (!good)
                note(place + ".sheets", "a sheet's tile is 1001 to 1999, and is there once",
                     "The sheet " + std::to_string(s.tile) + " was left out");
            return !good;
        });
        for (Sheet& s : p.sheets) power_of_two(s.size, place + ".sheets." + std::to_string(s.tile) + ".size");
    }
}

void Repair::tell_rest() {
    if (notes_ > most_notes)
        problems_.push_back({"Corrected while loading", file_, "",
                             std::to_string(notes_ - most_notes) + " more things like these were wrong",
                             "Look at the program that wrote the file"});
}

}  // namespace

void repair(Scene& scene, const std::string& file, std::vector<Error>& problems) {
    Repair r(scene, file, problems);
    r.ids();
    r.ranges();
    r.layers();
    r.placements();
    r.rigs();
    r.cameras();
    r.decals();
    r.paintings();
    r.tell_rest();
}

}  // namespace vemtra::scene
