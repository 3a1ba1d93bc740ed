#include "render/prepared.h"

#include "nodes/description.h"
#include "scene/edits.h"

namespace vemtra::render {
namespace {

constexpr const char* view_names[] = {"beauty", "clay", "coverage", "normal", "depth", "uv", "node"};

fs::file_time_type time_of(const fs::path& file) {
    std::error_code ec;
    const auto t = fs::last_write_time(file, ec);
    return ec ? fs::file_time_type{} : t;
}

/// Values of slots that no layer may have: told once per layer, by the value that is written in the project.
void check_ranges(const scene::BuildUp& b, const scene::Layer& layer, std::vector<Error>& problems) {
    for (const nodes::Port& port : nodes::slots_of(layer).ports) {
        const auto it = layer.surface.find(port.name);
        if (it == layer.surface.end() || !it->second.from.empty()) continue;
        const surface::SlotField* f = surface::slot_field(port.name.c_str());
        const scene::Value& value = it->second.shown();
        const V3f v = std::holds_alternative<float>(value) ? V3f(scene::as_number(value)) : scene::as_vector(value);
        for (int c = 0; f && c < f->components; ++c)
            if (!std::isfinite(v[c]) || v[c] < f->low || v[c] > f->high) {
                char range[64];
                std::snprintf(range, sizeof range, "%g to %g", double(f->low), double(f->high));
                problems.push_back({"A value is outside of its range", "", b.name + " / " + layer.name + " / " + port.name, "it must lie in " + std::string(range), "It is rendered at the nearest end; set it again"});
                break;
            }
    }
}

class BuildUpCompiler {
public:
    BuildUpCompiler(const scene::Scene& scene, const std::vector<int>& first_layer, program::Resources& resources, std::vector<Error>& problems)
        : scene_(scene), first_layer_(first_layer), resources_(resources), problems_(problems) {}

    PreparedBuildUp compile(const scene::BuildUp& b, int first_layer, int depth = 0) {
        PreparedBuildUp out;
        for (size_t k = b.layers.size(); k-- > 0;) {
            const scene::Layer& layer = b.layers[k];
            const bool base = k == 0;
            if (!base && (!layer.on || layer.amount <= 0.f)) continue;
            PreparedLayer p;
            p.index = first_layer + int(k);
            p.coat = layer.kind == "coat" && !base;
            p.amount = base ? 1.f : clamp01(layer.amount);
            p.gate_amount = base ? 1.f : clamp01(layer.gate.amount);
            if (base) {
                p.always = true;
            } else {
                p.gate = program::compile(b, {{layer.name + " gate", nodes::Type::number, layer.gate.mask}}, resources_, problems_);
                if (const V3f* mask = p.gate.constant(0)) {
                    const float coverage = p.amount * (1.f + p.gate_amount * (clamp01(mask->x) - 1.f));
                    if (coverage <= 0.f) continue;
                    p.always = coverage >= 1.f;
                }
            }
            if (!layer.build_up.empty() && !p.coat) nest(b, layer, depth, p);
            else surface(b, layer, p);
            out.may_open |= p.may_open;
            const bool hides_all = p.always && !p.coat;
            out.layers.push_back(std::move(p));
            if (hides_all) break;  // what is under it cannot show
        }
        return out;
    }

private:
    void nest(const scene::BuildUp& b, const scene::Layer& layer, int depth, PreparedLayer& p) {
        for (size_t i = 0; i < scene_.build_ups.size(); ++i) {
            const scene::BuildUp& inner = scene_.build_ups[i];
            if (inner.id != layer.build_up || inner.layers.empty()) continue;
            if (depth > 32 || scene::build_up_reaches(scene_, inner.id, b.id)) {
                problems_.push_back({"A layer is left plain", "", b.name + " / " + layer.name, "the build-up '" + inner.name + "' contains '" + b.name + "' itself", "Choose another build-up for it"});
                return;
            }
            p.nested = std::make_shared<const PreparedBuildUp>(compile(inner, first_layer_[i], depth + 1));
            p.may_open = p.nested->may_open;
            return;
        }
        problems_.push_back({"A layer is left plain", "", b.name + " / " + layer.name, "its build-up '" + layer.build_up + "' does not exist or is empty", "Choose another one, or give the layer a surface"});
    }

    void surface(const scene::BuildUp& b, const scene::Layer& layer, PreparedLayer& p) {
        const nodes::NodeDescription& description = nodes::slots_of(layer);
        std::vector<program::Wanted> all, varying;
        for (const nodes::Port& port : description.ports) {
            const auto it = layer.surface.find(port.name);
            scene::Input input = it == layer.surface.end() ? scene::Input() : it->second;
            input.value = nodes::literal_of(layer.surface, port);
            all.push_back({layer.name + " / " + port.name, port.type, input});
        }
        for (const auto& [name, input] : layer.surface)
            if (!description.port(name))
                problems_.push_back({"A slot is not known and is left out", "", b.name + " / " + layer.name + " / " + name, "a " + layer.kind + " has no such slot; docs/nodes.md lists them", "Remove it"});
        check_ranges(b, layer, problems_);
        const program::Program whole = program::compile(b, all, resources_, problems_);
        for (size_t i = 0; i < all.size(); ++i) {
            const surface::SlotField* f = surface::slot_field(description.ports[i].name.c_str());
            if (const V3f* value = whole.constant(i)) {
                for (int c = 0; c < f->components; ++c) surface::at(p.fixed, *f)[c] = (*value)[c];
            } else {
                p.varying.push_back(f);
                varying.push_back(all[i]);
            }
        }
        p.fixed = surface::sane(p.fixed);
        std::vector<Error> told_before;
        if (!varying.empty()) p.slots = program::compile(b, varying, resources_, told_before);
        p.may_open = !p.coat && p.fixed.geometry_opacity < 1.f;
        for (const surface::SlotField* f : p.varying) p.may_open |= !p.coat && std::string(f->name) == "geometry_opacity";
    }

    const scene::Scene& scene_;
    const std::vector<int>& first_layer_;
    program::Resources& resources_;
    std::vector<Error>& problems_;
};

AreaLight prepare_light(const scene::Light& l, int group) {
    AreaLight a;
    a.shape = l.shape == "sphere" ? AreaLight::Shape::sphere : AreaLight::Shape::rectangle;
    a.center = l.position;
    const V3f to = l.target - l.position;
    a.normal = to.length() > 1e-6f ? to.normalized() : V3f(0, -1, 0);
    const V3f up = std::fabs(a.normal.y) > .999f ? V3f(0, 0, 1) : V3f(0, 1, 0);
    const V3f side = up.cross(a.normal).normalized();
    a.u = side * (.5f * std::max(1e-4f, l.size.x));
    a.v = a.normal.cross(side) * (.5f * std::max(1e-4f, l.size.y));
    a.radius = .5f * std::max(1e-4f, l.size.x);
    a.radiance = l.color * (std::max(0.f, l.intensity) * std::exp2(l.exposure));
    a.group = group;
    a.seen = l.seen;
    return a;
}

}  // namespace

bool view_from_name(const std::string& name, View& view) {
    for (int i = 0; i < 7; ++i)
        if (name == view_names[i]) return view = View(i), true;
    return false;
}
const char* view_name(View view) { return view_names[size_t(view)]; }

Workshop::Workshop(size_t budget) : textures_(std::make_shared<texture::TextureStore>(budget)) {}

Workshop::AssetState Workshop::asset(const scene::Asset& asset, const Paths& paths, Progress* progress) {
    const auto found = paths.find(asset.file);
    if (!found) return {nullptr, found.error()};
    const fs::path& file = *found;
    const std::string key = file.string() + "|" + std::to_string(asset.scale) + "|" + asset.up;
    const auto time = time_of(file);
    {
        std::lock_guard lock(mutex_);
        watched_[file.string()] = time;
        if (auto it = assets_.find(key); it != assets_.end() && it->second.time == time) return it->second.value;
    }
    AssetState state;
    auto imported = geometry::import(file.string(), {.scale = asset.scale, .z_up = asset.up == "z"}, progress);
    if (imported) state.imported = std::make_shared<geometry::Imported>(std::move(*imported));
    else state.problem = imported.error();
    if (stopped(progress)) return state;
    std::lock_guard lock(mutex_);
    auto& kept = assets_[key];
    // A file that is broken while another program writes it keeps its last good form.
    if (!state.imported && kept.value.imported) state.imported = kept.value.imported;
    kept = {time, state};
    return state;
}

Result<std::shared_ptr<const EnvironmentPicture>> Workshop::environment(const fs::path& file) {
    const auto time = time_of(file);
    {
        std::lock_guard lock(mutex_);
        watched_[file.string()] = time;
        if (auto it = environments_.find(file.string()); it != environments_.end() && it->second.time == time) return it->second.value;
    }
    auto read = texture::read_picture(file);
    if (!read) return read.error();
    auto shared = std::make_shared<const EnvironmentPicture>(std::move(*read));
    std::lock_guard lock(mutex_);
    environments_[file.string()] = {time, shared};
    return shared;
}

std::shared_ptr<const geometry::Geometry> Workshop::geometry(const std::vector<std::shared_ptr<const geometry::Mesh>>& meshes, Progress* progress) {
    {
        std::lock_guard lock(mutex_);
        if (auto last = last_geometry_.lock(); last && last->meshes() == meshes) return last;
    }
    auto made = std::make_shared<const geometry::Geometry>(meshes, progress);
    std::lock_guard lock(mutex_);
    if (!stopped(progress)) last_geometry_ = made;
    return made;
}

std::shared_ptr<const geometry::FormField> Workshop::field(const std::shared_ptr<const geometry::Geometry>& geometry, const std::vector<char>& wanted, const program::FieldRequest& request, int rays, Progress* progress) {
    auto find = [&]() -> FieldEntry* {
        std::erase_if(fields_, [](const FieldEntry& e) { return e.geometry.expired(); });
        for (FieldEntry& e : fields_)
            if (e.geometry.lock() == geometry && e.request == request && e.wanted == wanted) return &e;
        return nullptr;
    };
    {
        std::lock_guard lock(mutex_);
        if (FieldEntry* e = find(); e && e->field->rays >= rays) return e->field;
    }
    auto made = geometry::cached_field(*geometry, wanted, request);
    if (!made) {
        auto computed = geometry::compute_field(*geometry, wanted, request, rays, progress);
        if (!computed) return nullptr;
        if (rays >= geometry::field_rays_final) geometry::keep_field(*geometry, wanted, request, *computed);
        made = computed;
    }
    std::lock_guard lock(mutex_);
    if (FieldEntry* e = find()) e->field = made;
    else fields_.push_back({geometry, wanted, request, made});
    if (fields_.size() > 24) fields_.erase(fields_.begin());  // dragging a reach leaves a trail
    return made;
}

void Workshop::watch(const fs::path& file) {
    std::lock_guard lock(mutex_);
    watched_.emplace(file.string(), time_of(file));
}

std::vector<fs::path> Workshop::changed_files() {
    std::lock_guard lock(mutex_);
    std::vector<fs::path> changed = textures_->maps().take_ready();  // prepared now: to be read from there
    for (auto& [file, time] : watched_)
        if (const auto now = time_of(file); now != time && now != fs::file_time_type{}) {
            time = now;
            textures_->forget(file);
            changed.push_back(file);
        }
    return changed;
}

std::shared_ptr<const Prepared> prepare(scene::Snapshot scene, Workshop& workshop, const PrepareOptions& options) {
    auto p = std::make_shared<Prepared>();
    p->scene = scene;
    const scene::Scene& s = *scene;
    const Paths paths(options.folder, s.search_folders, options.blocked);

    // Geometry
    std::vector<std::shared_ptr<const geometry::Mesh>> meshes;
    for (const scene::Asset& asset : s.assets) {
        const Workshop::AssetState state = workshop.asset(asset, paths, options.progress);
        if (stopped(options.progress)) return nullptr;
        if (!state.problem.what.empty()) p->problems.push_back(state.problem);
        if (!state.imported) continue;
        for (const Error& w : state.imported->warnings) p->problems.push_back(w);
        for (const scene::Part& part : s.parts) {
            if (part.asset != asset.id) continue;
            std::shared_ptr<const geometry::Mesh> mesh;
            for (const auto& m : state.imported->parts)
                if (m->name == part.source) mesh = m;
            if (!mesh) {
                p->problems.push_back({"A part is missing", asset.file, "part " + part.name, "the file has no part '" + part.source + "'", "Export it with that name, or remove the part"});
                continue;
            }
            if (!part.visible) continue;
            meshes.push_back(mesh);
            p->parts.push_back(&part);
        }
    }
    for (const scene::Part& part : s.parts)
        if (!scene::find(s.assets, part.asset))
            p->problems.push_back({"A part is left out", "", "part " + part.name, "its asset '" + part.asset + "' does not exist", "Import the asset again"});
    p->geometry = workshop.geometry(meshes, options.progress);
    if (stopped(options.progress)) return nullptr;
    if (const Box3f& box = p->geometry->bounds(); !box.isEmpty()) p->scene_size = std::max(1e-3f, box.size().length());

    // Build-ups
    for (const scene::BuildUp& b : s.build_ups) {
        p->first_layer.push_back(int(p->layers.size()));
        for (const scene::Layer& layer : b.layers) p->layers.push_back({b.id, layer.id, layer.name});
    }
    BuildUpCompiler compiler(s, p->first_layer, p->resources, p->problems);
    for (size_t i = 0; i < s.build_ups.size(); ++i) {
        const scene::BuildUp& b = s.build_ups[i];
        p->build_ups.push_back(compiler.compile(b, p->first_layer[i]));
        if (b.id == options.shown_build_up)
            p->build_ups.back().shown = program::compile(b, {{"shown", nodes::Type::color, {scene::Value{0.f}, options.shown_node}}}, p->resources, p->problems);
    }
    scene::BuildUp plain = scene::BuildUp();  // what parts without a build-up wear
    plain.name = "(no build-up)";
    plain.layers.resize(1);
    p->build_ups.push_back(compiler.compile(plain, int(p->layers.size())));
    p->layers.push_back({"", "", "no build-up"});
    for (const scene::Part* part : p->parts) {
        int index = int(p->build_ups.size()) - 1;
        for (size_t b = 0; b < s.build_ups.size(); ++b)
            if (s.build_ups[b].id == part->build_up && !s.build_ups[b].layers.empty()) index = int(b);
        if (index == int(s.build_ups.size()) && !part->build_up.empty())
            p->problems.push_back({"A part has no material", "", "part " + part->name, "its build-up '" + part->build_up + "' does not exist or is empty", "Give it another one"});
        p->build_up_of_mesh.push_back(index);
        p->priority_of_mesh.push_back(part->priority);
    }
    for (auto& b : p->build_ups) {
        if (b.layers.empty()) b = p->build_ups.back();
        p->may_open |= b.may_open;
    }
    // A node above may have asked for a problem twice, once per part that wears it.
    std::sort(p->problems.begin(), p->problems.end(), [](const Error& a, const Error& b) { return a.line() < b.line(); });
    p->problems.erase(std::unique(p->problems.begin(), p->problems.end(), [](const Error& a, const Error& b) { return a.line() == b.line(); }), p->problems.end());
    if (options.maps_now && !workshop.textures()->prepare(p->resources.images, paths, options.progress)) return nullptr;
    p->textures = std::make_shared<texture::Textures>(workshop.textures(), p->resources.images, paths, p->problems);
    for (const fs::path& file : p->textures->files()) workshop.watch(file);

    // Sets of UVs by name
    const auto& meshes_used = p->geometry->meshes();
    for (const auto& m : meshes_used) p->uv_per_metre.push_back(m->uv_per_metre);
    for (const std::string& name : p->resources.uv_sets)
        for (size_t m = 0; m < meshes_used.size(); ++m) {
            const geometry::Mesh& mesh = *meshes_used[m];
            int set = -1;
            for (size_t k = 0; k < mesh.more_uvs.size(); ++k)
                if (mesh.more_uvs[k].name == name) set = int(k);
            if (set < 0 && mesh.uv_name != name && !mesh.uvs.empty())
                p->problems.push_back({"A set of UVs is missing, the part's first one is read", "", "part " + p->parts[m]->name, "it has none of the name '" + name + "'", "Choose another one in the placement"});
            p->uv_set_of.push_back(set);
            p->uv_per_metre.push_back(set < 0 ? mesh.uv_per_metre : mesh.more_uvs[size_t(set)].per_metre);
        }

    // Fields
    std::vector<std::shared_ptr<const geometry::FormField>> fields;
    for (const program::FieldRequest& request : p->resources.fields) {
        std::vector<char> wanted;
        for (int b : p->build_up_of_mesh) wanted.push_back(size_t(b) < s.build_ups.size() && scene::build_up_reaches(s, s.build_ups[size_t(b)].id, request.build_up));
        fields.push_back(workshop.field(p->geometry, wanted, request, options.field_rays, options.progress));
        if (!fields.back()) return nullptr;
        p->fields_final &= fields.back()->rays >= geometry::field_rays_final;
    }
    p->fields = std::make_shared<geometry::Fields>(p->geometry, fields);

    // Light
    p->groups = {"backdrop"};
    auto group_index = [&](const std::string& name) {
        for (size_t g = 1; g < p->groups.size(); ++g)
            if (p->groups[g] == name) return int(g);
        p->groups.push_back(name);
        return int(p->groups.size()) - 1;
    };
    const scene::Rig* rig = options.rig.empty() ? scene::active_rig(s) : scene::find(s.rigs, options.rig);
    if (!rig) rig = scene::active_rig(s);
    if (rig) {
        const scene::Environment& e = rig->environment;
        p->backdrop = e.backdrop;
        p->environment_seen = e.on && e.seen;
        if (e.on) {
            std::shared_ptr<const EnvironmentPicture> picture;
            if (!e.image.empty()) {
                const auto file = paths.find(e.image);
                auto read = file ? workshop.environment(*file) : Result<std::shared_ptr<const EnvironmentPicture>>(file.error());
                if (read) picture = *read;
                else p->problems.push_back(read.error());
            }
            p->environment_group = group_index(e.group);
            p->environment = std::make_shared<EnvironmentMap>(picture, e.tint * std::exp2(e.exposure), e.rotation);
        }
        for (const scene::Light& l : rig->lights)
            if (l.on && l.intensity > 0.f) {
                p->lights.push_back(prepare_light(l, group_index(l.group)));
                const AreaLight& a = p->lights.back();
                const float distance2 = std::max(1e-4f, (a.center - p->geometry->bounds().center()).length2());
                p->light_share.push_back(std::max(1e-6f, luminance(a.radiance) * a.area() / distance2));
            }
        float environment_power = p->environment ? pi * std::max(1e-6f, p->environment->average_luminance()) : 0.f, total = environment_power;
        for (float x : p->light_share) total += x;
        // No light gets less than a fair part of the choices: a dim one may be the only one that a recess sees.
        const float floor_share = .25f / float(p->lights.size() + 1);
        float sum = 0.f;
        for (float& x : p->light_share) sum += x = std::max(floor_share, x / std::max(1e-9f, total));
        p->environment_share = p->environment ? std::max(floor_share, environment_power / std::max(1e-9f, total)) : 0.f;
        sum += p->environment_share;
        for (float& x : p->light_share) x /= sum;
        p->environment_share /= std::max(1e-9f, sum);
        p->stage_on = rig->stage.on;
        p->stage_height = rig->stage.height;
        p->stage_fade_end = std::max(1e-3f, rig->stage.fade_end);
        p->stage_fade_start = std::clamp(rig->stage.fade_start, 0.f, .999f * p->stage_fade_end);
        p->stage_slots.base_color = rig->stage.color;
        p->stage_slots.specular_roughness = rig->stage.roughness;
        p->stage_slots = surface::sane(p->stage_slots);
    }
    for (const scene::BuildUp& b : s.build_ups)
        for (const scene::Layer& layer : b.layers)
            if (const auto it = layer.surface.find("emission_luminance"); !p->emission_group && it != layer.surface.end() && layer.kind != "coat" &&
                (!it->second.from.empty() || scene::as_number(it->second.shown()) > 0.f))
                p->emission_group = group_index("emission");
    if (const scene::Camera* camera = options.camera.empty() ? scene::active_camera(s) : scene::find(s.cameras, options.camera)) p->camera = *camera;
    return p;
}

std::vector<V3f> group_gains(const Prepared& prepared, const scene::Scene& scene) {
    std::vector<V3f> gains(prepared.groups.size(), V3f(1.f));
    if (const scene::Rig* rig = scene::active_rig(scene))
        for (size_t g = 1; g < gains.size(); ++g)
            if (const scene::LightGroup* group = scene::group(*rig, prepared.groups[g]))
                gains[g] = group->on ? group->tint * std::exp2(group->exposure) : V3f(0.f);
    return gains;
}

}  // namespace vemtra::render
