#include "geometry/field_steps.h"

#include <algorithm>
#include <array>

namespace vemtra::geometry {
namespace {

constexpr int step_halvings = 4;  // until a step's place on a side is known

}  // namespace

// Sides with samples of their own are as fine as they are.
bool FieldSteps::find(Progress* progress) {
    const std::vector<FieldCut>& cuts = pieces_.cuts();
    auto steps_at = [&](const FieldCut& c, int s) {
        return values_.apart(values_[c.corner[s]], values_[c.corner[(s + 1) % 3]]) > 2.f * field_step;
    };
    std::vector<uint8_t> stepped(cuts.size(), 0);  // by side, a bit each
    std::vector<std::array<float, 3>> contacts(cuts.size(), {-1.f, -1.f, -1.f});
    parallel_ranges(cuts.size(), 256, [&](size_t first, size_t last) {
        for (size_t k = first; k < last; ++k) {
            const FieldCut& c = cuts[k];
            if (!c.is_whole() || c.level == 0 || pieces_.longest_side(c) > 4.f * pieces_.shortest()) continue;
            for (int s = 0; s < 3; ++s) {
                if (pieces_.is_cut(FieldPieces::edge(c, s))) continue;
                contacts[k][size_t(s)] = pieces_.contact(c, s);
                stepped[k] |= uint8_t((contacts[k][size_t(s)] >= 0.f || steps_at(c, s)) << s);
            }
        }
    });
    for (size_t k = 0; k < cuts.size(); ++k)
        for (int s = 0; s < 3; ++s) {
            if (!(stepped[k] >> s & 1)) continue;
            const FieldCut& c = cuts[k];
            const uint32_t a = c.corner[s];
            const uint32_t b = c.corner[(s + 1) % 3];
            const bool turned = b < a;
            if (!by_edge_.try_emplace(FieldPieces::edge(c, s), uint32_t(stepping_.size())).second) continue;
            stepping_.push_back({std::min(a, b), std::max(a, b), c.face, c.uv[turned ? (s + 1) % 3 : s],
                                 c.uv[turned ? s : (s + 1) % 3]});
            const float contact = contacts[k][size_t(s)];
            if (contact >= 0.f) stepping_.back().contact = turned ? 1.f - contact : contact;
        }
    for (Stepping& s : stepping_) s.before = values_.add(2);
    return for_all(stepping_.size(), 64, 1.f, 1.f, progress, [&](size_t first, size_t last) {
        const FieldSampler quick = values_.quick();
        const FieldSampler exact = values_.exact();
        for (size_t k = first; k < last; ++k)
            if (stepping_[k].contact >= 0.f)
                ask_beside(stepping_[k], exact);
            else
                halve(stepping_[k], quick);
    });
}

void FieldSteps::ask_beside(Stepping& s, const FieldSampler& exact) {
    constexpr float beside = .01f;
    s.from = s.to = s.contact;
    const auto at = [&](float t) { return s.at_a + (s.at_b - s.at_a) * t; };
    values_.sample(exact, s.face, at(s.contact - beside), s.at_a, values_[s.before]);
    values_.sample(exact, s.face, at(s.contact + beside), s.at_b, values_[s.before + 1]);
}

void FieldSteps::halve(Stepping& s, const FieldSampler& quick) {
    FieldValue& a = values_[s.before] = values_[s.a];
    FieldValue& b = values_[s.before + 1] = values_[s.b];
    for (int k = 0; k < step_halvings; ++k) {
        const float t = .5f * (s.from + s.to);
        FieldValue v;
        values_.sample(quick, s.face, s.at_a + (s.at_b - s.at_a) * t, v);
        const float from_a = values_.apart(a, v);
        const float from_b = values_.apart(b, v);
        s.slope = std::min(from_a, from_b) > .35f * values_.apart(a, b);
        if (s.slope) return;
        (from_a < from_b ? s.from : s.to) = t;
        (from_a < from_b ? a : b) = v;
    }
}

bool FieldSteps::is_slope(const FieldCut& c) const {
    bool any = false;
    for (int s = 0; s < 3; ++s) {
        const auto at = by_edge_.find(FieldPieces::edge(c, s));
        if (at == by_edge_.end()) continue;
        if (!stepping_[at->second].slope) return false;
        any = true;
    }
    return any;
}

bool FieldSteps::of(const FieldCut& c, FormField::Step& step, const std::function<uint32_t(uint32_t)>& numbered) const {
    bool any = false;
    step = {};
    for (int s = 0; s < 3; ++s) {
        const auto at = by_edge_.find(FieldPieces::edge(c, s));
        if (at == by_edge_.end() || stepping_[at->second].slope) continue;
        const Stepping& found = stepping_[at->second];
        const bool turned = c.corner[(s + 1) % 3] < c.corner[s];
        const int share = std::clamp(int(128.f * (found.from + found.to) + .5f), 1, 255);
        step.at[s] = uint8_t(turned ? 256 - share : share);
        step.before[s] = numbered(found.before + (turned ? 1 : 0));
        step.after[s] = numbered(found.before + (turned ? 0 : 1));
        any = true;
    }
    return any;
}

}  // namespace vemtra::geometry
