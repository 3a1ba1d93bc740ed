// A document of the open standard: read, every output evaluated, its materials taken in and written again.
#include "exchange/standard/evaluate.h"
#include "fuzz.h"

int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace vemtra;
    fuzz::alone();
    auto document = exchange::parse_standard_document({reinterpret_cast<const char*>(data), size}, "fuzz.mtlx");
    if (!document) return 0;
    size_t left = 8;
    for (const std::string& output : exchange::outputs_of(*document))
        if (left-- > 0) exchange::evaluate(*document, output, 2, .37f, fuzz::folder() / "fuzz.mtlx");
    scene::Scene scene;
    exchange::take_in(std::move(*document), scene, fuzz::folder() / "fuzz.mtlx", fuzz::folder() / "p.vemtra");
    const auto written = exchange::write_standard_document(scene);
    if (!exchange::parse_standard_document(written.text, "again.mtlx")) __builtin_trap();
    return 0;
}
