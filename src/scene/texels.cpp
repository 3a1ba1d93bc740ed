#include "scene/texels.h"

#include <immintrin.h>

#include <algorithm>
#include <atomic>
#include <bit>
#include <cmath>
#include <cstring>
#include <unordered_set>
#include <utility>

#include "base/hash.h"

namespace vemtra::scene {
namespace {

constexpr int edge = texel_tile;

TexelCover::Rows all_rows() {
    TexelCover::Rows rows;
    rows.fill(~uint64_t(0));
    return rows;
}
const TexelCover::Rows everything = all_rows();

uint64_t next_number() {
    static std::atomic<uint64_t> last{0};
    return ++last;
}

bool is_blank(const uint16_t* tile, size_t halves) {
    for (size_t i = 0; i < halves; i += 16) {
        const __m256i v = _mm256_loadu_si256(reinterpret_cast<const __m256i*>(tile + i));
        if (!_mm256_testz_si256(v, v)) return false;
    }
    return true;
}

}  // namespace

float half_to_float(uint16_t h) {
    return _cvtsh_ss(h);
}
uint16_t float_to_half(float f) {
    if (!(std::fabs(f) <= 65504.f)) f = f > 0.f ? 65504.f : f < 0.f ? -65504.f : 0.f;
    return uint16_t(_cvtss_sh(f, _MM_FROUND_TO_NEAREST_INT));
}

std::shared_ptr<const Texels> Texels::blank(int size, int lanes) {
    auto t = std::make_shared<Texels>();
    t->size_ = int(std::bit_floor(unsigned(std::clamp(size, least_sheet, largest_sheet))));
    t->lanes_ = lanes > 2 ? 4 : 2;
    t->number_ = next_number();
    for (int s = t->size_; s >= 1; s /= 2) {
        Level l;
        l.across = std::max(1, (s + edge * block_edge - 1) / (edge * block_edge));
        l.blocks.resize(size_t(l.across) * size_t(l.across));
        t->levels_.push_back(std::move(l));
    }
    return t;
}

const TexelTile& Texels::tile(int level, int x, int y) const {
    static const TexelTile none;
    const Level& l = levels_[size_t(level)];
    const auto& block = l.blocks[size_t(y / block_edge) * size_t(l.across) + size_t(x / block_edge)];
    return block ? (*block)[size_t(y % block_edge) * block_edge + size_t(x % block_edge)] : none;
}

uint64_t Texels::content_hash() const {
    uint64_t h = content_.hash.load(std::memory_order_relaxed);
    if (h) return h;
    const int of[] = {size_, lanes_};
    h = hash_bytes(of, sizeof of);
    for (int y = 0; y < across(0); ++y)
        for (int x = 0; x < across(0); ++x) {
            const TexelTile& t = tile(0, x, y);
            if (!t) continue;
            const int where[] = {x, y};
            h = hash_bytes(t.get(), halves() * sizeof(uint16_t), hash_bytes(where, sizeof where, h));
        }
    content_.hash.store(h | 1, std::memory_order_relaxed);
    return h | 1;
}

size_t Texels::bytes() const {
    size_t bytes = sizeof(Texels) + tiles_ * halves() * sizeof(uint16_t);
    for (const Level& l : levels_) {
        bytes += l.blocks.size() * sizeof(l.blocks[0]);
        for (const auto& b : l.blocks) bytes += b ? sizeof(Block) : 0;
    }
    return bytes;
}

void Texels::for_each(const std::function<void(int, int, int, const TexelTile&)>& f) const {
    for (size_t level = 0; level < levels_.size(); ++level) {
        const Level& l = levels_[level];
        for (size_t b = 0; b < l.blocks.size(); ++b) {
            if (!l.blocks[b]) continue;
            const int x0 = int(b) % l.across * block_edge;
            const int y0 = int(b) / l.across * block_edge;
            for (int i = 0; i < block_edge * block_edge; ++i)
                if (const TexelTile& t = (*l.blocks[b])[size_t(i)])
                    f(int(level), x0 + i % block_edge, y0 + i / block_edge, t);
        }
    }
}

void Texels::for_each_apart(const Texels& other, const std::function<void(int, int, int)>& f) const {
    static const Block none;
    for (size_t level = 0; level < levels_.size() && level < other.levels_.size(); ++level) {
        const Level& l = levels_[level];
        const Level& o = other.levels_[level];
        for (size_t b = 0; b < l.blocks.size() && b < o.blocks.size(); ++b) {
            if (l.blocks[b] == o.blocks[b]) continue;
            const Block& here = l.blocks[b] ? *l.blocks[b] : none;
            const Block& there = o.blocks[b] ? *o.blocks[b] : none;
            for (int i = 0; i < block_edge * block_edge; ++i)
                if (here[size_t(i)] != there[size_t(i)])
                    f(int(level), int(b) % l.across * block_edge + i % block_edge,
                      int(b) / l.across * block_edge + i / block_edge);
        }
    }
}

size_t Texels::bytes_not_in(const Texels& other) const {
    if (this == &other) return 0;
    if (size_ != other.size_ || lanes_ != other.lanes_) return bytes();
    size_t count = 0;
    for_each_apart(other, [&](int level, int x, int y) { count += tile(level, x, y) != nullptr; });
    return count * halves() * sizeof(uint16_t);
}

TexelsEdit::TexelsEdit(std::shared_ptr<const Texels> from)
    : from_(std::move(from)), next_(std::make_shared<Texels>(*from_)) {
}

void TexelsEdit::set(int level, int x, int y, TexelTile tile) {
    constexpr int edge_of_block = Texels::block_edge;
    Texels::Level& l = next_->levels_[size_t(level)];
    const size_t at = size_t(y / edge_of_block) * size_t(l.across) + size_t(x / edge_of_block);
    auto& own = own_blocks_[uint64_t(level) << 32 | at];
    if (!own) {
        own = l.blocks[at] ? std::make_shared<Texels::Block>(*l.blocks[at]) : std::make_shared<Texels::Block>();
        l.blocks[at] = own;
    }
    TexelTile& slot = (*own)[size_t(y % edge_of_block) * edge_of_block + size_t(x % edge_of_block)];
    next_->tiles_ += size_t(tile != nullptr) - size_t(slot != nullptr);
    slot = std::move(tile);
}

void TexelsEdit::put(int level, int x, int y, TexelTile tile) {
    set(level, x, y, std::move(tile));
}

uint16_t* TexelsEdit::written(int level, int x, int y) {
    auto& own = written_[key(level, x, y)];
    if (!own) {
        own = std::make_shared<uint16_t[]>(next_->halves());
        if (const TexelTile& old = next_->tile(level, x, y))
            std::memcpy(own.get(), old.get(), next_->halves() * sizeof(uint16_t));
        set(level, x, y, own);
    }
    return own.get();
}
uint16_t* TexelsEdit::tile(int x, int y) {
    return written(0, x, y);
}

namespace {
using Four = __m128;  // a texel of any lanes
template <int lanes> Four load(const uint16_t* p) {
    if constexpr (lanes == 4) return _mm_cvtph_ps(_mm_loadl_epi64(reinterpret_cast<const __m128i*>(p)));
    int two;
    std::memcpy(&two, p, sizeof two);
    return _mm_cvtph_ps(_mm_cvtsi32_si128(two));
}
template <int lanes> void store(uint16_t* p, Four v) {
    const __m128i h = _mm_cvtps_ph(v, _MM_FROUND_TO_NEAREST_INT);
    if constexpr (lanes == 4) {
        _mm_storel_epi64(reinterpret_cast<__m128i*>(p), h);
    } else {
        const int two = _mm_cvtsi128_si32(h);
        std::memcpy(p, &two, sizeof two);
    }
}

/// One quarter of a tile from the tile under it. `out` is the quarter's first texel.
template <int lanes> void average_quarter(const uint16_t* from, const TexelCover::Rows& rows, int size, uint16_t* out) {
    const int n = std::min(edge, size) / 2;
    const __m128 quarter = _mm_set1_ps(.25f);
    for (int y = 0; y < n; ++y) {
        const uint64_t top = rows[size_t(2 * y)];
        const uint64_t low = rows[size_t(2 * y + 1)];
        const uint16_t* a = from + size_t(2 * y) * edge * lanes;
        const uint16_t* b = a + size_t(edge) * lanes;
        uint16_t* to = out + size_t(y) * edge * lanes;
        for (int x = 0; x < n; ++x, a += 2 * lanes, b += 2 * lanes, to += lanes) {
            const unsigned bits = unsigned(top >> (2 * x) & 3) | unsigned(low >> (2 * x) & 3) << 2;
            if (bits == 15) {
                store<lanes>(to, _mm_mul_ps(quarter, _mm_add_ps(_mm_add_ps(load<lanes>(a), load<lanes>(a + lanes)),
                                                                _mm_add_ps(load<lanes>(b), load<lanes>(b + lanes)))));
                continue;
            }
            __m128 sum = _mm_setzero_ps();
            if (bits & 1) sum = _mm_add_ps(sum, load<lanes>(a));
            if (bits & 2) sum = _mm_add_ps(sum, load<lanes>(a + lanes));
            if (bits & 4) sum = _mm_add_ps(sum, load<lanes>(b));
            if (bits & 8) sum = _mm_add_ps(sum, load<lanes>(b + lanes));
            if (bits) sum = _mm_div_ps(sum, _mm_set1_ps(float(std::popcount(bits))));
            store<lanes>(to, sum);
        }
    }
}
}  // namespace

/// Makes a tile of a level from the four tiles under it.
void TexelsEdit::average(int level, int x, int y, const TexelCover* cover) {
    uint16_t* out = written(level, x, y);
    const int below = level - 1;
    const size_t lanes = size_t(next_->lanes_);
    std::memset(out, 0, next_->halves() * sizeof(uint16_t));
    for (int q = 0; q < 4; ++q) {
        const int cx = 2 * x + (q & 1);
        const int cy = 2 * y + (q >> 1);
        if (cx >= next_->across(below) || cy >= next_->across(below)) continue;
        const TexelTile& from = next_->tile(below, cx, cy);
        if (!from) continue;
        const TexelCover::Rows* rows = cover ? cover->rows(below, cx, cy) : nullptr;
        uint16_t* quarter = out + (size_t(q >> 1) * edge / 2 * edge + size_t(q & 1) * edge / 2) * lanes;
        const auto& known = rows ? *rows : everything;
        if (lanes == 4)
            average_quarter<4>(from.get(), known, next_->size(below), quarter);
        else
            average_quarter<2>(from.get(), known, next_->size(below), quarter);
    }
}

/// Texels that stand for nothing get the mean of those near them that do.
void TexelsEdit::fill_around(int level, int tx, int ty, const TexelCover& cover) {
    const TexelCover::Rows* rows = cover.rows(level, tx, ty);
    if (!rows) return;
    const int size = next_->size(level);
    const int n = std::min(edge, size);
    const uint64_t all = n == edge ? ~uint64_t(0) : (uint64_t(1) << n) - 1;
    const int across = next_->across(level);
    bool painted = false;
    for (int y = std::max(0, ty - 1); y <= std::min(across - 1, ty + 1); ++y)
        for (int x = std::max(0, tx - 1); x <= std::min(across - 1, tx + 1); ++x)
            painted |= next_->tile(level, x, y) != nullptr;
    if (!painted) return;
    // Only what lies within two texels of one that stands for something can take its mean; at the tile's edges that may
    // be one of the next tile.
    auto beside = [&](int y) {
        uint64_t near = 0;
        for (int v = y - 2; v <= y + 2; ++v) {
            if (v < 0 || v >= n) return ~uint64_t(0);
            const uint64_t r = (*rows)[size_t(v)];
            near |= r | r << 1 | r << 2 | r >> 1 | r >> 2;
        }
        return near | 3 | uint64_t(3) << (n - 2);
    };
    // The tile and two rows and columns around it: whether they stand for something.
    auto stands = [&](int x, int y) {
        const int gx = tx * edge + x;
        const int gy = ty * edge + y;
        if (gx < 0 || gy < 0 || gx >= size || gy >= size) return false;
        const TexelCover::Rows* r = gx / edge == tx && gy / edge == ty ? rows : cover.rows(level, gx / edge, gy / edge);
        return !r || ((*r)[size_t(gy % edge)] >> (gx % edge) & 1) != 0;
    };
    auto texel = [&](int x, int y) -> __m128 {
        const int gx = tx * edge + x;
        const int gy = ty * edge + y;
        const TexelTile& t = next_->tile(level, gx / edge, gy / edge);
        if (!t) return _mm_setzero_ps();
        const uint16_t* p = t.get() + (size_t(gy % edge) * edge + size_t(gx % edge)) * size_t(next_->lanes_);
        return next_->lanes_ == 4 ? load<4>(p) : load<2>(p);
    };
    uint16_t* out = nullptr;
    for (int y = 0; y < n; ++y) {
        uint64_t missing = ~(*rows)[size_t(y)] & all & beside(y);
        while (missing) {
            const int x = std::countr_zero(missing);
            missing &= missing - 1;
            __m128 sum = _mm_setzero_ps();
            int count = 0;
            for (int reach = 1; reach <= 2 && !count; ++reach)
                for (int dy = -reach; dy <= reach; ++dy)
                    for (int dx = -reach; dx <= reach; ++dx)
                        if (stands(x + dx, y + dy)) sum = _mm_add_ps(sum, texel(x + dx, y + dy)), ++count;
            if (!count) continue;
            sum = _mm_div_ps(sum, _mm_set1_ps(float(count)));
            if (!out && _mm_movemask_ps(_mm_cmpneq_ps(sum, _mm_setzero_ps())) == 0 && !next_->tile(level, tx, ty))
                continue;  // nothing is painted here, nor near
            if (!out) out = written(level, tx, ty);
            uint16_t* to = out + (size_t(y) * edge + size_t(x)) * size_t(next_->lanes_);
            if (next_->lanes_ == 4)
                store<4>(to, sum);
            else
                store<2>(to, sum);
        }
    }
}

std::shared_ptr<const Texels> TexelsEdit::done(const TexelCover* cover) {
    std::vector<std::pair<int, int>> changed;
    for (const auto& [k, tile] : written_) changed.emplace_back(int(k & 0xffffff), int(k >> 24 & 0xffffff));
    for (int level = 1; level < next_->levels() && !changed.empty(); ++level) {
        std::unordered_set<uint64_t> above;
        for (const auto& [x, y] : changed) above.insert(key(0, x / 2, y / 2));
        changed.clear();
        for (const uint64_t k : above) changed.emplace_back(int(k & 0xffffff), int(k >> 24 & 0xffffff));
        for (const auto& [x, y] : changed) average(level, x, y, cover);
        if (!cover) continue;
        std::unordered_set<uint64_t> near;
        const int across = next_->across(level);
        for (const auto& [x, y] : changed)
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx)
                    if (x + dx >= 0 && y + dy >= 0 && x + dx < across && y + dy < across)
                        near.insert(key(0, x + dx, y + dy));
        for (const uint64_t k : near) fill_around(level, int(k & 0xffffff), int(k >> 24 & 0xffffff), *cover);
    }
    for (const auto& [k, tile] : written_)
        if (is_blank(tile.get(), next_->halves()))
            set(int(k >> 48), int(k & 0xffffff), int(k >> 24 & 0xffffff), nullptr);
    written_.clear();
    own_blocks_.clear();
    next_->number_ = next_number();
    return std::exchange(next_, nullptr);
}

std::shared_ptr<const Texels> resampled(const Texels& from, int size, const TexelCover* cover) {
    const auto blank = Texels::blank(size, from.lanes());
    TexelsEdit edit(blank);
    const int to = blank->size();
    const int level =
        std::clamp(std::countr_zero(unsigned(from.size())) - std::countr_zero(unsigned(to)), 0, from.levels() - 1);
    if (to <= from.size()) {
        from.for_each([&](int l, int x, int y, const TexelTile& t) {
            if (l == level) std::memcpy(edit.tile(x, y), t.get(), from.halves() * sizeof(uint16_t));
        });
        return edit.done(cover);
    }
    const int factor = to / from.size();
    const int lanes = from.lanes();
    auto texel = [&](int x, int y) {
        x = std::clamp(x, 0, from.size() - 1);
        y = std::clamp(y, 0, from.size() - 1);
        const TexelTile& t = from.tile(0, x / edge, y / edge);
        if (!t) return _mm_setzero_ps();
        const uint16_t* p = t.get() + (size_t(y % edge) * edge + size_t(x % edge)) * size_t(lanes);
        return lanes == 4 ? load<4>(p) : load<2>(p);
    };
    std::unordered_set<uint64_t> wanted;  // tiles that a painted one reaches
    from.for_each([&](int l, int x, int y, const TexelTile&) {
        if (l != 0) return;
        for (int ty = std::max(0, y * factor - 1); ty <= std::min(to / edge - 1, (y + 1) * factor); ++ty)
            for (int tx = std::max(0, x * factor - 1); tx <= std::min(to / edge - 1, (x + 1) * factor); ++tx)
                wanted.insert(uint64_t(ty) << 32 | uint64_t(tx));
    });
    for (const uint64_t k : wanted) {
        const int tx = int(k & 0xffffffff);
        const int ty = int(k >> 32);
        uint16_t* out = edit.tile(tx, ty);
        for (int y = 0; y < edge; ++y)
            for (int x = 0; x < edge; ++x) {
                const float fx = (float(tx * edge + x) + .5f) / float(factor) - .5f;
                const float fy = (float(ty * edge + y) + .5f) / float(factor) - .5f;
                const int ix = int(std::floor(fx));
                const int iy = int(std::floor(fy));
                const __m128 a = _mm_set1_ps(fx - float(ix));
                const __m128 b = _mm_set1_ps(fy - float(iy));
                auto mix = [](__m128 p, __m128 q, __m128 t) { return _mm_add_ps(p, _mm_mul_ps(t, _mm_sub_ps(q, p))); };
                const __m128 v =
                    mix(mix(texel(ix, iy), texel(ix + 1, iy), a), mix(texel(ix, iy + 1), texel(ix + 1, iy + 1), a), b);
                uint16_t* p = out + (size_t(y) * edge + size_t(x)) * size_t(lanes);
                if (lanes == 4)
                    store<4>(p, v);
                else
                    store<2>(p, v);
            }
    }
    return edit.done(cover);
}

}  // namespace vemtra::scene
