#include "support.h"

#include <sys/wait.h>
#include <unistd.h>
#include <cstdio>

namespace vemtra::test {

Scratch::Scratch() {
    static int count = 0;
    path = fs::temp_directory_path() / ("vemtra-test-" + std::to_string(::getpid()) + "-" + std::to_string(count++));
    fs::create_directories(path);
}

Scratch::~Scratch() {
    std::error_code ec;
    fs::permissions(path, fs::perms::owner_all, ec);
    fs::remove_all(path, ec);
}

CacheIn::CacheIn(const fs::path& folder) {
    if (const char* before = std::getenv("XDG_CACHE_HOME")) before_ = before;
    ::setenv("XDG_CACHE_HOME", folder.c_str(), 1);
}
CacheIn::~CacheIn() {
    if (before_)
        ::setenv("XDG_CACHE_HOME", before_->c_str(), 1);
    else
        ::unsetenv("XDG_CACHE_HOME");
}

fs::path Scratch::write(const std::string& name, const std::string& text) const {
    std::ofstream(path / name, std::ios::binary) << text;
    return path / name;
}

std::string sphere_obj(int n) {
    std::string text = "o sphere\n";
    char line[192];
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= 2 * n; ++i) {
            const double t = M_PI * j / n, p = M_PI * i / n, x = std::sin(t) * std::cos(p), y = std::cos(t),
                         z = std::sin(t) * std::sin(p);
            std::snprintf(line, sizeof line, "v %.9g %.9g %.9g\nvn %.9g %.9g %.9g\n", .5 * x, .5 * y, .5 * z, x, y, z);
            text += line;
        }
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < 2 * n; ++i) {
            const int a = j * (2 * n + 1) + i + 1, b = a + 1, c = a + 2 * n + 1, d = c + 1;
            std::snprintf(line, sizeof line, "f %d//%d %d//%d %d//%d %d//%d\n", a, a, b, b, d, d, c, c);
            text += line;
        }
    return text;
}

scene::Scene plain_scene(const std::string& file) {
    scene::Scene s;
    s.assets.push_back({.id = "asset", .file = file});
    s.parts.push_back({.id = "part",
                       .asset = "asset",
                       .source = fs::path(file).stem().string(),
                       .name = "Part",
                       .build_up = "material"});
    s.build_ups.push_back(scene::default_build_up("material", "Material"));
    scene::Rig rig;
    rig.id = "rig";
    rig.stage.on = false;
    rig.environment.seen = true;
    s.rigs.push_back(rig);
    scene::Camera camera;
    camera.id = "camera";
    camera.position = V3f(0, 0, 3);
    s.cameras.push_back(camera);
    s.render.depth = 12;
    return s;
}

bool AllClose::match(const std::vector<float>& got) const {
    if (got.size() != expected_.size()) return false;
    worst_ = 0;
    float most = -1.f;
    for (size_t i = 0; i < got.size(); ++i) {
        const float d = std::isfinite(got[i]) ? std::fabs(got[i] - expected_[i]) : INFINITY;
        if (d > most) most = d, worst_ = i;
    }
    got_ = got.empty() ? 0.f : got[worst_];
    return most <= tolerance_;
}

std::string AllClose::describe() const {
    if (expected_.empty()) return "is empty";
    return "is within " + std::to_string(tolerance_) + "; worst at [" + std::to_string(worst_) +
           "]: " + std::to_string(got_) + " where " + std::to_string(expected_[worst_]) + " is expected";
}

Ran cli(const std::string& arguments) {
    FILE* pipe = popen((std::string(cli_file) + " " + arguments + " 2>&1").c_str(), "r");
    std::string out;
    char buffer[4096];
    while (size_t n = fread(buffer, 1, sizeof buffer, pipe)) out.append(buffer, n);
    return {WEXITSTATUS(pclose(pipe)), out};
}

}  // namespace vemtra::test
