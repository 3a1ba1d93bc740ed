// placement: where maps are read (ours). One placement serves a whole set. The point goes into the frame of the
// projection, from there to (u, v), is repeated, turned and moved; the footprint goes along by doing the same with both
// ends of its axes.
//   plane     x, y of the frame                          sphere    longitude, latitude
//   cylinder  angle around y, height along y             camera    seen from the frame's centre along its -z: x / -z, y
// / -z
//   box       the three planes, weighted by how much the surface faces each of them
#include "nodes/kernel.h"
#include "nodes/kernels/hash.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

enum { by_uv, by_plane, by_box, by_cylinder, by_sphere, by_camera };

struct Placing {
    int projection;
    float centre[3], rows[9], size[2];  // rows: the frame's axes in the asset's space
    float repeat[2], offset[2], cosine, sine;
    float blend, shift, turn;
    int real_size;
};

enum PlacementUniform : int {
    placement_projection = 0,
    placement_repeat = 1,
    placement_offset = 3,
    placement_rotation = 5,
    placement_centre = 6,
    placement_turned = 9,
    placement_size = 12,
    placement_blend = 14,
    placement_shift = 15,
    placement_turn = 16,
    placement_real_size = 17
};

static void prepare_placing(const float* u, Placing& p) {
    p.projection = int(u[placement_projection]);
    for (int c = 0; c < 2; ++c) p.repeat[c] = u[placement_repeat + c], p.offset[c] = u[placement_offset + c];
    constexpr float degree = 0.017453293f;
    p.cosine = __builtin_cosf(u[placement_rotation] * degree);
    p.sine = __builtin_sinf(u[placement_rotation] * degree);
    for (int c = 0; c < 3; ++c) p.centre[c] = u[placement_centre + c];
    const float ax = u[placement_turned] * degree;
    const float ay = u[placement_turned + 1] * degree;
    const float az = u[placement_turned + 2] * degree;
    const float cx = __builtin_cosf(ax);
    const float sx = __builtin_sinf(ax);
    const float cy = __builtin_cosf(ay);
    const float sy = __builtin_sinf(ay);
    const float cz = __builtin_cosf(az);
    const float sz = __builtin_sinf(az);
    // R = Ry Rx Rz; its columns are the frame's axes.
    const float r[9] = {cy * cz + sy * sx * sz,
                        cx * sz,
                        -sy * cz + cy * sx * sz,
                        -cy * sz + sy * sx * cz,
                        cx * cz,
                        sy * sz + cy * sx * cz,
                        sy * cx,
                        -sx,
                        cy * cx};
    for (int c = 0; c < 9; ++c) p.rows[c] = r[c];
    for (int c = 0; c < 2; ++c) p.size[c] = max_of(1e-6f, u[placement_size + c]);
    p.blend = clamp(u[placement_blend], .001f, 1.f);
    p.shift = u[placement_shift];
    p.turn = u[placement_turn];
    p.real_size = int(u[placement_real_size]);
}

static inline void into_frame(const Placing& p, const float* q, bool direction, float* out) {
    for (int r = 0; r < 3; ++r) {
        out[r] = 0.f;
        for (int c = 0; c < 3; ++c) out[r] += p.rows[3 * r + c] * (q[c] - (direction ? 0.f : p.centre[c]));
    }
}

/// Frame to the unrepeated place: one copy of the map is 0..1 around the frame's centre.
static inline void project(const Placing& p, const float* f, float& u, float& v) {
    constexpr float turn = 0.15915494f;
    if (p.projection == by_cylinder) {
        u = __builtin_atan2f(f[0], f[2]) * turn + .5f;
        v = f[1] / p.size[1] + .5f;
    } else if (p.projection == by_sphere) {
        u = __builtin_atan2f(f[0], f[2]) * turn + .5f;
        v = __builtin_atan2f(f[1], __builtin_sqrtf(f[0] * f[0] + f[2] * f[2])) * (2.f * turn) + .5f;
    } else if (p.projection == by_camera) {
        const float z = max_of(1e-6f, -f[2]);
        u = f[0] / (z * p.size[0]) + .5f;
        v = f[1] / (z * p.size[1]) + .5f;
    } else {
        u = f[0] / p.size[0] + .5f;
        v = f[1] / p.size[1] + .5f;
    }
}

/// Repeats, turns and moves (u, v) and the two steps away from it.
static inline void arrange(const Placing& p, float* u, float* v, float more_u = 1.f, float more_v = 1.f) {
    for (int k = 0; k < 3; ++k) {
        const float x = (u[k] - .5f) * p.repeat[0] * more_u;
        const float y = (v[k] - .5f) * p.repeat[1] * more_v;
        u[k] = p.cosine * x + p.sine * y + .5f - p.offset[0];
        v[k] = -p.sine * x + p.cosine * y + .5f - p.offset[1];
    }
    if (p.shift <= 0.f && p.turn <= 0.f) return;
    // Every copy is moved and turned by chance: the cell decides, the same for all maps that are placed by this.
    const int cx = cell_of(u[placement_projection]);
    const int cy = cell_of(v[0]);
    const uint32_t h = hash2(cx, cy);
    const float angle = p.turn * 6.2831853f * (float(h >> 16) * (1.f / 65536.f) - .5f);
    const float c = __builtin_cosf(angle);
    const float s = __builtin_sinf(angle);
    const float du = p.shift * float((h >> 8) & 255) * (1.f / 256.f);
    const float dv = p.shift * float(h & 255) * (1.f / 256.f);
    for (int k = 0; k < 3; ++k) {
        const float x = u[k] - float(cx) - .5f;
        const float y = v[k] - float(cy) - .5f;
        u[k] = c * x + s * y + .5f + du;
        v[k] = -s * x + c * y + .5f + dv;
    }
}

static inline void store(const KernelArgs& k, int at, int i, const float* u, const float* v, bool axes) {
    k.out[at][i] = u[0];
    k.out[at + 1][i] = v[0];
    for (int a = 0; a < 2; ++a) {
        float du = u[1 + a] - u[0];
        float dv = v[1 + a] - v[0];
        k.out[at + 2 + 2 * a][i] = axes ? du : 0.f;
        k.out[at + 3 + 2 * a][i] = axes ? dv : 0.f;
    }
}

void placement(const KernelArgs& k) {
    Placing p;
    prepare_placing(k.uniform, p);
    const PointBatch& b = *k.points;
    // A further set of UVs stands in for what came in.
    const float* const* uv = k.resource >= 0 && b.uv_sets ? b.uv_sets + 6 * k.resource : k.in;
    const float* density =
        b.uv_per_metre ? b.uv_per_metre + (k.resource >= 0 ? uint32_t(1 + k.resource) * b.instances : 0u) : nullptr;
    for (int i = 0; i < k.n; ++i) {
        float u[3];
        float v[3];
        if (p.projection == by_uv) {
            const bool axes = uv[2] && uv[3] && uv[4] && uv[5];
            u[0] = uv[0][i];
            v[0] = uv[1][i];
            for (int a = 0; a < 2; ++a) {
                u[1 + a] = u[0] + (axes ? uv[2 + 2 * a][i] : 0.f);
                v[1 + a] = v[0] + (axes ? uv[3 + 2 * a][i] : 0.f);
            }
            float across = 1.f;
            float up = 1.f;
            if (p.real_size && density && b.instance)
                if (const float d = density[b.instance[i]]; d > 0.f)
                    across = 1.f / (d * p.size[0]), up = 1.f / (d * p.size[1]);
            arrange(p, u, v, across, up);
            store(k, 0, i, u, v, axes);
            continue;
        }
        const bool axes = b.rows[row_position_axes + 0] != nullptr;
        float f[3][3];
        for (int s = 0; s < 3; ++s) {
            float q[3];
            for (int c = 0; c < 3; ++c)
                q[c] = b.rows[row_position + c][i] + (s && axes ? b.rows[row_position_axes + 3 * (s - 1) + c][i] : 0.f);
            into_frame(p, q, false, f[s]);
        }
        if (p.projection != by_box) {
            for (int s = 0; s < 3; ++s) project(p, f[s], u[s], v[s]);
            if (p.projection == by_cylinder || p.projection == by_sphere)
                for (int s = 1; s < 3; ++s) u[s] -= float(cell_of(u[s] - u[0] + .5f));  // not across the seam behind
            arrange(p, u, v);
            store(k, 0, i, u, v, axes);
            continue;
        }
        float n[3];
        float normal[3];
        for (int c = 0; c < 3; ++c) n[c] = b.rows[row_normal + c][i];
        into_frame(p, n, true, normal);
        // From outside, u runs to the right on each of the four sides; on top and bottom along x.
        static constexpr int across[3] = {2, 0, 0};
        static constexpr int up[3] = {1, 2, 1};
        float weight[3];
        float largest = 0.f;
        float sum = 0.f;
        for (int a = 0; a < 3; ++a) {
            weight[a] = normal[a] < 0.f ? -normal[a] : normal[a];
            largest = max_of(largest, weight[a]);
        }
        for (int a = 0; a < 3; ++a) {
            weight[a] = max_of(0.f, (weight[a] - largest + p.blend) / p.blend);
            sum += weight[a];
        }
        for (int a = 0; a < 3; ++a) {
            const float side = normal[a] < 0.f ? -1.f : 1.f;
            const float su = a == 0 ? -side : a == 2 ? side : 1.f;
            const float sv = a == 1 ? -side : 1.f;
            for (int s = 0; s < 3; ++s) {
                u[s] = su * f[s][across[a]] / p.size[0] + .5f;
                v[s] = sv * f[s][up[a]] / p.size[1] + .5f;
            }
            arrange(p, u, v);
            store(k, 6 * a, i, u, v, axes);
            k.out[18 + a][i] = weight[a] / sum;
        }
    }
}

}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(placement)

using namespace VEMTRA_ISA;

/// A further set of UVs is asked for where nothing is wired in its place.
static int ask_placement(const Asking& a, Resources& resources) {
    resources.footprint = true;
    const std::string set = a.word("uv_set");
    return set.empty() || a.placed_by ? -1 : resources.uv_set(set);
}
static int placement_shape(const scene::Node& node, const NodeDescription& d) {
    return int(number_of(node, *d.port("projection"))) == by_box ? box_components : components(Type::place);
}

// NOLINTNEXTLINE(readability-function-size): a table
void describe_placement(std::vector<NodeDescription>& list) {
    list.push_back(
        {.kind = "placement",
         .title = "Placement",
         .family = "map",
         .help = "Where maps are read. Wire it to the texcoord of one map, or of all maps of a set.",
         .types = {Type::place},
         .ports = {{.name = "projection",
                    .help = "How the maps come onto the asset: by its UVs, or from a frame that stands in the picture.",
                    .value = 0.f,
                    .high = 5.f,
                    .uniform = true,
                    .whole = true,
                    .choices = {"UV", "plane", "box", "cylinder", "sphere", "camera"},
                    .role = Role::projection},
                   {.name = "repeat",
                    .help =
                        "How often the map stands side by side in one unit of the UVs, or in one size of the frame.",
                    .type = Type::vector2,
                    .value = V2f(1.f),
                    .low = .1f,
                    .high = 16.f,
                    .uniform = true},
                   {.name = "offset",
                    .help = "Moves the map, in its own widths and heights.",
                    .type = Type::vector2,
                    .value = V2f(0.f),
                    .low = -1.f,
                    .high = 1.f,
                    .uniform = true},
                   {.name = "rotation",
                    .help = "Turns the map counter-clockwise about its middle.",
                    .value = 0.f,
                    .low = -180.f,
                    .high = 180.f,
                    .unit = "deg",
                    .uniform = true},
                   {.name = "centre",
                    .help = "Where the frame of a projection stands, in the asset's own space.",
                    .type = Type::vector3,
                    .value = V3f(0.f),
                    .low = -1.f,
                    .high = 1.f,
                    .unit = "m",
                    .uniform = true,
                    .role = Role::frame_centre},
                   {.name = "turned",
                    .help = "How the frame is turned: nod, swing, roll.",
                    .type = Type::vector3,
                    .value = V3f(0.f),
                    .low = -180.f,
                    .high = 180.f,
                    .unit = "deg",
                    .uniform = true,
                    .role = Role::frame_turn},
                   {.name = "size",
                    .help = "Width and height of one copy of the map in the real world; of a camera, of what it sees "
                            "at one metre.",
                    .type = Type::vector2,
                    .value = V2f(.1f),
                    .low = .001f,
                    .high = 2.f,
                    .unit = "m",
                    .uniform = true,
                    .role = Role::frame_size},
                   {.name = "blend",
                    .help = "How soft the corners of a box are.",
                    .value = .25f,
                    .low = .01f,
                    .high = 1.f,
                    .uniform = true},
                   {.name = "shuffle_shift",
                    .help = "Moves every copy by chance, so that nothing is seen to repeat.",
                    .value = 0.f,
                    .uniform = true,
                    .folded = true},
                   {.name = "shuffle_turn",
                    .help = "Turns every copy by chance.",
                    .value = 0.f,
                    .uniform = true,
                    .folded = true},
                   {.name = "real_size",
                    .help =
                        "By UV: yes makes one copy as large as size says, by how dense the part's UVs lie in the mean.",
                    .value = 0.f,
                    .uniform = true,
                    .whole = true,
                    .choices = {"no", "yes"},
                    .folded = true},
                   {.name = "tiling",
                    .help = "seamless: three copies are mixed everywhere so that no repetition shows and all tones "
                            "stay as frequent as they are.",
                    .value = std::string("repeat"),
                    .uniform = true,
                    .text = true,
                    .choices = {"repeat", "seamless"},
                    .folded = true},
                   {.name = "uv_set",
                    .help = "By UV: the name of another set of UVs of the part; empty: its first one.",
                    .value = std::string(),
                    .uniform = true,
                    .text = true,
                    .folded = true,
                    .role = Role::uv_set},
                   {.name = "texcoord",
                    .help = "What is placed when the projection is by UV.",
                    .type = Type::place,
                    .value = V2f(0.f),
                    .reads = Reads::uv,
                    .folded = true,
                    .role = Role::where}},
         .kernel = VEMTRA_PAIR(placement),
         .ask = ask_placement,
         .varies = true,
         .use = Use::placement,
         .shape = placement_shape,
         .uniforms = {{"projection", placement_projection},
                      {"repeat", placement_repeat},
                      {"offset", placement_offset},
                      {"rotation", placement_rotation},
                      {"centre", placement_centre},
                      {"turned", placement_turned},
                      {"size", placement_size},
                      {"blend", placement_blend},
                      {"shuffle_shift", placement_shift},
                      {"shuffle_turn", placement_turn},
                      {"real_size", placement_real_size}}});
}
#endif
}  // namespace vemtra::nodes
