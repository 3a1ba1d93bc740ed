// What fields are known by, and those that are kept on disk.
#include <array>
#include <cstring>
#include <unordered_map>

#include "base/file.h"
#include "base/hash.h"
#include "geometry/field.h"

namespace vemtra::geometry {
namespace {

fs::path cache_file(uint64_t content) {
    char name[32];
    std::snprintf(name, sizeof name, "%016llx.field", static_cast<unsigned long long>(content));
    return cache_folder("fields") / name;
}

constexpr const char* layout = " 9 ";         // raised when keep_field writes otherwise, or samples lie elsewhere
constexpr size_t most_looked_through = 2000;  // parts, of each of which it is asked what is near to it

uint64_t with(uint64_t h, const Instance& i) {
    const uint64_t content = i.shape->content();
    h = hash_bytes(&content, sizeof content, h);
    return hash_bytes(&i.to_world, sizeof i.to_world, h);
}

}  // namespace

PartContents part_contents(const Geometry& geometry, const FieldParts& parts, const nodes::FieldRequest& request,
                           int rays, const PartBorders& mask) {
    const FieldKind* kind = field_kind(request.field);
    const auto& instances = geometry.instances();
    PartContents out{std::vector<uint64_t>(instances.size(), 0), std::vector<uint64_t>(instances.size(), 0)};
    if (!kind) return out;
    const float sizes[] = {size_of_all(geometry), range_of(*kind, geometry, request.parameters)};
    const uint64_t asked = hash_bytes(request.parameters.data(), request.parameters.size() * sizeof(float),
                                      hash_text("part " + request.field + layout + std::to_string(kind->version)));
    uint64_t same = hash_bytes(sizes, sizeof sizes, asked + uint64_t(rays));
    FieldReads reads = kind->reads;
    if (request.mask || (reads == FieldReads::near_parts && instances.size() > most_looked_through))
        reads = FieldReads::everything;
    auto named = [&](size_t i) { return i < parts.named.size() && parts.named[i]; };
    if (reads == FieldReads::everything) {
        for (size_t i = 0; i < instances.size(); ++i) same = with(same + (named(i) ? 1 : 0), instances[i]);
        for (const auto& border : mask) {
            const uint64_t content = border ? border->content : 0;
            same = hash_bytes(&content, sizeof content, same + 1);
        }
    }
    std::vector<Box3f> boxes;
    if (reads == FieldReads::near_parts)
        for (const Instance& i : instances) boxes.push_back(i.bounds());
    std::unordered_map<const Shape*, uint64_t> copies;
    for (size_t p = 0; p < instances.size(); ++p) {
        const uint64_t form[] = {instances[p].shape->content(), copies[instances[p].shape.get()]++, request.mask};
        if (!parts.wanted[p]) continue;
        out.of_form[p] = hash_bytes(form, sizeof form, asked);
        uint64_t h = with(same, instances[p]);
        if (reads == FieldReads::everything) h = hash_bytes(&p, sizeof p, h);
        for (size_t i = 0; i < boxes.size(); ++i) {
            // A little further than it looks: rays begin off the surface.
            const V3f far(1.01f * std::max(sizes[1], 1e-4f * sizes[0]));
            if (i == p || !Box3f(boxes[p].min - far, boxes[p].max + far).intersects(boxes[i])) continue;
            h = with(h + (named(i) ? 1 : 0), instances[i]);
        }
        out.of[p] = h;
    }
    return out;
}

uint64_t field_content(const Geometry& geometry, const FieldParts& parts, const nodes::FieldRequest& request, int rays,
                       const PartBorders& mask) {
    const FieldKind* kind = field_kind(request.field);
    uint64_t h = hash_bytes(parts.wanted.data(), parts.wanted.size(),
                            hash_text(request.field + layout + std::to_string(kind ? kind->version : 0)));
    for (const Instance& i : geometry.instances()) h = with(h, i);
    if (!parts.named.empty()) h = hash_bytes(parts.named.data(), parts.named.size(), h + 1);
    for (const auto& border : mask) {
        const uint64_t content = border ? border->content : 0;
        h = hash_bytes(&content, sizeof content, h);
    }
    return hash_bytes(request.parameters.data(), request.parameters.size() * sizeof(float), h + uint64_t(rays));
}

std::shared_ptr<const FormField> cached_field(const Geometry& geometry, const FieldParts& parts,
                                              const nodes::FieldRequest& request, const FieldAsking& asking) {
    const FieldKind* kind = field_kind(request.field);
    const uint64_t content = field_content(geometry, parts, request, field_rays_final, asking.mask);
    const fs::path file = cache_file(content);
    Result<std::string> bytes = read_file(file);
    if (!bytes || !kind) return nullptr;
    // Layout: hash of the rest, then per part the sizes and arrays. Sizes must fit the meshes, else the file is not
    // used.
    uint64_t check = 0;
    if (bytes->size() < 12) return nullptr;
    std::memcpy(&check, bytes->data(), 8);
    if (check != hash_bytes(bytes->data() + 8, bytes->size() - 8)) return nullptr;
    const char* p = bytes->data() + 8;
    const char* end = bytes->data() + bytes->size();
    auto field = std::make_shared<FormField>();
    field->rays = field_rays_final;
    field->content = content;
    field->channels = kind->channels;
    field->furthest = range_of(*kind, geometry, request.parameters);
    uint32_t cut = 0;
    std::memcpy(&cut, p, 4);
    p += 4;
    field->cut = cut != 0;
    auto take = [&](auto& array, size_t expected) {
        uint64_t n = 0;
        if (end - p < 8) return false;
        std::memcpy(&n, p, 8);
        p += 8;
        if (n > size_t(end - p) / sizeof array[0] || (expected != SIZE_MAX && n != expected && n != 0)) return false;
        array.resize(n);
        if (n) std::memcpy(array.data(), p, n * sizeof array[0]);
        p += n * sizeof array[0];
        return true;
    };
    const bool shares = field->of_shares();
    const size_t channels = size_t(kind->channels);
    for (const Instance& instance : geometry.instances()) {
        const Mesh& m = instance.shape->faces_as_triangles();
        const size_t vertices = parts.wanted[field->parts.size()] ? m.positions.size() : 0;
        auto part = std::make_shared<FormField::PartField>();
        FormField::PartField& f = *part;
        std::vector<uint64_t> budget;
        const bool whole = take(budget, 4) && take(f.at_vertex.numbers, vertices * channels) &&
                           take(f.at_vertex.shares, vertices * reach_knots) && take(f.first, m.triangles()) &&
                           take(f.first_of_piece, SIZE_MAX) && take(f.corners, SIZE_MAX) && take(f.steps, SIZE_MAX) &&
                           take(f.inside.numbers, SIZE_MAX) && take(f.inside.shares, SIZE_MAX);
        if (!whole || budget.size() != 4) return nullptr;
        f.sampled = budget[0], f.least_allowed = budget[1], f.most_allowed = budget[2], f.cut = budget[3] != 0;
        if ((shares ? f.at_vertex.shares.size() : f.at_vertex.numbers.size()) != vertices * channels) return nullptr;
        const size_t inside = (shares ? f.inside.shares.size() : f.inside.numbers.size()) / channels;
        // Pieces lie behind those that they are cut from, so that every way through them ends.
        auto follows = [&](uint32_t first, size_t from) {
            const uint32_t number = first & ~(FormField::whole | FormField::stepped);
            if (!FormField::is_whole(first)) return first >= from && size_t(first) + 4 <= f.first_of_piece.size();
            return number < (first & FormField::stepped ? f.steps.size() : f.corners.size());
        };
        for (const uint32_t first : f.first)
            if (first != FormField::uncut && (FormField::is_whole(first) || !follows(first, 0))) return nullptr;
        for (size_t k = 0; k < f.first_of_piece.size(); ++k)
            if (!follows(f.first_of_piece[k], k + 1)) return nullptr;
        for (const FormField::Corners& corners : f.corners)
            for (const uint32_t c : corners)
                if (c >= inside) return nullptr;
        for (const FormField::Step& step : f.steps)
            for (int side = 0; side < 3; ++side)
                if (step.corner[size_t(side)] >= inside || step.before[side] >= inside || step.after[side] >= inside)
                    return nullptr;
        field->parts.push_back(std::move(part));
    }
    mark_used(file);
    const PartContents contents = part_contents(geometry, parts, request, field_rays_final, asking.mask);
    for (size_t p = 0; p < contents.of.size(); ++p) {
        field->contents.push_back(parts.wanted[p] ? field->parts[p]->content(contents.of[p]) : 0);
        if (asking.known && parts.wanted[p])
            asking.known->put_finished(contents.of[p], contents.of_form[p], field->parts[p]);
    }
    return field;
}

void keep_field(const FormField& field) {
    std::string body;
    const uint32_t cut = field.cut;
    body.append(reinterpret_cast<const char*>(&cut), 4);
    auto put = [&](const auto& array) {
        const uint64_t n = array.size();
        body.append(reinterpret_cast<const char*>(&n), 8);
        body.append(reinterpret_cast<const char*>(array.data()), n * sizeof array[0]);
    };
    for (const auto& part : field.parts) {
        const FormField::PartField& f = *part;
        put(std::array<uint64_t, 4>{f.sampled, f.least_allowed, f.most_allowed, uint64_t(f.cut)});
        put(f.at_vertex.numbers);
        put(f.at_vertex.shares);
        put(f.first);
        put(f.first_of_piece);
        put(f.corners);
        put(f.steps);
        put(f.inside.numbers);
        put(f.inside.shares);
    }
    const uint64_t check = hash_bytes(body.data(), body.size());
    const fs::path file = cache_file(field.content);
    write_file_atomically(file, std::string(reinterpret_cast<const char*>(&check), 8) + body);
    keep_within(file.parent_path(), fields_on_disk);
}

}  // namespace vemtra::geometry
