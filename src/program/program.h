// A network compiled to a flat program: the steps in order, registers of one float per point, constants folded, equal
// work done once. Programs are immutable; each thread runs them with a Workspace of its own. compile.h makes them.
#pragma once
#include <memory>
#include <string>
#include <vector>

#include "base/vec.h"
#include "nodes/kernel.h"

namespace vemtra::program {

class Workspace {
public:
    float* reserve(size_t floats);
    const float** inputs(size_t count);
    /// Points beside those of a batch: what the surface says there, and the batch that reads it.
    struct Beside {
        std::vector<float> rows, sets;
        std::vector<uint32_t> face;
        std::vector<const float*> set_rows;
        nodes::PointBatch batch;
        /// All are moved along the surface; `along`, `across`: one per point, see nodes::SurfaceLookup.
        void move(const nodes::PointBatch& from, const float* along, const float* across);
    };
    Beside& beside(size_t which);
    /// Where it is set: run() adds, per output component, the points at which the network gave what is no number.
    std::vector<size_t>* broken = nullptr;

private:
    std::vector<float> memory_;
    std::vector<const float*> inputs_;
    std::vector<std::unique_ptr<Beside>> beside_;
};

class Program {
public:
    /// Evaluates all outputs at the batch (n <= nodes::max_batch). out[i] receives a pointer per output component,
    /// valid until the next run with the same workspace; the components of output i start at first_component(i). A
    /// value that is not finite becomes 0.
    void run(const nodes::PointBatch& points, Workspace& workspace, const float** out) const;

    size_t outputs() const { return outputs_.size(); }
    int first_component(size_t output) const { return outputs_[output].first; }
    int component_count() const { return component_count_; }
    /// The value of an output that is the same everywhere; null when it varies.
    const V3f* constant(size_t output) const {
        return outputs_[output].is_constant ? &outputs_[output].value : nullptr;
    }
    size_t steps() const { return steps_.size(); }
    bool runs(bool (*one_of)(nodes::Kernel)) const;
    /// Of all that it computes, in this run or another; handles of resources by their numbers.
    uint64_t hash() const;
    bool all_constant() const { return steps_.empty() && !reads_points_; }

private:
    friend class Writer;
    // Where a component comes from: a register, a constant, or a row of the points.
    struct Source {
        enum class Kind : uint8_t { reg, constant, points } kind = Kind::constant;
        int index = 0;
        int walk = -1;  ///< of points: which walk leads to them; -1: the point itself
        bool operator==(const Source&) const = default;
    };
    struct Step {
        nodes::Kernel kernel;
        uint64_t kernel_hash;  ///< of its name
        std::vector<Source> in;
        std::vector<int> out;  ///< registers
        std::vector<float> uniform;
        int resource;
        int walk = -1;  ///< to the points that it is computed at
    };
    struct Walk {
        float along = 0.f, across = 0.f;  ///< metres
        bool operator==(const Walk&) const = default;
    };
    struct Output {
        int first = 0;
        std::vector<Source> sources;
        bool is_constant = false;
        V3f value{0.f};
    };
    std::vector<Step> steps_;
    std::vector<Walk> walks_;
    std::vector<float> constants_;
    std::vector<float> filled_;  ///< the first constants once for each point of a batch, made when it is compiled
    std::vector<Output> outputs_;
    int registers_ = 0, component_count_ = 0;
    size_t most_inputs_ = 0;
    bool reads_points_ = false;

    // Arrays at distances of a page would all fall into the same sets of the first cache.
    static constexpr size_t stride = nodes::max_batch + 16;
    static constexpr size_t most_filled = 256;  ///< a megabyte; constants beyond are filled at every run
    void fill_constants();
    /// Registers whose value is not needed any more serve again; once, when all steps stand.
    void reuse_registers();
};

}  // namespace vemtra::program
