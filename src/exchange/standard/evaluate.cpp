#include "exchange/standard/evaluate.h"

#include "program/compile.h"
#include "texture/texture.h"

namespace vemtra::exchange {
namespace {

/// A batch of points of the unit square, and the rows that it points to.
class Square {
public:
    Square(int n, float z) : n_(n), z_(z), rows_(nodes::row_count, std::vector<float>(nodes::max_batch, 0.f)) {
        fill(nodes::row_normal + 2, 1.f);
        for (int c = 0; c < 3; ++c) fill(nodes::row_color + c, 1.f);
        fill(nodes::row_view + 2, 1.f);
        fill(nodes::row_tangent, 1.f);
        const float pixel = 1.f / float(n);
        for (const int first : {int(nodes::row_uv_axes), int(nodes::row_position_axes)}) {
            const int second = first == nodes::row_uv_axes ? first + 3 : first + 4;  // v of the second axis
            fill(first, pixel);
            fill(second, pixel);
        }
    }
    nodes::PointBatch batch(size_t first, int count) {
        nodes::PointBatch b;
        b.n = count;
        for (int i = 0; i < count; ++i) {
            const size_t at = first + size_t(i);
            const float u = (float(at % size_t(n_)) + .5f) / float(n_);
            const float v = (float(at / size_t(n_)) + .5f) / float(n_);
            for (const int row : {int(nodes::row_uv), int(nodes::row_position), int(nodes::row_bary)}) {
                rows_[size_t(row)][size_t(i)] = u;
                rows_[size_t(row) + 1][size_t(i)] = v;
            }
            rows_[nodes::row_position + 2][size_t(i)] = z_;
        }
        for (int r = 0; r < nodes::row_count; ++r) b.rows[r] = rows_[size_t(r)].data();
        b.instances = 1;
        b.uv_per_metre = &one_;
        b.instance = b.face = zeros_;
        return b;
    }

private:
    void fill(int row, float value) { std::fill(rows_[size_t(row)].begin(), rows_[size_t(row)].end(), value); }
    int n_;
    float z_;
    float one_ = 1.f;
    uint32_t zeros_[nodes::max_batch] = {};
    std::vector<std::vector<float>> rows_;
};

}  // namespace

StandardValues evaluate_on_square(const scene::BuildUp& b, const std::vector<scene::Network>& networks,
                                  const scene::Input& input, nodes::Type type, int n, float z, const Paths& paths) {
    StandardValues out;
    out.type = type;
    program::Resources resources;
    const program::Program program = program::compile(b, {{"value", type, input}}, resources, out.problems, &networks);
    // Fields of a form and further sets of UVs need an asset: what asks for them has no value here.
    for (const nodes::FieldRequest& f : resources.fields)
        out.problems.push_back({"Part of a network cannot be computed", "", b.name,
                                "the field '" + f.field + "' needs an asset", "Evaluate it in a project"});
    out.grid.assign(size_t(n) * size_t(n) * size_t(nodes::components(type)), 0.f);
    const bool properties_only = std::all_of(resources.uv_sets.begin(), resources.uv_sets.end(),
                                             [](const std::string& s) { return !nodes::property_of(s).empty(); });
    if (!resources.borders.empty())
        out.problems.push_back({"Part of a network cannot be computed", "", b.name,
                                "how far a mask's border is needs an asset", "Evaluate it in a project"});
    if (!resources.fields.empty() || !resources.borders.empty() || !properties_only) return out;
    // The square has no property of its own: their defaults stand.
    const std::vector<float> none(nodes::max_batch, NAN);
    const std::vector<const float*> sets(6 * resources.uv_sets.size(), none.data());
    const texture::Textures textures(std::make_shared<texture::TextureStore>(), resources.images, paths, out.problems);
    const size_t points = size_t(n) * size_t(n);
    const size_t components = size_t(nodes::components(type));
    auto square = std::make_unique<Square>(n, z);
    program::Workspace workspace;
    const float* values[nodes::most_components] = {};
    for (size_t first = 0; first < points; first += nodes::max_batch) {
        const int count = int(std::min<size_t>(nodes::max_batch, points - first));
        nodes::PointBatch batch = square->batch(first, count);
        batch.textures = &textures;
        batch.uv_sets = sets.empty() ? nullptr : sets.data();
        program.run(batch, workspace, values);
        for (size_t i = 0; i < size_t(count); ++i)
            for (size_t c = 0; c < components; ++c) out.grid[(first + i) * components + c] = values[c][i];
    }
    return out;
}

std::vector<std::string> outputs_of(const StandardDocument& document) {
    std::vector<std::string> names;
    for (const scene::Network& n : document.networks)
        for (const scene::NetworkOutput& o : n.outputs)
            names.push_back(n.id == StandardDocument::loose ? o.name : n.id + "/" + o.name);
    return names;
}

Result<StandardValues> evaluate(const StandardDocument& document, const std::string& output, int n, float z,
                                const fs::path& document_file) {
    const size_t slash = output.rfind('/');
    const std::string graph = slash == std::string::npos ? StandardDocument::loose : output.substr(0, slash);
    const std::string name = slash == std::string::npos ? output : output.substr(slash + 1);
    const scene::Network* network = scene::find(document.networks, graph);
    const scene::NetworkOutput* wanted = nullptr;
    for (size_t i = 0; network && i < network->outputs.size(); ++i)
        if (network->outputs[i].name == name) wanted = &network->outputs[i];
    if (!wanted) {
        std::string there;
        const auto names = outputs_of(document);
        for (size_t i = 0; i < std::min<size_t>(names.size(), 12); ++i) there += (i ? ", " : "") + names[i];
        return Error{"Nothing to evaluate", document_file.string(), output, "the document has no such output",
                     there.empty() ? "It has none" : "It has " + there + (names.size() > 12 ? " and more" : "")};
    }
    nodes::Type type = nodes::Type::number;
    nodes::type_from_name(wanted->type, type);
    scene::Input input;
    input.from = graph;
    input.output = name;
    if (wanted->input.from.empty()) input = wanted->input;  // an output that is given as a value
    return evaluate_on_square(instances_of(document, graph), document.networks, input, type, n, z,
                              Paths(absolute_path(document_file).parent_path()));
}

}  // namespace vemtra::exchange
