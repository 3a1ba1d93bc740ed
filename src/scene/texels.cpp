#include "scene/texels.h"

#include <immintrin.h>

#include <algorithm>
#include <atomic>
#include <bit>
#include <cmath>
#include <cstring>
#include <mutex>
#include <unordered_set>
#include <utility>

#include "base/hash.h"
#include "base/parallel.h"

namespace vemtra::scene {
namespace {

constexpr int edge = texel_tile;
constexpr int block = edge / 8;  // texels a side

/// All columns of the blocks of a row of blocks.
uint64_t columns(uint64_t row_of_blocks) {
    return _pdep_u64(row_of_blocks, 0x0101010101010101ull) * 0xff;
}

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

/// Room for tiles that nobody holds any more: a stroke that is seen while it grows makes and leaves some twenty of them
/// every few milliseconds, and the system gives room for each anew only page by page.
class Spare {
public:
    static std::shared_ptr<uint16_t[]> tile(size_t halves) {
        static Spare* const spares[2] = {new Spare, new Spare};  // never ended: tiles may outlive whatever is ended
        Spare* const from = spares[halves > size_t(edge) * edge * 2];
        return {from->take(halves), [from](uint16_t* tile) { from->give(tile); }};
    }

private:
    static constexpr size_t most = 96;  // of each size: 4.5 MB in all
    uint16_t* take(size_t halves) {
        {
            std::lock_guard lock(mutex_);
            if (!tiles_.empty()) {
                uint16_t* const tile = tiles_.back();
                tiles_.pop_back();
                return tile;
            }
        }
        return new uint16_t[halves];
    }
    void give(uint16_t* tile) {
        {
            std::lock_guard lock(mutex_);
            if (tiles_.size() < most) {
                tiles_.push_back(tile);
                return;
            }
        }
        delete[] tile;
    }
    Spare() { tiles_.reserve(most); }
    std::mutex mutex_;
    std::vector<uint16_t*> tiles_;
};

void copy_blocks(const uint16_t* from, uint64_t blocks, size_t lanes, uint16_t* to) {
    const size_t row = size_t(edge) * lanes;
    for (size_t y = 0; y < edge; ++y) {
        uint64_t some = blocks >> (y / block * 8) & 0xff;
        if (some == 0xff) {
            std::memcpy(to + y * row, from + y * row, row * sizeof(uint16_t));
            continue;
        }
        for (; some; some &= some - 1) {
            const size_t at = y * row + size_t(std::countr_zero(some)) * block * lanes;
            std::memcpy(to + at, from + at, block * lanes * sizeof(uint16_t));
        }
    }
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

TexelsEdit::Written& TexelsEdit::written(int level, int x, int y) {
    written(level, {{x, y, 0}}, [](size_t, uint16_t*) {});
    return written_[key(level, x, y)];
}
void TexelsEdit::written(int level, const std::vector<Part>& parts, const Write& write) {
    std::vector<Written*> to;
    std::vector<size_t> new_ones;
    for (const Part& p : parts) {
        Written& own = written_[key(level, p.x, p.y)];
        own.blocks |= p.blocks;
        if (!own.texels) new_ones.push_back(to.size());
        to.push_back(&own);
    }
    const size_t lanes = size_t(next_->lanes_);
    parallel_ranges(parts.size(), 1, [&](size_t first, size_t last) {
        for (size_t k = first; k < last; ++k) {
            const Part& p = parts[k];
            auto& texels = to[k]->texels;
            if (!texels) {
                texels = Spare::tile(next_->halves());
                if (const TexelTile& from = next_->tile(level, p.x, p.y))
                    copy_blocks(from.get(), p.whole ? ~p.blocks : ~uint64_t(0), lanes, texels.get());
                else
                    std::memset(texels.get(), 0, next_->halves() * sizeof(uint16_t));
            }
            write(k, texels.get());
        }
    });
    for (const size_t i : new_ones) set(level, parts[i].x, parts[i].y, to[i]->texels);
}
uint16_t* TexelsEdit::tile(int x, int y, uint64_t blocks) {
    Written& own = written(0, x, y);
    own.blocks |= blocks;
    return own.texels.get();
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

/// Means of four for eight texels in a row, all of which are there. The same sums as of single texels.
template <int lanes> void average_eight(const uint16_t* a, const uint16_t* b, uint16_t* to) {
    constexpr int step = lanes == 2 ? 4 : 2;  // texels in eight numbers
    auto sums = [](const uint16_t* p) {       // each texel and the next
        const __m256 first = _mm256_cvtph_ps(_mm_loadu_si128(reinterpret_cast<const __m128i*>(p)));
        const __m256 second = _mm256_cvtph_ps(_mm_loadu_si128(reinterpret_cast<const __m128i*>(p + 8)));
        if constexpr (lanes == 4)
            return _mm256_add_ps(_mm256_permute2f128_ps(first, second, 0x20),
                                 _mm256_permute2f128_ps(first, second, 0x31));
        const __m256d f = _mm256_castps_pd(first);
        const __m256d s = _mm256_castps_pd(second);
        const __m256d mixed = _mm256_castps_pd(_mm256_add_ps(_mm256_castpd_ps(_mm256_shuffle_pd(f, s, 0x0)),
                                                             _mm256_castpd_ps(_mm256_shuffle_pd(f, s, 0xf))));
        return _mm256_castpd_ps(_mm256_permute4x64_pd(mixed, 0b11011000));
    };
    for (int x = 0; x < 8; x += step, a += 16, b += 16, to += 8)
        _mm_storeu_si128(reinterpret_cast<__m128i*>(to),
                         _mm256_cvtps_ph(_mm256_mul_ps(_mm256_set1_ps(.25f), _mm256_add_ps(sums(a), sums(b))),
                                         _MM_FROUND_TO_NEAREST_INT));
}

/// One block of a tile, `out` its first texel, from the tile under it, whose texel at (x, y) lies under that. `n`: of
/// the block, texels a side that there are.
template <int lanes>
void average_block(const uint16_t* from, const TexelCover::Rows& rows, int x0, int y0, int n, uint16_t* out) {
    const __m128 quarter = _mm_set1_ps(.25f);
    for (int y = 0; y < n; ++y) {
        const uint64_t top = rows[size_t(y0 + 2 * y)] >> x0;
        const uint64_t low = rows[size_t(y0 + 2 * y + 1)] >> x0;
        const uint16_t* a = from + size_t((y0 + 2 * y) * edge + x0) * lanes;
        const uint16_t* b = a + size_t(edge) * lanes;
        uint16_t* to = out + size_t(y) * edge * lanes;
        if (n == 8 && (top & low & 0xffff) == 0xffff) {
            average_eight<lanes>(a, b, to);
            continue;
        }
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

/// Makes blocks of a tile of a level from the four tiles under it.
void TexelsEdit::average(int level, const Part& part, const TexelCover* cover, uint16_t* out) const {
    const int below = level - 1;
    const size_t lanes = size_t(next_->lanes_);
    const int n = std::min({block, edge / 2, next_->size(below) / 2});
    for (uint64_t left = part.blocks; left; left &= left - 1) {
        const int b = std::countr_zero(left);
        const int bx = b % 8;
        const int by = b / 8;
        const int cx = 2 * part.x + bx / 4;
        const int cy = 2 * part.y + by / 4;
        uint16_t* to = out + size_t(by * block * edge + bx * block) * lanes;
        const TexelTile& from = next_->tile(below, cx, cy);
        if (!from) {
            for (int row = 0; row < n; ++row)
                std::memset(to + size_t(row) * edge * lanes, 0, size_t(n) * lanes * sizeof(uint16_t));
            continue;
        }
        const TexelCover::Rows* rows = cover ? cover->rows(below, cx, cy) : nullptr;
        const auto& known = rows ? *rows : everything;
        if (lanes == 4)
            average_block<4>(from.get(), known, bx % 4 * 2 * block, by % 4 * 2 * block, n, to);
        else
            average_block<2>(from.get(), known, bx % 4 * 2 * block, by % 4 * 2 * block, n, to);
    }
}

/// Texels that stand for nothing get the mean of those near them that do.
void TexelsEdit::fill_around(int level, int tx, int ty, uint64_t blocks, const TexelCover& cover) {
    const TexelCover::Rows* rows = cover.rows(level, tx, ty);
    if (!rows) return;
    const int size = next_->size(level);
    const int n = std::min(edge, size);
    const uint64_t all = n == edge ? ~uint64_t(0) : (uint64_t(1) << n) - 1;
    const int across = next_->across(level);
    auto missing_of = [&](int y) { return ~(*rows)[size_t(y)] & all & columns(blocks >> (y / block * 8) & 0xff); };
    uint64_t any = 0;
    for (int y = 0; y < n; ++y) any |= missing_of(y);
    if (!any) return;
    bool painted = false;
    for (int y = std::max(0, ty - 1); y <= std::min(across - 1, ty + 1); ++y)
        for (int x = std::max(0, tx - 1); x <= std::min(across - 1, tx + 1); ++x)
            painted |= next_->tile(level, x, y) != nullptr;
    if (!painted) return;
    // Each row with two texels of the next tiles at both ends: a bit for what stands for something, the first for the
    // one at -2. The rows that the one at y reads lie at y to y + 4.
    using Wide = unsigned __int128;
    std::array<Wide, edge + 4> wide;
    auto row_of = [&](int x, int y) -> uint64_t {  // of a tile beside this one
        const int gy = ty * edge + y;
        if (x < 0 || x >= across || gy < 0 || gy >= size) return 0;
        const TexelCover::Rows* r = x == tx && gy / edge == ty ? rows : cover.rows(level, x, gy / edge);
        return r ? (*r)[size_t(gy % edge)] : ~uint64_t(0);
    };
    auto widen = [&](int first, int last) {
        for (int y = first; y < last; ++y)
            wide[size_t(y + 2)] = Wide(row_of(tx - 1, y) >> (edge - 2)) | Wide(row_of(tx, y) & all) << 2 |
                                  (n == edge ? Wide(row_of(tx + 1, y) & 3) << (edge + 2) : 0);
    };
    auto beside = [&](int y) {  // within two texels of one
        Wide near = 0;
        for (size_t v = size_t(y); v < size_t(y) + 5; ++v) near |= wide[v];
        return uint64_t(near | near >> 1 | near >> 2 | near >> 3 | near >> 4);
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
    int widened = -2;
    for (int y = 0; y < n; ++y) {
        uint64_t missing = missing_of(y);
        if (!missing) continue;
        widen(std::max(widened, y - 2), y + 3);
        widened = y + 3;
        missing &= beside(y);
        while (missing) {
            const int x = std::countr_zero(missing);
            missing &= missing - 1;
            __m128 sum = _mm_setzero_ps();
            int count = 0;
            for (int reach = 1; reach <= 2 && !count; ++reach)
                for (int dy = -reach; dy <= reach; ++dy) {
                    auto some = unsigned(wide[size_t(y + 2 + dy)] >> x) & (reach == 1 ? 0b01110u : 0b11111u);
                    for (; some; some &= some - 1, ++count)
                        sum = _mm_add_ps(sum, texel(x - 2 + std::countr_zero(some), y + dy));
                }
            if (!count) continue;
            sum = _mm_div_ps(sum, _mm_set1_ps(float(count)));
            if (!out && _mm_movemask_ps(_mm_cmpneq_ps(sum, _mm_setzero_ps())) == 0 && !next_->tile(level, tx, ty))
                continue;  // nothing is painted here, nor near
            if (!out) out = written(level, tx, ty).texels.get();
            uint16_t* to = out + (size_t(y) * edge + size_t(x)) * size_t(next_->lanes_);
            if (next_->lanes_ == 4)
                store<4>(to, sum);
            else
                store<2>(to, sum);
        }
    }
}

namespace {
/// Whether every texel of a tile and of those beside it stands for something.
bool all_stand(const Texels& of, int level, int tx, int ty, const TexelCover& cover) {
    const int across = of.across(level);
    const int n = std::min(edge, of.size(level));
    const uint64_t all = n == edge ? ~uint64_t(0) : (uint64_t(1) << n) - 1;
    for (int y = std::max(0, ty - 1); y <= std::min(across - 1, ty + 1); ++y)
        for (int x = std::max(0, tx - 1); x <= std::min(across - 1, tx + 1); ++x) {
            const TexelCover::Rows* rows = cover.rows(level, x, y);
            uint64_t there = all;
            for (int r = 0; rows && r < n; ++r) there &= (*rows)[size_t(r)];
            if (there != all) return false;
        }
    return true;
}
}  // namespace

/// Blocks of the next level over some of one.
TexelsEdit::Marks TexelsEdit::above(const Marks& below) const {
    Marks out;
    for (const auto& [k, blocks] : below) {
        const int x = int(k & 0xffffff);
        const int y = int(k >> 24 & 0xffffff);
        uint64_t& to = out[key(0, x / 2, y / 2)];
        for (int row = 0; row < 8; ++row) {
            const uint64_t of_row = blocks >> (8 * row) & 0xff;
            const uint64_t half = _pext_u64(of_row | of_row >> 1, 0x55);
            to |= half << (8 * (row / 2 + y % 2 * 4) + x % 2 * 4);
        }
    }
    return out;
}

/// Those blocks and all that lie beside them.
TexelsEdit::Marks TexelsEdit::around(int level, const Marks& marks) const {
    constexpr uint64_t left_column = 0x0101010101010101ull;
    constexpr uint64_t right_column = left_column << 7;
    Marks out;
    const int across = next_->across(level);
    for (const auto& [k, m] : marks) {
        const int x = int(k & 0xffffff);
        const int y = int(k >> 24 & 0xffffff);
        auto put = [&](int tx, int ty, uint64_t some) {
            if (some && tx >= 0 && ty >= 0 && tx < across && ty < across) out[key(0, tx, ty)] |= some;
        };
        const uint64_t wide[] = {(m & left_column) << 7, m | (m << 1 & ~left_column) | (m >> 1 & ~right_column),
                                 (m & right_column) >> 7};
        for (int dx = -1; dx <= 1; ++dx) {
            const uint64_t w = wide[dx + 1];
            put(x + dx, y - 1, w << 56);
            put(x + dx, y, w | w << 8 | w >> 8);
            put(x + dx, y + 1, w >> 56);
        }
    }
    return out;
}

std::shared_ptr<const Texels> TexelsEdit::done(const TexelCover* cover) {
    Marks changed;
    for (const auto& [k, w] : written_) changed[k] = w.blocks;
    for (int level = 1; level < next_->levels() && !changed.empty(); ++level) {
        changed = above(changed);
        std::vector<Part> parts;
        const bool whole = next_->size(level) >= edge;  // else their blocks are not
        for (const auto& [k, blocks] : changed)
            parts.push_back({int(k & 0xffffff), int(k >> 24 & 0xffffff), blocks, whole});
        written(level, parts, [&](size_t i, uint16_t* to) { average(level, parts[i], cover, to); });
        if (!cover) continue;
        Marks beside_gaps;
        for (const auto& [k, blocks] : changed)
            if (!all_stand(*next_, level, int(k & 0xffffff), int(k >> 24 & 0xffffff), *cover)) beside_gaps[k] = blocks;
        for (const auto& [k, blocks] : around(level, beside_gaps))
            fill_around(level, int(k & 0xffffff), int(k >> 24 & 0xffffff), blocks, *cover);
    }
    for (const auto& [k, w] : written_)
        if (is_blank(w.texels.get(), next_->halves()))
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
