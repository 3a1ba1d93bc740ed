// Build-ups compiled for rendering: which layers can show, from outermost to the first that always covers, and the
// programs of their gates and slots.
#pragma once
#include <memory>
#include <set>
#include <unordered_map>

#include "program/compile.h"
#include "render/decals.h"
#include "scene/scene.h"
#include "surface/slots.h"

namespace vemtra::render {

struct PreparedBuildUp;

/// One layer of a compiled build-up that can show.
struct PreparedLayer {
    int index = 0;  ///< place among all layers of the scene, for coverage and cost
    float amount = 1.f, gate_amount = 1.f;
    program::Program gate;  ///< one number
    bool always = false;    ///< it is there wherever it is asked
    bool coat = false;
    bool decal = false;  ///< only within the frames of its pins, see PreparedBuildUp::decals
    int stands_on = -1;  ///< of a decal that weathers: the layer of the build-up without which it is not there
    int own = 0;         ///< its number among the layers of the build-up in the scene
    scene::Print print = scene::Print::covers;  ///< of a decal: what it does to what is below
    float lip = 0.f, lip_width = 0.f;           ///< of a decal: how far its edge stands out, over what width; metres
    float cell_size[2] = {1.f, 1.f};            ///< of a decal: the share of its maps that a frame shows
    bool repeats = false;                       ///< of a decal: its frame has no edge
    bool may_open = false;                      ///< light may go through straight: by holes, or as through a pane
    bool may_shine = false;                     ///< it may give off light
    surface::Slots fixed;                       ///< values of the slots that are the same everywhere
    program::Program slots;                     ///< those that are not, in the order of `varying`
    std::vector<const surface::SlotField*> varying;
    std::shared_ptr<const PreparedBuildUp> nested;  ///< in place of a surface

    /// The slots at the points of a batch, n <= nodes::max_batch: calls put(k, slots).
    template <class Put> void slots_at(const nodes::PointBatch& batch, program::Workspace& workspace, Put&& put) const;
};
struct PreparedBuildUp {
    std::vector<PreparedLayer> layers;     ///< outermost first; ends with one that always covers
    std::shared_ptr<const Decals> decals;  ///< null: no layer is one
    std::vector<int> place_of;             ///< per layer of the build-up in the scene: its place in `layers`, or -1
    std::vector<int> plain_after;          ///< per place: that of the next layer which is no decal
    program::Program shown;                ///< the node shown on the asset, as a colour; empty when none is
    bool may_open = false;                 ///< light may go through some layer straight
    bool may_shine = false;                ///< some layer may give off light
    int height = 1;                        ///< build-ups within one another, itself among them
    size_t total_layers = 0;               ///< with those of the build-ups that its layers show
};

/// What a picture may be made of; beyond it layers are left plain, and told.
inline constexpr size_t most_layers = 1024;        ///< of one build-up
inline constexpr int most_nested = 24;             ///< build-ups within one another
inline constexpr size_t most_total_layers = 4096;  ///< of one build-up, those of nested ones counted wherever they show

/// Compiles the build-ups of one scene, each once, however many layers show it; what they need from the other floors is
/// collected in `resources`, what is wrong told in `problems`.
/// How a layer is said that shows in the flat colour of the coverage view, wherever it lies, in place of its surface.
inline std::string loud_key(const std::string& build_up, const std::string& layer) {
    return build_up + "/" + layer;
}

class BuildUpCompiler {
public:
    /// `first_layer`: per build-up of the scene, the index of its base among all layers.
    /// `geometry` and `parts` (one per instance): where decals stand; null: there are none. `loud`: loud_key() of the
    /// layers that are.
    BuildUpCompiler(const scene::Scene& scene, const std::vector<int>& first_layer, program::Resources& resources,
                    std::vector<Error>& problems, const geometry::Geometry* geometry = nullptr,
                    const std::vector<const scene::Part*>* parts = nullptr, std::set<std::string> loud = {});
    /// One for each build-up of the scene, in their order.
    std::vector<std::shared_ptr<const PreparedBuildUp>> all();
    /// One that is not in the scene.
    PreparedBuildUp compile(const scene::BuildUp& b, int first_layer);

private:
    static void be_loud(PreparedLayer& p);
    void nest(const scene::BuildUp& b, const scene::Layer& layer, PreparedBuildUp& out, PreparedLayer& p);
    void surface(const scene::BuildUp& b, const scene::Layer& layer, PreparedLayer& p);
    void left_plain(const scene::BuildUp& b, const scene::Layer& layer, const std::string& why,
                    const std::string& remedy);

    const scene::Scene& scene_;
    const std::vector<int>& first_layer_;
    program::Resources& resources_;
    std::vector<Error>& problems_;
    const geometry::Geometry* geometry_;
    const std::vector<const scene::Part*>* parts_;
    std::set<std::string> loud_;
    std::unordered_map<std::string, size_t> index_;
    std::vector<std::shared_ptr<const PreparedBuildUp>> done_;  ///< per build-up of the scene; null: not compiled yet
};

template <class Put>
void PreparedLayer::slots_at(const nodes::PointBatch& batch, program::Workspace& workspace, Put&& put) const {
    const float* values[surface::most_slot_components];
    if (!varying.empty()) slots.run(batch, workspace, values);
    surface::Slots s = fixed;
    for (int k = 0; k < batch.n; ++k) {
        int component = 0;
        for (const surface::SlotField* f : varying) {
            float* to = surface::at(s, *f);
            for (int c = 0; c < f->components; ++c) to[c] = values[component++][k];
            surface::make_sane(s, *f);
        }
        put(k, s);
    }
}

}  // namespace vemtra::render
