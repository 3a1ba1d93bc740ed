#include "shape.h"

#include <cstring>
#include <map>
#include <nlohmann/json.hpp>
#include <tuple>

#include "base/file.h"

namespace vemtra::demo {

Outline circle(int segments, float radius) {
    Outline o;
    for (int i = 0; i < segments; ++i) {
        const float a = 2.f * pi * float(i) / float(segments);
        const V2f n(std::sin(a), std::cos(a));
        o.points.push_back(n * radius);
        o.normals.push_back(n);
    }
    return o;
}

namespace {
// Arcs around the corners of a convex polygon given by centres of the arcs.
Outline arcs(const std::vector<V2f>& centres, float corner, const std::vector<float>& start_angles, float sweep,
             int corner_segments, int side_segments) {
    Outline o;
    const size_t n = centres.size();
    auto at = [&](size_t c, float a) {
        const V2f d(std::sin(a), std::cos(a));
        o.points.push_back(centres[c] + d * corner);
        o.normals.push_back(d);
    };
    for (size_t c = 0; c < n; ++c) {
        for (int i = 0; i <= corner_segments; ++i) at(c, start_angles[c] + sweep * float(i) / float(corner_segments));
        const V2f from = o.points.back();
        const V2f normal = o.normals.back();
        const float next_angle = start_angles[(c + 1) % n];
        const V2f to = centres[(c + 1) % n] + V2f(std::sin(next_angle), std::cos(next_angle)) * corner;
        for (int i = 1; i < side_segments; ++i) {
            o.points.push_back(from + (to - from) * (float(i) / float(side_segments)));
            o.normals.push_back(normal);
        }
    }
    return o;
}
}  // namespace

Outline rounded_rectangle(float hx, float hz, float corner, int corner_segments, int side_segments) {
    const float x = hx - corner, z = hz - corner;
    return arcs({{x, z}, {x, -z}, {-x, -z}, {-x, z}}, corner, {0.f, pi / 2, pi, 3 * pi / 2}, pi / 2, corner_segments,
                side_segments);
}

Outline rounded_polygon(int sides, float apothem, float corner, int corner_segments, int side_segments) {
    std::vector<V2f> centres;
    std::vector<float> starts;
    const float reach = (apothem - corner) / std::cos(pi / float(sides));
    for (int s = 0; s < sides; ++s) {
        const float a = 2.f * pi * (float(s) + .5f) / float(sides);
        centres.emplace_back(std::sin(a) * reach, std::cos(a) * reach);
        starts.push_back(a - pi / float(sides));
    }
    return arcs(centres, corner, starts, 2.f * pi / float(sides), corner_segments, side_segments);
}

std::vector<V2f> rounded(const std::vector<Turn>& turns, int arc_segments, float longest) {
    std::vector<V2f> out;
    auto push = [&](const V2f& p) {
        if (!out.empty()) {
            const V2f from = out.back();
            const int pieces = std::max(1, int(std::ceil((p - from).length() / longest)));
            for (int i = 1; i < pieces; ++i) out.push_back(from + (p - from) * (float(i) / float(pieces)));
        }
        out.push_back(p);
    };
    for (size_t i = 0; i < turns.size(); ++i) {
        const V2f p(turns[i].out, turns[i].height);
        if (i == 0 || i + 1 == turns.size() || turns[i].fillet <= 0.f) {
            push(p);
            continue;
        }
        const V2f a = V2f(turns[i - 1].out, turns[i - 1].height) - p,
                  b = V2f(turns[i + 1].out, turns[i + 1].height) - p;
        const float la = a.length(), lb = b.length();
        const V2f da = a / la, db = b / lb;
        const float half = .5f * std::acos(std::clamp(da.dot(db), -1.f, 1.f));
        if (half > pi / 2 - .01f) {
            push(p);
            continue;
        }
        float cut = turns[i].fillet / std::tan(half);
        cut = std::min(cut, .49f * std::min(la, lb));
        const float radius = cut * std::tan(half);
        const V2f middle = p + (da + db).normalized() * (radius / std::sin(half));
        const V2f u = p + da * cut - middle, v = p + db * cut - middle;
        const float sweep = std::acos(std::clamp(u.dot(v) / (radius * radius), -1.f, 1.f));
        for (int k = 0; k <= arc_segments; ++k) {
            const float t = float(k) / float(arc_segments);
            push(middle + (u * std::sin((1 - t) * sweep) + v * std::sin(t * sweep)) / std::sin(sweep));
        }
    }
    return out;
}

Patch Patch::moved(const M44f& m) const {
    Patch p = *this;
    for (V3f& v : p.points) v = v * m;
    return p;
}

Patch loft(const Outline& o, const std::vector<V2f>& profile, bool to_centre, const Shift& shift) {
    Patch p;
    const int n = int(o.points.size());
    p.across = n + 1;
    auto ring = [&](const V2f& at, float scale) {
        for (int i = 0; i <= n; ++i) {
            const size_t k = size_t(i % n);
            const V2f c = (o.points[k] + o.normals[k] * at.x) * scale;
            V3f v(c.x, at.y, c.y);
            if (shift) v = shift(std::atan2(v.x, v.z), v);
            p.points.push_back(v);
        }
        ++p.along;
    };
    for (const V2f& at : profile) ring(at, 1.f);
    if (to_centre) {
        const V2f last = profile.back();
        for (int i = 1; i <= 2; ++i) ring(last, std::max(0.f, 1.f - float(i) / 2.f));
    }
    return p;
}

Patch tube(const std::vector<V3f>& curve, float radius, int sides, bool closed) {
    Patch p;
    p.across = sides + 1;
    const int n = int(curve.size());
    V3f normal(0.f);
    auto tangent = [&](int i) {
        const V3f a = closed ? curve[size_t((i - 1 + n) % n)] : curve[size_t(std::max(0, i - 1))];
        const V3f b = closed ? curve[size_t((i + 1) % n)] : curve[size_t(std::min(n - 1, i + 1))];
        return (b - a).normalized();
    };
    auto ring = [&](const V3f& centre, const V3f& t, float r) {
        if (normal.length() < .5f) normal = Frame(t).tangent;
        normal = (normal - t * normal.dot(t)).normalized();  // carried along without twist
        const V3f side = t.cross(normal);
        for (int s = 0; s <= sides; ++s) {
            const float a = 2.f * pi * float(s) / float(sides);
            p.points.push_back(centre + (normal * std::cos(a) - side * std::sin(a)) * r);
        }
        ++p.along;
    };
    constexpr int end = 4;
    if (!closed)
        for (int k = 0; k < end; ++k) {
            const float a = pi / 2 * float(k) / end;
            ring(curve[0] - tangent(0) * (radius * std::cos(a)), tangent(0), radius * std::sin(a));
        }
    for (int i = 0; i < (closed ? n + 1 : n); ++i) ring(curve[size_t(i % n)], tangent(i % n), radius);
    if (!closed)
        for (int k = 1; k <= end; ++k) {
            const float a = pi / 2 * float(k) / end;
            ring(curve.back() + tangent(n - 1) * (radius * std::sin(a)), tangent(n - 1), radius * std::cos(a));
        }
    return p;
}

namespace {

struct Box {
    const Patch* patch;
    float width, height;  // of the unrolled patch, metres
    float u = 0, v = 0, w = 0, h = 0;
};

Box measure(const Patch& p) {
    Box b{&p, 0.f, 0.f};
    for (int j = 0; j < p.along; ++j) {
        float row = 0.f;
        for (int i = 1; i < p.across; ++i)
            row += (p.points[size_t(j * p.across + i)] - p.points[size_t(j * p.across + i - 1)]).length();
        b.width = std::max(b.width, row);
    }
    for (int i = 0; i < p.across; i += std::max(1, p.across / 8)) {
        float column = 0.f;
        for (int j = 1; j < p.along; ++j)
            column += (p.points[size_t(j * p.across + i)] - p.points[size_t((j - 1) * p.across + i)]).length();
        b.height = std::max(b.height, column);
    }
    return b;
}

// Shelves, tallest first. False if it does not fit at this scale (UV units per metre).
bool pack(std::vector<Box>& boxes, float scale, int tiles) {
    constexpr float gap = .004f;
    float x = gap, y = gap, shelf = 0.f;
    int tile = 0;
    for (Box& b : boxes) {
        float w = b.width * scale, h = b.height * scale;
        const float limit = 1.f - 2.f * gap;  // very long strips are shortened rather than shrinking everything else
        w = std::min(w, limit);
        h = std::min(h, limit);
        if (x + w + gap > 1.f) x = gap, y += shelf + gap, shelf = 0.f;
        if (y + h + gap > 1.f) {
            if (++tile >= tiles) return false;
            x = y = gap;
            shelf = 0.f;
        }
        b.u = x + float(tile);
        b.v = y;
        b.w = w;
        b.h = h;
        x += w + gap;
        shelf = std::max(shelf, h);
    }
    return true;
}

}  // namespace

Result<size_t> write_glb(const std::vector<Part>& parts, int tiles, const std::string& file) {
    std::vector<Box> boxes;
    for (const Part& part : parts)
        for (const Patch& patch : part.patches) boxes.push_back(measure(patch));
    std::vector<size_t> order(boxes.size());
    for (size_t i = 0; i < order.size(); ++i) order[i] = i;
    std::stable_sort(order.begin(), order.end(), [&](size_t a, size_t b) { return boxes[a].height > boxes[b].height; });
    std::vector<Box> sorted;
    for (size_t i : order) sorted.push_back(boxes[i]);
    float low = .01f, high = 100.f;
    for (int i = 0; i < 40; ++i) {
        const float middle = .5f * (low + high);
        (pack(sorted, middle, tiles) ? low : high) = middle;
    }
    pack(sorted, low, tiles);
    for (size_t i = 0; i < order.size(); ++i) boxes[order[i]] = sorted[i];

    nlohmann::ordered_json gltf{{"asset", {{"version", "2.0"}, {"generator", "Vemtra demo"}}}, {"scene", 0}};
    std::string bin;
    size_t triangles = 0, box = 0;
    auto view = [&](const void* data, size_t bytes, int target) {
        while (bin.size() % 4) bin += '\0';
        gltf["bufferViews"].push_back(
            {{"buffer", 0}, {"byteOffset", bin.size()}, {"byteLength", bytes}, {"target", target}});
        bin.append(static_cast<const char*>(data), bytes);
        return gltf["bufferViews"].size() - 1;
    };
    for (const Part& part : parts) {
        std::vector<V3f> positions, normals;
        std::vector<V2f> uvs;
        std::vector<uint32_t> indices;
        for (const Patch& patch : part.patches) {
            const Box& b = boxes[box++];
            const uint32_t first = uint32_t(positions.size());
            // Spacing of the UVs follows the lengths along the grid, so that texels keep their shape.
            std::vector<float> along(size_t(patch.along), 0.f), across(size_t(patch.across), 0.f);
            for (int j = 1; j < patch.along; ++j) {
                float longest = 1e-9f;
                for (int i = 0; i < patch.across; ++i)
                    longest = std::max(longest, (patch.points[size_t(j * patch.across + i)] -
                                                 patch.points[size_t((j - 1) * patch.across + i)])
                                                    .length());
                along[size_t(j)] = along[size_t(j - 1)] + longest;
            }
            for (int i = 1; i < patch.across; ++i) {
                float longest = 1e-9f;
                for (int j = 0; j < patch.along; ++j)
                    longest = std::max(longest, (patch.points[size_t(j * patch.across + i)] -
                                                 patch.points[size_t(j * patch.across + i - 1)])
                                                    .length());
                across[size_t(i)] = across[size_t(i - 1)] + longest;
            }
            for (int j = 0; j < patch.along; ++j)
                for (int i = 0; i < patch.across; ++i) {
                    positions.push_back(patch.points[size_t(j * patch.across + i)]);
                    uvs.emplace_back(b.u + b.w * across[size_t(i)] / across.back(),
                                     b.v + b.h * along[size_t(j)] / along.back());
                }
            for (int j = 0; j + 1 < patch.along; ++j)
                for (int i = 0; i + 1 < patch.across; ++i) {
                    const uint32_t a = first + uint32_t(j * patch.across + i), c = a + uint32_t(patch.across);
                    for (auto t : {std::array<uint32_t, 3>{a, a + 1, c + 1}, std::array<uint32_t, 3>{a, c + 1, c}}) {
                        const V3f n = (positions[t[1]] - positions[t[0]]).cross(positions[t[2]] - positions[t[0]]);
                        if (n.length() > 1e-13f) indices.insert(indices.end(), t.begin(), t.end());
                    }
                }
        }
        // Smooth normals, weighted by area, over vertices at one place: large flats stay flat and fillets carry the
        // turn.
        std::map<std::tuple<int, int, int>, V3f> sums;
        auto key = [&](const V3f& p) {
            return std::tuple(int(std::lround(p.x * 2e6f)), int(std::lround(p.y * 2e6f)), int(std::lround(p.z * 2e6f)));
        };
        for (size_t t = 0; t < indices.size(); t += 3) {
            const V3f n = (positions[indices[t + 1]] - positions[indices[t]])
                              .cross(positions[indices[t + 2]] - positions[indices[t]]);
            for (int c = 0; c < 3; ++c)
                sums.try_emplace(key(positions[indices[t + size_t(c)]]), 0.f).first->second += n;
        }
        for (const V3f& p : positions) {
            const auto it = sums.find(key(p));
            normals.push_back(it != sums.end() && it->second.length() > 0.f ? it->second.normalized() : V3f(0, 1, 0));
        }
        triangles += indices.size() / 3;
        Box3f bounds;
        for (const V3f& p : positions) bounds.extendBy(p);
        for (V2f& uv : uvs) uv.y = 1.f - uv.y;  // glTF counts v downwards
        const size_t a = gltf["accessors"].size();
        gltf["accessors"].push_back({{"bufferView", view(positions.data(), positions.size() * 12, 34962)},
                                     {"componentType", 5126},
                                     {"count", positions.size()},
                                     {"type", "VEC3"},
                                     {"min", {bounds.min.x, bounds.min.y, bounds.min.z}},
                                     {"max", {bounds.max.x, bounds.max.y, bounds.max.z}}});
        gltf["accessors"].push_back({{"bufferView", view(normals.data(), normals.size() * 12, 34962)},
                                     {"componentType", 5126},
                                     {"count", normals.size()},
                                     {"type", "VEC3"}});
        gltf["accessors"].push_back({{"bufferView", view(uvs.data(), uvs.size() * 8, 34962)},
                                     {"componentType", 5126},
                                     {"count", uvs.size()},
                                     {"type", "VEC2"}});
        if (positions.size() < 65535) {
            std::vector<uint16_t> small(indices.begin(), indices.end());
            gltf["accessors"].push_back({{"bufferView", view(small.data(), small.size() * 2, 34963)},
                                         {"componentType", 5123},
                                         {"count", indices.size()},
                                         {"type", "SCALAR"}});
        } else {
            gltf["accessors"].push_back({{"bufferView", view(indices.data(), indices.size() * 4, 34963)},
                                         {"componentType", 5125},
                                         {"count", indices.size()},
                                         {"type", "SCALAR"}});
        }
        gltf["meshes"].push_back(
            {{"name", part.name},
             {"primitives",
              {{{"attributes", {{"POSITION", a}, {"NORMAL", a + 1}, {"TEXCOORD_0", a + 2}}}, {"indices", a + 3}}}}});
        gltf["nodes"].push_back({{"name", part.name}, {"mesh", gltf["meshes"].size() - 1}});
    }
    std::vector<size_t> roots;
    for (size_t i = 0; i < gltf["nodes"].size(); ++i) roots.push_back(i);
    gltf["scenes"].push_back({{"nodes", roots}});
    while (bin.size() % 4) bin += '\0';
    gltf["buffers"].push_back({{"byteLength", bin.size()}});
    std::string json = gltf.dump();
    while (json.size() % 4) json += ' ';
    std::string glb;
    auto word = [&](uint32_t v) { glb.append(reinterpret_cast<const char*>(&v), 4); };
    word(0x46546C67);
    word(2);
    word(uint32_t(12 + 8 + json.size() + 8 + bin.size()));
    word(uint32_t(json.size()));
    word(0x4E4F534A);
    glb += json;
    word(uint32_t(bin.size()));
    word(0x004E4942);
    glb += bin;
    if (Status s = write_file_atomically(file, glb); !s) return s.error();
    return triangles;
}

}  // namespace vemtra::demo
