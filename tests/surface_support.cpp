#include "surface_support.h"

#include <sstream>

namespace vemtra::test {

V3f direction(float mu, float phi) {
    const float s = std::sqrt(std::max(0.f, 1.f - mu * mu));
    return {s * std::cos(phi), s * std::sin(phi), mu};
}

std::vector<Row> table(const char* name) {
    std::istringstream in(*read_file(root / "tests" / "reference" / name));
    std::string line, cell;
    std::vector<std::string> head;
    std::getline(in, line);
    for (std::istringstream cells(line); std::getline(cells, cell, ',');) head.push_back(cell);
    std::vector<Row> rows;
    while (std::getline(in, line)) {
        Row row;
        std::istringstream cells(line);
        for (size_t i = 0; i < head.size() && std::getline(cells, cell, ','); ++i) row[head[i]] = cell;
        rows.push_back(row);
    }
    return rows;
}
float number(const Row& row, const std::string& key) {
    return std::stof(row.at(key));
}
V3f color(const Row& row, const std::string& key) {
    return {number(row, key + "_r"), number(row, key + "_g"), number(row, key + "_b")};
}

Slots metal(const V3f& f0, const V3f& edge, float roughness) {
    Slots s;
    s.base_color = f0;
    s.specular_color = edge;
    s.base_metalness = 1.f;
    s.specular_roughness = roughness;
    return s;
}
Slots lambert(const V3f& albedo) {
    Slots s;
    s.base_color = albedo;
    s.specular_weight = 0.f;
    return s;
}
Stack plain(const Slots& s) {
    Stack stack;
    stack.finish(surface::sane(s), {});
    return stack;
}

Albedo albedo(const Stack& stack, float mu, int n, uint32_t seed) {
    const Stack::Seen seen = stack.seen_from(direction(std::min(mu, .99999f)));
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> u(0.f, .9999999f);
    double sum[3] = {}, squares[3] = {};
    for (int i = 0; i < n; ++i) {
        WalkRandom walk(uint32_t(i) * 7919u + seed);
        const float a = u(random), b = u(random), c = u(random);
        const surface::Scattered s = stack.sample(seen, a, b, c, walk);
        for (int k = 0; k < 3 && s.pdf > 0.f; ++k) {
            sum[k] += double(s.weight[k]);
            squares[k] += double(s.weight[k]) * double(s.weight[k]);
        }
    }
    Albedo out;
    for (int k = 0; k < 3; ++k) {
        out.mean[k] = float(sum[k] / n);
        out.deviation[k] = float(std::sqrt(std::max(0., squares[k] / n - sum[k] / n * sum[k] / n) / n));
    }
    return out;
}

Stack lossless_stack(int layers, std::mt19937& random) {
    auto u = [&] { return float(random() % 1001) / 1000.f; };
    Stack stack;
    for (int k = 1; k < layers; ++k) {
        if (random() % 5 == 0)
            stack.add(surface::Fuzz{u(), .1f + .9f * u(), V3f(1.f)});
        else
            stack.add(Coat{u(), random() % 3 ? 0.f : .8f * u(), 1.1f + 1.2f * u()});
    }
    Slots base = random() % 2 ? lambert(V3f(1.f)) : metal(V3f(1.f), V3f(1.f), u());
    base.base_diffuse_roughness = random() % 2 ? 0.f : u();
    stack.finish(surface::sane(base), {});
    return stack;
}

}  // namespace vemtra::test
