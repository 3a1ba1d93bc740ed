#include "render/prepared.h"

#include "nodes/description.h"

namespace vemtra::render {
namespace {

constexpr const char* view_names[] = {"beauty", "clay", "coverage", "normal", "depth", "uv", "node"};

fs::path resolve(const fs::path& folder, const std::string& file) {
    const fs::path p(file);
    return p.is_absolute() ? p : folder / p;
}

fs::file_time_type time_of(const fs::path& file) {
    std::error_code ec;
    const auto t = fs::last_write_time(file, ec);
    return ec ? fs::file_time_type{} : t;
}

surface::Slots slots_from(const program::Program& p) {
    surface::Slots s;
    s.base_color = *p.constant(0);
    s.base_metalness = p.constant(1)->x;
    s.specular_roughness = p.constant(2)->x;
    s.base_diffuse_roughness = p.constant(3)->x;
    s.base_weight = p.constant(4)->x;
    s.specular_weight = p.constant(5)->x;
    s.specular_color = *p.constant(6);
    s.specular_ior = p.constant(7)->x;
    return surface::sane(s);
}

PreparedBuildUp compile_build_up(const scene::BuildUp& b, int first_layer, program::Resources& resources, std::vector<Error>& problems) {
    PreparedBuildUp out;
    for (size_t k = b.layers.size(); k-- > 0;) {
        const scene::Layer& layer = b.layers[k];
        const bool base = k == 0;
        if (!base && (!layer.on || layer.amount <= 0.f)) continue;
        PreparedLayer p;
        p.index = first_layer + int(k);
        p.amount = clamp01(layer.amount);
        p.gate_amount = clamp01(layer.gate.amount);
        if (!base) {
            p.gate = program::compile(b, {{layer.name + " gate", nodes::Type::number, layer.gate.mask}}, resources, problems);
            if (const V3f* mask = p.gate.constant(0)) {
                const float coverage = p.amount * (1.f + p.gate_amount * (clamp01(mask->x) - 1.f));
                if (coverage <= 0.f) continue;  // a layer that cannot show costs nothing
                p.always = coverage >= 1.f;
            }
        } else {
            p.always = true;  // there is always something at the bottom
        }
        std::vector<program::Wanted> wanted;
        for (const nodes::Port& port : nodes::surface_description().ports) {
            const auto it = layer.surface.find(port.name);
            scene::Input input{nodes::literal_of(layer.surface, port), it == layer.surface.end() ? "" : it->second.from};
            wanted.push_back({layer.name + " / " + port.name, port.type, input});
        }
        for (const auto& [name, input] : layer.surface)
            if (!nodes::surface_description().port(name))
                problems.push_back({"A slot is not known and is left out", "", b.name + " / " + layer.name + " / " + name, "OpenPBR Surface 1.1 slots are listed in docs/nodes.md", "Remove it"});
        p.slots = program::compile(b, wanted, resources, problems);
        p.uniform = p.slots.all_constant();
        if (p.uniform) p.fixed = slots_from(p.slots);
        const bool hides_all = p.always;
        out.layers.push_back(std::move(p));
        if (hides_all) break;  // what is under it cannot show
    }
    return out;
}

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

Workshop::AssetState Workshop::asset(const scene::Asset& asset, const fs::path& folder, Progress* progress) {
    const fs::path file = resolve(folder, asset.file);
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

Result<std::shared_ptr<const texture::Picture>> Workshop::picture(const fs::path& file) {
    const auto time = time_of(file);
    {
        std::lock_guard lock(mutex_);
        watched_[file.string()] = time;
        if (auto it = pictures_.find(file.string()); it != pictures_.end() && it->second.time == time) return it->second.value;
    }
    auto read = texture::read_picture(file);
    if (!read) return read.error();
    auto shared = std::make_shared<const texture::Picture>(std::move(*read));
    std::lock_guard lock(mutex_);
    pictures_[file.string()] = {time, shared};
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
    std::vector<fs::path> changed;
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

    // Geometry
    std::vector<std::shared_ptr<const geometry::Mesh>> meshes;
    for (const scene::Asset& asset : s.assets) {
        const Workshop::AssetState state = workshop.asset(asset, options.folder, options.progress);
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
        p->build_ups.push_back(compile_build_up(b, p->first_layer.back(), p->resources, p->problems));
        if (b.id == options.shown_build_up)
            p->build_ups.back().shown = program::compile(b, {{"shown", nodes::Type::color, {scene::Value{0.f}, options.shown_node}}}, p->resources, p->problems);
    }
    scene::BuildUp plain = scene::BuildUp();  // what parts without a build-up wear
    plain.name = "(no build-up)";
    plain.layers.resize(1);
    p->build_ups.push_back(compile_build_up(plain, int(p->layers.size()), p->resources, p->problems));
    p->layers.push_back({"", "", "no build-up"});
    for (const scene::Part* part : p->parts) {
        int index = int(p->build_ups.size()) - 1;
        for (size_t b = 0; b < s.build_ups.size(); ++b)
            if (s.build_ups[b].id == part->build_up && !s.build_ups[b].layers.empty()) index = int(b);
        if (index == int(s.build_ups.size()) && !part->build_up.empty())
            p->problems.push_back({"A part has no material", "", "part " + part->name, "its build-up '" + part->build_up + "' does not exist or is empty", "Give it another one"});
        p->build_up_of_mesh.push_back(index);
    }
    for (auto& b : p->build_ups)
        if (b.layers.empty()) b = p->build_ups.back();
    p->textures = std::make_shared<texture::Textures>(workshop.textures(), p->resources.images, options.folder, p->problems);
    for (const fs::path& file : p->textures->files()) workshop.watch(file);

    // Fields
    std::vector<std::shared_ptr<const geometry::FormField>> fields;
    for (const program::FieldRequest& request : p->resources.fields) {
        std::vector<char> wanted;
        for (int b : p->build_up_of_mesh) wanted.push_back(size_t(b) < s.build_ups.size() && s.build_ups[size_t(b)].id == request.build_up);
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
            std::shared_ptr<const texture::Picture> picture;
            if (!e.image.empty()) {
                auto read = workshop.picture(resolve(options.folder, e.image));
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
