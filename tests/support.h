// What the tests share: scratch folders, small scenes, and matchers that say where two things differ most.
#pragma once
#include <sys/wait.h>
#include <unistd.h>
#include <catch2/catch.hpp>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <random>

#include "render/picture.h"
#include "scene/edits.h"
#include "scene/project_file.h"

namespace vemtra::test {

inline const fs::path root = VEMTRA_ROOT;
inline const fs::path demo_project = root / "demo" / "lantern.vemtra";

struct Scratch {
    fs::path path;
    Scratch() {
        static int count = 0;
        path =
            fs::temp_directory_path() / ("vemtra-test-" + std::to_string(::getpid()) + "-" + std::to_string(count++));
        fs::create_directories(path);
    }
    ~Scratch() {
        std::error_code ec;
        fs::permissions(path, fs::perms::owner_all, ec);
        fs::remove_all(path, ec);
    }
    fs::path write(const std::string& name, const std::string& text) const {
        std::ofstream(path / name, std::ios::binary) << text;
        return path / name;
    }
};

/// A square from (0,0) to (1,1) at z = 0.37 whose UVs are its x and y: UV and object position agree with the reference
/// values.
inline const char* square_obj =
    "o square\nv 0 0 0.37\nv 1 0 0.37\nv 1 1 0.37\nv 0 1 0.37\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n";

/// A sphere of radius 0.5 around the origin with smooth normals.
inline std::string sphere_obj(int n = 48) {
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

/// A project with one asset under an even white sky, no stage, seen from the front.
inline scene::Scene plain_scene(const std::string& file) {
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

inline std::shared_ptr<const render::Prepared> prepared(const scene::Scene& s, const fs::path& folder,
                                                        render::Workshop& workshop) {
    render::PrepareOptions options;
    options.folder = folder;
    return render::prepare(std::make_shared<const scene::Scene>(s), workshop, options);
}

inline std::vector<V3f> rendered(const render::Prepared& p, const render::PictureSettings& settings) {
    auto film = render::render_picture(p, settings);
    REQUIRE(film);
    std::vector<V3f> out;
    film->resolve(render::group_gains(p, *p.scene), out);
    return out;
}
inline std::vector<V3f> rendered(const render::Prepared& p, int width, int height, int samples,
                                 render::View view = render::View::beauty) {
    return rendered(p, render::PictureSettings{.width = width, .height = height, .samples = samples, .view = view});
}
/// Without what helps against noise and is exact in the limit only.
inline std::vector<V3f> rendered_exactly(const render::Prepared& p, int width, int height, int samples) {
    return rendered(p,
                    render::PictureSettings{.width = width, .height = height, .samples = samples, .reference = true});
}
inline V3f mean(const std::vector<V3f>& pixels) {
    V3f sum(0.f);
    for (const V3f& p : pixels) sum += p;
    return sum / float(pixels.size());
}

/// Compares lists of numbers; a failure names the worst place and both values.
class AllClose : public Catch::MatcherBase<std::vector<float>> {
public:
    AllClose(std::vector<float> expected, float tolerance) : expected_(std::move(expected)), tolerance_(tolerance) {}
    bool match(const std::vector<float>& got) const override {
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
    std::string describe() const override {
        if (expected_.empty()) return "is empty";
        return "is within " + std::to_string(tolerance_) + "; worst at [" + std::to_string(worst_) +
               "]: " + std::to_string(got_) + " where " + std::to_string(expected_[worst_]) + " is expected";
    }

private:
    std::vector<float> expected_;
    float tolerance_;
    mutable size_t worst_ = 0;
    mutable float got_ = 0;
};

struct Ran {
    int code;
    std::string out;
};
/// Runs vemtra-cli; `out` is standard output and standard error together.
inline Ran cli(const std::string& arguments) {
    FILE* pipe = popen((std::string(VEMTRA_CLI) + " " + arguments + " 2>&1").c_str(), "r");
    std::string out;
    char buffer[4096];
    while (size_t n = fread(buffer, 1, sizeof buffer, pipe)) out.append(buffer, n);
    return {WEXITSTATUS(pclose(pipe)), out};
}

}  // namespace vemtra::test
