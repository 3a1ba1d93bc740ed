// What the readers of meshes make of claims that lie. The large inputs are in tests/hostile.
#include <set>

#include "geometry/import.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

Result<geometry::Imported> imported(const std::string& file, const std::string& text) {
    ByteStream bytes = ByteStream::of(text);
    return geometry::import(file, bytes, {});
}
std::string why(const Result<geometry::Imported>& r) {
    return r ? "" : r.error().why;
}
template <class T> void put(std::string& to, T value) {
    to.append(reinterpret_cast<const char*>(&value), sizeof value);
}

const std::string ply_vertices = "element vertex 3\nproperty float x\nproperty float y\nproperty float z\n";

std::string ply(const std::string& count_type, const std::string& counts) {
    std::string t = "ply\nformat binary_little_endian 1.0\n" + ply_vertices + "element face 1\nproperty list " +
                    count_type + " int vertex_indices\nend_header\n";
    for (float f : {0.f, 0.f, 0.f, 1.f, 0.f, 0.f, 0.f, 1.f, 0.f}) put(t, f);
    t += counts;
    for (int i : {0, 1, 2}) put(t, i);
    return t;
}
template <class T> std::string bytes_of(T value) {
    std::string t;
    put(t, value);
    return t;
}

const char* triangle = R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],
  "meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
  "buffers":[{"byteLength":36,
    "uri":"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA"}],
  "bufferViews":[{"buffer":0,"byteLength":36}],
  "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}]})";

}  // namespace

TEST_CASE("a PLY list has a whole number of items that the file can hold, in whichever type it is said") {
    CHECK(imported("a.ply", ply("uchar", bytes_of(uint8_t(3)))));
    CHECK(imported("a.ply", ply("float", bytes_of(3.f))));
    CHECK(imported("a.ply", ply("double", bytes_of(3.0))));
    for (double count : {double(NAN), double(INFINITY), 1e19, -1.0, 2.5, 1e300, 13.0}) {
        INFO(count);
        CHECK_FALSE(imported("a.ply", ply("double", bytes_of(count))));
        CHECK_FALSE(imported("a.ply", ply("float", bytes_of(float(count)))));
    }
    CHECK_FALSE(imported("a.ply", ply("int", bytes_of(int32_t(-1)))));
    CHECK_FALSE(imported("a.ply", ply("uint", bytes_of(uint32_t(0xffffffffu)))));
}

TEST_CASE("PLY elements without properties take no bytes, however many there are") {
    const std::string body = "0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n",
                      faces = "element face 1\nproperty list uchar int vertex_index\nend_header\n";
    const auto with = [&](const std::string& more) {
        return imported("a.ply", "ply\nformat ascii 1.0\n" + more + ply_vertices + faces + body);
    };
    CHECK(with(""));
    CHECK(with("element nothing 1000000000\n"));
    CHECK(with("comment element\nobj_info x\n"));
    CHECK_FALSE(with("element nothing 99999999999999999999\n"));
    CHECK(why(with("element some 1000000000\nproperty float x\n")).find("cut off") != std::string::npos);
    CHECK_FALSE(imported("a.ply", "ply\nformat ascii 1.0\n" + ply_vertices));
    CHECK_FALSE(imported("a.ply", "ply\nend_header\n"));
    std::string many = "ply\nformat ascii 1.0\nelement vertex 1\n";
    for (int i = 0; i < 65; ++i) many += "property float x\n";
    CHECK(why(imported("a.ply", many + "end_header\n")).find("64 properties") != std::string::npos);
}

TEST_CASE("ascii PLY reads numbers over any blanks, and of any length") {
    const auto r =
        imported("a.ply", "ply\nformat ascii 1.0\n" + ply_vertices +
                              "element face 1\nproperty list uchar int vertex_index\nend_header\n0 " +
                              std::string(3000, ' ') + "0\t\n\n0 1 0 0 0 1.0" + std::string(300, '0') + " 0\n3 0 1 2");
    REQUIRE(r);
    const auto& p = r->parts[0].mesh->positions;
    REQUIRE(p.size() == 3);
    CHECK(p[1] == V3f(1, 0, 0));
    CHECK(p[2] == V3f(0, 1, 0));
}

TEST_CASE("one position with ever new UVs is read once per pair, in the time that the pairs take") {
    std::string t = "v 0 0 0\nv 1 0 0\nv 0 1 0\n";
    constexpr int pairs = 20000;
    for (int i = 1; i <= pairs; ++i) {
        const std::string n = std::to_string(i);
        t += "vt 0." + n + " 0\nf 1/" + n + " 2/" + n + " 3/" + n + "\nf 1/" + n + " 2/" + n + " 3/" + n + "\n";
    }
    const auto r = imported("a.obj", t);
    REQUIRE(r);
    CHECK(r->parts[0].mesh->triangles() == 2 * pairs);
    CHECK(r->parts[0].mesh->positions.size() == 3 * pairs);  // what was read before is used again
    for (const uint32_t i : r->parts[0].mesh->indices) REQUIRE(i < 3 * pairs);
}

TEST_CASE("names of parts are UTF-8 and told apart, whatever a file calls them") {
    std::string t = "v 0 0 0\nv 1 0 0\nv 0 1 0\n";
    for (const char* name : {"K\xe4rra", "same", "same", "same.2", "same"})
        t += std::string("g ") + name + "\nf 1 2 3\n";
    const auto r = imported("a.obj", t);
    REQUIRE(r);
    std::set<std::string> names;
    for (const auto& p : r->parts) names.insert(p.name);
    CHECK(names.size() == 5);
    CHECK(names.count("K?rra"));
    CHECK(names.count("same"));
}

TEST_CASE("what is left out of very many parts is told in one sentence") {
    std::string t = "v 0 0 0\nv 1 0 0\nv 0 1 0\n";
    for (int i = 0; i < 500; ++i) t += "g p" + std::to_string(i) + "\nf 1 2 3\nf 1 1 2\n";
    const auto r = imported("a.obj", t);
    REQUIRE(r);
    CHECK(r->parts.size() == 500);
    REQUIRE(r->warnings.size() == 1);
    CHECK(r->warnings[0].place == "part p0, one of 500");
    CHECK(r->warnings[0].why.find("triangles without an area: 500") != std::string::npos);
}

TEST_CASE("primitives that use a few vertices of a shared buffer get those alone") {
    nlohmann::json j = nlohmann::json::parse(triangle);
    // Six vertices in one buffer; two triangles, of vertices 3 4 5 and 0 2 1, each a primitive with its own indices.
    std::string data;
    for (float f : {0.f, 0.f, 0.f, 1.f, 0.f, 0.f, 0.f, 1.f, 0.f, 5.f, 0.f, 0.f, 6.f, 0.f, 0.f, 5.f, 1.f, 0.f})
        put(data, f);
    for (int i = 0; i < 100; ++i)
        for (float f : {9.f, 9.f, 9.f}) put(data, f);
    const size_t indices_at = data.size();
    for (uint32_t i : {3u, 4u, 5u, 0u, 2u, 1u}) put(data, i);
    Scratch s;
    s.write("b.bin", data);
    j["buffers"][0] = {{"uri", "b.bin"}, {"byteLength", data.size()}};
    j["bufferViews"] = {{{"buffer", 0}, {"byteLength", indices_at}},
                        {{"buffer", 0}, {"byteOffset", indices_at}, {"byteLength", 24}}};
    j["accessors"] = {
        {{"bufferView", 0}, {"componentType", 5126}, {"count", 106}, {"type", "VEC3"}},
        {{"bufferView", 1}, {"componentType", 5125}, {"count", 3}, {"type", "SCALAR"}},
        {{"bufferView", 1}, {"byteOffset", 12}, {"componentType", 5125}, {"count", 3}, {"type", "SCALAR"}}};
    j["meshes"][0]["primitives"] = {{{"attributes", {{"POSITION", 0}}}, {"indices", 1}},
                                    {{"attributes", {{"POSITION", 0}}}, {"indices", 2}}};
    const auto r = geometry::import(s.write("a.gltf", j.dump()).string(), {});
    REQUIRE(r);
    REQUIRE(r->parts.size() == 2);
    for (const auto& part : r->parts) CHECK(part.mesh->positions.size() == 3);
    const auto& first = *r->parts[0].mesh;
    CHECK(first.positions[first.indices[0]] == V3f(5, 0, 0));
    CHECK(first.positions[first.indices[2]] == V3f(5, 1, 0));
    const auto& second = *r->parts[1].mesh;
    CHECK(second.positions[second.indices[1]] == V3f(0, 1, 0));
    CHECK(second.positions[second.indices[2]] == V3f(1, 0, 0));
}

TEST_CASE("a small glTF cannot fill the memory by saying its bytes over and over") {
    nlohmann::json j = nlohmann::json::parse(triangle);
    j["bufferViews"][0]["extensions"]["EXT_meshopt_compression"] =
        nlohmann::json::parse(R"({"buffer":0,"byteLength":36,"byteStride":256,"count":9216,"mode":"ATTRIBUTES"})");
    CHECK_FALSE(imported("a.gltf", j.dump()));
    j = nlohmann::json::parse(triangle);
    // A sparse accessor of as many elements as there are bytes, read by very many primitives.
    std::string data(1 << 20, '\0');
    Scratch s;
    s.write("b.bin", data);
    j["buffers"][0] = {{"uri", "b.bin"}, {"byteLength", data.size()}};
    j["bufferViews"][0] = {{"buffer", 0}, {"byteLength", data.size()}};
    j["accessors"][0] = {
        {"componentType", 5126},
        {"count", data.size()},
        {"type", "VEC3"},
        {"sparse",
         {{"count", 1}, {"indices", {{"bufferView", 0}, {"componentType", 5125}}}, {"values", {{"bufferView", 0}}}}}};
    for (int i = 0; i < 1000; ++i) j["meshes"][0]["primitives"].push_back(j["meshes"][0]["primitives"][0]);
    const auto r = geometry::import(s.write("a.gltf", j.dump()).string(), {});
    REQUIRE_FALSE(r);
    CHECK(r.error().why.find("so often") != std::string::npos);
}

TEST_CASE("glTF that nests without end, or shares what must be a tree, is refused") {
    CHECK_FALSE(imported("a.gltf", std::string(100000, '[')));
    nlohmann::json j = nlohmann::json::parse(triangle);
    for (size_t i = 0; i < 50; ++i) {
        j["nodes"][i]["children"] = {i + 1, i + 1};
        j["nodes"].push_back({{"mesh", 0}});
    }
    CHECK(why(imported("a.gltf", j.dump())).find("two nodes") != std::string::npos);
    j = nlohmann::json::parse(triangle);
    for (size_t i = 0; i < 5000; ++i) {
        j["nodes"][i]["children"] = {i + 1};
        j["nodes"].push_back({{"mesh", 0}});
    }
    const auto deep = imported("a.gltf", j.dump());
    REQUIRE(deep);
    CHECK(deep->parts.size() == 5001);
    CHECK(imported("a.gltf", triangle));
    std::string number = triangle;
    number.replace(number.find("\"count\":3"), 9, "\"count\":1e400");
    CHECK(why(imported("a.gltf", number)).find("too large") != std::string::npos);
}

TEST_CASE("round a vertex of very many faces a flat disc is smooth, and a rim stays hard") {
    // A lid: a disc of fans round one vertex, and the same fans again as a cone that falls away steeply.
    std::string t = "v 0 0 0\n";
    constexpr int n = 1000;
    for (int i = 0; i < n; ++i) {
        const double a = 2 * M_PI * i / n;
        for (const double z : {0., -5.})
            t +=
                "v " + std::to_string(std::cos(a)) + " " + std::to_string(std::sin(a)) + " " + std::to_string(z) + "\n";
    }
    for (int i = 0; i < n; ++i) {
        const int a = 2 + 2 * i, b = 2 + 2 * ((i + 1) % n);
        t += "f 1 " + std::to_string(a) + " " + std::to_string(b) + "\n";          // disc
        t += "f 1 " + std::to_string(a + 1) + " " + std::to_string(b + 1) + "\n";  // cone
    }
    const auto r = imported("a.obj", t);
    REQUIRE(r);
    const geometry::Mesh& m = *r->parts[0].mesh;
    REQUIRE(m.triangles() == 2 * n);
    size_t disc = 0;
    for (size_t f = 0; f < m.triangles(); ++f) {
        const V3f &a = m.positions[m.indices[3 * f]], &b = m.positions[m.indices[3 * f + 1]],
                  &c = m.positions[m.indices[3 * f + 2]];
        const V3f flat = (b - a).cross(c - a).normalized();
        for (size_t k = 0; k < 3; ++k) {
            const V3f& normal = m.normals[m.indices[3 * f + k]];
            CHECK(normal.length() == Approx(1.f).epsilon(1e-4));
            CHECK(normal.dot(flat) > .7f);  // nothing is smoothed over the edge between disc and cone
        }
        disc += flat.z > .99f;
    }
    CHECK(disc == n);
}
