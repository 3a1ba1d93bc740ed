// Example of docs/adding.md: a format of meshes. In the house: one reader in src/geometry/, one line in formats().
#include <sstream>

#include "geometry/import.h"

namespace example {

using namespace vemtra;

/// Nine numbers a line: a triangle.
geometry::RawParts read_triangles(const geometry::ImportSource& source, std::vector<Error>&, Progress*) {
    geometry::RawPart part;
    part.name = fs::path(source.file).stem().string();
    std::istringstream in(std::string(source.bytes.rest()));
    for (V3f p; in >> p.x >> p.y >> p.z;) {
        part.indices.push_back(uint32_t(part.positions.size()));
        part.positions.push_back(p);
    }
    std::vector<geometry::RawPart> parts;
    parts.push_back(std::move(part));
    return parts;
}

extern const geometry::ImportFormat triangles_format;
const geometry::ImportFormat triangles_format{"Triangles", {".tri"}, read_triangles};

}  // namespace example
