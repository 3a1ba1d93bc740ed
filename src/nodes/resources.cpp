#include "nodes/resources.h"

#include <algorithm>

#include "nodes/description.h"

namespace vemtra::nodes {
namespace {

template <class T> int place_of(std::vector<T>& all, const T& wanted) {
    const auto it = std::find(all.begin(), all.end(), wanted);
    if (it != all.end()) return int(it - all.begin());
    all.push_back(wanted);
    return int(all.size()) - 1;
}

}  // namespace

int Resources::image(const ImageRequest& r) {
    return place_of(images, r);
}
int Resources::field(const FieldRequest& r) {
    return place_of(fields, r);
}
int Resources::uv_set(const std::string& name) {
    const auto it = std::find(uv_sets.begin(), uv_sets.end(), name);
    if (it != uv_sets.end()) return int(it - uv_sets.begin());
    if (uv_sets.size() < most_uv_sets) uv_sets.push_back(name);
    return int(uv_sets.size()) - 1;
}

void Resources::walk(const std::string& build_up) {
    place_of(walks, build_up);
}

namespace {
constexpr const char* property_mark = "property:";
}
std::string property_set(const std::string& name, int pair) {
    return property_mark + name + ":" + std::to_string(pair);
}
std::string property_of(const std::string& uv_set) {
    if (uv_set.rfind(property_mark, 0) != 0) return {};
    const size_t begin = std::string(property_mark).size();
    return uv_set.substr(begin, uv_set.rfind(':') - begin);
}

std::string Asking::word(const char* port) const {
    return word_of(node, *description.port(port));
}
float Asking::number(const char* port) const {
    return number_of(node, *description.port(port));
}

int ask_nothing(const Asking&, Resources&) {
    return -1;
}
int ask_tangents(const Asking&, Resources& resources) {
    resources.tangents = true;
    return -1;
}
int ask_footprint(const Asking&, Resources& resources) {
    resources.footprint = true;
    return -1;
}

}  // namespace vemtra::nodes
