#include "render/session.h"
#include "render_support.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using render::Change;

namespace {

using scene::Json;

/// What a change of the field at this path of the project file throws away. Everything that is not named here restarts
/// shading.
Change expected(const std::string& path) {
    auto is = [&](const char* pattern) { return path.find(pattern) != std::string::npos; };
    if (path.rfind("/paintings", 0) == 0 && path.ends_with("/file")) return Change::display;
    if (path == "/name" || is("/kept_values")) return Change::display;
    if (path.rfind("/display", 0) == 0) return Change::display;
    if (path.rfind("/assets", 0) == 0 || path.rfind("/parts", 0) == 0 || path.rfind("/search_folders", 0) == 0)
        return Change::geometry;
    if (path.rfind("/rigs/1", 0) == 0 || path.rfind("/cameras/1", 0) == 0 || path.rfind("/cameras/2", 0) == 0)
        return Change::display;  // not in use
    if (is("/groups/") && !path.ends_with("name")) return Change::balance;
    if (path.ends_with("/name") && !is("/lights/") && !is("/groups/")) return Change::display;
    if (path == "/render/width" || path == "/render/height" || path == "/render/samples" || path == "/render/clamp" ||
        path == "/render/smooth")
        return Change::display;
    return Change::shading;
}

/// Another value of the same kind.
Json other(const Json& j) {
    if (j.is_boolean()) return !j.get<bool>();
    if (j.is_number()) return j.get<double>() + 1.;
    return j.get<std::string>() + "x";
}

void leaves(const Json& j, const std::string& path, std::vector<std::string>& out) {
    if (j.is_object() || j.is_array()) {
        for (const auto& [key, value] : j.items()) leaves(value, path + "/" + key, out);
    } else {
        out.push_back(path);
    }
}

}  // namespace

TEST_CASE("every field of a scene throws away what it must, and only that") {
    const scene::Scene demo = scene::load(demo_project)->scene;
    const Json whole = Json::parse(scene::to_text(demo));
    std::vector<std::string> paths;
    leaves(whole, "", paths);
    size_t compared = 0;
    std::map<Change, size_t> seen;
    render::LiveRequest a;
    a.width = a.height = 64;
    a.scene = std::make_shared<const scene::Scene>(scene::parse(whole.dump(), "demo")->scene);
    for (const std::string& path : paths) {
        if (path == "/vemtra") continue;
        Json changed = whole;
        Json& leaf = changed[Json::json_pointer(path)];
        leaf = other(leaf);
        const auto parsed = scene::parse(changed.dump(), "demo");
        REQUIRE(parsed);
        render::LiveRequest b = a;
        b.scene = std::make_shared<const scene::Scene>(parsed->scene);
        if (*b.scene == *a.scene) continue;       // brought back into its range, or no word of the format
        if (!parsed->problems.empty()) continue;  // ids that no longer meet: another scene
        const Change got = render::classify(a, b);
        Change want = expected(path);
        if (path == "/rig" || path == "/camera") want = Change::shading;
        INFO(path);
        // A change may throw away more where what is in use depends on it, never less.
        CHECK(int(got) >= int(want));
        if (want != Change::shading) CHECK(int(got) == int(want));
        ++compared;
        ++seen[got];
    }
    CHECK(compared > 300);
    CHECK(seen.size() >= 4);
}
