// How far the sampling of a field goes, part by part: at vertices (field_vertices.h), between them where the values ask
// for it (field_pieces.h), and on either side of what changes at once (field_steps.h).
#include <algorithm>
#include <optional>

#include "base/hash.h"
#include "base/parallel.h"
#include "geometry/field.h"
#include "geometry/field_steps.h"

namespace vemtra::geometry {
namespace {

// A first look at forms of many vertices: so many over all parts, by their area, and of one part at least.
constexpr size_t most_first_samples = 100000, first_samples_of_part = 4000;
constexpr size_t glance_divides = 16;  // these, where fewer rays than for a first look are asked for

/// Pieces as they are read: face by face, those of one together, and samples in the order in which pieces have them, so
/// that what one place asks for lies together. Samples that none of them has are left out.
void write(const FieldPieces& pieces, const FieldSteps& steps, const FieldValues& values, size_t triangles,
           FormField::PartField& f) {
    std::vector<uint32_t> number(values.count(), UINT32_MAX);
    std::vector<uint32_t> used;
    const std::vector<FieldCut>& cuts = pieces.cuts();
    // Faces come first among the cuts, and are no pieces.
    size_t faces = 0;
    while (faces < cuts.size() && cuts[faces].level == 0) ++faces;
    if (faces == cuts.size()) return;
    const auto numbered = [&](uint32_t sample) {
        uint32_t& n = number[sample];
        if (n == UINT32_MAX) {
            n = uint32_t(used.size());
            used.push_back(sample);
        }
        return n;
    };
    f.first.assign(triangles, FormField::uncut);
    f.first_of_piece.reserve(cuts.size() - faces);
    f.corners.reserve(cuts.size() - faces);
    std::vector<uint32_t> written;  // of the face: which of the cuts each of its pieces is
    for (size_t k = 0; k < faces; ++k) {
        if (cuts[k].is_whole()) continue;
        const size_t begin = f.first_of_piece.size();
        written.clear();
        const auto add_parts = [&](const FieldCut& of) {
            const auto first = uint32_t(f.first_of_piece.size());
            for (uint32_t part = of.first; part < of.first + 4; ++part) written.push_back(part);
            f.first_of_piece.resize(first + 4);
            return first;
        };
        f.first[cuts[k].face] = add_parts(cuts[k]);
        for (size_t i = 0; i < written.size(); ++i) {
            const FieldCut& cut = cuts[written[i]];
            if (!cut.is_whole()) {
                const uint32_t first = add_parts(cut);
                f.first_of_piece[begin + i] = first;
                continue;
            }
            FormField::Corners corners;
            for (size_t c = 0; c < 3; ++c) corners[c] = numbered(cut.corner[c]);
            FormField::Step step;
            if (!steps.empty() && steps.of(cut, step, numbered)) {
                step.corner = corners;
                f.first_of_piece[begin + i] = FormField::whole | FormField::stepped | uint32_t(f.steps.size());
                f.steps.push_back(step);
            } else {
                f.first_of_piece[begin + i] = FormField::whole | uint32_t(f.corners.size());
                f.corners.push_back(corners);
            }
        }
    }
    f.corners.shrink_to_fit();
    f.steps.shrink_to_fit();
    values.make_room(f.inside, used.size());
    for (size_t k = 0; k < used.size(); ++k) values.put(f.inside, k, values[used[k]]);
}

/// What sampling may take.
struct Bounds {
    size_t first_samples;  ///< vertices that a first look is taken at
    size_t allowed;        ///< samples between vertices
};

/// False if stopped.
bool sample_part(const Geometry& geometry, uint32_t part, const FieldRun& run, const Bounds& bounds,
                 FormField::PartField& f, Progress* progress) {
    const float from = float(part) / float(geometry.instances().size());
    const float to = float(part + 1) / float(geometry.instances().size());
    if (run.kind.at_vertices) {
        f.at_vertex.numbers = run.kind.at_vertices(geometry, part, run.parameters);
        for (float& v : f.at_vertex.numbers)
            if (!std::isfinite(v)) v = 0.f;
        return !stopped(progress);
    }
    const FieldVertices at(geometry, part, run.is_coarse(), bounds.first_samples, progress);
    if (stopped(progress)) return false;
    FieldValues values(at, run);
    const float half = lerp(from, to, run.kind.adaptive ? .4f : 1.f);
    if (!values.sample_vertices(f.at_vertex, from, half, progress)) return false;
    if (!run.kind.adaptive || run.rays < field_rays_first || at.gathered()) return true;
    FieldPieces pieces(at, values, progress);
    if (!pieces.run(bounds.allowed, f.cut, half, to)) return false;
    FieldSteps steps(pieces, values);
    const bool has_steps = !run.is_coarse() && !geometry.shape(part).stands_out();
    if (has_steps) {
        if (!steps.find(progress)) return false;
        if (!pieces.cut_slopes([&](const FieldCut& c) { return steps.is_slope(c); })) return false;
    }
    write(pieces, steps, values, at.mesh().triangles(), f);
    f.sampled = values.count() - at.samples();
    pieces.holds_for(f.least_allowed, f.most_allowed);
    return true;
}

/// Summed in pieces of even length, so that any number of threads gives the same.
double area_of(const Geometry& geometry, uint32_t part) {
    constexpr size_t piece = 65536;
    const size_t faces = geometry.shape(part).faces_as_triangles().triangles();
    std::vector<double> sums((faces + piece - 1) / piece, 0.);
    parallel_ranges(sums.size(), 1, [&](size_t first, size_t last) {
        for (size_t k = first; k < last; ++k)
            for (size_t f = k * piece; f < std::min(faces, (k + 1) * piece); ++f) {
                const double area = double(geometry.area(part, uint32_t(f)));
                if (std::isfinite(area)) sums[k] += area;
            }
    });
    double all = 0.;
    for (const double s : sums) all += s;
    return all;
}

}  // namespace

std::shared_ptr<const FormField> compute_field(const Geometry& geometry, const FieldParts& on,
                                               const nodes::FieldRequest& request, int rays,
                                               const FieldAsking& asking) {
    auto field = std::make_shared<FormField>();
    field->rays = rays;
    field->content = field_content(geometry, on, request, rays, asking.mask);
    const size_t parts = geometry.instances().size();
    field->parts.assign(parts, FormField::nothing());
    field->contents.assign(parts, 0);
    const FieldKind* kind = field_kind(request.field);
    if (!kind) return field;
    field->channels = kind->channels;
    field->furthest = range_of(*kind, geometry, request.parameters);
    if (std::none_of(on.wanted.begin(), on.wanted.end(), [](char w) { return w != 0; })) return field;
    // The budget is shared by area; what a part leaves, the later ones have.
    std::vector<double> areas(parts, 0.);
    double left = 0.;
    for (size_t p = 0; p < parts; ++p) {
        if (on.wanted[p]) areas[p] = area_of(geometry, uint32_t(p));
        left += areas[p];
    }
    const double whole = left;
    const int finished = std::max(rays, field_rays_final);
    const int look = rays == field_rays_known ? field_rays_first : rays;
    const PartContents contents = part_contents(geometry, on, request, finished, asking.mask);
    const size_t divide = look < field_rays_first ? glance_divides : 1;
    std::optional<FieldRun> run;
    size_t used = 0;
    bool all_finished = true;
    bool as_before = false;
    uint64_t mixed = field->content;
    for (size_t p = 0; p < parts; ++p) {
        if (!on.wanted[p]) continue;
        const size_t first = size_t(double(most_first_samples / divide) * (whole > 0. ? areas[p] / whole : 1.));
        const size_t free = most_inside - std::min(most_inside, used);
        const size_t allowed = left > 0. ? size_t(double(free) * std::min(1., areas[p] / left)) : free;
        left -= areas[p];
        auto known = asking.known ? asking.known->find(contents.of[p]) : PartFields::Known();
        if (!known.field || !known.field->holds_for(allowed)) {
            all_finished = false;
            if (rays == finished) known = {};
        }
        if (!known.field && asking.known && rays == field_rays_known) {
            known = asking.known->last_of(contents.of_form[p]);
            as_before |= known.field != nullptr;
        }
        if (!known.field) {
            const Bounds bounds{std::max(first, first_samples_of_part / divide), allowed};
            if (!run)
                run.emplace(geometry, *kind,
                            FieldAsked{request.parameters, look, request.mask != 0, asking.mask, on.named});
            auto f = std::make_shared<FormField::PartField>();
            if (!sample_part(geometry, uint32_t(p), *run, bounds, *f, asking.progress)) return nullptr;
            const uint64_t room[] = {uint64_t(look), first, allowed};
            known = {f, rays == finished ? f->content(contents.of[p]) : hash_bytes(room, sizeof room, contents.of[p])};
            if (asking.known && rays == finished)
                asking.known->put_finished(contents.of[p], contents.of_form[p], f);
            else if (asking.known)
                asking.known->put(known.content, contents.of_form[p], f);
        }
        mixed = hash_bytes(&known.content, sizeof known.content, mixed);
        field->contents[p] = known.content;
        used += known.field->sampled;
        field->cut |= known.field->cut;
        field->parts[p] = std::move(known.field);
    }
    if (rays == finished) return field;
    if (all_finished) {
        field->rays = finished;
        field->content = field_content(geometry, on, request, finished, asking.mask);
    } else {
        field->rays = as_before ? field_rays_known : look;
        field->content = mixed;
    }
    return field;
}

}  // namespace vemtra::geometry
