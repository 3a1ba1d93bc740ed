// Heights and offsets that are computed once, at every grid point of every face.
#include "geometry/frozen_heights.h"

#include <atomic>
#include <numeric>

#include "base/parallel.h"

namespace vemtra::geometry {
namespace {

/// Collects places and hands them on in batches; `take(value)` gets the values in the order of the places.
template <size_t N> class Batches {
public:
    explicit Batches(const HeightsAt& evaluate) : evaluate_(evaluate), out_(N * relief_batch) {}
    template <class Take> void add(uint32_t face, float u, float v, Take&& take) {
        face_[size_t(n_)] = face;
        u_[size_t(n_)] = u;
        v_[size_t(n_)] = v;
        if (++n_ == relief_batch) flush(take);
    }
    template <class Take> void flush(Take&& take) {
        if (n_ == 0) return;
        evaluate_(n_, face_.data(), u_.data(), v_.data(), out_.data());
        for (size_t k = 0; k < size_t(n_); ++k) {
            std::array<float, N> value;
            for (size_t c = 0; c < N; ++c) {
                const float x = out_[c * size_t(n_) + k];
                value[c] = std::isfinite(x) ? x : 0.f;
            }
            take(value);
        }
        n_ = 0;
    }

private:
    const HeightsAt& evaluate_;
    int n_ = 0;
    std::array<uint32_t, relief_batch> face_;
    std::array<float, relief_batch> u_, v_;
    std::vector<float> out_;
};

constexpr float corner_u[3] = {0.f, 1.f, 0.f};
constexpr float corner_v[3] = {0.f, 0.f, 1.f};

template <size_t N> struct Mean {
    std::array<double, N> sum{};
    double weight = 0.0;
    void add(const std::array<float, N>& value, double w = 1.0) {
        for (size_t c = 0; c < N; ++c) sum[c] += w * double(value[c]);
        weight += w;
    }
    std::array<float, N> value() const {
        std::array<float, N> out{};
        if (weight > 0.0)
            for (size_t c = 0; c < N; ++c) out[c] = float(sum[c] / weight);
        return out;
    }
};

template <class Frozen> class Freezing {
public:
    Freezing(const Mesh& mesh, const Welds& welds, Frozen& out, const std::function<HeightsAt()>& make,
             Progress* progress)
        : m_(mesh), w_(welds), out_(out), make_(make), progress_(progress) {}

    bool run() {
        corners();
        if (stopped(progress_)) return false;
        sides();
        if (stopped(progress_)) return false;
        insides();
        return !stopped(progress_);
    }

private:
    static constexpr size_t components = Frozen::components;
    static constexpr size_t faces_at_once = 4096, sides_at_once = 512;
    using Value = std::array<float, components>;
    int level(uint32_t face) const { return out_.levels.level[face]; }

    /// A place has the mean of what its corners say. Heights are the same for all corners that share a vertex; offsets
    /// may follow from the face.
    void corners() {
        std::vector<uint32_t> speaking;
        if constexpr (components == 1) {
            std::vector<uint8_t> seen(m_.positions.size(), 0);
            for (uint32_t s = 0; s < m_.indices.size(); ++s)
                if (!std::exchange(seen[m_.indices[s]], uint8_t(1))) speaking.push_back(s);
        } else {
            speaking.resize(m_.indices.size());
            std::iota(speaking.begin(), speaking.end(), 0u);
        }
        std::vector<Value> said(speaking.size());
        parallel_ranges(said.size(), relief_batch, [&](size_t first, size_t last) {
            if (stopped(progress_)) return;
            const HeightsAt evaluate = make_();
            Batches<components> batches(evaluate);
            size_t taken = first;
            auto take = [&](const Value& value) { said[taken++] = value; };
            for (size_t k = first; k < last; ++k)
                batches.add(speaking[k] / 3, corner_u[speaking[k] % 3], corner_v[speaking[k] % 3], take);
            batches.flush(take);
        });
        std::vector<Mean<components>> mean(w_.places);
        for (size_t k = 0; k < said.size(); ++k) {
            const uint32_t s = speaking[k];
            const double weight = components == 1 ? 1.0 : 1e-6 + double(angle_at_corner(m_, s / 3, int(s % 3)));
            mean[w_.place_of[m_.indices[s]]].add(said[k], weight);
        }
        parallel_ranges(m_.triangles(), faces_at_once, [&](size_t first, size_t last) {
            for (size_t f = first; f < last; ++f) {
                const int n = 1 << level(uint32_t(f));
                for (size_t c = 0; c < 3; ++c)
                    out_.put(out_.index(uint32_t(f), c == 1 ? n : 0, c == 2 ? n : 0),
                             mean[w_.place_of[m_.indices[3 * f + c]]].value());
            }
        });
    }

    uint32_t end(uint32_t side, int which) const {
        return m_.indices[which ? (side % 3 == 2 ? side - 2 : side + 1) : side];
    }
    /// One of several sides that lie together, in n segments; the first of its points among those asked for.
    struct Asked {
        uint32_t leader;
        int n;
        size_t first;
    };
    /// Grid point k along the leader, as the coordinates of the face of a side that lies with it in n segments.
    std::pair<int, int> along(const Asked& of, uint32_t s, int k) const {
        if (w_.place_of[end(s, 0)] != w_.place_of[end(of.leader, 0)]) k = of.n - k;
        const int side = int(s % 3);
        return {side == 0 ? k : side == 1 ? of.n - k : 0, side == 0 ? 0 : side == 1 ? k : of.n - k};
    }

    /// Sides that lie together share the points of the coarsest of them; each has the mean of what they say, those
    /// between the same vertices once where that must be the same.
    void sides() {
        parallel_ranges(m_.indices.size(), sides_at_once, [&](size_t first, size_t last) {
            const HeightsAt evaluate = make_();
            Sides some(*this, evaluate);
            for (size_t s = first; s < last && !stopped(progress_); ++s)
                if (leads(uint32_t(s))) some.ask(uint32_t(s));
            some.put();
        });
    }
    /// The first of the sides that lie together, where these have points between their ends.
    bool leads(uint32_t s) const {
        int least = level(s / 3);
        for (uint32_t o = w_.next_side[s]; o != s; o = w_.next_side[o]) {
            if (o < s) return false;
            least = std::min(least, level(o / 3));
        }
        return least > 0;
    }
    /// Points on sides are asked for in batches over many of them: most sides have few.
    class Sides {
    public:
        Sides(Freezing& of, const HeightsAt& evaluate) : of_(of), batches_(evaluate) {}
        void ask(uint32_t leader) {
            if (mean_.size() > at_once) put();
            const Welds& w = of_.w_;
            int least = of_.level(leader / 3);
            std::vector<uint32_t>& speaking = speaking_;
            speaking.assign(1, leader);
            for (uint32_t o = w.next_side[leader]; o != leader; o = w.next_side[o]) {
                least = std::min(least, of_.level(o / 3));
                bool known = false;
                if constexpr (components == 1)
                    for (const uint32_t d : speaking)
                        known |= (of_.end(d, 0) == of_.end(o, 0) && of_.end(d, 1) == of_.end(o, 1)) ||
                                 (of_.end(d, 0) == of_.end(o, 1) && of_.end(d, 1) == of_.end(o, 0));
                if (!known) speaking.push_back(o);
            }
            const Asked side{leader, 1 << least, mean_.size()};
            asked_.push_back(side);
            mean_.resize(mean_.size() + size_t(side.n));
            for (const uint32_t s : speaking)
                for (int k = 1; k < side.n; ++k) {
                    const auto [i, j] = of_.along(side, s, k);
                    whose_.push_back(side.first + size_t(k));
                    batches_.add(s / 3, float(i) / float(side.n), float(j) / float(side.n), take());
                }
        }
        void put() {
            batches_.flush(take());
            for (const Asked& side : asked_) {
                uint32_t s = side.leader;
                do {
                    const int ratio = (1 << of_.level(s / 3)) / side.n;
                    for (int k = 1; k < side.n; ++k) {
                        const auto [i, j] = of_.along(side, s, k);
                        of_.out_.put(of_.out_.index(s / 3, i * ratio, j * ratio),
                                     mean_[side.first + size_t(k)].value());
                    }
                    s = of_.w_.next_side[s];
                } while (s != side.leader);
            }
            asked_.clear();
            mean_.clear();
            whose_.clear();
            taken_ = 0;
        }

    private:
        static constexpr size_t at_once = 16384;  // points
        auto take() {
            return [this](const Value& value) { mean_[whose_[taken_++]].add(value); };
        }
        Freezing& of_;
        Batches<components> batches_;
        std::vector<Asked> asked_;
        std::vector<Mean<components>> mean_;
        std::vector<size_t> whose_;  ///< of the means, that each point asked for adds to
        size_t taken_ = 0;
        std::vector<uint32_t> speaking_;
    };

    void insides() {
        const size_t faces = m_.triangles();
        std::atomic<size_t> done{0};
        // Large faces are shared out by rows: one of them may be all there is.
        struct Rows {
            uint32_t face;
            int first, last;
        };
        std::vector<Rows> work;
        for (uint32_t f = 0; f < faces; ++f) {
            const int n = 1 << level(f);
            const int rows = std::max(1, 65536 / n);
            for (int j = 1; j < n - 1; j += rows) work.push_back({f, j, std::min(n - 1, j + rows)});
        }
        parallel_ranges(work.size(), 16, [&](size_t first, size_t last) {
            if (stopped(progress_)) return;
            const HeightsAt evaluate = make_();
            Batches<components> batches(evaluate);
            std::vector<size_t> whose;
            whose.reserve(relief_batch);
            size_t taken = 0;
            auto take = [&](const Value& value) {
                out_.put(whose[taken++], value);
                if (taken == whose.size()) whose.clear(), taken = 0;
            };
            for (size_t k = first; k < last && !stopped(progress_); ++k) {
                const auto [f, from, to] = work[k];
                const int n = 1 << level(f);
                for (int j = from; j < to; ++j)
                    for (int i = 1; i + j < n; ++i) {
                        whose.push_back(out_.index(f, i, j));
                        batches.add(f, float(i) / float(n), float(j) / float(n), take);
                    }
            }
            batches.flush(take);
            report(progress_, float(done += last - first) / float(work.size()));
        });
        if (stopped(progress_)) return;
        parallel_ranges(faces, 64, [&](size_t first, size_t last) {
            for (size_t f = first; f < last; ++f) out_.bound(m_, uint32_t(f));
        });
    }

    const Mesh& m_;
    const Welds& w_;
    Frozen& out_;
    const std::function<HeightsAt()>& make_;
    Progress* progress_;
};

}  // namespace

std::shared_ptr<const ReliefHeights> freeze_heights(const Mesh& mesh, const Welds& welds, ReliefLevels levels,
                                                    float least, float largest, const std::function<HeightsAt()>& make,
                                                    Progress* progress) {
    auto out = std::make_shared<frozen::Heights>(std::move(levels), least, largest);
    if (!Freezing(mesh, welds, *out, make, progress).run()) return nullptr;
    return out;
}

std::shared_ptr<const ReliefHeights> freeze_offsets(const Mesh& mesh, const Welds& welds, ReliefLevels levels,
                                                    float reach, const std::function<HeightsAt()>& make,
                                                    Progress* progress) {
    auto out = std::make_shared<frozen::Offsets>(std::move(levels), reach);
    if (!Freezing(mesh, welds, *out, make, progress).run()) return nullptr;
    return out;
}

}  // namespace vemtra::geometry
