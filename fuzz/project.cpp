// A project: read, mended, compiled with all its networks, written and read again.
#include "fuzz.h"
#include "render/prepared.h"
#include "scene/project_file.h"

int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace vemtra;
    fuzz::alone();
    auto loaded = scene::parse(std::string(fuzz::text(data, size)), "fuzzed.vemtra");
    if (!loaded) return 0;
    auto again = scene::parse(scene::to_text(loaded->scene), "again.vemtra");
    if (!again || !(again->scene == loaded->scene)) __builtin_trap();
    static render::Workshop workshop(16);
    render::PrepareOptions options;
    options.folder = fuzz::folder();
    options.field_rays = 1;
    render::prepare(std::make_shared<const scene::Scene>(std::move(loaded->scene)), workshop, options);
    return 0;
}
