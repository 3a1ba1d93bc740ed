#include "review/map_findings.h"

#include <algorithm>
#include <set>

#include "nodes/description.h"
#include "review/over_points.h"
#include "scene/edits.h"

namespace vemtra::review {
namespace {

using scene::Node;
using texture::ImageHeader;

std::string word_of(const Node& n, const char* port) {
    const nodes::NodeDescription* d = nodes::describe(n.kind);
    const nodes::Port* p = d ? d->port(port) : nullptr;
    const scene::Value v = p ? nodes::literal_of(n, *p) : scene::Value(std::string());
    const auto* text = std::get_if<std::string>(&v);
    return text ? *text : "";
}

/// A slot of a layer that a node feeds, straight or through others.
struct End {
    std::string layer, slot;
    bool straight = false;
};

class Wiring {
public:
    explicit Wiring(const scene::BuildUp& b) {
        for (const scene::Layer& layer : b.layers) {
            if (!layer.on) continue;
            if (!layer.gate.mask.from.empty()) ends_[layer.gate.mask.from].push_back({layer.id, "gate"});
            for (const auto& [slot, input] : layer.surface)
                if (!input.from.empty()) ends_[input.from].push_back({layer.id, slot});
        }
        auto nodes = [&](const std::vector<Node>& list) {
            for (const Node& n : list)
                for (const auto& [name, input] : n.inputs)
                    if (!input.from.empty()) readers_[input.from].push_back(&n);
        };
        nodes(b.commons);
        for (const scene::Layer& layer : b.layers) nodes(layer.nodes);
    }
    std::vector<const Node*> readers(const std::string& id) const {
        const auto it = readers_.find(id);
        return it == readers_.end() ? std::vector<const Node*>() : it->second;
    }
    std::vector<End> ends(const std::string& id) const {
        std::vector<End> out;
        std::set<std::string> seen;
        collect(id, true, seen, out);
        return out;
    }

private:
    void collect(const std::string& id, bool straight, std::set<std::string>& seen, std::vector<End>& out) const {
        if (!seen.insert(id).second) return;
        if (const auto it = ends_.find(id); it != ends_.end())
            for (End e : it->second) e.straight = straight, out.push_back(e);
        for (const Node* n : readers(id)) collect(n->id, false, seen, out);
    }
    std::map<std::string, std::vector<End>> ends_;
    std::map<std::string, std::vector<const Node*>> readers_;
};

bool is_colour_slot(const std::string& slot) { return slot.ends_with("color"); }

/// An edit of one node of one build-up.
std::function<void(scene::Scene&)> on_node(const std::string& build_up, const std::string& node, std::function<void(scene::BuildUp&, Node&)> change) {
    return [=](scene::Scene& s) {
        if (scene::BuildUp* b = scene::find(s.build_ups, build_up))
            if (Node* n = scene::node(*b, node)) change(*b, *n);
    };
}

/// Puts a new node behind `node`: whatever read that reads the new one.
Node* insert_behind(scene::BuildUp& b, const std::string& node, const std::string& kind, const std::string& type, const std::string& name, const std::string& port) {
    const scene::NodePlace place = scene::find_node(b, node);
    if (!place.node) return nullptr;
    const std::string made = scene::add_node(b, place.layer ? place.layer->id : "", kind, type, name);
    scene::for_each_input(b, [&](scene::Input& i) {
        if (i.from == node) i.from = made;
    });
    Node* n = scene::node(b, made);
    if (n) n->inputs[port].from = node;
    return n;
}

std::string number(float v) {
    char text[32];
    std::snprintf(text, sizeof text, "%.2g", double(v));
    return text;
}

/// In the asset's own space: x to the right, y up, z to the front.
std::string direction_text(const V3f& d) {
    static const char* names[3][2] = {{"left", "right"}, {"down", "up"}, {"back", "front"}};
    std::string text;
    for (int c = 0; c < 3; ++c)
        if (std::fabs(d[c]) > .35f) text += (text.empty() ? "" : " and ") + std::string(names[c][d[c] > 0.f]);
    return text;
}

}  // namespace

LightFit fit_light(const std::vector<float>& values, const std::vector<V3f>& normals, const std::vector<int>& groups) {
    LightFit fit;
    struct Group {
        std::vector<size_t> points;
        double level = 0;
    };
    std::map<int, Group> by_group;
    for (size_t i = 0; i < std::min(values.size(), normals.size()); ++i)
        if (std::isfinite(values[i])) by_group[groups.empty() ? 0 : groups[i]].points.push_back(i);
    std::erase_if(by_group, [](const auto& g) { return g.second.points.size() < 16; });  // so few tell nothing by themselves
    double b[3] = {};
    auto light = [&](size_t i) { return 1. + b[0] * double(normals[i].x) + b[1] * double(normals[i].y) + b[2] * double(normals[i].z); };
    double all = 0, left = 0;
    // In turns: the levels for the light that is known, the light for these levels.
    for (int round = 0; round < 12; ++round) {
        double m[3][4] = {};
        all = left = 0;
        size_t n = 0;
        for (auto& [id, g] : by_group) {
            double with = 0, square = 0, sum = 0;
            for (size_t i : g.points) with += double(values[i]) * light(i), square += light(i) * light(i), sum += double(values[i]);
            g.level = square > 0 ? with / square : 0.;
            const double mean = sum / double(g.points.size());
            if (!(g.level > 1e-9) || !(mean > 1e-9)) continue;
            for (size_t i : g.points) {
                const double x[3] = {double(normals[i].x), double(normals[i].y), double(normals[i].z)}, y = double(values[i]) / g.level - 1., off = double(values[i]) / mean - 1., miss = double(values[i]) / g.level - light(i);
                all += off * off;
                left += miss * miss;
                for (int r = 0; r < 3; ++r) {
                    for (int c = 0; c < 3; ++c) m[r][c] += x[r] * x[c];
                    m[r][3] += x[r] * y;
                }
                ++n;
            }
        }
        if (!n) return fit;
        for (int r = 0; r < 3; ++r) m[r][r] += 1e-3 * double(n);  // flat assets: what cannot be told stays 0
        for (int c = 0; c < 3; ++c)  // the matrix is positive definite: no pivots are needed
            for (int r = 0; r < 3; ++r) {
                if (r == c) continue;
                const double f = m[r][c] / m[c][c];
                for (int k = c; k < 4; ++k) m[r][k] -= f * m[c][k];
            }
        for (int c = 0; c < 3; ++c) b[c] = m[c][3] / m[c][c];
    }
    const V3f direction{float(b[0]), float(b[1]), float(b[2])};
    if (!(direction.length() > 1e-6f)) return fit;
    fit.direction = direction.normalized();
    fit.amount = direction.length();
    fit.explained = all > 1e-9 * double(values.size()) ? float(std::max(0., 1. - left / all)) : 0.f;
    return fit;
}

const texture::MapFacts* MapReview::facts(const fs::path& file, const std::string& space, texture::TextureStore& store) {
    std::error_code ec;
    const auto time = fs::last_write_time(file, ec);
    if (ec) return nullptr;
    const auto prepared = store.maps().find(file, space);
    Known& k = known_[file.string()];
    if (k.facts && k.time == time && k.prepared == prepared.has_value()) return &*k.facts;
    // Small files are read whole; of large ones a coarser level of their prepared form, once there is one.
    const auto header = store.header(file);
    const bool small = header && int64_t(header->width) * header->height <= int64_t(1) << 20;
    k = {time, prepared.has_value(), std::nullopt};
    if (!small && !prepared) return nullptr;
    if (auto f = texture::probe_map(small ? file : *prepared, nullptr, small ? 0 : 1024)) k.facts = std::move(*f);
    return k.facts ? &*k.facts : nullptr;
}

std::vector<MapFinding> MapReview::look(const render::Prepared& p, texture::TextureStore& store, const Paths& paths) {
    std::vector<MapFinding> out;
    constexpr int across = 160, down = 100;
    std::vector<VisiblePoint> visible;  // found when the first map asks
    for (size_t at = 0; at < p.scene->build_ups.size(); ++at) {
        const scene::BuildUp& b = p.scene->build_ups[at];
        std::vector<size_t> meshes;
        for (size_t m = 0; m < p.build_up_of_mesh.size(); ++m)
            if (p.build_up_of_mesh[m] == int(at)) meshes.push_back(m);
        if (meshes.empty()) continue;
        const Wiring wiring(b);
        auto look_at = [&](const Node& n) {
            if (n.kind != "image" && n.kind != "heightrelief") return;
            const std::string file = word_of(n, "file");
            const std::vector<End> ends = wiring.ends(n.id);
            if (file.empty() || ends.empty()) return;
            const auto path = paths.find(file);
            const auto files = path ? tile_files(*path) : std::vector<std::pair<int, fs::path>>();
            const auto header = files.empty() ? Result<ImageHeader>(Error{}) : store.header(files.front().second);
            if (!header) return;  // told elsewhere
            const std::string place = b.name + " / " + (n.name.empty() ? n.id : n.name);
            auto tell = [&](const char* what, const std::string& why, const std::string& remedy, const char* action = "", std::function<void(scene::Scene&)> change = {}) {
                out.push_back({{what, path->string(), place, why, remedy}, action, std::move(change)});
            };
            auto set_space = [&](const char* space) { return on_node(b.id, n.id, [space](scene::BuildUp&, Node& x) { x.inputs["colorspace"] = {std::string(space), {}}; }); };

            const nodes::Type type = nodes::describe(n.kind)->output_type(n);
            const int components = n.kind == "heightrelief" ? 1 : nodes::components(type);
            program::ImageRequest request{file, word_of(n, "colorspace"), word_of(n, "channel"), "", "", "", components};
            if (components != 3 && request.colorspace == "auto") request.colorspace = "raw";
            const std::string space = texture::space_of(request, *header);
            const bool into_normal = [&] {
                for (const Node* r : wiring.readers(n.id))
                    if (r->kind == "normalmap") return true;
                return false;
            }();
            const bool straight_colour = std::any_of(ends.begin(), ends.end(), [](const End& e) { return e.straight && is_colour_slot(e.slot); });
            const bool any_colour = std::any_of(ends.begin(), ends.end(), [](const End& e) { return is_colour_slot(e.slot); });
            const bool base_colour = type == nodes::Type::color && std::any_of(ends.begin(), ends.end(), [](const End& e) { return e.slot == "base_color"; });

            if (space != "raw" && !any_colour && (into_normal || type != nodes::Type::color || std::all_of(ends.begin(), ends.end(), [](const End& e) { return e.straight && e.slot != "gate"; })))
                tell("A data map is decoded as a colour", "it feeds " + ends.front().slot + ", but its numbers are read as " + space, "Read its numbers as they are", "Take it raw", set_space("raw"));
            if (space == "raw" && straight_colour && type == nodes::Type::color && !header->floating && header->bits <= 8)
                tell("A colour map is taken raw", "it feeds " + ends.front().slot + ", and 8-bit colours are stored along a curve", "Decode it by what the file says, or choose its space", "Decode it", set_space("auto"));
            if (n.kind == "heightrelief" && header->bits <= 8 && scene::as_number(nodes::literal_of(n, *nodes::describe(n.kind)->port("soften"))) <= 0.f)
                tell("Heights of 8 bits step visibly", "256 levels stand for the whole relief", "Export it with 16 bits or as floats; until then its steps can be softened", "Soften it",
                     on_node(b.id, n.id, [wide = 16.f / float(std::max(1, header->width))](scene::BuildUp&, Node& x) { x.inputs["soften"] = {wide, {}}; }));

            // Of the first tiles of many: what holds for a set is seen in a few.
            std::optional<texture::MapFacts> f;
            for (size_t k = 0; k < std::min<size_t>(4, files.size()); ++k) {
                const texture::MapFacts* one = facts(files[k].second, space, store);
                if (!one) continue;
                if (!f) {
                    f = *one;
                    continue;
                }
                f->constant &= one->constant;
                f->alpha_all_one &= one->alpha_all_one;
                f->normal_tilt = std::max(f->normal_tilt, one->normal_tilt);
                if (std::fabs(one->green_up) > std::fabs(f->green_up)) f->green_up = one->green_up;
            }
            if (f) {
                if (components == 1 && header->alpha >= 0 && (request.channel == "a" || request.channel == "A") && f->alpha_all_one)
                    tell("An alpha channel is one everywhere", "what reads it gets 1 at every point", "Another channel may be meant, or none is needed", "Leave it out", on_node(b.id, n.id, [](scene::BuildUp& x, Node& node) {
                             const std::string id = node.id;
                             scene::for_each_input(x, [&](scene::Input& i) {
                                 if (i.from == id) i.from.clear(), i.value = 1.f;
                             });
                             scene::remove_node(x, id);
                         }));
                if (into_normal && !f->constant) {
                    const bool whole = int64_t(header->width) * header->height <= int64_t(1) << 20;
                    if (whole && f->normal_tilt > .004f && (f->normal_length < .9f || f->normal_length > 1.1f))
                        tell("A normal map's directions have no unit length", "their mean length is " + number(f->normal_length), "It may have been decoded as colour before it was saved, or be no normal map: export it again");
                    for (const Node* r : wiring.readers(n.id)) {
                        if (r->kind != "normalmap") continue;
                        const bool down_here = scene::as_number(nodes::literal_of(*r, *nodes::describe("normalmap")->port("green"))) > .5f;
                        if (std::fabs(f->green_up) > .08f && (f->green_up < 0.f) != down_here)
                            tell("A normal map is of the other handedness", std::string("by its pixels green points ") + (down_here ? "up" : "down") + ", and it is read as pointing " + (down_here ? "down" : "up"), "Dents look like bumps until it is turned around",
                                 "Turn green around", on_node(b.id, r->id, [down_here](scene::BuildUp&, Node& x) { x.inputs["green"] = {down_here ? 0.f : 1.f, {}}; }));
                    }
                }
            }

            // What follows is measured on the asset: the map as its network reads it.
            program::Resources resources = p.resources;
            std::vector<Error> ignored;
            const auto placed = n.inputs.find("texcoord");
            const std::string from = placed == n.inputs.end() ? "" : placed->second.from;
            const program::Program reads = program::compile(b, {{"map", nodes::Type::color, {scene::Value{0.f}, n.id}}}, resources, ignored);
            program::Program where;
            if (!from.empty()) where = program::compile(b, {{"place", nodes::Type::place, {scene::Value{V2f(0.f)}, from}}}, resources, ignored);
            if (resources.images.size() != p.resources.images.size() || resources.uv_sets.size() != p.resources.uv_sets.size() || resources.fields.size() != p.resources.fields.size()) return;

            if (base_colour) {
                // Points all over the parts, so that both sides of the asset speak.
                std::vector<VisiblePoint> points;
                size_t triangles = 0;
                for (size_t m : meshes) triangles += p.geometry->meshes()[m]->triangles();
                const size_t stride = std::max<size_t>(1, triangles / 4000);
                float surface = 0.f;
                std::vector<float> weight;
                for (size_t m : meshes)
                    for (size_t t = 0; t < p.geometry->meshes()[m]->triangles(); t += stride) {
                        const geometry::Mesh& mesh = *p.geometry->meshes()[m];
                        const uint32_t* i = &mesh.indices[3 * t];
                        weight.push_back((mesh.positions[i[1]] - mesh.positions[i[0]]).cross(mesh.positions[i[2]] - mesh.positions[i[0]]).length());
                        surface += weight.back();
                        points.push_back({true, uint32_t(m), uint32_t(t), 1.f / 3.f, 1.f / 3.f, p.scene_size / 300.f});
                    }
                std::vector<size_t> picks(points.size());
                for (size_t i = 0; i < picks.size(); ++i) picks[i] = i;
                std::vector<float> values;
                std::vector<V3f> normals;
                std::vector<int> hues;
                V3f mean(0.f);
                program::Workspace workspace;
                std::vector<const float*> to(size_t(std::max(1, reads.component_count())));
                over_batches(p, points, picks, [&](const nodes::PointBatch& batch, size_t first) {
                    reads.run(batch, workspace, to.data());
                    for (int k = 0; k < batch.n; ++k) {
                        const V3f c(to[0][k], to[1][k], to[2][k]);
                        mean += c * (weight[first + size_t(k)] / std::max(1e-12f, surface));
                        values.push_back(luminance(c));
                        const float sum = std::max(1e-6f, c.x + c.y + c.z);
                        hues.push_back(int(c.x / sum * 12.f) + 16 * int(c.y / sum * 12.f));
                        normals.emplace_back(batch.normal_object[0][k], batch.normal_object[1][k], batch.normal_object[2][k]);
                    }
                }, false);
                const LightFit fit = fit_light(values, normals, hues);
                const bool evened = [&] {
                    for (const Node* r : wiring.readers(n.id))
                        if (r->kind == "evenlight") return true;
                    return false;
                }();
                if (!evened && values.size() >= 200 && fit.explained > .45f && fit.amount > .25f) {
                    const V3f d = fit.direction;
                    const float amount = std::min(.9f, fit.amount);
                    tell("Light seems to be in a colour map", "it is brighter where the surface faces " + direction_text(d) + ": that explains " + std::to_string(int(100.f * fit.explained)) + " % of how each of its hues varies",
                         "Photograph or export it without shading, or take the broad part of it out", "Even it out", on_node(b.id, n.id, [d, amount](scene::BuildUp& x, Node& node) {
                             if (Node* e = insert_behind(x, std::string(node.id), "evenlight", "color3", "Even light", "in")) e->inputs["direction"] = {d, {}}, e->inputs["amount"] = {amount, {}};
                         }));
                }
                const float bright = max_component(mean);
                auto bring = [&](float low, float high) {
                    return on_node(b.id, n.id, [low, high](scene::BuildUp& x, Node& node) {
                        if (Node* r = insert_behind(x, std::string(node.id), "remap", "color3", "Real colours", "in")) r->inputs["outlow"] = {V3f(low), {}}, r->inputs["outhigh"] = {V3f(high), {}};
                    });
                };
                if (straight_colour && bright > .85f) tell("A colour map is brighter than what real materials reflect", "its mean is " + number(bright), "Check its colour space, or bring its range down", "Bring it down", bring(.02f, .8f));
                if (straight_colour && bright < .008f) tell("A colour map is darker than what real materials reflect", "its mean is " + number(bright), "Check its colour space, or bring its range up", "Bring it up", bring(.02f, 1.f));
            }

            // Texels to a pixel of the final picture, across the view (not along it, where a grazing ray sees many).
            const int handle = [&] {
                for (size_t i = 0; i < p.resources.images.size(); ++i)
                    if (p.resources.images[i].file == file && p.resources.images[i].components == components) return int(i);
                return -1;
            }();
            const auto [width, height] = p.textures->size(handle);
            if (width <= 0 || !p.resources.footprint) return;
            if (visible.empty()) visible = render::visible_points(p, across, down);
            std::vector<size_t> picks;
            for (size_t i = 0; i < visible.size(); ++i)
                if (visible[i].hit && p.build_up_of_mesh[visible[i].mesh] == int(at)) picks.push_back(i);
            if (picks.size() < 40) return;
            std::vector<float> texels;
            program::Workspace workspace;
            std::vector<const float*> place_of(size_t(std::max(1, where.component_count())));
            const float to_pixel = float(across) / float(std::max(1, p.scene->render.width));
            over_batches(p, visible, picks, [&](const nodes::PointBatch& batch, size_t) {
                if (!from.empty()) where.run(batch, workspace, place_of.data());
                for (int k = 0; k < batch.n; ++k) {
                    float axis[4];
                    for (size_t a = 0; a < 4; ++a) axis[a] = !from.empty() ? (where.component_count() >= 6 ? place_of[2 + a][k] : 0.f) : batch.uv_axes[a] ? batch.uv_axes[a][k] : 0.f;
                    const float w = float(width), h = float(height), l = std::min(std::hypot(axis[0] * w, axis[1] * h), std::hypot(axis[2] * w, axis[3] * h));
                    if (l > 0.f && std::isfinite(l)) texels.push_back(l * to_pixel);
                }
            });
            if (texels.size() < 40) return;
            std::nth_element(texels.begin(), texels.begin() + long(texels.size() / 2), texels.end());
            const float median = texels[texels.size() / 2];
            const std::string size = std::to_string(width) + " x " + std::to_string(height);
            if (median < .3f) tell("A map is too coarse for the picture", "with " + size + " one texel covers " + number(1.f / median) + " pixels across", "Export it larger, or repeat it more often in its placement");
            if (median > 12.f && std::max(width, height) >= 2048) tell("A map is much finer than the picture needs", "with " + size + " there are " + number(median) + " texels to a pixel", "Harmless; a smaller one would do for this camera");
        };
        for (const Node& n : b.commons) look_at(n);
        for (const scene::Layer& layer : b.layers)
            if (layer.on)
                for (const Node& n : layer.nodes) look_at(n);
    }
    return out;
}

}  // namespace vemtra::review
