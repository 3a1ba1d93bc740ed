// What the checks notice: one row per check in finding_kinds(), one file each under findings/. The window's list and
// `vemtra-cli check` read the same table. A check looks at one picture through a Look, which measures what several
// checks want only once.
#pragma once
#include <functional>
#include <map>
#include <optional>

#include "base/paths.h"
#include "geometry/uv_report.h"
#include "render/workshop.h"
#include "review/height_source.h"
#include "review/visible.h"
#include "review/wired_map.h"

namespace vemtra::review {

/// A problem leaves something out of the picture or changes it; a hint renders as it is told, but is seldom meant.
enum class Grade : uint8_t { problem, hint };

struct Finding {
    Error error;
    Grade grade = Grade::hint;
    std::string action{};  ///< what the change is called; empty: there is none
    std::function<void(scene::Scene&)>
        change{};  ///< puts it right in one step; does nothing where what it is about is gone
};

/// What is remembered from one look to the next: files and forms are looked at once per content. For one thread.
class Remembered {
public:
    /// Facts of a map's pixels; null where it has none yet (it is large and not prepared).
    const texture::MapFacts* facts(const fs::path& file, const std::string& space, texture::TextureStore& store);
    const geometry::UvReport& uvs(const std::shared_ptr<const geometry::Shape>& shape);
    /// What a map of heights holds; null where it cannot be read, or reading was stopped.
    const HeightSource* heights(const fs::path& file, const std::string& channel, render::Workshop& workshop,
                                Progress* progress);

private:
    struct KnownHeights {
        fs::file_time_type time;
        HeightSource source;
    };
    struct Known {
        fs::file_time_type time;
        bool prepared = false;
        std::optional<texture::MapFacts> facts;
    };
    struct KnownUvs {
        std::weak_ptr<const geometry::Shape> shape;
        geometry::UvReport report;
    };
    std::map<std::string, Known> known_;
    std::map<std::string, KnownHeights> heights_;
    std::map<const geometry::Shape*, KnownUvs> uvs_;
};

/// One look at one picture.
class Look {
public:
    Look(const render::Prepared& prepared, texture::TextureStore& store, const Paths& paths, Remembered& remembered);

    const render::Prepared& prepared;
    texture::TextureStore& store;
    const Paths& paths;
    Remembered& remembered;

    const std::vector<render::VisiblePoint>& points();      ///< measuring_points
    const Measured& measured(const std::string& build_up);  ///< layers, gates and faults; not the nodes
    const std::vector<WiredMap>& maps();                    ///< that feed something on a part that shows
    std::vector<uint32_t> instances_of(size_t build_up) const;

    std::vector<Finding> found;
    const Progress* stop = nullptr;  ///< what takes long looks at it
    void tell(Grade grade, Error error, std::string action = {}, std::function<void(scene::Scene&)> change = {});

private:
    std::vector<render::VisiblePoint> points_;
    std::map<std::string, Measured> measured_;
    std::optional<std::vector<WiredMap>> maps_;
};

/// Of the layers of a build-up whose height is a map, straight, by their ids: of its first tile.
std::map<std::string, HeightSource> height_sources(const render::Prepared& prepared, const std::string& build_up,
                                                   render::Workshop& workshop, const Paths& paths,
                                                   Remembered& remembered, Progress* progress = nullptr);

struct FindingKind {
    const char* name;
    void (*look)(Look&);
};
const std::vector<FindingKind>& finding_kinds();
/// All checks, in the order of the register; where they are stopped, what was found by then.
std::vector<Finding> findings(const render::Prepared& prepared, texture::TextureStore& store, const Paths& paths,
                              Remembered& remembered, const Progress* stop = nullptr);

/// An edit of one node of one build-up, for Finding::change.
std::function<void(scene::Scene&)> on_node(const std::string& build_up, const std::string& node,
                                           std::function<void(scene::BuildUp&, scene::Node&)> change);
/// Two significant digits.
std::string short_number(float v);

}  // namespace vemtra::review
