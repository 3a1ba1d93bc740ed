// Where values change at once on the sides of the finest pieces: found by halving, so that a piece can be read on
// either side of it (decision 0038).
#pragma once
#include <functional>
#include <vector>

#include "geometry/field_pieces.h"

namespace vemtra::geometry {

class FieldSteps {
public:
    FieldSteps(const FieldPieces& pieces, FieldValues& values) : pieces_(pieces), values_(values) {}
    /// Adds two samples for each, one on either side. False if stopped.
    bool find(Progress* progress);
    /// Whether a side of a piece was taken for a step and is none, and no other is one.
    bool is_slope(const FieldCut& c) const;
    bool empty() const { return by_edge_.empty(); }
    /// Of a piece; none of its sides steps: false. Samples are numbered by `numbered`.
    bool of(const FieldCut& c, FormField::Step& step, const std::function<uint32_t(uint32_t)>& numbered) const;

private:
    /// A side between whose ends values change at once.
    struct Stepping {
        uint32_t a, b, face;
        V2f at_a, at_b;
        float from = 0.f, to = 1.f;  ///< it lies between, from a
        bool slope = false;          ///< it is none
        float contact = -1.f;        ///< from a; something stands there: then it is a step, small as it may be
        uint32_t before = 0;         ///< the sample on the side of a; that on the side of b follows it
    };
    void halve(Stepping& s, const FieldSampler& quick);
    void ask_beside(Stepping& s, const FieldSampler& exact);

    const FieldPieces& pieces_;
    FieldValues& values_;
    ByEdge by_edge_;  ///< which of the next
    std::vector<Stepping> stepping_;
};

}  // namespace vemtra::geometry
