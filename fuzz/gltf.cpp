#include "fuzz.h"
#include "geometry/import.h"

int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    vemtra::fuzz::alone();
    vemtra::ByteStream bytes = vemtra::ByteStream::of(vemtra::fuzz::text(data, size));
    vemtra::geometry::import("fuzzed.gltf", bytes, {});
    return 0;
}
