// Borders on disk, beside the fields: a hash of the rest, the width, then the level of every face and the codes. What
// was cut off or does not fit the mesh is as if it were not there.
#include <cstring>

#include "base/file.h"
#include "base/hash.h"
#include "geometry/border.h"
#include "geometry/field.h"
#include "geometry/field_grid.h"

namespace vemtra::geometry {
namespace {

fs::path file_of(uint64_t content) {
    char name[32];
    std::snprintf(name, sizeof name, "%016llx.border", static_cast<unsigned long long>(content));
    return cache_folder("fields") / name;
}

constexpr size_t head = 12;  // the hash and the width

}  // namespace

std::optional<BorderGrid> kept_border(const Mesh& mesh, uint64_t content) {
    const fs::path file = file_of(content);
    const Result<std::string> bytes = read_file(file);
    const size_t faces = mesh.triangles();
    if (!bytes || bytes->size() < head + faces) return std::nullopt;
    uint64_t check = 0;
    std::memcpy(&check, bytes->data(), 8);
    if (check != hash_bytes(bytes->data() + 8, bytes->size() - 8, content)) return std::nullopt;
    BorderGrid grid;
    grid.content = content;
    std::memcpy(&grid.width, bytes->data() + 8, 4);
    grid.level.resize(faces);
    if (faces) std::memcpy(grid.level.data(), bytes->data() + head, faces);
    const size_t left = bytes->size() - head - faces;
    size_t points = 0;
    for (const uint8_t level : grid.level) {
        grid.first.push_back(points);
        if (level > relief_deepest) return std::nullopt;
        points += grid_size(1 << level);
    }
    if (left != 2 * points || !(grid.width > 0.f)) return std::nullopt;
    grid.codes.resize(points);
    if (points) std::memcpy(grid.codes.data(), bytes->data() + head + faces, left);
    mark_used(file);
    return grid;
}

void keep_border(const BorderGrid& grid) {
    std::string body(reinterpret_cast<const char*>(&grid.width), 4);
    body.append(reinterpret_cast<const char*>(grid.level.data()), grid.level.size());
    body.append(reinterpret_cast<const char*>(grid.codes.data()), 2 * grid.codes.size());
    const uint64_t check = hash_bytes(body.data(), body.size(), grid.content);
    const fs::path file = file_of(grid.content);
    write_file_atomically(file, std::string(reinterpret_cast<const char*>(&check), 8) + body);
    keep_within(file.parent_path(), fields_on_disk);
}

}  // namespace vemtra::geometry
