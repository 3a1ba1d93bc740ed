// Faces cut into quarters where the middle of a side differs from the mean of its ends, and so are those ("red"
// refinement: Bank, Sherman, Weiser 1983); each middle is sampled once for all pieces that share the side. All of it is
// decided by the form and the values alone, so that any number of threads gives the same.
#pragma once
#include <tsl/robin_map.h>

#include <array>
#include <functional>
#include <vector>

#include "geometry/field_values.h"

namespace vemtra::geometry {

/// Numbers by edge, found without going from one allocation to the next: there are millions, and each is asked for many
/// times.
struct EdgeHash {
    size_t operator()(uint64_t edge) const {
        const uint64_t h = (edge ^ edge >> 32) * 0x9e3779b97f4a7c15ULL;  // Fibonacci hashing
        return size_t(h ^ h >> 32);
    }
};
using ByEdge = tsl::robin_map<uint64_t, uint32_t, EdgeHash>;

/// A difference between neighbours at which something else is met: that is no bend any more.
inline constexpr float field_step = .09f;
/// Samples between vertices: over all parts (24 MB of shares), and of a displaced part, whose relief differs from its
/// means everywhere and whose rays cost several times as much: there, they go where coarse faces leave large gaps.
inline constexpr size_t most_inside = size_t(3) << 19, most_inside_of_relief = size_t(1) << 17;

/// A face, or a piece of one.
struct FieldCut {
    uint32_t corner[3];  ///< samples
    V2f uv[3];           ///< in the face
    uint32_t face;
    uint32_t first = FormField::uncut;  ///< of the four that it is cut into
    uint8_t level = 0;
    bool open = true;        ///< its parts are looked at
    bool overtaken = false;  ///< it is cut since those beside it are

    bool is_whole() const { return first == FormField::uncut; }
};

class FieldPieces {
public:
    FieldPieces(const FieldVertices& at, FieldValues& values, Progress* progress);
    /// Cuts as deep as what is found asks for, with `allowed` samples between vertices at most; `cut` is set where that
    /// was not enough. False if stopped.
    bool run(size_t allowed, bool& cut, float from, float to);
    /// What all would be the same with so many samples allowed.
    void holds_for(uint64_t& least, uint64_t& most) const;

    /// Once more, those of the smallest pieces that are chosen, and small faces between whose corners much changes:
    /// what is no step there is a slope. False if stopped.
    bool cut_slopes(const std::function<bool(const FieldCut&)>& chosen);
    /// Faces first, then pieces as they were made.
    const std::vector<FieldCut>& cuts() const { return cuts_; }
    /// The same from either end.
    static uint64_t edge(const FieldCut& c, int side) { return edge(c.corner[side], c.corner[(side + 1) % 3]); }
    bool is_cut(uint64_t edge) const { return middles_.contains(edge); }
    /// Where on a side something stands on the piece or goes into it, 0 to 1 from its first corner; below 0: nowhere.
    float contact(const FieldCut& c, int side) const;
    float longest_side(const FieldCut& c) const;                          ///< metres
    float shortest() const { return pieces_.shortest * values_.size(); }  ///< metres: longer ones are cut

private:
    // Pieces that are longer than the first are always cut, and none is cut into shorter ones than the second, slopes
    // aside; as parts of the range. What is met within a reach changes over about a reach; distances change over all
    // that stands there.
    struct Lengths {
        float longest, shortest;
    };
    static constexpr Lengths of_shares{.75f, .024f};
    static constexpr Lengths of_numbers{1.f / 24.f, 1.f / 200.f};
    static constexpr float shortest_of_relief = .033f;
    struct Job {
        uint32_t sample, face;
        V2f uv;
    };
    /// A piece that is cut, with the samples in the middles of its sides.
    struct Parted {
        uint32_t cut;
        std::array<uint32_t, 3> middles;
    };
    enum class Fate : uint8_t { ends, is_cut, goes_on };

    bool has_room();
    void find_faces();
    int widen();
    bool cut_pieces(bool& cut, float from, float to);
    void part(const Parted& parted, std::vector<uint32_t>& open);
    std::vector<uint32_t> overtaken() const;
    std::vector<uint32_t> whole_ones() const;
    template <class What> auto of_each(const std::vector<uint32_t>& some, const What& what) const;
    void close_seams();
    void draw_to_ends(uint32_t a, uint32_t b);
    bool tells(const FieldCut& c) const;
    bool is_rough(const FieldCut& c, bool& goes_on) const;
    bool is_stood_on(const FieldCut& c) const;
    V3f looks_to(const FieldCut& c) const;
    Fate fate_of(const FieldCut& c) const;
    uint32_t ask(const FieldCut& c, int s);
    std::array<uint32_t, 3> ask_all(const FieldCut& c) { return {ask(c, 0), ask(c, 1), ask(c, 2)}; }
    bool run_jobs(float from, float to);
    bool leaves_side(uint32_t a, uint32_t b, const FieldValue& at_a, const FieldValue& at_b, int depth) const;
    float bend(const FieldCut& c, int s) const;
    float spread(const FieldCut& c) const;
    V3f place(const FieldCut& c, int corner) const;
    float side(const FieldCut& c, int s) const { return (place(c, s) - place(c, (s + 1) % 3)).length(); }
    static uint64_t edge(uint32_t a, uint32_t b) { return uint64_t(std::min(a, b)) << 32 | std::max(a, b); }
    static V2f middle_of(const FieldCut& c, int s) { return (c.uv[s] + c.uv[(s + 1) % 3]) * .5f; }
    bool forced(const FieldCut& c) const { return longest_side(c) > pieces_.longest * values_.size(); }
    bool small(const FieldCut& c) const { return longest_side(c) < 2.f * shortest(); }

    const FieldVertices& at_;
    FieldValues& values_;
    Progress* progress_;
    bool of_relief_;
    int levels_;
    size_t budget_;
    size_t most_ = 0;                                       ///< samples, with those at vertices
    size_t most_with_room_ = 0, least_without_ = SIZE_MAX;  ///< that there were when it was asked whether there is room
    int halvings_ = 0;
    Lengths pieces_;
    bool widened_ = false;  ///< pieces are longer than the field looks far
    std::vector<FieldCut> cuts_;
    ByEdge middles_;  ///< by edge: the sample in its middle
    std::vector<Job> jobs_;
};

}  // namespace vemtra::geometry
