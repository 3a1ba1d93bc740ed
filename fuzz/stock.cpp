// An own stock file: read, written, applied to a layer.
#include "scene/stock.h"
#include "fuzz.h"
#include "scene/edits.h"

int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace vemtra;
    fuzz::alone();
    const fs::path own = fuzz::file("stock.json", data, size);
    const scene::Stock stock = scene::load_stock(fuzz::folder() / "none", own);
    for (const scene::StockItem& item : stock.items) {
        scene::BuildUp b = scene::default_build_up("b", "B");
        scene::apply_stock(b, b.layers[0].id, item);
    }
    scene::save_own_stock(stock, fuzz::folder() / "again.json");
    return 0;
}
