// Writes the steps of a program: what is constant is computed at once, equal work is done once.
#pragma once
#include <unordered_map>
#include <vector>

#include "nodes/description.h"
#include "nodes/resources.h"
#include "program/program.h"

namespace vemtra::program {

class Writer {
public:
    using Source = Program::Source;
    /// A value of a type, one source per component.
    struct Typed {
        nodes::Type type = nodes::Type::number;
        std::vector<Source> sources;
    };

    /// `resources` hear of it when steps read the footprint of points.
    explicit Writer(nodes::Resources& resources) : resources_(resources) {}

    Source constant(float v);  ///< what is no number: 0
    Typed literal(const scene::Value& value, nodes::Type type);
    std::vector<Source> convert(const Typed& t, nodes::Type type);
    /// Rows of the points from `first` on, at the end of a walk, or at the point itself: -1.
    void append_rows(std::vector<Source>& to, int first, int count, int walk = -1);
    /// The way along the surface to a place so far away, metres.
    int walk(float along, float across);
    /// A kernel's results, one per component. `varies`: they depend on more than what comes in; `resource`: its handle,
    /// -1: none.
    std::vector<Source> emit(const nodes::KernelPair& pair, std::vector<Source> in, int components,
                             std::vector<float> uniform, int resource, bool varies, int walk = -1);
    void output(std::vector<Source> sources);
    /// What has been written; once, as the last call.
    Program finish();

private:
    static std::vector<Source> as_sources(const std::vector<int>& registers);

    nodes::Resources& resources_;
    Program program_;
    std::unordered_map<uint32_t, int> constant_at_;
    std::unordered_multimap<size_t, size_t> step_at_;
};

}  // namespace vemtra::program
