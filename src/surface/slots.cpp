#include "surface/slots.h"

#include <algorithm>
#include <unordered_map>

namespace vemtra::surface {

const std::vector<SlotField>& slot_fields() {
#define VEMTRA_SLOT_FIELD(name, type, value, components, low, high, fallback) \
    {#name, offsetof(Slots, name), components, low, high, fallback},
    static const std::vector<SlotField> fields = {VEMTRA_SLOTS(VEMTRA_SLOT_FIELD)};
#undef VEMTRA_SLOT_FIELD
    return fields;
}

const SlotField* slot_field(const std::string& name) {
    static const std::unordered_map<std::string, const SlotField*> by_name = [] {
        std::unordered_map<std::string, const SlotField*> map;
        for (const SlotField& f : slot_fields()) map.emplace(f.name, &f);
        return map;
    }();
    const auto it = by_name.find(name);
    return it == by_name.end() ? nullptr : it->second;
}

const SlotField* spread_of(const SlotField& f) {
    static const SlotField axes[] = {{"normal_spread", offsetof(Slots, normal_spread), 3, -10.f, 10.f, 0.f},
                                     {"coat_normal_spread", offsetof(Slots, coat_normal_spread), 3, -10.f, 10.f, 0.f}};
    return f.offset == offsetof(Slots, geometry_normal)        ? &axes[0]
           : f.offset == offsetof(Slots, geometry_coat_normal) ? &axes[1]
                                                               : nullptr;
}

void make_sane(Slots& slots, const SlotField& f) {
    float* v = at(slots, f);
    for (int c = 0; c < f.components; ++c) v[c] = std::isfinite(v[c]) ? std::clamp(v[c], f.low, f.high) : f.fallback;
}
Slots sane(Slots slots) {
    for (const SlotField& f : slot_fields()) make_sane(slots, f);
    return slots;
}

}  // namespace vemtra::surface
