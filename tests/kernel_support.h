// Runs one kernel alone, its inputs named by port.
#pragma once
#include <array>
#include <map>

#include "nodes/description.h"
#include "support.h"

namespace vemtra::test {

class KernelRun {
public:
    KernelRun(const std::string& kind, int points, nodes::Type output);
    std::vector<float>& in(const std::string& port, int component = 0) {
        return inputs_.at(port).at(size_t(component));
    }
    void uniform(const std::string& port, std::vector<float> values) { uniforms_.at(port) = std::move(values); }
    std::vector<float>& row(int index) { return rows_[size_t(index)]; }
    nodes::PointBatch& points() { return batch_; }
    /// What comes with a port that has it: nodes::Port::with_spread.
    std::vector<float>& spread(int component) { return spread_[size_t(component)]; }
    int resource = -1;
    /// Components of the output where it is not what the type says.
    int components = 0;

    std::vector<std::vector<float>> run(nodes::Kernel kernel = nullptr);
    const nodes::NodeDescription& description() const { return d_; }

private:
    nodes::Type type_of(const nodes::Port& p) const { return d_.port_type(p, output_); }
    int width(const nodes::Port& p) const { return nodes::components(type_of(p)); }

    const nodes::NodeDescription& d_;
    int n_;
    nodes::Type output_;
    std::map<std::string, std::vector<std::vector<float>>> inputs_;
    std::map<std::string, std::vector<float>> uniforms_;
    std::vector<std::vector<float>> rows_;
    std::array<std::vector<float>, 4> spread_;
    nodes::PointBatch batch_;
};

/// A texture that is a function of its place: h(u, v) in every component.
class FunctionTexture : public nodes::TextureLookup {
public:
    explicit FunctionTexture(std::function<float(float, float)> h) : h_(std::move(h)) {}
    void sample(int, int n, const float* const* place, float* const* out, int components) const override;

private:
    std::function<float(float, float)> h_;
};

}  // namespace vemtra::test
