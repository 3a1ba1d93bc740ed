// What the tests share: scratch folders, small scenes, and matchers that say where two things differ most.
#pragma once
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <optional>
#include <random>

#include "scene/edits.h"
#include "scene/project_file.h"
#include "where_support.h"

namespace vemtra::test {

inline const fs::path root = source_folder;
inline const fs::path demo_project = root / "demo" / "lantern.vemtra";

struct Scratch {
    fs::path path;
    Scratch();
    ~Scratch();
    Scratch(const Scratch&) = delete;
    fs::path write(const std::string& name, const std::string& text) const;
};

/// While it lives what is cached is kept in a folder; then where it was before.
class CacheIn {
public:
    explicit CacheIn(const fs::path& folder);
    ~CacheIn();
    CacheIn(const CacheIn&) = delete;

private:
    std::optional<std::string> before_;
};

/// A square from (0,0) to (1,1) at z = 0.37 whose UVs are its x and y: UV and object position agree with the reference
/// values.
inline const char* square_obj =
    "o square\nv 0 0 0.37\nv 1 0 0.37\nv 1 1 0.37\nv 0 1 0.37\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n";

/// A sphere of radius 0.5 around the origin with smooth normals.
std::string sphere_obj(int n = 48);

/// A project with one asset under an even white sky, no stage, seen from the front.
scene::Scene plain_scene(const std::string& file);

/// Compares lists of numbers; a failure names the worst place and both values.
class AllClose : public Catch::MatcherBase<std::vector<float>> {
public:
    AllClose(std::vector<float> expected, float tolerance) : expected_(std::move(expected)), tolerance_(tolerance) {}
    bool match(const std::vector<float>& got) const override;
    std::string describe() const override;

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
Ran cli(const std::string& arguments);

}  // namespace vemtra::test
