// The forms that stand out by the heights of what they wear.
#include <array>
#include <map>
#include <memory>
#include <mutex>
#include <set>

#include "base/hash.h"
#include "base/shares.h"
#include "geometry/rounding.h"
#include "render/borders.h"
#include "render/materials.h"
#include "render/pinhole.h"
#include "render/relief.h"

namespace vemtra::render {

float relief_spacing(const scene::Scene& scene, const scene::Camera& camera, const Box3f& box, float pixels) {
    const float size = box.size().length();
    V3f nearest = camera.position;
    for (int a = 0; a < 3; ++a) nearest[a] = std::min(box.max[a], std::max(box.min[a], nearest[a]));
    const float distance = std::max((nearest - camera.position).length(), .05f * size);
    const Pinhole eye(camera, std::max(1, scene.render.width), std::max(1, scene.render.height));
    const float spacing = std::max(1e-7f * size, std::max(.1f, pixels) * eye.pixel_angle * distance);
    return std::exp2(std::round(std::log2(spacing)));
}

namespace {

constexpr float widest_lip = .2f;  // of the part's size: what is wider is no edge any more

class Displacing {
public:
    Displacing(const Prepared& rest, const std::vector<std::shared_ptr<const BuildUpRelief>>& reliefs, Workshop& shop,
               const Paths& paths, const ReliefFineness& fineness, std::vector<Error>& problems, Progress* progress)
        : rest_(rest),
          reliefs_(reliefs),
          shop_(shop),
          paths_(paths),
          fineness_(fineness),
          problems_(problems),
          progress_(progress) {}

    std::optional<DisplaceResult> run() {
        DisplaceResult out;
        out.instances = rest_.geometry->instances();
        out.for_fields = out.instances;
        out.spacing.assign(out.instances.size(), 0.f);
        for (size_t i = 0; i < out.instances.size(); ++i) {
            const size_t b = size_t(rest_.build_up_of[i]);
            const BuildUpRelief* relief = b < reliefs_.size() ? reliefs_[b].get() : nullptr;
            if (rest_.parts[i]->flat) relief = nullptr;
            if (relief && relief->least == 0.f && relief->largest == 0.f && !relief->any_way) relief = nullptr;
            const bool round = rest_.parts[i]->round;
            if (!relief && !round) continue;
            if (relief && relief->map && !round) {
                if (auto shape = of_map(uint32_t(i), *relief))
                    out.instances[i].shape = out.for_fields[i].shape = std::move(shape);
            } else {
                static const BuildUpRelief nothing;
                if (!relief) relief = &nothing;
                computed_.push_back({uint32_t(i), relief, hash_of(uint32_t(i), *relief, relief->hash + round)});
            }
            if (stopped(progress_)) return std::nullopt;
        }
        share_points();
        for (const Computed& c : computed_) {
            computed(c, out);
            if (stopped(progress_)) return std::nullopt;
        }
        return out;
    }

private:
    struct Computed {
        uint32_t i;
        const BuildUpRelief* relief;
        uint64_t what;  ///< of all that its heights follow from, but how finely they are computed
    };

    const std::string& name(uint32_t i) const { return rest_.parts[i]->name; }
    const geometry::Instance& instance(uint32_t i) const { return rest_.geometry->instances()[i]; }

    std::shared_ptr<const geometry::Shape> of_map(uint32_t i, const BuildUpRelief& relief) {
        const geometry::Instance& in = instance(i);
        if (!in.shape->has_uvs()) {
            problems_.push_back({"A part has no UVs for its heights; it stays flat", "", "part " + name(i),
                                 "the map's place says that it lies by UVs",
                                 "Project it by its placement, or give the part UVs"});
            return nullptr;
        }
        geometry::MapPlacing placing = relief.map->placing;
        geometry::HeightCurve curve = relief.map->curve;
        curve.scale /= in.scale;
        const auto found = paths_.find(relief.map->image.file);
        if (!found) return nullptr;  // told by who opens maps
        const auto files = tile_files(*found);
        placing.tiled = !files.empty() && files.front().first != 0;
        std::vector<uint64_t> key;
        bool any = false;
        for (const auto& [tile, file] : files) {
            const auto read = shop_.heights(file, relief.map->image.channel, progress_);
            if (stopped(progress_)) return nullptr;
            const size_t at = placing.tiled ? size_t(tile - 1001) : 0;
            if (placing.tiles.size() <= at) placing.tiles.resize(at + 1);
            if (!read) {
                problems_.push_back({"A height map cannot be read; nothing moves where it lies", file.string(),
                                     "part " + name(i), read.error().why, read.error().remedy});
                continue;
            }
            placing.tiles[at] = *read;
            any = true;
        }
        if (!any) return nullptr;
        for (const auto& t : placing.tiles) key.push_back(uint64_t(reinterpret_cast<uintptr_t>(t.get())));
        if (placing.tiled) tell_missing(i, placing, *found);
        limit(i, placing, curve);
        key.push_back(hash_bytes(placing.place, sizeof placing.place));
        key.push_back(placing.repeat);
        const uint64_t lies = hash_bytes(key.data(), key.size() * sizeof key[0]);
        const float numbers[] = {curve.scale, curve.neutral, curve.low, curve.high, curve.gamma};
        return shop_.displaced(in.shape, hash_bytes(numbers, sizeof numbers, lies), [&] {
            const auto welds = shop_.welds(in.shape, progress_);
            if (!welds) return std::shared_ptr<const geometry::Shape>();
            const auto grid = shop_.map_grid(in.shape, lies, [&] {
                const std::shared_ptr<const geometry::Mesh> mesh(in.shape, &in.shape->faces_as_triangles());
                return geometry::map_grid(mesh, welds, placing);
            });
            return geometry::make_displaced(in.shape, welds, geometry::map_heights(grid, curve));
        });
    }
    /// Tiles that the part's UVs lie on and that have no file.
    void tell_missing(uint32_t i, const geometry::MapPlacing& r, const fs::path& pattern) {
        std::set<int> missing;
        const geometry::Mesh& m = instance(i).shape->faces_as_triangles();
        for (size_t f = 0; f < m.triangles(); ++f) {
            const V2f uv = (m.uvs[m.indices[3 * f]] + m.uvs[m.indices[3 * f + 1]] + m.uvs[m.indices[3 * f + 2]]) / 3.f;
            const float u = std::floor(uv.x);
            const float v = std::floor(uv.y);
            if (!(u >= 0.f && u < 10.f && v >= 0.f && v < 100.f)) continue;
            const size_t at = size_t(u) + 10 * size_t(v);
            if (at >= r.tiles.size() || !r.tiles[at]) missing.insert(1001 + int(at));
        }
        if (missing.empty()) return;
        std::string list;
        for (const int t : missing) list += (list.empty() ? "" : ", ") + std::to_string(t);
        problems_.push_back({"Tiles of a height map are missing; nothing moves there", pattern.string(),
                             "part " + name(i), "there is no file for " + list,
                             "Bring the files back, or leave the part flat"});
    }

    /// Heights that are far larger than the part are no relief any more.
    float most_height(uint32_t i) const { return 2.f * std::max(1e-6f, instance(i).shape->bounds().size().length()); }
    void tell_limit(uint32_t i) {
        problems_.push_back({"Heights are larger than the part; they end at twice its size", "", "part " + name(i),
                             "their scale is probably meant in other units", "Set the height's scale again"});
    }
    void limit(uint32_t i, const geometry::MapPlacing& placing, geometry::HeightCurve& curve) {
        const float most = most_height(i);
        float largest = 0.f;
        for (const auto& t : placing.tiles)
            if (t)
                for (const uint16_t code : {t->lowest(), t->highest()})
                    largest = std::max(largest, std::fabs(curve.metres(t->value(code))));
        if (!(largest > most)) return;
        tell_limit(i);
        curve.scale *= most / largest;
    }

    /// That the picture can tell, in the part's own space.
    float wanted_spacing(uint32_t i) const {
        const scene::Scene& s = *rest_.scene;
        return relief_spacing(s, rest_.camera, instance(i).bounds(), s.render.relief_pixels) / instance(i).scale;
    }
    /// How many points each part may have, of those that all have together.
    void share_points() {
        const size_t most = size_t(std::clamp(rest_.scene->render.relief_points, 1, 512)) << 20;
        std::map<std::pair<const geometry::Shape*, uint64_t>, size_t> wanted;  // equal ones are computed once
        for (const Computed& c : computed_) {
            const double points = instance(c.i).shape->sides().points(wanted_spacing(c.i));
            size_t& here = wanted[{instance(c.i).shape.get(), c.what}];
            here = std::max(here, size_t(std::min(points, double(most))));
        }
        std::vector<size_t> all;
        for (const auto& [what, points] : wanted) all.push_back(points);
        most_points_ = std::min(most, largest_share(all, parts_in_full_detail * most));
        first_points_ =
            std::min(first_relief_points, parts_in_full * first_relief_points / std::max<size_t>(1, all.size()));
    }

    /// What heights of a part lie within, in its own space, metres; offsets, where they go any way: reach is above 0
    /// then.
    struct Within {
        float least, largest, reach;
        geometry::DisplacedAs as;
    };
    /// The part displaced by heights that are computed so finely. Null if stopped.
    std::shared_ptr<const geometry::Shape> frozen(const Computed& c, const Within& range, float spacing) {
        const uint32_t i = c.i;
        const BuildUpRelief& relief = *c.relief;
        const geometry::Instance& in = instance(i);
        const geometry::Mesh& m = in.shape->faces_as_triangles();
        const auto welds = shop_.welds(in.shape, progress_);
        if (!welds) return nullptr;
        auto levels = geometry::levels_by_spacing(m, *welds, spacing);
        const float width = std::max(relief.smoothing, spacing * in.scale);
        const bool keeps = !range.as.for_now && (rest_.fields_final || !relief.reads_fields);
        const uint64_t content = keeps ? content_of(i, relief, range, spacing) : 0;
        std::shared_ptr<const geometry::ReliefHeights> heights;
        if (keeps)
            heights = range.reach > 0.f ? geometry::kept_offsets(m, levels, range.reach, content)
                                        : geometry::kept_heights(m, levels, range.least, range.largest, content);
        if (heights) return geometry::make_displaced(in.shape, welds, heights, range.as);
        Lips lips;
        for (const ReliefLayer* layer : relief.with_lips()) {
            if (lips.of(*layer)) continue;
            lips.until = layer;
            const float lip = std::min(layer->lip_width / in.scale, widest_lip * in.shape->bounds().size().length());
            const float numbers[] = {spacing, width, lip};
            auto grid = shop_.border(
                in.shape, hash_bytes(numbers, sizeof numbers, hash_of(i, relief, relief.mask_hash(*layer))), [&] {
                    auto made = geometry::border_grid(
                        m, *welds, levels, lip, geometry::BorderSides::within,
                        [&] { return evaluator(i, relief, width, 1.f, &lips); }, progress_);
                    return made ? std::make_shared<const geometry::BorderGrid>(std::move(*made)) : nullptr;
                });
            if (!grid) return nullptr;
            lips.grids.emplace(layer, std::move(grid));
        }
        lips.until = nullptr;
        heights = range.reach > 0.f
                      ? geometry::freeze_offsets(
                            m, *welds, std::move(levels), range.reach,
                            [&] { return offsets_evaluator(i, relief, width, in.scale, &lips, welds); }, progress_)
                      : geometry::freeze_heights(
                            m, *welds, std::move(levels), range.least, range.largest,
                            [&] { return evaluator(i, relief, width, in.scale, &lips); }, progress_);
        if (!heights) return nullptr;
        if (keeps) geometry::keep_heights(*heights, content);
        return geometry::make_displaced(in.shape, welds, heights, range.as);
    }

    /// How finely the network is computed: as the picture can tell, as far as the points go.
    void computed(const Computed& c, DisplaceResult& out) {
        const uint32_t i = c.i;
        const BuildUpRelief& relief = *c.relief;
        const geometry::Instance& in = instance(i);
        const geometry::Mesh& m = in.shape->faces_as_triangles();
        float least = relief.least / in.scale;
        float largest = relief.largest / in.scale;
        if (const float most = most_height(i); std::max(-least, largest) > most) {
            tell_limit(i);
            least = std::max(least, -most);
            largest = std::min(largest, most);
        }
        const bool round = rest_.parts[i]->round;
        const bool any_way = relief.any_way || round;
        float reach = relief.any_way ? relief.reach / in.scale : 2.f * std::max(-least, largest);
        if (const float most = 2.f * most_height(i); relief.any_way && reach > most) {
            tell_limit(i);
            reach = most;
        }
        if (round) reach += geometry::largest_bulge(m);
        if (relief.any_way && relief.by_uvs() && !in.shape->has_uvs())
            problems_.push_back({"A part has no UVs for its vectors; only what goes outwards moves it", "",
                                 "part " + name(i), "they are told along U and V",
                                 "Choose vectors of the part, or give it UVs"});
        const bool at_work = fineness_.detail == ReliefDetail::quick;
        auto displaced = [&](float spacing, bool only_kept, bool* now = nullptr) {
            const geometry::DisplacedAs as{round, at_work && !only_kept};
            const uint64_t key = hash_bytes(&spacing, sizeof spacing, c.what + as.for_now);
            return shop_.displaced(in.shape, key, [&]() -> std::shared_ptr<const geometry::Shape> {
                if (now) *now = !only_kept;
                return only_kept ? nullptr : frozen(c, {least, largest, any_way ? reach : 0.f, as}, spacing);
            });
        };
        const float smallest = std::exp2(std::floor(std::log2(1e-4f * in.shape->bounds().size().length() + 1e-9f)));
        const float steady = in.shape->sides().affordable(smallest, first_points_);
        const float wanted = wanted_spacing(i);
        const float best = std::min(steady, in.shape->sides().affordable(wanted, most_points_));
        if (best > wanted) out.cut.push_back(i);
        const float quick =
            in.shape->sides().affordable(smallest, first_points_ * fineness_.quick_points / first_relief_points);
        struct Try {
            float spacing;
            bool only_kept;
        };
        using Tries = std::vector<Try>;
        const Tries tries = at_work ? Tries{{best, true}, {steady, true}, {quick, false}}
                            : fineness_.detail == ReliefDetail::full ? Tries{{best, false}}
                                                                     : Tries{{best, true}, {steady, false}};
        float spacing = 0.f;
        if (auto shape = displaced(steady, at_work))
            out.for_fields[i].shape = std::move(shape);
        else
            out.final = false;
        for (const Try& t : tries) {
            if (stopped(progress_)) return;
            bool now = false;
            auto shape = displaced(t.spacing, t.only_kept, &now);
            if (!shape) continue;
            out.quick |= now && at_work;
            out.instances[i].shape = std::move(shape);
            spacing = t.spacing;
            break;
        }
        out.final &= spacing == best;
        out.spacing[i] = spacing * in.scale;
    }
    /// Of all that its heights follow from, but how finely they are computed.
    uint64_t hash_of(uint32_t i, const BuildUpRelief& relief, uint64_t programs) const {
        std::vector<uint64_t> key{programs, rest_.resources.hash(), painted(*rest_.scene, rest_.resources),
                                  shop_.generation(), __builtin_bit_cast(uint32_t, instance(i).scale)};
        // By what is in them: grids that made room for others and are read again from the disk say the same.
        auto add = [&key](const auto& made) { key.push_back(made ? made->content : 0); };
        if (relief.reads_fields && rest_.fields) {
            for (const auto& field : rest_.fields->all()) add(field);
            key.push_back(i);
            key.push_back(rest_.fields_final);
        }
        if (rest_.fields)
            for (const auto& borders : rest_.fields->borders())
                if (i < borders.size()) add(borders[i]);
        return hash_bytes(key.data(), key.size() * sizeof key[0]);
    }
    /// The same in this run or another, with the fineness.
    uint64_t content_of(uint32_t i, const BuildUpRelief& relief, const Within& range, float spacing) const {
        constexpr uint64_t version = 1;  // raised when heights of before are of no use
        const float numbers[] = {spacing, range.least, range.largest, range.reach};
        const uint64_t key[] = {version,
                                hash_text(VEMTRA_VERSION),
                                relief.hash,
                                rest_.resources.hash(),
                                content_read(rest_, instance(i), i, rest_.resources, rest_.fields.get()),
                                rest_.parts[i]->round,
                                i};
        return hash_bytes(key, sizeof key, hash_bytes(numbers, sizeof numbers));
    }
    struct Work {
        PointArrays arrays;
        program::Workspace workspace;
        ReliefDirections ways;
        ReliefOffsets offsets;
    };
    /// Room to work in, of what others have left: it is large, and asked for anew for every few faces.
    std::shared_ptr<Work> room() const {
        std::unique_ptr<Work> work;
        {
            const std::lock_guard lock(mutex_);
            if (!spare_.empty()) work = std::move(spare_.back()), spare_.pop_back();
        }
        if (!work) work = std::make_unique<Work>();
        return {work.release(), [this](Work* w) {
                    std::unique_ptr<Work> left(w);
                    const std::lock_guard lock(mutex_);
                    spare_.push_back(std::move(left));
                }};
    }
    /// Where offsets may go at a place of the part.
    void set_ways(ReliefDirections& ways, size_t k, uint32_t i, uint32_t face, float u, float v,
                  const geometry::Welds& welds) const {
        const geometry::Shape& shape = *instance(i).shape;
        const geometry::Mesh& m = shape.faces_as_triangles();
        const uint32_t* c = &m.indices[3 * size_t(face)];
        auto along = [&](int corner) { return welds.direction[welds.place_of[c[corner]]]; };
        ways.along[k] = along(0) * (1.f - u - v) + along(1) * u + along(2) * v;
        const V3f normal = shape.at(face, u, v).normal;
        V3f tangent = shape.tangent(face);
        tangent -= normal * normal.dot(tangent);
        const float length = tangent.length();
        tangent = length > 1e-6f ? tangent / length : V3f(0.f);
        V3f grows_u;
        V3f grows_v;
        shape.uv_gradients(face, grows_u, grows_v, -1);
        const V3f across = normal.cross(tangent);
        ways.normal[k] = normal;
        ways.tangent[k] = tangent;
        ways.bitangent[k] = across.dot(grows_v) < 0.f ? -across : across;
        ways.facet[k] = m.facet_normal(face);
    }
    /// As evaluator(), of a relief that goes any way: x, y and z.
    geometry::HeightsAt offsets_evaluator(uint32_t i, const BuildUpRelief& relief, float width, float scale,
                                          const Lips* lips, std::shared_ptr<const geometry::Welds> welds) const {
        const geometry::Mesh& m = instance(i).shape->faces_as_triangles();
        auto heights = std::make_shared<std::array<float, geometry::relief_batch>>();
        auto work = room();
        const Prepared* rest = &rest_;
        return [=, this, &relief, &m](int n, const uint32_t* face, const float* u, const float* v, float* out) {
            for (int k = 0; k < n; ++k) {
                const geometry::Place at{i, face[k], u[k], v[k]};
                const geometry::SurfacePoint s = rest->geometry->at(at);
                work->arrays.set(k, *rest, at, s, s.normal, width);
                set_ways(work->ways, size_t(k), i, face[k], u[k], v[k], *welds);
            }
            work->offsets.ways = &work->ways;
            std::fill_n(work->offsets.by.begin(), size_t(n), V3f(0.f));
            relief.heights(work->arrays.batch(n, *rest), work->workspace, heights->data(), lips,
                           relief.any_way ? &work->offsets : nullptr);
            for (size_t k = 0; k < size_t(n); ++k) {
                V3f by = (work->ways.along[k] * (*heights)[k] + work->offsets.by[k]) / scale;
                if (rest->parts[i]->round) by += geometry::bulge(m, *welds, face[k], u[k], v[k]);
                for (size_t c = 0; c < 3; ++c) out[c * size_t(n) + k] = by[int(c)];
            }
        };
    }
    geometry::HeightsAt evaluator(uint32_t i, const BuildUpRelief& relief, float width, float scale,
                                  const Lips* lips) const {
        auto work = room();
        const Prepared* rest = &rest_;
        const auto welds = relief.any_way ? shop_.welds(instance(i).shape) : nullptr;
        return [=, this, &relief](int n, const uint32_t* face, const float* u, const float* v, float* out) {
            for (int k = 0; k < n; ++k) {
                const geometry::Place at{i, face[k], u[k], v[k]};
                const geometry::SurfacePoint s = rest->geometry->at(at);
                work->arrays.set(k, *rest, at, s, s.normal, width);
            }
            if (relief.any_way)  // it is a mask that is asked for, and may follow from the height
                for (int k = 0; k < n; ++k) set_ways(work->ways, size_t(k), i, face[k], u[k], v[k], *welds);
            work->offsets.ways = &work->ways;
            relief.heights(work->arrays.batch(n, *rest), work->workspace, out, lips,
                           relief.any_way ? &work->offsets : nullptr);
            for (int k = 0; k < n; ++k) out[k] /= scale;
        };
    }

    const Prepared& rest_;
    const std::vector<std::shared_ptr<const BuildUpRelief>>& reliefs_;
    Workshop& shop_;
    const Paths& paths_;
    ReliefFineness fineness_;
    std::vector<Error>& problems_;
    Progress* progress_;
    std::vector<Computed> computed_;
    size_t first_points_ = 0, most_points_ = 0;  ///< of each part
    mutable std::mutex mutex_;
    mutable std::vector<std::unique_ptr<Work>> spare_;
};

}  // namespace

std::optional<DisplaceResult> displace(const Prepared& rest,
                                       const std::vector<std::shared_ptr<const BuildUpRelief>>& reliefs,
                                       Workshop& workshop, const Paths& paths, const ReliefFineness& fineness,
                                       std::vector<Error>& problems, Progress* progress) {
    return Displacing(rest, reliefs, workshop, paths, fineness, problems, progress).run();
}

}  // namespace vemtra::render
