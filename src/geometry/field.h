// Fields of the form: values that follow the shape of the asset, computed once and refined, so that what stands behind
// them (levels, thresholds) sees a converged number from the first sample (docs/decisions/0006, 0025). A kind of field
// is a row of field_kinds(), with its computing in a file of its own under fields/.
//
// Samples stand at the vertices, and where what is between them differs from their mean: faces are cut into quarters,
// and those again, as deep as it takes and only there. Faces that share an edge share its samples, and where one is cut
// finer than the other, what lies on the edge is drawn to its ends (field_pieces.cpp): nothing steps there, and
// neither UVs nor a fine mesh are needed. Where what is met changes at once, as where parts touch, the finest pieces
// know at which place of their sides it does.
#pragma once
#include <array>
#include <functional>
#include <memory>
#include <mutex>
#include <unordered_map>
#include <vector>

#include "geometry/border.h"
#include "geometry/geometry.h"
#include "nodes/kernel.h"
#include "nodes/resources.h"

namespace vemtra::geometry {

/// What a field is computed at: a point of the surface in the world, and the way from it to the middle of a face that
/// it belongs to.
struct FieldPoint {
    V3f position, normal, toward_middle;
    uint32_t instance = 0;
    uint32_t face = 0;  ///< that face
};
/// Computes one value, or one per channel, into `out`.
using FieldSampler = std::function<void(const FieldPoint&, float* out)>;
/// Makes one for each thread and piece of work.
using FieldSamplers = std::function<FieldSampler()>;

/// What is met within reaches that grow by a constant ratio up to the range of the field: the mean over all rays of 1 -
/// t / reach for hits at t < reach. Reach and fall-off are chosen when it is read, so that they can be driven and
/// changed without a ray.
inline constexpr int reach_knots = 16;
/// Distance of a knot, of the furthest one.
inline float knot_at(int k) {
    return std::exp2(-.5f * float(reach_knots - 1 - k));
}
/// The next power of two above the diagonal of all that stands there, metres.
float size_of_all(const Geometry& geometry);
/// Weights of these, so that their sum is the mean over all rays of (1 - t / reach)^falloff for a hit at t < reach; it
/// is smooth between knots. `reach` as a part of the furthest knot, above 0; falloff above 0.
void reach_weights(float reach, float falloff, float* weights);

inline constexpr int most_numbers = 4;

/// How far a mask's border is, per instance; null: the part does not wear it.
using PartBorders = std::vector<std::shared_ptr<const BorderGrid>>;

/// Which parts a field is about; one entry per instance of the Geometry.
struct FieldParts {
    std::vector<char> wanted;  ///< it is computed there
    std::vector<char> named;   ///< what the request's names mean; empty: it has none
    FieldParts(std::initializer_list<char> where) : wanted(where) {}
    FieldParts(std::vector<char> where, std::vector<char> those = {})
        : wanted(std::move(where)), named(std::move(those)) {}
    bool operator==(const FieldParts&) const = default;
};

/// What samplers are made of.
struct FieldAsked {
    const std::vector<float>& parameters;
    int rays = 1;
    bool follows_mask = false;  ///< from where a mask is, in place of what the form says
    PartBorders mask{};
    std::vector<char> named{};  ///< as in FieldParts
    bool is_named(uint32_t instance) const { return instance < named.size() && named[instance]; }
};

/// What the numbers of one part follow from, beside its own form and the size of all (size_of_all).
enum class FieldReads {
    everything,  ///< all parts, their order and which are named
    near_parts,  ///< those within `range` of it, and which of these are named
    own_part     ///< nothing else
};

/// One row per kind.
struct FieldKind {
    const char* name;                     ///< what FieldRequest::field says
    int version;                          ///< raised when its numbers change: kept results of before are not used
    std::vector<const char*> parameters;  ///< names and units, in the order of FieldRequest::parameters
    int channels = 1;                     ///< numbers, up to most_numbers of them; or reach_knots: shares in 0..1
    bool adaptive = false;                ///< sampled between vertices where it differs from their mean
    float tolerance = .02f;               ///< a difference that may stay; of numbers as a part of their spread
    float spread = 0.f;  ///< how far apart its numbers lie at most; 0: as far as it looks, as lengths do
    /// How far it looks, metres; null: as far as all is large.
    float (*range)(const std::vector<float>& parameters) = nullptr;
    FieldReads reads = FieldReads::everything;
    /// Above 0 where it looks at what stands on the surface, below 0 at what goes into it from within; null: at
    /// neither. Nothing of it hides between samples then.
    float (*side)(const std::vector<float>& parameters) = nullptr;
    /// Called once per computing.
    FieldSamplers (*samplers)(const Geometry& geometry, const FieldAsked& asked) = nullptr;
    /// Of what the mesh as a whole says: one number per vertex of the instance. Null: `samplers` does it.
    std::vector<float> (*at_vertices)(const Geometry& geometry, uint32_t instance,
                                      const std::vector<float>& parameters) = nullptr;
};
const std::vector<FieldKind>& field_kinds();
const FieldKind* field_kind(const std::string& name);
float range_of(const FieldKind& kind, const Geometry& geometry, const std::vector<float>& parameters);

/// A finished state of a field over all instances of a Geometry.
struct FormField {
    /// Numbers, or shares in 255ths, `channels` of them per sample.
    struct Samples {
        std::vector<float> numbers;
        std::vector<uint8_t> shares;
        bool empty() const { return numbers.empty() && shares.empty(); }
        bool operator==(const Samples&) const = default;
    };
    /// Of a piece, which is a quarter of a face or of another piece: at its first corner, its second, its third, or the
    /// one in the middle, whose corners are the middles of the sides across from those. Samples in `inside`.
    using Corners = std::array<uint32_t, 3>;
    static constexpr uint32_t uncut = UINT32_MAX, whole = uint32_t(1) << 31, stepped = uint32_t(1) << 30;
    static bool is_whole(uint32_t first) { return first & whole; }
    /// Where values change at once on a piece's sides, from its first corner to its second, and so on.
    struct Step {
        Corners corner;
        uint32_t before[3], after[3];  ///< samples in `inside` on both sides of it
        uint8_t at[3];                 ///< in 256ths of the way; 0: they do not
        bool operator==(const Step&) const = default;
    };
    struct PartField {
        Samples at_vertex;
        /// Per face: the first of the four pieces that it is cut into, which follow it; uncut: it is not. Empty: none
        /// is.
        std::vector<uint32_t> first;
        /// Per piece the same, or, where it is not cut, the mark `whole` and the number of its corners, or that and the
        /// mark `stepped` and the number of its Step. Apart from these, as the way down asks for it alone.
        std::vector<uint32_t> first_of_piece;
        std::vector<Corners> corners;  ///< of pieces that are not cut
        std::vector<Step> steps;
        Samples inside;
        uint64_t sampled = 0;  ///< between vertices, those that no piece has among them
        /// It would be the same were it allowed so many samples between vertices.
        uint64_t least_allowed = 0, most_allowed = UINT64_MAX;
        bool cut = false;  ///< the budget ended before the detail did
        bool empty() const { return at_vertex.empty(); }
        bool holds_for(uint64_t allowed) const { return least_allowed <= allowed && allowed <= most_allowed; }
        /// Its content, where it is finished: of all that it follows from, allowances among that.
        uint64_t content(uint64_t of) const;
    };
    std::vector<std::shared_ptr<const PartField>> parts;  ///< per instance, none of them null
    std::vector<uint64_t> contents;  ///< per instance: equal ones of any run have the same; 0 where it is not wanted
    static std::shared_ptr<const PartField> nothing();  ///< of a part that does not want it
    int channels = 1;
    float furthest = 1.f;  ///< of shares: the distance of the last knot, metres
    int rays = 0;          ///< per sample so far
    bool cut = false;      ///< the budget ended before the detail did
    uint64_t content = 0;  ///< equal fields of any run have the same

    /// Where a value stands between samples.
    struct Between {
        const Samples* of = nullptr;  ///< null: nothing was sampled there
        size_t sample[3];
        float weight[3];
    };
    Between between(const Mesh& mesh, const Place& place) const;
    bool of_shares() const { return channels == reach_knots; }
    float at(const Mesh& mesh, const Place& place, int channel = 0) const;  ///< of numbers
    /// Of shares: read with these weights.
    float within(const Mesh& mesh, const Place& place, const float* weights) const;
    size_t bytes() const;
};

/// Whatever is known of the forms, as it was before things moved around them; a first look where nothing is.
inline constexpr int field_rays_known = 0;
inline constexpr int field_rays_first = 16;   ///< enough to look right
inline constexpr int field_rays_final = 128;  ///< what pictures are made with

/// Fields of single parts, as long as somebody has them: what is asked of other parts as well, of parts that changed
/// places with others, or after something was done far away, is computed only where it is new. Any thread may ask.
class PartFields {
public:
    struct Known {
        std::shared_ptr<const FormField::PartField> field;  ///< null: there is none
        uint64_t content = 0;                               ///< all that it followed from
    };
    /// A finished one that follows from just that, with some allowance of samples.
    Known find(uint64_t of) const;
    /// The last one of that form, finished or not, whatever stood around it then.
    Known last_of(uint64_t form) const;
    void put(uint64_t content, uint64_t form, const std::shared_ptr<const FormField::PartField>& field);
    void put_finished(uint64_t of, uint64_t form, const std::shared_ptr<const FormField::PartField>& field);

private:
    struct Entry {
        std::weak_ptr<const FormField::PartField> field;
        uint64_t content;
    };
    static Known known(const std::unordered_map<uint64_t, Entry>& from, uint64_t key);
    mutable std::mutex mutex_;
    std::unordered_map<uint64_t, Entry> finished_, last_;
    size_t next_clearing_ = 64;
};

/// What a field is asked of, and by whom.
struct FieldAsking {
    Progress* progress = nullptr;
    PartBorders mask{};           ///< what the request follows from, where it does
    PartFields* known = nullptr;  ///< finished parts are taken from there, and put there
};
/// Computes a field on the instances that want it; it is 0 on the others, and everywhere where no field has that name.
/// Equal input gives equal numbers at any thread count, whatever is known; but a first look (fewer rays than
/// field_rays_final) has finished parts where they are known, and is finished where all are; and field_rays_known may
/// give what was before: then its `rays` are below field_rays_first. Null if stopped.
std::shared_ptr<const FormField> compute_field(const Geometry& geometry, const FieldParts& parts,
                                               const nodes::FieldRequest& request, int rays,
                                               const FieldAsking& asking = {});

/// The same through the disk cache, by field_content(); only finished fields are kept there.
std::shared_ptr<const FormField> cached_field(const Geometry& geometry, const FieldParts& parts,
                                              const nodes::FieldRequest& request, const FieldAsking& asking = {});
void keep_field(const FormField& field);
/// Of all that it follows from.
uint64_t field_content(const Geometry& geometry, const FieldParts& parts, const nodes::FieldRequest& request, int rays,
                       const PartBorders& mask = {});

/// Of all that each of the wanted parts follows from, and of its form and the request alone; 0 of the others.
struct PartContents {
    std::vector<uint64_t> of, of_form;
};
PartContents part_contents(const Geometry& geometry, const FieldParts& parts, const nodes::FieldRequest& request,
                           int rays, const PartBorders& mask = {});

/// What fields and borders may take of the disk, bytes: those that were used longest ago make room.
inline constexpr uint64_t fields_on_disk = uint64_t(1) << 30;

/// What programs read fields through.
class Fields final : public nodes::FieldLookup {
public:
    Fields(std::shared_ptr<const Geometry> geometry, std::vector<std::shared_ptr<const FormField>> fields)
        : geometry_(std::move(geometry)), fields_(std::move(fields)) {}
    void sample(int field, int n, const uint32_t* instance, const uint32_t* face, const float* u, const float* v,
                int channels, float* const* out) const override;
    void within(int field, int n, const uint32_t* instance, const uint32_t* face, const float* u, const float* v,
                const float* reach, const float* falloff, float* out) const override;
    void border(int border, int n, const uint32_t* instance, const uint32_t* face, const float* u, const float* v,
                float* out) const override;

    /// One per request; null where there is none.
    const std::vector<std::shared_ptr<const FormField>>& all() const { return fields_; }

    const std::vector<PartBorders>& borders() const { return borders_; }
    /// Of the request of that number. Before anybody reads on another thread, as what follows.
    void set_field(size_t request, std::shared_ptr<const FormField> field) { fields_[request] = std::move(field); }
    /// Of the next request.
    void add_border(PartBorders borders) { borders_.push_back(std::move(borders)); }

private:
    std::shared_ptr<const Geometry> geometry_;
    std::vector<std::shared_ptr<const FormField>> fields_;
    std::vector<PartBorders> borders_;
};

}  // namespace vemtra::geometry
