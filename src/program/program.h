// A network compiled to a flat program: the steps in order, registers of one float per point, constants folded, equal work done once.
// Programs are immutable; each thread runs them with a Workspace of its own.
#pragma once
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "base/result.h"
#include "nodes/description.h"

namespace vemtra::program {

struct ImageRequest {
    std::string file, colorspace = "auto", channel = "r", wrap_u = "periodic", wrap_v = "periodic", filter = "smooth";
    int components = 3;
    bool seamless = false;  ///< mixed from shifted copies, so that nothing repeats
    auto operator<=>(const ImageRequest&) const = default;
};
struct FieldRequest {
    std::string build_up;  ///< id: the field is wanted on the parts that wear it
    bool edges = false;   ///< cavity looking inward
    float reach = .02f;   ///< metres, > 0
    float angle = 90.f;   ///< degrees, half opening
    auto operator<=>(const FieldRequest&) const = default;
};

/// Further sets of UVs that one picture reads; what is beyond is taken as the last one.
inline constexpr size_t most_uv_sets = 8;

/// Collects what programs need from the texture and geometry floors; an equal request gets the same handle.
struct Resources {
    std::vector<ImageRequest> images;
    std::vector<FieldRequest> fields;
    std::vector<std::string> uv_sets;  ///< further sets of UVs, by name
    bool tangents = false;   ///< some program reads the direction of U
    bool footprint = false;  ///< some program reads the ray's footprint
    int image(const ImageRequest& r);
    int field(const FieldRequest& r);
    int uv_set(const std::string& name);
};

/// One value that is wanted from a network: a literal, or a node's output converted to `type`.
struct Wanted {
    std::string name;
    nodes::Type type = nodes::Type::number;
    scene::Input input;
};

class Workspace {
public:
    float* reserve(size_t floats);
    /// Where it is set: run() adds, per output component, the points at which the network gave what is no number.
    std::vector<size_t>* broken = nullptr;

private:
    std::vector<float> memory_;
};

class Program {
public:
    /// Evaluates all outputs at the batch (n <= nodes::max_batch). out[i] receives a pointer per output component, valid until the next
    /// run with the same workspace; the components of output i start at first_component(i). A value that is not finite becomes 0.
    void run(const nodes::PointBatch& points, Workspace& workspace, const float** out) const;

    size_t outputs() const { return outputs_.size(); }
    int first_component(size_t output) const { return outputs_[output].first; }
    int component_count() const { return component_count_; }
    /// The value of an output that is the same everywhere; null when it varies.
    const V3f* constant(size_t output) const { return outputs_[output].is_constant ? &outputs_[output].value : nullptr; }
    size_t steps() const { return steps_.size(); }
    bool all_constant() const { return steps_.empty() && !reads_points_; }

private:
    friend class Compiler;
    // Where a component comes from: a register, a constant, or an array of the points.
    struct Source {
        enum class Kind : uint8_t { reg, constant, points } kind = Kind::constant;
        int index = 0;
        bool operator==(const Source&) const = default;
    };
    struct Step {
        nodes::Kernel kernel;
        std::vector<Source> in;
        std::vector<int> out;  ///< registers
        std::vector<float> uniform;
        int resource;
    };
    struct Output {
        int first = 0;
        std::vector<Source> sources;
        bool is_constant = false;
        V3f value{0.f};
    };
    std::vector<Step> steps_;
    std::vector<float> constants_;
    std::vector<Output> outputs_;
    int registers_ = 0, component_count_ = 0;
    bool reads_points_ = false;
};

/// Compiles. What cannot be resolved (unknown node, circle, missing source) is reported and the literal stands in its place.
Program compile(const scene::BuildUp& build_up, const std::vector<Wanted>& wanted, Resources& resources, std::vector<Error>& problems);

}  // namespace vemtra::program
