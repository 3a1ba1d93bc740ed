// Outputs of a document on the unit square, as the standard's own checks look at them.
#pragma once
#include "exchange/standard/document.h"

namespace vemtra::exchange {

struct StandardValues {
    nodes::Type type = nodes::Type::number;
    std::vector<float> grid;  ///< n x n pixel centres, u fastest, v up; components follow each other
    std::vector<Error> problems;
};
/// What stands at an input of a build-up, at the pixel centres of an n x n grid, n >= 1: UVs and position are (u, v)
/// and (u, v, z), the normal is (0, 0, 1), the tangent (1, 0, 0), vertices are white; footprints are the pixels'.
StandardValues evaluate_on_square(const scene::BuildUp& build_up, const std::vector<scene::Network>& networks,
                                  const scene::Input& input, nodes::Type type, int n, float z, const Paths& paths);
/// The names of all outputs, as evaluate() takes them: GRAPH/OUTPUT, or OUTPUT alone outside of any nodegraph.
std::vector<std::string> outputs_of(const StandardDocument& document);
/// One output on the square. Files are looked for beside the document. An Error where there is no such output.
Result<StandardValues> evaluate(const StandardDocument& document, const std::string& output, int n, float z,
                                const fs::path& document_file);

}  // namespace vemtra::exchange
