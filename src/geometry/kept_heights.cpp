// Frozen heights on disk, in a folder of their own, since every edit of them makes new ones: a hash of the rest, then
// the numbers of all points. What was cut off or does not fit the mesh is as if it were not there.
#include <cstring>

#include "base/file.h"
#include "base/parallel.h"
#include "geometry/frozen_heights.h"

namespace vemtra::geometry {
namespace {

constexpr size_t head = 8;

fs::path file_of(uint64_t content) {
    char name[32];
    std::snprintf(name, sizeof name, "%016llx.heights", static_cast<unsigned long long>(content));
    return cache_folder("heights") / name;
}
template <class Frozen>
std::shared_ptr<const ReliefHeights> read(std::shared_ptr<Frozen> out, const Mesh& mesh, uint64_t content) {
    const fs::path file = file_of(content);
    const Result<std::string> bytes = read_file(file);
    const size_t size = 2 * out->numbers().size();
    if (!bytes || bytes->size() != head + size) return nullptr;
    uint64_t check = 0;
    std::memcpy(&check, bytes->data(), head);
    if (check != hash_bytes(bytes->data() + head, size, content)) return nullptr;
    if (size) std::memcpy(out->numbers().data(), bytes->data() + head, size);
    parallel_ranges(mesh.triangles(), 64, [&](size_t first, size_t last) {
        for (size_t f = first; f < last; ++f) out->bound(mesh, uint32_t(f));
    });
    mark_used(file);
    return out;
}

}  // namespace

std::shared_ptr<const ReliefHeights> kept_heights(const Mesh& mesh, ReliefLevels levels, float least, float largest,
                                                  uint64_t content) {
    return read(std::make_shared<frozen::Heights>(std::move(levels), least, largest), mesh, content);
}
std::shared_ptr<const ReliefHeights> kept_offsets(const Mesh& mesh, ReliefLevels levels, float reach,
                                                  uint64_t content) {
    return read(std::make_shared<frozen::Offsets>(std::move(levels), reach), mesh, content);
}

void keep_heights(const ReliefHeights& heights, uint64_t content) {
    const std::vector<uint16_t>* numbers = nullptr;
    if (const auto* along = dynamic_cast<const frozen::Heights*>(&heights)) numbers = &along->numbers();
    if (const auto* any_way = dynamic_cast<const frozen::Offsets*>(&heights)) numbers = &any_way->numbers();
    if (!numbers) return;
    std::string body(head, '\0');
    body.append(reinterpret_cast<const char*>(numbers->data()), 2 * numbers->size());
    const uint64_t check = hash_bytes(body.data() + head, body.size() - head, content);
    std::memcpy(body.data(), &check, head);
    const fs::path file = file_of(content);
    write_file_atomically(file, body);
    keep_within(file.parent_path(), heights_on_disk);
}

}  // namespace vemtra::geometry
