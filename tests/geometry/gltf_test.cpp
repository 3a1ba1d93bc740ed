#include <draco/compression/encode.h>
#include <draco/mesh/triangle_soup_mesh_builder.h>
#include <meshoptimizer.h>

#include "geometry/import.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using PlainJson = nlohmann::json;

namespace {

/// A glTF of two triangles with UVs; the buffer lies beside it, so that a test can put anything there.
struct File {
    Scratch s;
    std::string bin;
    PlainJson j;
    File() {
        const float positions[] = {0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0}, uvs[] = {0, 1, 1, 1, 1, 0, 0, 0};
        const uint16_t indices[] = {0, 1, 2, 0, 2, 3};
        add(positions, sizeof positions);
        add(uvs, sizeof uvs);
        add(indices, sizeof indices);
        j = {{"asset", {{"version", "2.0"}}},
             {"scenes", {{{"nodes", {0}}}}},
             {"nodes", {{{"name", "plate"}, {"mesh", 0}}}},
             {"meshes", {{{"primitives", {{{"attributes", {{"POSITION", 0}, {"TEXCOORD_0", 1}}}, {"indices", 2}}}}}}},
             {"accessors",
              {{{"bufferView", 0}, {"componentType", 5126}, {"count", 4}, {"type", "VEC3"}},
               {{"bufferView", 1}, {"componentType", 5126}, {"count", 4}, {"type", "VEC2"}},
               {{"bufferView", 2}, {"componentType", 5123}, {"count", 6}, {"type", "SCALAR"}}}},
             {"bufferViews", {view(0, 48), view(48, 32), view(80, 12)}}};
    }
    static PlainJson view(size_t offset, size_t length) {
        return {{"buffer", 0}, {"byteOffset", offset}, {"byteLength", length}};
    }
    size_t add(const void* data, size_t bytes) {
        const size_t at = bin.size();
        bin.append(static_cast<const char*>(data), bytes);
        while (bin.size() % 4) bin += '\0';
        return at;
    }
    Result<geometry::Imported> import() {
        if (!j.contains("buffers")) j["buffers"] = {{{"uri", "plate%20one.bin"}, {"byteLength", bin.size()}}};
        s.write("plate one.bin", bin);
        return geometry::import(s.write("plate.gltf", j.dump()).string(), {});
    }
};

void is_the_plate(const Result<geometry::Imported>& r, float tolerance = 1e-6f) {
    if (!r) FAIL(r.error().line());
    REQUIRE(r->parts.size() == 1);
    const geometry::Mesh& m = *r->parts[0].mesh;
    REQUIRE(m.triangles() == 2);
    double area = 0, uv_area = 0;
    for (size_t t = 0; t < 2; ++t) {
        const uint32_t* i = &m.indices[3 * t];
        area += .5 * double((m.positions[i[1]] - m.positions[i[0]]).cross(m.positions[i[2]] - m.positions[i[0]]).z);
        uv_area += .5 * double((m.uvs[i[1]] - m.uvs[i[0]]).cross(m.uvs[i[2]] - m.uvs[i[0]]));
    }
    CHECK(area == Approx(1.).margin(double(tolerance)));
    CHECK(uv_area == Approx(1.).margin(double(tolerance)));
}

}  // namespace

TEST_CASE("a plain glTF with its buffer beside it, or inside of it as text") {
    File f;
    SECTION("beside, its name escaped") {
        is_the_plate(f.import());
    }
    SECTION("as text") {
        static const char* letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
        std::string text;
        for (size_t i = 0; i < f.bin.size(); i += 3) {
            uint32_t v = 0;
            for (size_t k = 0; k < 3; ++k) v = v << 8 | (i + k < f.bin.size() ? uint8_t(f.bin[i + k]) : 0u);
            for (int k = 3; k >= 0; --k) text += letters[v >> (6 * k) & 63];
        }
        f.j["buffers"] = {{{"uri", "data:application/octet-stream;base64," + text}, {"byteLength", f.bin.size()}}};
        is_the_plate(f.import());
    }
}

TEST_CASE("meshes that Draco compressed are read") {
    File f;
    draco::TriangleSoupMeshBuilder builder;
    builder.Start(2);
    const int position = builder.AddAttribute(draco::GeometryAttribute::POSITION, 3, draco::DT_FLOAT32),
              uv = builder.AddAttribute(draco::GeometryAttribute::TEX_COORD, 2, draco::DT_FLOAT32);
    const std::array<float, 3> p[] = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}};
    const std::array<float, 2> t[] = {{0, 1}, {1, 1}, {1, 0}, {0, 0}};
    const int corners[2][3] = {{0, 1, 2}, {0, 2, 3}};
    for (int i = 0; i < 2; ++i) {
        builder.SetAttributeValuesForFace(position, draco::FaceIndex(uint32_t(i)), p[corners[i][0]].data(),
                                          p[corners[i][1]].data(), p[corners[i][2]].data());
        builder.SetAttributeValuesForFace(uv, draco::FaceIndex(uint32_t(i)), t[corners[i][0]].data(),
                                          t[corners[i][1]].data(), t[corners[i][2]].data());
    }
    const auto mesh = builder.Finalize();
    draco::Encoder encoder;
    draco::EncoderBuffer packed;
    REQUIRE(encoder.EncodeMeshToBuffer(*mesh, &packed).ok());
    const size_t at = f.add(packed.data(), packed.size());
    f.j["bufferViews"].push_back(File::view(at, packed.size()));
    auto& primitive = f.j["meshes"][0]["primitives"][0];
    primitive["extensions"]["KHR_draco_mesh_compression"] = {
        {"bufferView", 3},
        {"attributes",
         {{"POSITION", mesh->attribute(position)->unique_id()}, {"TEXCOORD_0", mesh->attribute(uv)->unique_id()}}}};
    f.j["extensionsRequired"] = {"KHR_draco_mesh_compression"};
    for (auto& a : f.j["accessors"]) a.erase("bufferView");  // as files that need the extension have it
    SECTION("whole") {
        is_the_plate(f.import(), 1e-3f);
    }
    SECTION("with bytes that are broken") {
        for (size_t i = at + 12; i < f.bin.size(); ++i) f.bin[i] = char(f.bin[i] ^ 0x5a);
        const auto r = f.import();
        if (!r) CHECK(r.error().why.find("compressed") != std::string::npos);
    }
}

TEST_CASE("views that meshopt compressed are read, their fallback buffer has no bytes") {
    File f;
    std::string packed_bin;
    auto pack = [&](size_t offset, size_t count, size_t stride, const char* mode) {
        std::vector<unsigned char> out;
        if (std::string(mode) == "ATTRIBUTES") {
            out.resize(meshopt_encodeVertexBufferBound(count, stride));
            out.resize(meshopt_encodeVertexBuffer(out.data(), out.size(), f.bin.data() + offset, count, stride));
        } else {
            std::vector<uint32_t> indices;
            for (size_t i = 0; i < count; ++i)
                indices.push_back(reinterpret_cast<const uint16_t*>(f.bin.data() + offset)[i]);
            out.resize(meshopt_encodeIndexBufferBound(count, 4));
            out.resize(meshopt_encodeIndexBuffer(out.data(), out.size(), indices.data(), count));
        }
        const size_t at = packed_bin.size();
        packed_bin.append(reinterpret_cast<const char*>(out.data()), out.size());
        PlainJson v = File::view(offset, count * stride);
        v["buffer"] = 1;
        v["extensions"]["EXT_meshopt_compression"] = {
            {"buffer", 0},          {"byteOffset", at}, {"byteLength", out.size()},
            {"byteStride", stride}, {"count", count},   {"mode", mode}};
        return v;
    };
    f.j["bufferViews"] = {pack(0, 4, 12, "ATTRIBUTES"), pack(48, 4, 8, "ATTRIBUTES"), pack(80, 6, 2, "TRIANGLES")};
    f.bin = packed_bin;
    f.j["buffers"] = {{{"uri", "plate%20one.bin"}, {"byteLength", packed_bin.size()}},
                      {{"byteLength", 92}, {"extensions", {{"EXT_meshopt_compression", {{"fallback", true}}}}}}};
    f.j["extensionsRequired"] = {"EXT_meshopt_compression"};
    SECTION("whole") {
        is_the_plate(f.import());
    }
    SECTION("cut off") {
        f.j["bufferViews"][0]["extensions"]["EXT_meshopt_compression"]["byteLength"] = 5;
        CHECK_FALSE(f.import());
    }
    SECTION("claiming a hundred million elements") {
        f.j["bufferViews"][0]["extensions"]["EXT_meshopt_compression"]["count"] = 100000000;
        CHECK_FALSE(f.import());
    }
}

TEST_CASE("quantised positions, sparse accessors and texture transforms are read") {
    File f;
    SECTION("integers scaled by the node") {
        const int16_t q[] = {0, 0, 0, 0, 32767, 0, 0, 0, 32767, 32767, 0, 0, 0, 32767, 0, 0};
        f.j["bufferViews"].push_back(File::view(f.add(q, sizeof q), sizeof q));
        f.j["bufferViews"].back()["byteStride"] = 8;
        f.j["accessors"][0] = {
            {"bufferView", 3}, {"componentType", 5122}, {"normalized", true}, {"count", 4}, {"type", "VEC3"}};
        f.j["extensionsRequired"] = {"KHR_mesh_quantization", "KHR_texture_transform"};
        is_the_plate(f.import());
    }
    SECTION("sparse over zeros") {
        const float moved[] = {1, 0, 0, 1, 1, 0, 0, 1, 0};
        const uint8_t which[] = {1, 2, 3};
        const size_t a = f.add(which, sizeof which), b = f.add(moved, sizeof moved);
        f.j["bufferViews"].push_back(File::view(a, sizeof which));
        f.j["bufferViews"].push_back(File::view(b, sizeof moved));
        f.j["accessors"][0].erase("bufferView");
        f.j["accessors"][0]["sparse"] = {
            {"count", 3}, {"indices", {{"bufferView", 3}, {"componentType", 5121}}}, {"values", {{"bufferView", 4}}}};
        is_the_plate(f.import());
        f.j["accessors"][0]["sparse"]["count"] = 300;
        CHECK_FALSE(f.import());
    }
}

TEST_CASE("nodes of one mesh share it, each at its own place") {
    File f;
    f.j["nodes"] = {{{"name", "left"}, {"mesh", 0}, {"translation", {-2, 0, 0}}},
                    {{"name", "right"}, {"mesh", 0}, {"translation", {2, 0, 0}}, {"children", {2}}},
                    {{"mesh", 0}, {"name", "over"}, {"translation", {0, 3, 0}}}};
    f.j["scenes"][0]["nodes"] = {0, 1};
    const auto r = f.import();
    REQUIRE(r);
    REQUIRE(r->parts.size() == 3);
    CHECK(r->parts[0].mesh == r->parts[1].mesh);
    CHECK(r->parts[0].name == "left");
    CHECK(r->parts[2].bounds().min == V3f(2, 3, 0));
}

TEST_CASE("a property of its own that cannot be read is left out and told; the form and the others are there") {
    File f;
    const float wet[] = {0.f, .25f, .5f, 1.f};
    const size_t at = f.add(wet, sizeof wet);
    f.j["bufferViews"].push_back(File::view(at, sizeof wet));
    f.j["accessors"].push_back({{"bufferView", 3}, {"componentType", 5126}, {"count", 4}, {"type", "SCALAR"}});
    f.j["accessors"].push_back({{"bufferView", 3}, {"componentType", 5126}, {"count", 4000}, {"type", "SCALAR"}});
    f.j["accessors"].push_back({{"bufferView", 3}, {"componentType", 5126}, {"count", 2}, {"type", "SCALAR"}});
    auto& attributes = f.j["meshes"][0]["primitives"][0]["attributes"];
    attributes["_WET"] = 3;
    attributes["_BROKEN"] = 4;
    attributes["_SHORT"] = 5;
    attributes["_NOWHERE"] = 77;
    const auto r = f.import();
    is_the_plate(r);
    CHECK(r->warnings.size() == 3);
    for (const Error& e : r->warnings) {
        CHECK(e.what.find("is left out") != std::string::npos);
        CHECK_FALSE(e.why.empty());
    }
    bool wet_is_there = false;
    for (const geometry::UvSet& s : r->parts[0].mesh->more_uvs)
        wet_is_there |= s.name.find("_WET") != std::string::npos;
    CHECK(wet_is_there);
}

TEST_CASE("what is wrong with a glTF is told by what it is") {
    File f;
    auto why = [&] {
        const auto r = f.import();
        return r ? std::string("imported") : r.error().place + ": " + r.error().why;
    };
    SECTION("an extension that is not known is named") {
        f.j["extensionsRequired"] = {"VND_secret_mesh"};
        CHECK(why().find("VND_secret_mesh") != std::string::npos);
    }
    SECTION("a child of two nodes") {
        f.j["nodes"] = {{{"children", {2}}}, {{"children", {2}}}, {{"mesh", 0}}};
        f.j["scenes"][0]["nodes"] = {0, 1};
        CHECK(why().find("two nodes") != std::string::npos);
    }
    SECTION("a chain of a hundred thousand nodes is followed") {
        f.j["nodes"] = PlainJson::array();
        for (int i = 0; i < 100000; ++i) f.j["nodes"].push_back({{"children", {i + 1}}});
        f.j["nodes"].push_back({{"mesh", 0}, {"name", "deep"}});
        CHECK(why() == "imported");
    }
    SECTION("a buffer out of the folder") {
        f.j["buffers"] = {{{"uri", "../../etc/passwd"}, {"byteLength", 4}}};
        CHECK(why().find("leads out") != std::string::npos);
    }
    SECTION("numbers that are none") {
        f.j["nodes"][0]["scale"] = {"a", 1, 1};
        f.j["accessors"][0]["count"] = -4;
        CHECK(why() != "imported");
    }
    SECTION("a number that no double holds") {
        f.s.write("plate.gltf", R"({"asset": {"version": "2.0"}, "nodes": [{"scale": [1e400, 1, 1]}]})");
        CHECK_FALSE(geometry::import((f.s.path / "plate.gltf").string(), {}));
    }
}
