#include "geometry/field_pieces.h"

#include <algorithm>
#include <cmath>

#include "geometry/field_contacts.h"

namespace vemtra::geometry {
namespace {

constexpr int most_levels = 14;           // a face is cut so deep at most
constexpr int balancings = 4;             // rounds for pieces that were left behind
constexpr int most_levels_of_relief = 4;  // see most_inside_of_relief
constexpr float worth_keeping = .33f;     // of the tolerance: a middle that is known and off by so much is kept
constexpr float even_enough = .24f;       // of the range: shorter pieces whose corners agree are taken as even

}  // namespace

FieldPieces::FieldPieces(const FieldVertices& at, FieldValues& values, Progress* progress)
    : at_(at),
      values_(values),
      progress_(progress),
      of_relief_(at.geometry().shape(at.instance()).stands_out()),
      levels_(of_relief_ ? most_levels_of_relief : most_levels),
      budget_(of_relief_ ? most_inside_of_relief : most_inside),
      pieces_(values.of_shares() ? of_shares : of_numbers) {
    if (of_relief_ && values.of_shares()) pieces_.shortest = shortest_of_relief;
}

bool FieldPieces::run(size_t allowed, bool& cut, float from, float to) {
    find_faces();
    if (stopped(progress_)) return false;
    if (cuts_.empty()) return true;
    const int doublings = widen();
    widened_ = doublings > 0;
    cut |= widened_;
    // Lengths that are off by far more than a few samples can mend get fewer of them.
    const int halvings = std::clamp(doublings - 2, 0, 4);
    halvings_ = halvings;
    most_ = (std::min(allowed, budget_) >> halvings) + at_.samples();
    if (!cut_pieces(cut, from, to)) return false;
    close_seams();
    return true;
}

bool FieldPieces::has_room() {
    const size_t count = values_.count();
    if (count <= most_)
        most_with_room_ = std::max(most_with_room_, count);
    else
        least_without_ = std::min(least_without_, count);
    return count <= most_;
}

void FieldPieces::holds_for(uint64_t& least, uint64_t& most) const {
    const size_t vertices = at_.samples();
    least = (most_with_room_ - std::min(most_with_room_, vertices)) << halvings_;
    most = least_without_ == SIZE_MAX ? UINT64_MAX : ((least_without_ - vertices) << halvings_) - 1;
    if (most >= budget_) most = UINT64_MAX;  // more than that is never taken
}

/// Faces that are larger than the smallest pieces.
void FieldPieces::find_faces() {
    for (uint32_t t = 0; t < at_.mesh().triangles(); ++t) {
        if (t % look_every == 0 && stopped(progress_)) return;
        const uint32_t* i = &at_.mesh().indices[3 * size_t(t)];
        float longest = 0.f;
        for (int c = 0; c < 3; ++c)
            longest = std::max(longest, (at_.position(i[c]) - at_.position(i[(c + 1) % 3])).length());
        if (!(longest > shortest()) || !std::isfinite(longest)) continue;
        cuts_.push_back(
            {{at_.sample_of(i[0]), at_.sample_of(i[1]), at_.sample_of(i[2])}, {V2f(0, 0), V2f(1, 0), V2f(0, 1)}, t});
    }
}

/// Where a field looks so little far that pieces would have to be smaller than there is memory and time for, longer
/// ones will do: by so many doublings.
int FieldPieces::widen() {
    auto forced = [&] {
        double samples = 0;
        for (const FieldCut& c : cuts_) {
            const float longest = longest_side(c);
            int level = 0;
            while (level < levels_ && longest / float(1 << level) > pieces_.longest * values_.size()) ++level;
            samples += .5 * (std::pow(4., level) - 1.);
        }
        return samples;
    };
    int doublings = 0;
    for (; forced() > double(budget_ / 8); pieces_.longest *= 2.f) ++doublings;
    return doublings;
}

V3f FieldPieces::place(const FieldCut& c, int corner) const {
    const uint32_t* i = &at_.mesh().indices[3 * size_t(c.face)];
    const V2f& uv = c.uv[corner];
    return at_.position(i[0]) * (1.f - uv.x - uv.y) + at_.position(i[1]) * uv.x + at_.position(i[2]) * uv.y;
}

float FieldPieces::longest_side(const FieldCut& c) const {
    return std::max({side(c, 0), side(c, 1), side(c, 2)});
}

/// The sample in the middle of a side; made where there is none, and computed with the next jobs.
uint32_t FieldPieces::ask(const FieldCut& c, int s) {
    const auto [at, fresh] = middles_.try_emplace(edge(c, s), uint32_t(values_.count()));
    if (fresh) {
        values_.add();
        jobs_.push_back({at->second, c.face, middle_of(c, s)});
    }
    return at->second;
}

bool FieldPieces::run_jobs(float from, float to) {
    const bool good = for_all(jobs_.size(), 64, from, to, progress_, [&](size_t first, size_t last) {
        const FieldSampler exact = values_.exact();
        for (size_t k = first; k < last; ++k)
            values_.sample(exact, jobs_[k].face, jobs_[k].uv, values_[jobs_[k].sample]);
    });
    jobs_.clear();
    return good;
}

/// How far the middle of a side is from the mean of its ends; below 0 where it is not known.
float FieldPieces::bend(const FieldCut& c, int s) const {
    const auto at = middles_.find(edge(c, s));
    if (at == middles_.end()) return -1.f;
    return values_.apart(values_[at->second], mean(values_[c.corner[s]], values_[c.corner[(s + 1) % 3]], .5f));
}

/// How far apart its corners' values are.
float FieldPieces::spread(const FieldCut& c) const {
    float most = 0.f;
    for (int s = 0; s < 3; ++s)
        most = std::max(most, values_.apart(values_[c.corner[s]], values_[c.corner[(s + 1) % 3]]));
    return most;
}

/// Whether the middles of a piece's sides can lead to a cut.
bool FieldPieces::tells(const FieldCut& c) const {
    if (values_.is_coarse() || forced(c) || small(c)) return false;  // it is not cut, or whatever they are
    const bool even = spread(c) < .25f * values_.kind().tolerance;
    // What looks no further than its pieces are long has nothing to find between even corners.
    return !(values_.of_shares() && even && (widened_ || longest_side(c) < even_enough * values_.size()));
}

/// Whether a piece that was looked at is to be cut; `goes_on`: its parts are to be looked at, too.
bool FieldPieces::is_rough(const FieldCut& c, bool& goes_on) const {
    goes_on = true;
    if (forced(c)) return !values_.is_coarse() || c.level < 2;
    if (values_.is_coarse() || small(c)) return false;
    // The middle of a step may lie where the mean of its ends does.
    if (c.overtaken || spread(c) > 4.f * field_step) return true;
    const float tolerance = values_.kind().tolerance;
    const float most = std::max({bend(c, 0), bend(c, 1), bend(c, 2)});
    // What bends by less than twice of it will be within when it is cut. What is within is cut for the sake of the
    // middles that are known, where they say something.
    goes_on = most >= 2.f * tolerance || (most >= tolerance && longest_side(c) < 4.f * shortest());
    return most >= worth_keeping * tolerance;
}

/// Along its face's normal, to the side that the field looks at; any length.
V3f FieldPieces::looks_to(const FieldCut& c) const {
    const V3f normal = (place(c, 1) - place(c, 0)).cross(place(c, 2) - place(c, 0));
    const bool turned = normal.dot(at_.normal(at_.mesh().indices[3 * size_t(c.face)])) < 0.f;
    return normal * (turned ? -values_.side() : values_.side());
}

/// Whether something stands on a piece, or goes into it.
bool FieldPieces::is_stood_on(const FieldCut& c) const {
    if (values_.is_coarse() || of_relief_ || widened_ || values_.side() == 0.f || forced(c) || small(c)) return false;
    const V3f corner[] = {place(c, 0), place(c, 1), place(c, 2)};
    return stands_on(at_.geometry(), corner, looks_to(c), .01f * shortest());
}

float FieldPieces::contact(const FieldCut& c, int side) const {
    if (values_.side() == 0.f) return -1.f;
    const V3f to = looks_to(c);
    const float length = to.length();
    if (!(length > 0.f) || !std::isfinite(length)) return -1.f;
    // As near as digits allow: what leans away is met further off the higher the ray.
    float largest = 0.f;
    for (int k = 0; k < 3; ++k) largest = std::max(largest, std::fabs(place(c, side)[k]));
    const V3f lift = to * (std::max(.001f * shortest(), 4e-7f * largest) / length);
    return contact_between(at_.geometry(), place(c, side) + lift, place(c, (side + 1) % 3) + lift);
}

/// What becomes of a piece that was looked at: it ends, is cut, or is cut and its parts are looked at, too.
FieldPieces::Fate FieldPieces::fate_of(const FieldCut& c) const {
    if (int(c.level) >= levels_) return Fate::ends;
    bool goes_on = true;
    const bool rough = is_rough(c, goes_on);
    if (rough && goes_on) return Fate::goes_on;
    if (is_stood_on(c)) return Fate::goes_on;
    return rough ? Fate::is_cut : Fate::ends;
}

/// what(cut) for each of some, on all cores.
template <class What> auto FieldPieces::of_each(const std::vector<uint32_t>& some, const What& what) const {
    std::vector<decltype(what(cuts_[0]))> out(some.size());
    parallel_ranges(some.size(), 256, [&](size_t first, size_t last) {
        for (size_t i = first; i < last; ++i) out[i] = what(cuts_[some[i]]);
    });
    return out;
}

/// Cuts pieces as deep as what they hold asks for.
bool FieldPieces::cut_pieces(bool& cut, float from, float to) {
    bool full = false;
    std::vector<uint32_t> open(cuts_.size());
    for (uint32_t k = 0; k < open.size(); ++k) open[k] = k;
    for (int round = 0; !open.empty() && round < levels_ + balancings; ++round) {
        const float a = lerp(from, to, 1.f - std::exp2(-.5f * float(round)));
        const float b = lerp(from, to, 1.f - std::exp2(-.5f * float(round + 1)));
        const auto told = of_each(open, [&](const FieldCut& c) { return char(tells(c)); });
        for (size_t i = 0; i < open.size(); ++i)
            if (told[i] && has_room()) ask_all(cuts_[open[i]]);
        if (!run_jobs(a, lerp(a, b, .7f))) return false;
        std::vector<Parted> parted;
        const auto fates = of_each(open, [&](const FieldCut& c) { return fate_of(c); });
        for (size_t i = 0; i < open.size(); ++i) {
            if (fates[i] == Fate::ends) continue;
            FieldCut& c = cuts_[open[i]];
            if (!has_room()) {
                // All have been cut alike so far: what only the finest steps lack is not told.
                cut |= longest_side(c) > 8.f * shortest();
                full = true;
                break;
            }
            c.open = fates[i] == Fate::goes_on;
            parted.push_back({open[i], ask_all(c)});
        }
        if (!run_jobs(lerp(a, b, .7f), b)) return false;
        open.clear();
        for (const Parted& p : parted) part(p, open);
        if (open.empty() && !values_.is_coarse() && !full) {
            open = overtaken();
            for (const uint32_t k : open) cuts_[k].overtaken = true;
        }
    }
    return true;
}

bool FieldPieces::cut_slopes(const std::function<bool(const FieldCut&)>& chosen) {
    const auto slopes = of_each(whole_ones(), [&](const FieldCut& c) {
        if (int(c.level) >= levels_) return char(0);
        return char(c.level > 0 ? chosen(c) : small(c) && spread(c) > 2.f * field_step);
    });
    std::vector<Parted> parted;
    size_t i = 0;
    for (const uint32_t k : whole_ones()) {
        if (!has_room()) break;
        if (slopes[i++]) parted.push_back({k, ask_all(cuts_[k])});
    }
    if (!run_jobs(1.f, 1.f)) return false;
    std::vector<uint32_t> open;
    for (const Parted& p : parted) part(p, open);
    close_seams();
    return true;
}

void FieldPieces::part(const Parted& parted, std::vector<uint32_t>& open) {
    const FieldCut c = cuts_[parted.cut];
    const std::array<uint32_t, 3>& m = parted.middles;
    const V2f uv[] = {middle_of(c, 0), middle_of(c, 1), middle_of(c, 2)};
    cuts_[parted.cut].first = uint32_t(cuts_.size());
    const uint8_t level = uint8_t(c.level + 1);
    const FieldCut parts[] = {
        {{c.corner[0], m[0], m[2]}, {c.uv[0], uv[0], uv[2]}, c.face, FormField::uncut, level},
        {{m[0], c.corner[1], m[1]}, {uv[0], c.uv[1], uv[1]}, c.face, FormField::uncut, level},
        {{m[2], m[1], c.corner[2]}, {uv[2], uv[1], c.uv[2]}, c.face, FormField::uncut, level},
        {{m[1], m[2], m[0]}, {uv[1], uv[2], uv[0]}, c.face, FormField::uncut, level},
    };
    for (const FieldCut& p : parts) {
        if (c.open) open.push_back(uint32_t(cuts_.size()));
        cuts_.push_back(p);
    }
}

/// Pieces that are left whole though what was found on their sides since, as those beyond were cut finer, is not
/// between their corners.
std::vector<uint32_t> FieldPieces::overtaken() const {
    std::vector<uint32_t> out = whole_ones();
    const auto off = of_each(out, [&](const FieldCut& c) {
        bool leaves = false;
        for (int s = 0; s < 3 && !leaves; ++s) {
            const uint32_t a = c.corner[s];
            const uint32_t b = c.corner[(s + 1) % 3];
            leaves = leaves_side(a, b, values_[a], values_[b], 0);
        }
        return char(leaves);
    });
    size_t kept = 0;
    for (size_t i = 0; i < out.size(); ++i)
        if (off[i]) out[kept++] = out[i];
    out.resize(kept);
    return out;
}

std::vector<uint32_t> FieldPieces::whole_ones() const {
    std::vector<uint32_t> out;
    for (uint32_t k = 0; k < cuts_.size(); ++k)
        if (cuts_[k].is_whole()) out.push_back(k);
    return out;
}

/// Whether samples between a and b are off the straight from one value to the other.
bool FieldPieces::leaves_side(uint32_t a, uint32_t b, const FieldValue& at_a, const FieldValue& at_b, int depth) const {
    const auto at = middles_.find(edge(a, b));
    if (at == middles_.end() || depth >= levels_) return false;
    const FieldValue straight = mean(at_a, at_b, .5f);
    if (depth > 0 && values_.apart(values_[at->second], straight) > field_step) return true;
    return leaves_side(a, at->second, at_a, straight, depth + 1) ||
           leaves_side(at->second, b, straight, at_b, depth + 1);
}

/// What lies on the side of a piece that is not cut there is drawn to the side's ends: coarse ones first, as theirs
/// are ends of finer ones.
void FieldPieces::close_seams() {
    const std::vector<uint32_t> leaves = whole_ones();
    const auto beside_cuts = of_each(leaves, [&](const FieldCut& c) {
        return char(is_cut(edge(c, 0)) || is_cut(edge(c, 1)) || is_cut(edge(c, 2)));
    });
    std::vector<uint32_t> some;
    for (size_t i = 0; i < leaves.size(); ++i)
        if (beside_cuts[i]) some.push_back(leaves[i]);
    std::stable_sort(some.begin(), some.end(), [&](uint32_t a, uint32_t b) { return cuts_[a].level < cuts_[b].level; });
    for (const uint32_t k : some)
        for (int s = 0; s < 3; ++s) draw_to_ends(cuts_[k].corner[s], cuts_[k].corner[(s + 1) % 3]);
}

void FieldPieces::draw_to_ends(uint32_t a, uint32_t b) {
    const auto at = middles_.find(edge(a, b));
    if (at == middles_.end()) return;
    values_[at->second] = mean(values_[a], values_[b], .5f);
    draw_to_ends(a, at->second);
    draw_to_ends(at->second, b);
}

}  // namespace vemtra::geometry
