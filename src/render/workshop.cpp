#include "render/workshop.h"

#include <unordered_set>

#include "geometry/map_heights.h"
#include "geometry/subdivision.h"

namespace vemtra::render {
namespace {

constexpr size_t most_field_bytes = size_t(64) << 20;  // beside those in use: dragging a reach leaves a trail
constexpr size_t most_borders = 24;
constexpr size_t most_border_bytes = size_t(128) << 20;

fs::file_time_type time_of(const fs::path& file) {
    std::error_code ec;
    const auto t = fs::last_write_time(file, ec);
    return ec ? fs::file_time_type{} : t;
}

std::string key_of(const scene::Asset& asset, const fs::path& file) {
    return file.string() + "|" + std::to_string(asset.scale) + "|" + asset.up;
}

}  // namespace

Workshop::Workshop(size_t budget) : textures_(std::make_shared<texture::TextureStore>(budget)) {
}

const AssetState::Part* AssetState::part(const std::string& name) const {
    const auto it = by_name.find(name);
    return it == by_name.end() ? nullptr : &parts[it->second];
}

namespace {
/// Parts that share a mesh share its form.
void make_forms(AssetState& state) {
    std::unordered_map<const geometry::Mesh*, std::shared_ptr<const geometry::Shape>> shapes;
    for (const geometry::ImportedPart& p : state.imported->parts) {
        auto& shape = shapes[p.mesh.get()];
        if (!shape) shape = geometry::make_shape(p.mesh);
        state.by_name.try_emplace(p.name, state.parts.size());
        state.parts.push_back({shape, p.to_asset, p.bounds().center()});
    }
}
}  // namespace

std::shared_ptr<const AssetState> Workshop::asset(const scene::Asset& asset, const Paths& paths, Progress* progress) {
    auto state = std::make_shared<AssetState>();
    const auto found = paths.find(asset.file);
    if (!found) {
        state->problem = found.error();
        return state;
    }
    const fs::path& file = *found;
    const std::string key = key_of(asset, file);
    const auto time = time_of(file);
    {
        std::lock_guard lock(mutex_);
        watched_[file.string()] = time;
        if (auto it = assets_.find(key); it != assets_.end() && it->second.time == time) return it->second.value;
    }
    auto imported = geometry::import(file.string(), {.scale = asset.scale, .z_up = asset.up == "z"}, progress);
    if (imported) {
        state->imported = std::make_shared<geometry::Imported>(std::move(*imported));
        make_forms(*state);
    } else {
        state->problem = imported.error();
    }
    if (stopped(progress)) return state;
    std::lock_guard lock(mutex_);
    auto& kept = assets_[key];
    if (!state->imported && kept.value &&
        kept.value->imported) {  // a file that is broken while another program writes it keeps its last good form
        auto last = std::make_shared<AssetState>(*kept.value);
        last->problem = state->problem;
        state = last;
    }
    kept = {time, state};
    return state;
}

M44f world_of(const AssetState::Part& part, const scene::Part& placed, const scene::Asset& asset) {
    M44f m = part.to_asset;
    if (!placed.placement.at_rest()) {
        M44f to_pivot;
        M44f back;
        to_pivot.setTranslation(-part.pivot);
        back.setTranslation(part.pivot);
        m = m * to_pivot * scene::matrix_of(placed.placement) * back;
    }
    return asset.placement.at_rest() ? m : m * scene::matrix_of(asset.placement);
}

Result<std::shared_ptr<const EnvironmentImage>> Workshop::environment(const fs::path& file) {
    const auto time = time_of(file);
    {
        std::lock_guard lock(mutex_);
        watched_[file.string()] = time;
        if (auto it = environments_.find(file.string()); it != environments_.end() && it->second.time == time)
            return it->second.value;
    }
    auto read = texture::read_linear_image(file);
    if (!read) return read.error();
    auto shared = std::make_shared<const EnvironmentImage>(std::move(*read));
    std::lock_guard lock(mutex_);
    environments_[file.string()] = {time, shared};
    return shared;
}

void Workshop::turn_to(const scene::Scene& next, const Paths& paths) {
    std::unordered_set<std::string> named;
    for (const scene::Asset& a : next.assets)
        if (const auto file = paths.find(a.file)) named.insert(key_of(a, *file));
    for (const scene::Rig& r : next.rigs)
        if (const auto file = paths.find(r.environment.image)) named.insert(file->string());
    auto others = [&](const auto& kept) { return !named.contains(kept.first); };
    std::lock_guard lock(mutex_);
    std::erase_if(assets_, others);
    std::erase_if(environments_, others);
    last_fields_.clear();
    last_borders_.clear();
}

std::shared_ptr<const geometry::Geometry> Workshop::geometry(std::vector<geometry::Instance> instances) {
    std::shared_ptr<const geometry::Together> kept;
    {
        std::lock_guard lock(mutex_);
        std::erase_if(geometries_, [](const auto& g) { return g.expired(); });
        for (const auto& g : geometries_) {
            const auto last = g.lock();
            if (last && last->instances() == instances) return last;
            if (last && last->together()) kept = last->together();
        }
    }
    auto made = std::make_shared<const geometry::Geometry>(std::move(instances), std::move(kept));
    std::lock_guard lock(mutex_);
    geometries_.push_back(made);
    return made;
}

std::shared_ptr<const geometry::Welds> Workshop::welds(const std::shared_ptr<const geometry::Shape>& shape,
                                                       Progress* progress) {
    {
        std::lock_guard lock(mutex_);
        std::erase_if(welds_, [](const auto& w) { return w.first.expired(); });
        for (const auto& [of, welds] : welds_)
            if (of.lock() == shape) return welds;
    }
    auto made = geometry::weld(shape->faces_as_triangles(), progress);
    if (!made) return nullptr;
    std::lock_guard lock(mutex_);
    welds_.emplace_back(shape, made);
    return made;
}

template <class T>
std::shared_ptr<const T> Workshop::kept(std::vector<MadeOf<T>>& shelf,
                                        const std::shared_ptr<const geometry::Shape>& base, uint64_t key,
                                        const std::function<std::shared_ptr<const T>()>& make) {
    {
        std::lock_guard lock(mutex_);
        std::erase_if(shelf, [](const MadeOf<T>& d) { return d.made.expired() || d.base.expired(); });
        for (const MadeOf<T>& d : shelf)
            if (d.key == key && d.base.lock() == base)
                if (auto made = d.made.lock()) return made;
    }
    auto made = make();
    if (!made) return nullptr;
    std::lock_guard lock(mutex_);
    shelf.push_back({base, key, made});
    return made;
}
std::shared_ptr<const geometry::Shape> Workshop::displaced(
    const std::shared_ptr<const geometry::Shape>& base, uint64_t key,
    const std::function<std::shared_ptr<const geometry::Shape>()>& make) {
    return kept(displaced_, base, key, make);
}
Workshop::FinerHeights Workshop::finer_heights(const std::shared_ptr<const geometry::Shape>& displaced,
                                               const std::function<FinerHeights()>& measure) {
    {
        std::lock_guard lock(mutex_);
        std::erase_if(finer_heights_, [](const auto& f) { return f.first.expired(); });
        for (const auto& [shape, finer] : finer_heights_)
            if (shape.lock() == displaced) return finer;
    }
    if (!measure) return {};
    const FinerHeights finer = measure();
    std::lock_guard lock(mutex_);
    finer_heights_.emplace_back(displaced, finer);
    return finer;
}
std::shared_ptr<const geometry::Shape> Workshop::subdivided(const std::shared_ptr<const geometry::Shape>& base,
                                                            int levels, bool hard_edges, Progress* progress) {
    return kept<geometry::Shape>(displaced_, base, uint64_t(levels) * 2 + hard_edges, [&] {
        const std::shared_ptr<const geometry::Mesh> cage(base, &base->faces_as_triangles());
        const auto mesh = geometry::subdivided(cage, levels, hard_edges, progress);
        return mesh ? geometry::make_shape(mesh) : nullptr;
    });
}
std::shared_ptr<const geometry::MapGrid> Workshop::map_grid(
    const std::shared_ptr<const geometry::Shape>& base, uint64_t key,
    const std::function<std::shared_ptr<const geometry::MapGrid>()>& make) {
    return kept(map_grids_, base, key, make);
}

std::shared_ptr<const geometry::BorderGrid> Workshop::border(
    const std::shared_ptr<const geometry::Shape>& base, uint64_t key,
    const std::function<std::shared_ptr<const geometry::BorderGrid>()>& make) {
    auto grid = kept(borders_, base, key, make);
    if (!grid) return nullptr;
    std::lock_guard lock(mutex_);
    std::erase(last_borders_, grid);
    last_borders_.push_back(grid);
    size_t bytes = 0;
    size_t keep = 0;
    for (auto it = last_borders_.rbegin(); it != last_borders_.rend() && keep < most_borders; ++it, ++keep)
        if ((bytes += (*it)->bytes()) > most_border_bytes && keep > 0) break;
    last_borders_.erase(last_borders_.begin(), last_borders_.end() - long(keep));
    return grid;
}

Result<std::shared_ptr<const texture::HeightTile>> Workshop::heights(const fs::path& file, const std::string& channel,
                                                                     Progress* progress) {
    const auto time = time_of(file);
    const std::string key = file.string() + "|" + channel;
    {
        std::lock_guard lock(mutex_);
        watched_[file.string()] = time;
        if (const auto it = heights_.find(key); it != heights_.end() && it->second.time == time)
            if (auto kept = it->second.value.lock()) return kept;
    }
    auto read = texture::read_heights(file, channel, progress);
    if (!read) return read.error();
    std::lock_guard lock(mutex_);
    heights_[key] = {time, *read};
    return *read;
}

std::shared_ptr<const geometry::FormField> Workshop::field(const std::shared_ptr<const geometry::Geometry>& geometry,
                                                           const geometry::FieldParts& parts,
                                                           const nodes::FieldRequest& request,
                                                           const geometry::PartBorders& mask, int rays,
                                                           Progress* progress) {
    auto find = [&]() -> FieldEntry* {
        std::erase_if(fields_, [](const FieldEntry& e) { return e.geometry.expired() || e.field.expired(); });
        for (FieldEntry& e : fields_)
            if (e.geometry.lock() == geometry && e.request == request && e.parts == parts && e.mask == mask) return &e;
        return nullptr;
    };
    {
        std::lock_guard lock(mutex_);
        if (FieldEntry* e = find())
            if (auto known = e->field.lock(); known && known->rays >= rays) {
                hold(known);
                return known;
            }
    }
    const geometry::FieldAsking asking{progress, mask, &part_fields_};
    auto made = geometry::cached_field(*geometry, parts, request, asking);
    if (!made) {
        geometry->build(progress);  // here: its rays go out from many threads at once
        if (stopped(progress)) return nullptr;
        auto computed = geometry::compute_field(*geometry, parts, request, rays, asking);
        if (!computed) return nullptr;
        if (computed->rays >= geometry::field_rays_final) geometry::keep_field(*computed);
        made = computed;
    }
    std::lock_guard lock(mutex_);
    if (FieldEntry* e = find())
        e->field = made;
    else
        fields_.push_back({geometry, parts, request, mask, made});
    hold(made);
    return made;
}

/// Under the lock.
void Workshop::hold(const std::shared_ptr<const geometry::FormField>& field) {
    std::erase(last_fields_, field);
    last_fields_.push_back(field);
    size_t bytes = 0;
    size_t keep = 0;
    for (auto it = last_fields_.rbegin(); it != last_fields_.rend(); ++it, ++keep)
        if ((bytes += (*it)->bytes()) > most_field_bytes && keep > 0) break;
    last_fields_.erase(last_fields_.begin(), last_fields_.end() - long(keep));
}

std::shared_ptr<const MeshLights> Workshop::mesh_lights(
    const Shining& of, const std::function<std::shared_ptr<const MeshLights>()>& make) {
    {
        std::lock_guard lock(mutex_);
        if (mesh_lights_ && shining_ == of) return mesh_lights_;
    }
    auto made = make();
    std::lock_guard lock(mutex_);
    shining_ = of;
    mesh_lights_ = made;
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
            mesh_lights_ = nullptr;  // a map may say where they shine
        }
    if (!changed.empty()) ++generation_;
    return changed;
}

}  // namespace vemtra::render
