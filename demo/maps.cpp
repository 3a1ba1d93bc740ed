// A texture set for the lantern's hardware (bolts, hinges, handle), over the UV tiles that it has: zinc plating with
// white rust in the recesses and scuffed edges, evaluated from networks at every texel.
#include <OpenImageIO/imageio.h>

#include "demo.h"
#include "exchange/collect.h"
#include "geometry/uv_points.h"
#include "render/prepared.h"
#include "review/evaluate_at.h"
#include "scene/edits.h"
#include "scene/project_file.h"
#include "texture/map_set.h"

namespace vemtra::demo {
namespace {

constexpr int size = 1024, padding = 12;

struct Plane {
    std::vector<float> values = std::vector<float>(size_t(size) * size, 0.f);
};

/// Carries values over the borders of islands, ring by ring, and the mean into what is left.
void pad(std::vector<Plane*> planes, std::vector<char> covered) {
    for (int round = 0; round < padding; ++round) {
        const std::vector<char> before = covered;
        for (int y = 0; y < size; ++y)
            for (int x = 0; x < size; ++x) {
                const size_t at = size_t(y) * size + size_t(x);
                if (before[at]) continue;
                for (const auto& [dx, dy] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}}) {
                    const int u = x + dx, v = y + dy;
                    if (u < 0 || v < 0 || u >= size || v >= size || !before[size_t(v) * size + size_t(u)]) continue;
                    for (Plane* p : planes) p->values[at] = p->values[size_t(v) * size + size_t(u)];
                    covered[at] = 1;
                    break;
                }
            }
    }
    for (Plane* p : planes) {
        double sum = 0, count = 0;
        for (size_t i = 0; i < covered.size(); ++i)
            if (covered[i]) sum += double(p->values[i]), ++count;
        for (size_t i = 0; i < covered.size(); ++i)
            if (!covered[i]) p->values[i] = float(sum / std::max(1., count));
    }
}

void write(const fs::path& file, const std::vector<const Plane*>& channels, OIIO::TypeDesc type) {
    OIIO::ImageSpec spec(size, size, int(channels.size()), type);
    spec.attribute("png:compressionLevel", 9);
    std::vector<float> pixels;
    for (int y = size - 1; y >= 0; --y)  // the grid's rows count upwards
        for (int x = 0; x < size; ++x)
            for (const Plane* c : channels) pixels.push_back(c->values[size_t(y) * size + size_t(x)]);
    auto out = OIIO::ImageOutput::create(file.string());
    out->open(file.string(), spec);
    out->write_image(OIIO::TypeDesc::FLOAT, pixels.data());
    out->close();
}

float smooth(float a, float b, float x) {
    const float t = clamp01((x - a) / (b - a));
    return t * t * (3.f - 2.f * t);
}

}  // namespace

bool write_maps(const fs::path& project) {
    auto loaded = scene::load(project);
    if (!loaded) return false;
    scene::Scene s = loaded->scene;
    // A build-up for the evaluation alone: noises and fields as the surface of the hardware.
    scene::BuildUp b = scene::default_build_up("hardware", "Hardware");
    const std::string layer = b.layers.front().id, position = scene::add_node(b, layer, "position", "vector3", "P");
    auto noise = [&](float frequency, float shift) {
        const std::string scaled = scene::add_node(b, layer, "multiply", "vector3", "scaled"),
                          moved = scene::add_node(b, layer, "add", "vector3", "moved"),
                          n = scene::add_node(b, layer, "fractal3d", "float", "n");
        scene::node(b, scaled)->inputs["in1"].from = position;
        scene::node(b, scaled)->inputs["in2"].value = V3f(frequency);
        scene::node(b, moved)->inputs["in1"].from = scaled;
        scene::node(b, moved)->inputs["in2"].value = V3f(shift, .7f * shift, .3f * shift);
        scene::node(b, n)->inputs["position"].from = moved;
        scene::node(b, n)->inputs["octaves"].value = 5.f;
        return n;
    };
    auto cavity = [&](const char* where, float reach) {
        const std::string n = scene::add_node(b, layer, "cavity", "float", where);
        scene::node(b, n)->inputs["where"].value = std::string(where);
        scene::node(b, n)->inputs["reach"].value = reach;
        return n;
    };
    const std::string wanted[] = {noise(60.f, 3.f), noise(220.f, 11.f), noise(900.f, 5.f), cavity("recesses", .008f),
                                  cavity("edges", .003f)};
    std::vector<program::Wanted> outputs;
    for (const std::string& w : wanted) {
        outputs.push_back({w, nodes::Type::number, {scene::Value{0.f}, w}});
        b.layers.front().surface["base_color"].from = w;
    }
    // All nodes must feed something for their fields to be computed: a slot each.
    const char* slots[] = {"specular_roughness", "base_metalness", "coat_weight", "fuzz_weight", "specular_weight"};
    for (int k = 0; k < 5; ++k) b.layers.front().surface[slots[k]].from = wanted[k];
    b.layers.front().surface["base_color"].from.clear();
    *scene::find(s.build_ups, "hardware") = b;
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = project.parent_path();
    const auto prepared = render::prepare(std::make_shared<const scene::Scene>(s), workshop, options);
    program::Resources resources = prepared->resources;
    std::vector<Error> problems;
    const program::Program program = program::compile(b, outputs, resources, problems);

    const fs::path folder = project.parent_path() / "maps";
    fs::create_directories(folder);
    for (int tile = 1001; tile <= 1010; ++tile) {
        Plane red, green, blue, rough, metal, height;
        std::vector<char> covered(size_t(size) * size, 0);
        for (uint32_t mesh = 0; mesh < prepared->parts.size(); ++mesh) {
            if (prepared->parts[mesh]->build_up != "hardware") continue;
            const auto points = geometry::uv_grid_points(prepared->geometry->shape(mesh), size, tile);
            const auto values = review::evaluate_at(*prepared, mesh, points, program);
            for (size_t i = 0; i < points.size(); ++i) {
                if (!points[i].covered || covered[i]) continue;
                covered[i] = 1;
                const float* v = &values[5 * i];
                const float broad = v[0], middle = v[1], fine = v[2], recess = v[3], edge = v[4];
                // White rust: where water stands, broken up; scuffs: on edges; the rest spangled zinc.
                const float rust = smooth(.18f, .62f, recess * .9f + broad * .55f + middle * .25f);
                const float scuff = smooth(.25f, .7f, edge + middle * .35f) * (1.f - rust);
                const float spangle = .5f + .5f * middle;
                V3f zinc = V3f(.60f, .62f, .65f) * (.82f + .22f * spangle);
                zinc = zinc * (1.f - scuff) + V3f(.72f, .72f, .72f) * scuff;
                const V3f white = V3f(.46f, .45f, .42f) * (.8f + .25f * fine + .15f * broad),
                          c = zinc * (1.f - rust) + white * rust;
                red.values[i] = linear_to_srgb(clamp01(c.x));
                green.values[i] = linear_to_srgb(clamp01(c.y));
                blue.values[i] = linear_to_srgb(clamp01(c.z));
                rough.values[i] = clamp01(.34f + .10f * spangle + .42f * rust - .12f * scuff + .05f * fine);
                metal.values[i] = 1.f - rust;
                height.values[i] =
                    clamp01(.45f + .25f * rust + .08f * middle + .06f * fine * (.3f + rust) - .08f * scuff);
            }
        }
        if (std::count(covered.begin(), covered.end(), 1) < 100) continue;
        pad({&red, &green, &blue, &rough, &metal, &height}, covered);
        auto name = [&](const char* kind) {
            return folder / ("hardware_" + std::string(kind) + "." + std::to_string(tile) + ".png");
        };
        write(name("BaseColor"), {&red, &green, &blue}, OIIO::TypeDesc::UINT8);
        write(name("Roughness"), {&rough}, OIIO::TypeDesc::UINT8);
        write(name("Metalness"), {&metal}, OIIO::TypeDesc::UINT8);
        write(name("Height"), {&height}, OIIO::TypeDesc::UINT16);
    }

    // Onto the base of the hardware, as the window does it.
    auto sets = texture::find_map_sets({folder}, problems);
    if (sets.size() != 1) return false;
    texture::probe_map_set(sets[0], problems);
    scene::Scene wired = loaded->scene;
    scene::BuildUp& hardware = *scene::find(wired.build_ups, "hardware");
    nodes::wire_maps(hardware, hardware.layers.front().id, sets[0].name,
                     texture::wires_of(sets[0], project.parent_path()));
    for (scene::Node& n : hardware.layers.front().nodes)
        if (n.kind == "heightrelief") n.inputs["height"].value = .0006f;
    return bool(scene::save(wired, project));
}

}  // namespace vemtra::demo
