#include "geometry/import.h"

#include "geometry/geometry.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using geometry::import;

namespace {
/// A binary little-endian PLY of one triangle per three vertices.
std::string ply(size_t vertices, size_t faces, size_t promised_faces) {
    std::string s = "ply\nformat binary_little_endian 1.0\nelement vertex " + std::to_string(vertices) +
                    "\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar "
                    "green\nproperty uchar blue\nelement face " +
                    std::to_string(promised_faces) + "\nproperty list uchar int vertex_indices\nend_header\n";
    for (size_t i = 0; i < vertices; ++i) {
        const float p[] = {float(i % 3 == 1), float(i % 3 == 2), float(i / 3)};
        s.append(reinterpret_cast<const char*>(p), 12);
        s += "\xff\x80";
        s += '\0';
    }
    for (size_t i = 0; i < faces; ++i) {
        s += '\3';
        for (int c = 0; c < 3; ++c) {
            const int32_t v = int32_t(3 * i) + c;
            s.append(reinterpret_cast<const char*>(&v), 4);
        }
    }
    return s;
}
/// A GLB of one triangle; `json` may be changed before it is packed.
std::string glb(const std::function<void(nlohmann::json&)>& change = {}, size_t cut = 0) {
    std::string bin;
    const float positions[] = {0, 0, 0, 1, 0, 0, 0, 1, 0};
    const uint16_t indices[] = {0, 1, 2, 0};
    bin.append(reinterpret_cast<const char*>(positions), 36);
    bin.append(reinterpret_cast<const char*>(indices), 8);
    nlohmann::json j = {
        {"asset", {{"version", "2.0"}}},
        {"scene", 0},
        {"scenes", {{{"nodes", {0}}}}},
        {"nodes", {{{"name", "tri"}, {"mesh", 0}, {"translation", {0, 0, 5}}, {"scale", {2, 2, 2}}}}},
        {"meshes", {{{"primitives", {{{"attributes", {{"POSITION", 0}}}, {"indices", 1}}}}}}},
        {"accessors",
         {{{"bufferView", 0},
           {"componentType", 5126},
           {"count", 3},
           {"type", "VEC3"},
           {"min", {0, 0, 0}},
           {"max", {1, 1, 0}}},
          {{"bufferView", 1}, {"componentType", 5123}, {"count", 3}, {"type", "SCALAR"}}}},
        {"bufferViews", {{{"buffer", 0}, {"byteLength", 36}}, {{"buffer", 0}, {"byteOffset", 36}, {"byteLength", 6}}}},
        {"buffers", {{{"byteLength", 44}}}}};
    if (change) change(j);
    std::string text = j.dump(), out;
    while (text.size() % 4) text += ' ';
    auto word = [&](uint32_t v) { out.append(reinterpret_cast<const char*>(&v), 4); };
    word(0x46546C67);
    word(2);
    word(uint32_t(28 + text.size() + bin.size()));
    word(uint32_t(text.size()));
    word(0x4E4F534A);
    out += text;
    word(uint32_t(bin.size()));
    word(0x004E4942);
    out += bin;
    if (cut && cut < out.size()) out.erase(out.size() - cut);
    return out;
}
}  // namespace

TEST_CASE("OBJ keeps parts, UVs, normals and vertex colours, and makes fans of polygons") {
    Scratch s;
    const auto file = s.write(
        "two.obj", std::string(square_obj) +
                       "o tri\nv 2 0 0 1 0.5 0\nv 3 0 0 1 0.5 0\nv 2 1 0 1 0.5 0\nvn 0 0 1\nf -3//-1 -2//-1 -1//-1\n");
    auto r = import(file.string(), {});
    REQUIRE(r);
    REQUIRE(r->parts.size() == 2);
    CHECK(r->parts[0].name == "square");
    CHECK(r->parts[0].mesh->triangles() == 2);
    CHECK(r->parts[0].mesh->uvs[2] == V2f(1, 1));
    CHECK(r->parts[0].mesh->normals[0].z == Approx(1.f));
    CHECK(r->parts[1].mesh->uvs.empty());
    CHECK(r->parts[1].mesh->colors[0].y == Approx(srgb_to_linear(.5f)));
}

TEST_CASE("PLY reads ascii and binary, with colours decoded to linear") {
    Scratch s;
    auto r = import(s.write("b.ply", ply(6, 2, 2)).string(), {});
    REQUIRE(r);
    CHECK(r->triangles() == 2);
    CHECK(r->parts[0].mesh->colors[0].x == Approx(1.f));
    CHECK(r->parts[0].mesh->colors[0].y == Approx(srgb_to_linear(128 / 255.f)));
    r = import(
        s.write("a.ply",
                "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float "
                "z\nelement face 1\nproperty list uchar int vertex_index\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n")
            .string(),
        {});
    REQUIRE(r);
    CHECK(r->triangles() == 1);
}

TEST_CASE("GLB keeps the transform of its node and the part's own space") {
    Scratch s;
    auto r = import(s.write("t.glb", glb()).string(), {.scale = .5f});
    REQUIRE(r);
    const auto& part = r->parts[0];
    CHECK(part.name == "tri");
    CHECK((part.mesh->positions[1] * part.to_asset).x == Approx(1.f));  // 1 * 2 * 0.5
    CHECK((part.mesh->positions[0] * part.to_asset).z == Approx(2.5f));
    CHECK(part.mesh->positions[1].x == Approx(.5f));
    CHECK(part.mesh->positions[1].z == Approx(0.f).margin(1e-6));
}

TEST_CASE("a file that counts z as up is turned") {
    Scratch s;
    auto r = import(s.write("z.obj", "v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n").string(), {.z_up = true});
    REQUIRE(r);
    CHECK((r->parts[0].mesh->positions[2] * r->parts[0].to_asset).y == Approx(1.f));
}

TEST_CASE("missing normals are smooth over flat edges and hard over sharp ones") {
    Scratch s;
    const auto cube = s.write("cube.obj",
                              "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 1 1 1\nv 0 1 1\nf 4 3 2 1\nf 5 "
                              "6 7 8\nf 1 2 6 5\nf 3 4 8 7\nf 2 3 7 6\nf 1 5 8 4\n");
    auto r = import(cube.string(), {});
    REQUIRE(r);
    CHECK(r->parts[0].mesh->positions.size() == 24);
    for (const V3f& n : r->parts[0].mesh->normals)
        CHECK(std::max({std::fabs(n.x), std::fabs(n.y), std::fabs(n.z)}) == Approx(1.f));
    std::string round = sphere_obj(24);
    for (size_t at; (at = round.find("vn ")) != std::string::npos;) round.replace(at, 3, "#  ");
    for (size_t at; (at = round.find("//")) != std::string::npos;) {
        const size_t end = round.find_first_of(" \n", at);
        round.erase(at, end - at);
    }
    r = import(s.write("round.obj", round).string(), {});
    REQUIRE(r);
    float worst = 1.f;
    for (size_t i = 0; i < r->parts[0].mesh->positions.size(); ++i)
        if (std::fabs(r->parts[0].mesh->positions[i].y) < .45f && std::fabs(r->parts[0].mesh->positions[i].z) > .01f)
            worst = std::min(worst, r->parts[0].mesh->normals[i].dot(r->parts[0].mesh->positions[i].normalized()));
    CHECK(worst > .995f);
}

TEST_CASE("every broken mesh is an error or a warning with file, place and remedy") {
    Scratch s;
    auto refused = [&](const std::string& name, const std::string& bytes) {
        INFO(name);
        auto r = import(s.write(name, bytes).string(), {});
        REQUIRE_FALSE(r);
        CHECK(r.error().file.find(name) != std::string::npos);
        CHECK_FALSE(r.error().why.empty());
        CHECK_FALSE(r.error().remedy.empty());
    };
    refused("empty.obj", "");
    refused("empty.ply", "");
    refused("empty.glb", "");
    refused("points.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\n");
    refused("noise.obj", std::string("\x00\xff\x13 junk \n f f f", 16));
    refused("promises.ply", ply(3, 1, 4000000000ULL));
    refused("short.ply", ply(30, 10, 10).substr(0, 400));
    refused("words.ply", "ply\nformat ascii 1.0\nelement vertex three\nend_header\n");
    refused("cut.glb", glb({}, 20));
    refused("no-view.glb", glb([](nlohmann::json& j) { j["accessors"][0]["bufferView"] = 99; }));
    refused("long.glb", glb([](nlohmann::json& j) { j["accessors"][0]["count"] = 4000000; }));
    refused("offset.glb", glb([](nlohmann::json& j) { j["bufferViews"][0]["byteOffset"] = 1u << 30; }));
    refused("circle.glb", glb([](nlohmann::json& j) { j["nodes"][0]["children"] = {0}; }));
    refused("unknown.glb", glb([](nlohmann::json& j) { j["extensionsRequired"] = {"VND_secret_mesh"}; }));
    refused("asset.stl", "solid");
    CHECK_FALSE(import((s.path / "nothing.obj").string(), {}));
    CHECK_FALSE(import(s.path.string() + "/", {}));

    auto warned = [&](const std::string& name, const std::string& bytes, size_t triangles) {
        INFO(name);
        auto r = import(s.write(name, bytes).string(), {});
        REQUIRE(r);
        CHECK(r->triangles() == triangles);
        CHECK_FALSE(r->warnings.empty());
        for (const auto& m : r->parts)
            for (const V3f& p : m.mesh->positions) CHECK(finite(p));
    };
    warned("range.obj", std::string(square_obj) + "f 1 2 99\nf -50 1 2\n", 2);
    warned("nan.obj", std::string(square_obj) + "v nan 0 0\nv 1e999 0 0\nf 1 2 5\n", 2);
    warned("flat.obj", std::string(square_obj) + "f 1 1 2\n", 2);
    warned("range.glb", glb([](nlohmann::json& j) {
               j["meshes"][0]["primitives"].push_back(j["meshes"][0]["primitives"][0]);
               j["meshes"][0]["primitives"][1].erase("indices");
               j["accessors"].push_back(
                   {{"bufferView", 0}, {"byteOffset", 0}, {"componentType", 5125}, {"count", 9}, {"type", "SCALAR"}});
               j["meshes"][0]["primitives"][1]["indices"] = 2;  // floats read as indices: far out of range
           }),
           1);
}

TEST_CASE("an import can be stopped") {
    Scratch s;
    std::string big = square_obj;
    for (int i = 0; i < 200000; ++i) big += "v 0 0 0\n";
    Progress progress;
    progress.stop = true;
    auto r = import(s.write("big.obj", big).string(), {}, &progress);
    REQUIRE_FALSE(r);
    CHECK(r.error().what == "Import stopped");
}

TEST_CASE("a ray that leaves a surface does not meet it again, at any scale") {
    std::mt19937 random(1);
    auto u = [&] { return float(random() % 100000) / 50000.f - 1.f; };
    for (float scale : {1e-3f, 1.f, 1e4f})
        for (int i = 0; i < 2000; ++i) {
            const V3f p(u() * scale, u() * scale, u() * scale), n = V3f(u(), u(), u()).normalized();
            CHECK((geometry::offset_origin(p, n) - p).dot(n) > 0.f);
        }
}

TEST_CASE("polygons of any number of corners become triangles that fill them once") {
    for (const size_t corners : {3u, 4u, 5u, 1024u, 1025u, 2048u, 4097u}) {
        INFO(corners);
        std::vector<uint32_t> outline;
        std::vector<Imath::V2d> place;
        for (size_t c = 0; c < corners; ++c) {
            outline.push_back(uint32_t(c));
            const double turn = 6.283185307179586 * double(c) / double(corners);
            place.push_back({std::cos(turn), std::sin(turn)});
        }
        geometry::RawPart part;
        part.add_polygon(outline);
        REQUIRE(part.indices.size() == 3 * (corners - 2));
        REQUIRE(part.continues.size() == corners - 2);
        double area = 0;
        double smallest = 1;
        for (size_t t = 0; t < corners - 2; ++t) {
            const Imath::V2d& a = place[part.indices[3 * t]];
            const Imath::V2d& b = place[part.indices[3 * t + 1]];
            const Imath::V2d& c = place[part.indices[3 * t + 2]];
            const double one = .5 * ((b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x));
            area += one;
            smallest = std::min(smallest, one);
        }
        CHECK(smallest > 0.);
        CHECK(area == Approx(.5 * double(corners) * std::sin(6.283185307179586 / double(corners))).epsilon(1e-9));
        const auto goes_on = std::count(part.continues.begin(), part.continues.end(), 1);
        CHECK(size_t(goes_on) == (corners <= geometry::RawPart::most_fanned ? corners - 3 : 0));
    }
    geometry::RawPart around;  // three corners, again and again
    std::vector<uint32_t> again;
    for (uint32_t c = 0; c < 30000; ++c) again.push_back(c % 3);
    around.add_polygon(again);
    CHECK(around.indices.size() < 3 * 30);
}
