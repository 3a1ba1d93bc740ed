#include "geometry/face_sides.h"

#include <algorithm>
#include <cmath>

#include "base/parallel_sort.h"
#include "geometry/relief.h"

namespace vemtra::geometry {

float longest_side(const Mesh& m, uint32_t f) {
    const uint32_t* i = &m.indices[3 * size_t(f)];
    float longest = 0.f;
    for (int c = 0; c < 3; ++c) longest = std::max(longest, (m.positions[i[(c + 1) % 3]] - m.positions[i[c]]).length());
    return std::isfinite(longest) ? longest : 0.f;
}

FaceSides::FaceSides(const Mesh& mesh) : longest_(mesh.triangles()) {
    parallel_ranges(longest_.size(), 16384, [&](size_t begin, size_t end) {
        for (size_t f = begin; f < end; ++f) longest_[f] = longest_side(mesh, uint32_t(f));
    });
    sort_in_parallel(longest_);
}

double FaceSides::points(float spacing) const {
    double points = 0;
    auto first = longest_.begin();
    double segments = 1;
    for (int level = 0; first != longest_.end() && level <= relief_deepest; ++level, segments *= 2) {
        const auto last = level == relief_deepest
                              ? longest_.end()
                              : std::upper_bound(first, longest_.end(), segments, [spacing](double n, float side) {
                                    return n < double(side / spacing);
                                });
        points += double(last - first) * segments * segments / 2;
        first = last;
    }
    return points;
}

float FaceSides::affordable(float spacing, size_t most) const {
    for (int tries = 0; tries < 64; ++tries, spacing *= 2.f)
        if (const double p = points(spacing); p <= double(most) || p <= double(longest_.size())) break;
    return spacing;
}

}  // namespace vemtra::geometry
