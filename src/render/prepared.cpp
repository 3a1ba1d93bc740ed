#include "render/prepared.h"

#include <algorithm>
#include <map>
#include <unordered_map>

#include "nodes/description.h"
#include "nodes/slot_names.h"
#include "render/borders.h"
#include "render/fine_relief.h"
#include "render/form_sheets.h"
#include "render/mesh_lights.h"
#include "render/relief.h"
#include "render/surface_walks.h"
#include "scene/edits.h"
#include "scene/part_names.h"

namespace vemtra::render {
namespace {

constexpr float widest = 1e6f;  // metres: beyond, numbers of single precision tell no places apart

/// The steps of making a Prepared, in their order. Each leaves out what is broken and tells it.
class Preparing {
public:
    Preparing(scene::Snapshot scene, Workshop& workshop, const PrepareOptions& options)
        : p_(std::make_shared<Prepared>()),
          s_(*scene),
          shop_(workshop),
          options_(options),
          paths_(options.folder, s_.search_folders, options.blocked) {
        p_->scene = std::move(scene);
    }

    std::shared_ptr<const Prepared> run() {
        const scene::Camera* camera =
            options_.camera.empty() ? scene::active_camera(s_) : scene::find(s_.cameras, options_.camera);
        if (camera) p_->camera = *camera;
        if (!forms()) return nullptr;
        build_ups();
        if (!reliefs()) return nullptr;
        tell_once();
        if (!maps(*p_)) return nullptr;
        walks(*p_);
        p_->geometry->build(options_.progress);
        p_->paint_moves_borders = paint_moves_borders(p_->resources);
        if (was_stopped() || !fields(*p_, field_geometry())) return nullptr;
        if (!light()) return nullptr;
        return p_;
    }

private:
    bool was_stopped() const { return stopped(options_.progress); }

    bool forms() {
        std::unordered_map<std::string, std::vector<const scene::Part*>> parts_of;
        for (const scene::Part& part : s_.parts) parts_of[part.asset].push_back(&part);
        std::vector<geometry::Instance> instances;
        for (const scene::Asset& asset : s_.assets) {
            const auto state = shop_.asset(asset, paths_, options_.progress);
            if (was_stopped()) return false;
            if (!state->problem.what.empty()) p_->problems.push_back(state->problem);
            if (const auto it = parts_of.find(asset.id); it != parts_of.end()) {
                if (state->imported) {
                    p_->problems.insert(p_->problems.end(), state->imported->warnings.begin(),
                                        state->imported->warnings.end());
                    for (const scene::Part* part : it->second) stand(asset, *state, *part, instances);
                }
                parts_of.erase(it);
            }
        }
        for (const scene::Part& part : s_.parts)
            if (parts_of.contains(part.asset))
                p_->problems.push_back({"A part is left out", "", "part " + part.name,
                                        "its asset '" + part.asset + "' does not exist", "Import the asset again"});
        rest_ = p_->geometry = shop_.geometry(std::move(instances));
        if (was_stopped()) return false;
        if (const Box3f& box = p_->geometry->bounds(); !box.isEmpty())
            p_->scene_size = std::max(1e-3f, box.size().length());
        return true;
    }

    void stand(const scene::Asset& asset, const AssetState& state, const scene::Part& part,
               std::vector<geometry::Instance>& instances) {
        const AssetState::Part* form = state.part(part.source);
        if (!form) {
            p_->problems.push_back({"A part is missing", asset.file, "part " + part.name,
                                    "the file has no part '" + part.source + "'",
                                    "Export it with that name, or remove the part"});
            return;
        }
        if (!part.visible) return;
        const bool moved = !part.placement.at_rest() || !asset.placement.at_rest();
        std::shared_ptr<const geometry::Shape> shape = form->shape;
        if (part.subdivision > 0) {
            shape = shop_.subdivided(form->shape, std::min(part.subdivision, 6), part.hard_edges, options_.progress);
            if (!shape) return;  // stopped
            const int levels = std::min(part.subdivision, 6);
            if (double(shape->faces()) < .5 * double(form->shape->faces()) * double(1 << (2 * levels)))
                p_->problems.push_back({"A part is less smooth than asked for", "", "part " + part.name,
                                        "halved so often it would have more faces than a mesh may have",
                                        "Ask for fewer halvings"});
        }
        geometry::Instance instance(shape, world_of(*form, part, asset), moved);
        const Box3f box = instance.bounds();
        if (!finite(box.min) || !finite(box.max) || !(max_component(box.size()) < widest) ||
            !(box.center().length() < widest)) {
            p_->problems.push_back({"A part is left out", asset.file, "part " + part.name,
                                    "it is larger or farther away than a thousand kilometres",
                                    "Set the asset's scale and its place again"});
            return;
        }
        instances.push_back(std::move(instance));
        p_->parts.push_back(&part);
    }

    void build_ups() {
        std::unordered_map<std::string, int> worn;
        for (const scene::BuildUp& b : s_.build_ups) {
            if (!b.layers.empty()) worn.try_emplace(b.id, int(p_->first_layer.size()));
            p_->first_layer.push_back(int(p_->layers.size()));
            for (const scene::Layer& layer : b.layers)
                p_->layers.push_back({b.id, layer.id, layer.name, int(&layer - b.layers.data())});
        }
        BuildUpCompiler compiler(s_, p_->first_layer, p_->resources, p_->problems, p_->geometry.get(), &p_->parts,
                                 options_.loud);
        const auto compiled = compiler.all();
        for (const auto& b : compiled)  // what they hold is judged by how much of it a ray sees
            if (b->decals) p_->resources.footprint = true;
        lost_decals();
        for (size_t i = 0; i < s_.build_ups.size(); ++i) {
            const scene::BuildUp& b = s_.build_ups[i];
            p_->build_ups.push_back(*compiled[i]);
            if (b.id == options_.shown_build_up)
                p_->build_ups.back().shown =
                    program::compile(b, {{"shown", nodes::Type::color, {scene::Value{0.f}, options_.shown_node}}},
                                     p_->resources, p_->problems, &s_.networks);
        }
        scene::BuildUp plain;  // what parts without a build-up wear
        plain.name = "(no build-up)";
        plain.layers.resize(1);
        p_->build_ups.push_back(compiler.compile(plain, int(p_->layers.size())));
        p_->layers.push_back({"", "", "no build-up"});
        for (const scene::Part* part : p_->parts) {
            const auto it = worn.find(part->build_up);
            if (it == worn.end() && !part->build_up.empty())
                p_->problems.push_back({"A part has no material", "", "part " + part->name,
                                        "its build-up '" + part->build_up + "' does not exist or is empty",
                                        "Give it another one"});
            p_->build_up_of.push_back(it == worn.end() ? int(p_->build_ups.size()) - 1 : it->second);
            p_->priority_of.push_back(part->priority);
        }
        for (auto& b : p_->build_ups) {
            if (b.layers.empty()) b = p_->build_ups.back();
            p_->may_open |= b.may_open;
        }
    }

    /// Decals whose part is gone.
    void lost_decals() {
        for (const scene::BuildUp& b : s_.build_ups)
            for (const scene::Layer& l : b.layers)
                for (const scene::Pin& pin : l.decal.pins)
                    if (!pin.part.empty() && !scene::find(s_.parts, pin.part))
                        p_->problems.push_back({"A decal is stuck on nothing", "", b.name + " / " + l.name,
                                                "its part '" + pin.part + "' does not exist",
                                                "Place it again, or remove it"});
    }

    /// A node may have asked for a problem twice, once per part that wears it. Of very many the first are told.
    void tell_once() {
        constexpr size_t most = 1000;
        std::map<std::string, Error> by_line;
        for (Error& e : p_->problems) by_line.try_emplace(e.line(), std::move(e));
        p_->problems.clear();
        for (auto& [line, e] : by_line) {
            if (p_->problems.size() < most)
                p_->problems.push_back(std::move(e));
            else
                break;
        }
        if (by_line.size() > most)
            p_->problems.push_back({"More of the project does not resolve", "", "",
                                    "problems that are not listed: " + std::to_string(by_line.size() - most),
                                    "Mend those above first"});
    }

    /// Forms stand out by the heights of what they wear. Those are computed on the forms as they were.
    bool reliefs() {
        if (options_.relief == Relief::off) return true;
        const auto made = std::make_shared<Prepared>();
        Prepared& rest = *made;
        const auto compiled = compile_reliefs(s_, rest.resources, p_->problems);
        bool any = false;
        for (const int b : p_->build_up_of) any |= size_t(b) < compiled.size() && compiled[size_t(b)];
        for (const scene::Part* part : p_->parts) any |= part->round;
        if (!any) return true;
        p_->paint_goes_further = reads_paint(rest.resources);
        rest.scene = p_->scene;
        rest.geometry = rest_;
        rest.parts = p_->parts;
        rest.build_up_of = p_->build_up_of;
        rest.scene_size = p_->scene_size;
        rest.camera = p_->camera;
        if (!maps(rest)) return false;
        walks(rest);
        const ReliefDetail detail = options_.field_rays < geometry::field_rays_final ? ReliefDetail::quick
                                    : options_.relief == Relief::quick               ? ReliefDetail::steady
                                                                                     : ReliefDetail::full;
        // Fields are those of the form as it is moved by what follows from no field: masks that move it themselves say
        // the same where heights are computed and where light falls.
        const auto below = below_fields(compiled);
        const bool reads = below != compiled;
        bool fields_wait = false;
        if (reads) {
            const bool moves = std::any_of(below.begin(), below.end(), [](const auto& b) { return b != nullptr; });
            fields_wait = moves && options_.field_rays < geometry::field_rays_final;
            if (moves && !fields_wait) {
                if (!rest.resources.borders.empty() && !fields(rest, rest_, false)) return false;
                const auto moved =
                    displace(rest, below, shop_, paths_, {ReliefDetail::steady}, p_->problems, options_.progress);
                if (!moved || was_stopped()) return false;
                field_geometry_ = shop_.geometry(moved->for_fields);
            }
        }
        if ((reads || !rest.resources.borders.empty()) && !fields(rest, reads ? field_geometry() : rest_)) return false;
        p_->problems.insert(p_->problems.end(), rest.problems.begin(), rest.problems.end());
        const auto out =
            displace(rest, compiled, shop_, paths_, {detail, options_.quick_points}, p_->problems, options_.progress);
        if (!out || was_stopped()) return false;
        p_->geometry = shop_.geometry(out->instances);
        p_->cut_heights = out->cut;
        p_->quick_heights = out->quick;
        for (const nodes::ImageRequest& r : rest.resources.images) p_->resources.image(r);  // nodes' pictures show them
        if (auto fine = std::make_shared<const FineRelief>(made, compiled, out->instances, out->spacing, shop_,
                                                           detail == ReliefDetail::quick);
            fine->any())
            p_->fine_relief = std::move(fine);
        if (!reads) field_geometry_ = shop_.geometry(out->for_fields);
        p_->fields_final = rest.fields_final && !fields_wait && (out->final || options_.relief == Relief::quick);
        return true;
    }
    /// Fields of the displaced form are worth their time once hands rest; until then those of the form serve. They are
    /// computed on heights that do not follow the camera: it may move without a new one.
    const std::shared_ptr<const geometry::Geometry>& field_geometry() const {
        return field_geometry_ && options_.field_rays >= geometry::field_rays_final ? field_geometry_ : rest_;
    }

    bool maps(Prepared& p) {
        if (options_.maps_now && !shop_.textures()->prepare(p.resources.images, paths_, options_.progress))
            return false;
        for (const nodes::ImageRequest& r : p.resources.images)
            if (const scene::Painting* own = scene::find(s_.paintings, r.painting); own && own->on_form())
                p.resources.uv_set(own_uv_set(own->id));
        const auto textures = std::make_shared<texture::Textures>(shop_.textures(), p.resources.images, paths_,
                                                                  p.problems, &s_.paintings);
        p.textures = textures;
        for (const fs::path& file : p.textures->files()) shop_.watch(file);
        const auto& instances = p.geometry->instances();
        for (const geometry::Instance& i : instances) p.uv_per_metre.push_back(i.shape->uv_per_metre(-1) / i.scale);
        for (size_t i = 0; i < p.resources.images.size(); ++i)
            for (size_t set = 0; set < p.resources.uv_sets.size(); ++set)
                if (!p.resources.images[i].painting.empty() &&
                    p.resources.uv_sets[set] == own_uv_set(p.resources.images[i].painting))
                    textures->lie_over(int(i), int(set));
        for (const std::string& name : p.resources.uv_sets) {
            const scene::Painting* own = nullptr;
            for (const scene::Painting& painting : s_.paintings)
                if (name == own_uv_set(painting.id)) own = &painting;
            const auto tiles = own ? tiles_of_parts(s_, *own) : std::unordered_map<std::string, int>();
            for (size_t k = 0; k < instances.size(); ++k) {
                const geometry::Shape& shape = *instances[k].shape;
                if (own) {
                    const auto tile = tiles.find(p.parts[k]->id);
                    p.charts_of.push_back(
                        tile == tiles.end()
                            ? nullptr
                            : geometry::charts_of(instances[k].shape, .001f * own->texel / instances[k].scale));
                    p.chart_tile.push_back(tile == tiles.end() ? V2f(0.f) : corner_of_tile(tile->second));
                    p.uv_set_of.push_back(-1);
                    p.uv_per_metre.push_back(0.f);
                    continue;
                }
                p.charts_of.push_back(nullptr);
                p.chart_tile.push_back(V2f(0.f));
                int set = shape.uv_set(name);
                const auto names = shape.uv_set_names();
                if (const std::string property = nodes::property_of(name); !property.empty()) {
                    // A set of UVs is a property, too: its first two numbers.
                    if (set < 0 && name == nodes::property_set(property, 0) &&
                        std::find(names.begin(), names.end(), property) != names.end())
                        set = shape.uv_set(property);
                    else if (set < 0)
                        set = Prepared::no_set;
                } else if (shape.has_uvs() && std::find(names.begin(), names.end(), name) == names.end())
                    p.problems.push_back({"A set of UVs is missing, the part's first one is read", "",
                                          "part " + p.parts[k]->name, "it has none of the name '" + name + "'",
                                          "Choose another one in the placement"});
                p.uv_set_of.push_back(set);
                p.uv_per_metre.push_back(set == Prepared::no_set ? 0.f : shape.uv_per_metre(set) / instances[k].scale);
            }
        }
        return true;
    }

    void walks(Prepared& p) {
        if (p.resources.walks.empty()) return;
        const scene::BuildUpReach reach(s_);
        std::vector<char> reached(p.build_ups.size() + s_.build_ups.size() + 1, 0);
        for (const std::string& b : p.resources.walks) {
            const std::vector<char> to = reach.to(b);
            for (size_t i = 0; i < to.size(); ++i) reached[i] |= to[i];
        }
        std::vector<char> wanted;
        for (const int b : p.build_up_of) wanted.push_back(reached[size_t(b)]);
        p.surface = std::make_shared<const SurfaceWalks>(p, *rest_, shop_, wanted);
    }

    std::shared_ptr<const geometry::FormField> nobody_reads(const Prepared& p) const {
        auto field = std::make_shared<geometry::FormField>();
        field->rays = geometry::field_rays_final;
        field->parts.assign(p.geometry->instances().size(), geometry::FormField::nothing());
        field->contents.assign(field->parts.size(), 0);
        return field;
    }

    static bool reads_fields(const nodes::Resources& needs) {
        return !needs.fields.empty() || std::any_of(needs.borders.begin(), needs.borders.end(),
                                                    [](const auto& b) { return reads_fields(*b.needs); });
    }
    /// Fields, on that geometry, and the borders of masks, on the forms at rest. Not `all_of_them`: only the borders
    /// that follow from no field.
    bool fields(Prepared& p, const std::shared_ptr<const geometry::Geometry>& on, bool all_of_them = true) {
        const int rays = options_.field_rays;
        const BorderLook look =
            rays != geometry::field_rays_known && rays < geometry::field_rays_first ? BorderLook::glance
            : rays < geometry::field_rays_final || options_.relief == Relief::quick ? BorderLook::first
                                                                                    : BorderLook::whole;
        const auto all = std::make_shared<geometry::Fields>(
            on, std::vector<std::shared_ptr<const geometry::FormField>>(p.resources.fields.size()));
        p.fields = all;
        bool final = true;
        const scene::BuildUpReach reach(s_);
        for (const nodes::Resources::Asked& asked : p.resources.order) {
            if (!all_of_them && (!asked.border || reads_fields(*p.resources.borders[asked.index].needs))) {
                if (asked.border) all->add_border({});
            } else if (asked.border) {
                const nodes::BorderRequest& request = p.resources.borders[asked.index];
                if (request.touch) named(p, request.build_up, request.touch->named);
                auto border = find_border(p, *rest_, shop_, request, look, *all, final, options_.progress);
                if (!border) return false;
                all->add_border(std::move(*border));
            } else {
                auto field = this->field(p, on, reach, p.resources.fields[asked.index]);
                if (!field) return false;
                all->set_field(asked.index, std::move(field));
            }
        }
        // Coarse for good where heights are: nothing finer will come.
        p.fields_final &= final || options_.relief == Relief::quick;
        return true;
    }
    std::shared_ptr<const geometry::FormField> field(Prepared& p, const std::shared_ptr<const geometry::Geometry>& on,
                                                     const scene::BuildUpReach& reach,
                                                     const nodes::FieldRequest& request) {
        std::vector<char> reaches = reach.to(request.build_up);
        reaches.push_back(0);  // of the plain one
        std::vector<char> wanted;
        for (int b : p.build_up_of) wanted.push_back(reaches[size_t(b)]);
        if (std::find(wanted.begin(), wanted.end(), 1) == wanted.end()) return nobody_reads(p);
        geometry::PartBorders mask;
        for (size_t b = 0; request.mask && b < p.fields->borders().size(); ++b)
            if (p.resources.borders[b].hash == request.mask && p.resources.borders[b].build_up == request.build_up)
                mask = p.fields->borders()[b];
        auto field = shop_.field(on, {std::move(wanted), named(p, request.build_up, request.named)}, request, mask,
                                 options_.field_rays, options_.progress);
        if (!field) return nullptr;
        p.fields_as_before |= field->rays < geometry::field_rays_first;
        p.fields_final &=
            field->rays >= geometry::field_rays_final && (&p != p_.get() || !field_geometry_ || on == field_geometry_);
        return field;
    }

    /// Which instances are of parts that the request names; told where a name means no part of the project.
    std::vector<char> named(Prepared& p, const std::string& build_up, const std::string& list) {
        const scene::BuildUp* b = scene::find(s_.build_ups, build_up);
        const std::string place = b ? b->name : build_up;
        const std::vector<std::string> names = scene::names_in(list);
        if (names.size() > scene::most_names)
            p_->problems.push_back({"A mask names too many parts", "", place,
                                    "it reads the first " + std::to_string(scene::most_names) + " names",
                                    "Say several at once by a star, as in \"Bolt*\""});
        for (const std::string& name : names) {
            const bool meant = std::any_of(s_.parts.begin(), s_.parts.end(),
                                           [&](const scene::Part& part) { return scene::is_meant(name, part.name); });
            if (!meant)
                p_->problems.push_back({"A mask names a part that is not there", "", place,
                                        "no part is called '" + name + "'", "Choose it again in the mask's detail"});
        }
        return meant_instances(p, list);
    }

    bool light() {
        const scene::Rig* rig = options_.rig.empty() ? scene::active_rig(s_) : scene::find(s_.rigs, options_.rig);
        if (!rig) rig = scene::active_rig(s_);
        if (rig)
            p_->rig = prepare_rig(
                *rig, p_->geometry->bounds().center(), paths_,
                [this](const fs::path& file) { return shop_.environment(file); }, p_->problems);
        if (!mesh_lights()) return false;
        if (p_->emitters) p_->rig.make_room(p_->emitters->share(*p_, p_->rig.power));
        return true;
    }
    static bool reads_paint(const nodes::Resources& needs) {
        return std::any_of(needs.images.begin(), needs.images.end(),
                           [](const nodes::ImageRequest& r) { return !r.painting.empty(); }) ||
               paint_moves_borders(needs);
    }
    static bool paint_moves_borders(const nodes::Resources& needs) {
        return std::any_of(needs.borders.begin(), needs.borders.end(),
                           [](const auto& b) { return reads_paint(*b.needs); });
    }

    bool mesh_lights() {
        Workshop::Shining key{{}, {}, p_->build_up_of, {}, s_.networks};
        bool any = false;
        bool nests = false;
        for (size_t i = 0; i < s_.build_ups.size(); ++i) {
            if (!p_->build_ups[i].may_shine) continue;
            any = true;
            nests |= p_->build_ups[i].height > 1;
            key.build_ups.push_back(s_.build_ups[i]);
        }
        if (!any) return true;
        if (nests) key.build_ups = s_.build_ups;
        auto shines = [&](int b) { return p_->build_ups[size_t(b)].may_shine; };
        for (uint32_t i = 0; i < p_->build_up_of.size(); ++i)
            if (shines(p_->build_up_of[i])) key.instances.emplace_back(i, p_->geometry->instances()[i]);
        const scene::BuildUpReach reach(s_);
        for (const nodes::FieldRequest& r : p_->resources.fields) {
            const std::vector<char> to = reach.to(r.build_up);
            for (size_t b = 0; b < std::min(to.size(), p_->build_ups.size()); ++b)
                if (to[b] && shines(int(b))) key.geometry = p_->geometry;
        }
        if (!p_->rig.emission_group) p_->rig.emission_group = p_->rig.group("emission");
        p_->emitters = shop_.mesh_lights(key, [&] { return MeshLights::make(*p_, options_.progress); });
        return !was_stopped();
    }

    std::shared_ptr<Prepared> p_;
    std::shared_ptr<const geometry::Geometry> rest_;            ///< before heights moved anything
    std::shared_ptr<const geometry::Geometry> field_geometry_;  ///< null: nothing is moved
    const scene::Scene& s_;
    Workshop& shop_;
    const PrepareOptions& options_;
    Paths paths_;
};

}  // namespace

std::vector<char> meant_instances(const Prepared& p, const std::string& list) {
    const std::vector<std::string> names = scene::names_in(list);
    if (names.empty()) return {};
    std::vector<char> meant;
    for (const scene::Part* part : p.parts) meant.push_back(scene::is_meant_by(names, part->name));
    return meant;
}

int Prepared::instance_of(const std::string& part) const {
    for (size_t i = 0; i < parts.size(); ++i)
        if (parts[i]->id == part) return int(i);
    return -1;
}
Box3f Prepared::bounds_of(int build_up) const {
    Box3f box;
    for (size_t i = 0; i < build_up_of.size(); ++i)
        if (build_up_of[i] == build_up) box.extendBy(geometry->instances()[i].bounds());
    return box;
}

std::shared_ptr<const Prepared> prepare(scene::Snapshot scene, Workshop& workshop, const PrepareOptions& options) {
    return Preparing(std::move(scene), workshop, options).run();
}

std::vector<V3f> group_gains(const Prepared& prepared, const scene::Scene& scene) {
    std::vector<V3f> gains(prepared.rig.groups.size(), V3f(1.f));
    if (const scene::Rig* rig = scene::active_rig(scene))
        for (size_t g = 1; g < gains.size(); ++g)
            if (const scene::LightGroup* group = scene::group(*rig, prepared.rig.groups[g]))
                gains[g] = group->on ? group->tint * std::exp2(group->exposure) : V3f(0.f);
    return gains;
}

}  // namespace vemtra::render
