#include "nodes/resources.h"

#include <algorithm>

#include "base/hash.h"
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

uint64_t TouchRequest::hash() const {
    const float numbers[] = {ground ? 1.f : 0.f, gap};
    return hash_bytes(numbers, sizeof numbers, hash_text("touch " + named));
}
int Resources::image(const ImageRequest& r) {
    return place_of(images, r);
}
int Resources::field(const FieldRequest& r) {
    const size_t before = fields.size();
    const int at = place_of(fields, r);
    if (fields.size() > before) order.push_back({false, before});
    return at;
}
int Resources::uv_set(const std::string& name) {
    const auto it = std::find(uv_sets.begin(), uv_sets.end(), name);
    if (it != uv_sets.end()) return int(it - uv_sets.begin());
    if (uv_sets.size() < most_uv_sets) uv_sets.push_back(name);
    return int(uv_sets.size()) - 1;
}
int Resources::border(const BorderRequest& r) {
    // One mask is computed once, as far as the farthest that is asked for.
    const auto same = std::find_if(borders.begin(), borders.end(), [&](const BorderRequest& b) {
        return b.hash == r.hash && b.build_up == r.build_up;
    });
    if (same != borders.end()) {
        same->furthest = std::max(same->furthest, r.furthest);
        return int(same - borders.begin());
    }
    order.push_back({true, borders.size()});
    borders.push_back(r);
    return int(borders.size()) - 1;
}
uint64_t Resources::hash() const {
    uint64_t h = 0;
    auto words = [&h](const std::string& s) {
        const uint64_t length = s.size();
        h = hash_bytes(s.data(), s.size(), hash_bytes(&length, sizeof length, h));
    };
    auto number = [&h](auto x) { h = hash_bytes(&x, sizeof x, h); };
    for (const ImageRequest& r : images) {
        for (const std::string* s : {&r.file, &r.colorspace, &r.channel, &r.wrap_u, &r.wrap_v, &r.filter, &r.painting,
                                     &r.lettering.text, &r.lettering.face, &r.lettering.align})
            words(*s);
        for (const float x : {float(r.components), float(r.seamless), float(r.spread), r.lettering.arc,
                              r.lettering.spacing, r.lettering.leading, r.lettering.bridges})
            number(x);
    }
    number(images.size());
    for (const FieldRequest& r : fields) {
        words(r.build_up);
        words(r.field);
        for (const float p : r.parameters) number(p);
        number(r.mask);
        words(r.named);
    }
    number(fields.size());
    for (const std::string& s : uv_sets) words(s);
    for (const BorderRequest& r : borders) {
        words(r.build_up);
        number(r.furthest);
        number(r.hash);
    }
    return h;
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
