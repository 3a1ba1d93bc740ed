#include "hostile/inputs.h"

#include <fstream>

#include "scene/project_file.h"
#include "support.h"

namespace vemtra::hostile {

void write_bytes(const fs::path& file, const std::string& bytes) {
    fs::create_directories(file.parent_path());
    std::ofstream(file, std::ios::binary) << bytes;
}

std::vector<Call> project_calls(const fs::path& project) {
    const std::string p = project.string();
    return {{{"check", p}},
            {{"info", p}},
            {{"render", p, "-o", p + ".png", "--size", "32x20", "--samples", "1", "--outside"}}};
}

scene::Scene square_project(const fs::path& folder) {
    write_bytes(folder / "square.obj", test::square_obj);
    scene::Scene s = test::plain_scene("square.obj");
    s.render.depth = 6;
    return s;
}

fs::path save_in(const fs::path& folder, const scene::Json& project) {
    write_bytes(folder / "p.vemtra", project.dump());
    return folder / "p.vemtra";
}
fs::path save_in(const fs::path& folder, const scene::Scene& scene) {
    write_bytes(folder / "p.vemtra", scene::to_text(scene));
    return folder / "p.vemtra";
}
scene::Json as_json(const scene::Scene& scene) {
    return scene::Json::parse(scene::to_text(scene));
}

std::vector<Call> asset_calls(const fs::path& asset) {
    const fs::path folder = asset.parent_path();
    scene::Scene s = test::plain_scene(asset.filename().string());
    const std::string made = (folder / "made.vemtra").string();
    std::vector<Call> calls = {
        {{"info", asset.string()}},
        {{"new", asset.string(), "-o", made}},
        {{"render", made, "-o", made + ".png", "--size", "32x20", "--samples", "1"}},
    };
    for (const Call& c : project_calls(save_in(folder, s))) calls.push_back(c);
    return calls;
}

}  // namespace vemtra::hostile
