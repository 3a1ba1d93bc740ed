#include "geometry/subdivision.h"

#include <opensubdiv/far/primvarRefiner.h>
#include <opensubdiv/far/topologyDescriptor.h>

#include <cmath>
#include <numeric>
#include <unordered_map>

#include "base/hash.h"
#include "geometry/relief.h"

namespace vemtra::geometry {
namespace {

namespace Far = OpenSubdiv::Far;
namespace Sdc = OpenSubdiv::Sdc;

/// A value as the library sums it up.
template <class T> struct Summed {
    T value{0.f};
    void Clear(void* = nullptr) { value = T(0.f); }
    void AddWithWeight(const Summed& o, float weight) { value += o.value * weight; }
};

struct HashBytes {
    template <class T> size_t operator()(const T& v) const { return size_t(hash_bytes(&v, sizeof v)); }
};

/// Values of the mesh's vertices as the library has them: one per place and value, told by number for each corner.
template <class T> struct Channel {
    std::vector<Summed<T>> values;
    std::vector<int> of_vertex;
    Channel(const std::vector<T>& of, const std::vector<uint32_t>& place_of) {
        struct Key {
            uint32_t place;
            T value;
            bool operator==(const Key& o) const { return place == o.place && value == o.value; }
        };
        std::unordered_map<Key, int, HashBytes> seen;
        for (size_t v = 0; v < of.size(); ++v) {
            const auto [at, fresh] = seen.try_emplace(Key{place_of[v], of[v]}, int(values.size()));
            if (fresh) values.push_back({of[v]});
            of_vertex.push_back(at->second);
        }
    }
};

class Cage {
public:
    Cage(const Mesh& mesh, bool hard_edges) : m_(mesh), welds_(weld(mesh)) {
        find_polygons();
        if (hard_edges) find_creases();
    }

    /// As many levels as stay within the limit.
    int affordable(int levels) const {
        double faces = 0;
        for (const int n : sizes_) faces += quads() ? n : 4;
        for (int l = 1; l <= levels; ++l, faces *= 4)
            if (faces > double(most_subdivided)) return l - 1;
        return levels;
    }

    std::shared_ptr<const Mesh> refine(int levels, Progress* progress) {
        std::vector<Channel<V2f>> sets;
        if (!m_.uvs.empty()) sets.emplace_back(m_.uvs, welds_->place_of);
        for (const UvSet& s : m_.more_uvs) sets.emplace_back(s.uvs, welds_->place_of);
        std::vector<Channel<V3f>> colors;
        if (!m_.colors.empty()) colors.emplace_back(m_.colors, welds_->place_of);

        Far::TopologyDescriptor d;
        std::vector<int> places;
        for (const uint32_t v : corners_) places.push_back(int(welds_->place_of[v]));
        d.numVertices = int(welds_->places);
        d.numFaces = int(sizes_.size());
        d.numVertsPerFace = sizes_.data();
        d.vertIndicesPerFace = places.data();
        d.numCreases = int(creases_.size() / 2);
        d.creaseVertexIndexPairs = creases_.data();
        const std::vector<float> sharp(creases_.size() / 2, Sdc::Crease::SHARPNESS_INFINITE);
        d.creaseWeights = sharp.data();
        std::vector<std::vector<int>> numbers;
        std::vector<Far::TopologyDescriptor::FVarChannel> channels;
        auto add = [&](const std::vector<int>& of_vertex, size_t count) {
            std::vector<int>& n = numbers.emplace_back();
            for (const uint32_t v : corners_) n.push_back(of_vertex[v]);
            Far::TopologyDescriptor::FVarChannel c;
            c.numValues = int(count);
            channels.push_back(c);
        };
        for (const auto& s : sets) add(s.of_vertex, s.values.size());
        for (const auto& s : colors) add(s.of_vertex, s.values.size());
        for (size_t k = 0; k < channels.size(); ++k) channels[k].valueIndices = numbers[k].data();
        d.numFVarChannels = int(channels.size());
        d.fvarChannels = channels.data();

        Sdc::Options options;
        options.SetVtxBoundaryInterpolation(Sdc::Options::VTX_BOUNDARY_EDGE_AND_CORNER);
        options.SetFVarLinearInterpolation(Sdc::Options::FVAR_LINEAR_CORNERS_ONLY);
        using Factory = Far::TopologyRefinerFactory<Far::TopologyDescriptor>;
        const std::unique_ptr<Far::TopologyRefiner> refiner(
            Factory::Create(d, Factory::Options(quads() ? Sdc::SCHEME_CATMARK : Sdc::SCHEME_LOOP, options)));
        if (!refiner) return nullptr;
        Far::TopologyRefiner::UniformOptions uniform(levels);
        uniform.fullTopologyInLastLevel = true;
        refiner->RefineUniform(uniform);
        if (stopped(progress)) return nullptr;
        const Far::PrimvarRefiner between(*refiner);

        std::vector<Summed<V3f>> points(welds_->places);
        for (size_t v = 0; v < m_.positions.size(); ++v) points[welds_->place_of[v]].value = m_.positions[v];
        for (int l = 1; l <= levels; ++l) {
            std::vector<Summed<V3f>> finer(size_t(refiner->GetLevel(l).GetNumVertices()));
            between.Interpolate(l, points, finer);
            points = std::move(finer);
            for (size_t k = 0; k < sets.size(); ++k) step(between, *refiner, l, int(k), sets[k].values);
            for (size_t k = 0; k < colors.size(); ++k)
                step(between, *refiner, l, int(sets.size() + k), colors[k].values);
            if (stopped(progress)) return nullptr;
            report(progress, float(l) / float(levels + 1));
        }
        std::vector<Summed<V3f>> limit(points.size());
        std::vector<Summed<V3f>> along(points.size());
        std::vector<Summed<V3f>> across(points.size());
        between.Limit(points, limit, along, across);
        auto out = put_together(refiner->GetLevel(levels), limit, along, across, sets, colors);
        tell_cage(*refiner, levels, *out);
        return out;
    }

private:
    bool quads() const { return largest_ > 3; }

    void find_polygons() {
        const bool told = !m_.continues.empty();
        const uint32_t* before = nullptr;
        for (size_t t = 0; t < m_.triangles(); ++t) {
            const uint32_t* i = &m_.indices[3 * t];
            const bool fanned = before && i[0] == before[0] && i[1] == before[2];
            const bool goes_on = fanned && (told ? m_.continues[t] != 0 : sizes_.back() == 3);
            if (goes_on) {
                corners_.push_back(i[2]);
                ++sizes_.back();
            } else {
                corners_.insert(corners_.end(), i, i + 3);
                sizes_.push_back(3);
            }
            largest_ = std::max(largest_, sizes_.back());
            before = i;
        }
    }
    /// Edges at whose ends the normals of both faces differ.
    void find_creases() {
        size_t first = 0;
        std::unordered_map<uint64_t, std::pair<uint32_t, uint32_t>> seen;  // by places; the vertices of the other face
        for (const int n : sizes_) {
            for (int c = 0; c < n; ++c) {
                uint32_t a = corners_[first + size_t(c)];
                uint32_t b = corners_[first + size_t((c + 1) % n)];
                if (welds_->place_of[a] > welds_->place_of[b]) std::swap(a, b);
                const uint64_t key = uint64_t(welds_->place_of[a]) << 32 | welds_->place_of[b];
                const auto [at, fresh] = seen.try_emplace(key, a, b);
                if (fresh) continue;
                auto turned = [&](uint32_t v, uint32_t w) { return m_.normals[v].dot(m_.normals[w]) < .999f; };
                if (turned(a, at->second.first) && turned(b, at->second.second))
                    creases_.insert(creases_.end(), {int(welds_->place_of[a]), int(welds_->place_of[b])});
            }
            first += size_t(n);
        }
    }
    template <class T>
    static void step(const Far::PrimvarRefiner& between, const Far::TopologyRefiner& refiner, int level, int channel,
                     std::vector<Summed<T>>& values) {
        std::vector<Summed<T>> finer(size_t(refiner.GetLevel(level).GetNumFVarValues(channel)));
        between.InterpolateFaceVarying(level, values, finer, channel);
        values = std::move(finer);
    }

    std::shared_ptr<Mesh> put_together(const Far::TopologyLevel& last, const std::vector<Summed<V3f>>& limit,
                                       const std::vector<Summed<V3f>>& along, const std::vector<Summed<V3f>>& across,
                                       const std::vector<Channel<V2f>>& sets,
                                       const std::vector<Channel<V3f>>& colors) const {
        auto out = std::make_shared<Mesh>();
        out->uv_name = m_.uv_name;
        out->uv_per_metre = m_.uv_per_metre;
        for (const UvSet& s : m_.more_uvs) out->more_uvs.push_back({s.name, {}, s.per_metre});
        const size_t channels = sets.size() + colors.size();
        using Key = std::array<int, 8>;
        std::unordered_map<Key, uint32_t, HashBytes> seen;
        seen.reserve(size_t(last.GetNumVertices()));
        auto vertex = [&](const Key& key) {
            const auto [at, fresh] = seen.try_emplace(key, uint32_t(out->positions.size()));
            if (!fresh) return at->second;
            const size_t v = size_t(key[0]);
            out->positions.push_back(limit[v].value);
            const V3f n = along[v].value.cross(across[v].value);
            out->normals.push_back(n.length2() > 0.f && finite(n) ? n.normalized() : V3f(0, 1, 0));
            for (size_t k = 0; k < sets.size() && k < 6; ++k) {
                std::vector<V2f>& uvs = k == 0 && !m_.uvs.empty() ? out->uvs : out->more_uvs[k - !m_.uvs.empty()].uvs;
                uvs.push_back(sets[k].values[size_t(key[k + 1])].value);
            }
            if (!colors.empty()) out->colors.push_back(colors[0].values[size_t(key[7])].value);
            return at->second;
        };
        for (int f = 0; f < last.GetNumFaces(); ++f) {
            const auto corners = last.GetFaceVertices(f);
            uint32_t polygon[4];
            const int n = std::min(4, corners.size());
            for (int c = 0; c < n; ++c) {
                Key key{};
                key[0] = corners[c];
                for (size_t k = 0; k < channels; ++k) {
                    const int value = last.GetFaceFVarValues(f, int(k))[c];
                    if (k < sets.size() && k < 6)
                        key[k + 1] = value;
                    else if (k == sets.size())
                        key[7] = value;
                }
                polygon[c] = vertex(key);
            }
            for (int c = 2; c < n; ++c) {
                out->indices.insert(out->indices.end(), {polygon[0], polygon[c - 1], polygon[c]});
                out->continues.push_back(c > 2);
            }
        }
        // Sets beyond the sixth stay behind: no picture reads more.
        std::erase_if(out->more_uvs, [&](const UvSet& s) { return s.uvs.size() != out->positions.size(); });
        return out;
    }

    /// Which polygon each triangle came from, and how those face.
    void tell_cage(const Far::TopologyRefiner& refiner, int levels, Mesh& out) const {
        std::vector<uint32_t> polygon(sizes_.size());
        std::iota(polygon.begin(), polygon.end(), 0u);
        for (int l = 1; l <= levels; ++l) {
            const Far::TopologyLevel& level = refiner.GetLevel(l);
            std::vector<uint32_t> finer(size_t(level.GetNumFaces()));
            for (size_t f = 0; f < finer.size(); ++f) finer[f] = polygon[size_t(level.GetFaceParentFace(int(f)))];
            polygon = std::move(finer);
        }
        const Far::TopologyLevel& last = refiner.GetLevel(levels);
        for (size_t f = 0; f < polygon.size(); ++f)
            for (int c = 2; c < std::min(4, last.GetFaceVertices(int(f)).size()); ++c)
                out.cage_polygon.push_back(polygon[f]);
        size_t first = 0;
        for (const int n : sizes_) {
            V3f area(0.f);  // twice that, along the normal (Newell)
            V3f told(0.f);
            for (int c = 0; c < n; ++c) {
                const V3f& from = m_.positions[corners_[first]];
                const V3f a = m_.positions[corners_[first + size_t(c)]] - from;
                const V3f b = m_.positions[corners_[first + size_t((c + 1) % n)]] - from;
                area += a.cross(b);
                told += m_.normals[corners_[first + size_t(c)]];
            }
            const float length = area.length();
            const V3f normal = length > 0.f && std::isfinite(length) ? area / length : V3f(0.f);
            out.cage_normals.push_back(told.dot(normal) < 0.f ? -normal : normal);
            first += size_t(n);
        }
    }

    const Mesh& m_;
    std::shared_ptr<const Welds> welds_;
    std::vector<int> sizes_;         ///< of the polygons
    std::vector<uint32_t> corners_;  ///< theirs, as vertices of the mesh
    std::vector<int> creases_;       ///< pairs of places
    int largest_ = 0;
};

}  // namespace

std::shared_ptr<const Mesh> subdivided(const std::shared_ptr<const Mesh>& cage, int levels, bool hard_edges,
                                       Progress* progress) {
    Cage work(*cage, hard_edges);
    levels = work.affordable(std::clamp(levels, 0, 8));
    if (levels == 0 || cage->triangles() == 0) return cage;
    auto out = work.refine(levels, progress);
    if (stopped(progress)) return nullptr;
    return out ? out : cage;
}

}  // namespace vemtra::geometry
