#include "scene/repair.h"

#include <set>

#include "scene/edits.h"

namespace vemtra::scene {
namespace {

class Repair {
public:
    Repair(Scene& scene, const std::string& file, std::vector<Error>& problems)
        : scene_(scene), file_(file), problems_(problems) {}
    void ids();
    void ranges();
    void layers();
    void placements();
    void cameras();

private:
    void note(const std::string& place, const std::string& why, const std::string& remedy) {
        problems_.push_back({"Corrected while loading", file_, place, why, remedy});
    }
    template <class T> void unique(std::vector<T>& items, const std::string& place, std::set<std::string>& taken) {
        for (size_t i = 0; i < items.size(); ++i) {
            std::string id = items[i].id.empty() ? "unnamed" : items[i].id;
            for (int n = 2; taken.count(id); ++n) id = items[i].id + "-" + std::to_string(n);
            if (id != items[i].id)
                note(place + "[" + std::to_string(i) + "].id", "the id '" + items[i].id + "' is missing or used twice",
                     "It is '" + id + "' now");
            items[i].id = id;
            taken.insert(id);
        }
    }
    template <class T> void unique(std::vector<T>& items, const std::string& place) {
        std::set<std::string> taken;
        unique(items, place, taken);
    }
    template <class T> void within(T& value, T low, T high, const std::string& place) {
        const T kept = std::clamp(value, low, high);
        if (kept != value) note(place, "the value is outside of its range", "It is " + std::to_string(kept) + " now");
        value = kept;
    }
    void placement(Placement& p, const std::string& place);

    Scene& scene_;
    const std::string& file_;
    std::vector<Error>& problems_;
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
        std::set<std::string> taken;  // the nodes of all its layers see each other
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
    within(scene_.display.exposure, -32.f, 32.f, "display.exposure");
    for (Asset& a : scene_.assets) within(a.scale, 1e-6f, 1e6f, "assets." + a.id + ".scale");
}

void Repair::layers() {
    for (BuildUp& b : scene_.build_ups) {
        if (!b.layers.empty() && !traits(b.layers[0].kind).may_be_base) {
            note("build_ups." + b.id + "." + b.layers[0].id + ".kind",
                 "the base cannot be a coat: there is nothing to look through to", "It is a cover now");
            b.layers[0].kind = LayerKind::cover;
        }
        for (Layer& l : b.layers)
            if (!l.build_up.empty() && build_up_reaches(scene_, l.build_up, b.id)) {
                note("build_ups." + b.id + "." + l.id + ".build_up", "the build-up would contain itself",
                     "The layer has a surface of its own now");
                l.build_up.clear();
            }
    }
}

void Repair::placement(Placement& p, const std::string& place) {
    for (int c = 0; c < 3; ++c) {
        within(p.position[c], -1e6f, 1e6f, place + ".position");
        within(p.rotation[c], -3.6e5f, 3.6e5f, place + ".rotation");
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
        within(c.focal_length, 1.f, 5000.f, "cameras." + c.id + ".focal_length");
        if ((c.target - c.position).length() >= 1e-6f) continue;
        note("cameras." + c.id, "position and target are the same", "The camera was moved back by one metre");
        c.position.z += 1.f;
    }
}

}  // namespace

void repair(Scene& scene, const std::string& file, std::vector<Error>& problems) {
    Repair r(scene, file, problems);
    r.ids();
    r.ranges();
    r.layers();
    r.placements();
    r.cameras();
}

}  // namespace vemtra::scene
