// The journal of paint that is not saved yet, over a scene with a small painting: replayed to a state that its first
// byte chooses.
#include "scene/paint_journal.h"
#include "fuzz.h"

int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace vemtra;
    fuzz::alone();
    if (!size) return 0;
    scene::Scene s;
    s.paintings.push_back({.id = "p", .name = "P", .size = 128});
    s.paintings.push_back({.id = "q", .name = "Q", .type = "color3", .size = 64});
    scene::PaintJournal::replay(fuzz::file("j", data + 1, size - 1), data[0], s);
    for (const scene::Painting& p : s.paintings)
        for (const scene::Sheet& sheet : p.sheets)
            if (sheet.texels && (sheet.texels->size() > scene::largest_sheet || sheet.texels->lanes() != p.lanes()))
                __builtin_trap();
    return 0;
}
