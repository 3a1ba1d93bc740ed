// Assets: counts, indices and links that lie; numbers that are none; files that claim more than they hold.
#include <cmath>
#include <cstring>
#include <limits>

#include "hostile/inputs.h"
#include "support.h"

namespace vemtra::hostile {
namespace {

using Json = nlohmann::json;

HostileInput asset(const std::string& name, const std::string& file, std::function<std::string()> content) {
    return {file + ": " + name, [=](const fs::path& folder) {
                write_bytes(folder / file, content());
                return asset_calls(folder / file);
            }};
}

std::string repeated(const std::string& text, size_t times) {
    std::string all;
    all.reserve(text.size() * times);
    for (size_t i = 0; i < times; ++i) all += text;
    return all;
}

template <class T> void put(std::string& to, T value) {
    to.append(reinterpret_cast<const char*>(&value), sizeof value);
}

void add_obj(std::vector<HostileInput>& all) {
    const std::string square = test::square_obj;
    auto obj = [&](const std::string& name, std::function<std::string()> content) {
        all.push_back(asset(name, "a.obj", std::move(content)));
    };
    obj("nothing", [] { return ""; });
    obj("zeros", [] { return std::string(1 << 20, '\0'); });
    obj("one face with a million corners", [] {
        std::string t, face = "f";
        for (int i = 0; i < 1000000; ++i) {
            t += "v " + std::to_string(std::cos(i * 6.2831853e-6)) + " " + std::to_string(std::sin(i * 6.2831853e-6)) +
                 " 0\n";
            face += " " + std::to_string(i + 1);
        }
        return t + face + "\n";
    });
    obj("300 000 faces that read one vertex with ever new UVs", [] {
        std::string t = "v 0 0 0\n";
        for (int i = 1; i <= 300000; ++i) {
            const std::string n = std::to_string(i), x = std::to_string(std::cos(i * 2.09e-5));
            t += "v " + x + " " + std::to_string(std::sin(i * 2.09e-5)) + " 0\nvt 0." + n + " 0\n";
            if (i > 1) t += "f 1/" + n + " " + std::to_string(i) + "/1 " + std::to_string(i + 1) + "/2\n";
        }
        return t;
    });
    obj("a line of 50 megabytes", [=] { return square + "v " + std::string(50000000, '1') + "\n"; });
    obj("50 megabytes of line breaks", [=] { return square + std::string(50000000, '\n'); });
    obj("300 000 groups", [=] {
        std::string t;
        for (int i = 0; i < 300000; ++i) {
            const std::string x = std::to_string(i % 550), y = std::to_string(i / 550);
            t += "g same\nv " + x + " " + y + " 0\nv " + x + ".9 " + y + " 0\nv " + x + " " + y + ".9 0\nf -3 -2 -1\n";
        }
        return t;
    });
    obj("indices of every wrong kind", [=] {
        return square +
               "f 0 0 0\nf 1 2 99\nf -1 -2 -99\nf 9223372036854775807 1 2\nf -9223372036854775808 1 2\n"
               "f 99999999999999999999 1 2\nf 1/99/99 2/0/0 3/-9/-9\nf 1//// 2 3\nf / / /\nf a b c\nf 1 2\nf\n";
    });
    for (const char* number : {"nan", "inf", "-inf", "1e39", "3e38", "1e-45", "1e400", "0x1p3", "--1", ""})
        obj(std::string("corners at ") + number, [=] {
            const std::string n = number;
            return "v " + n + " 0 0\nv 1 " + n + " 0\nv 0 1 " + n + "\nv 1 1 1\nvt " + n + " " + n + "\nvn " + n +
                   " 0 0\n" + "f 1/1/1 2/1/1 3/1/1\nf 2 3 4\n" + square;
        });
    for (const char* size : {"1e-30", "1e-12", "1e10", "1e18", "9e11"})
        obj(std::string("a square of size ") + size, [=] {
            const std::string s = size;
            return "v 0 0 0\nv " + s + " 0 0\nv " + s + " " + s + " 0\nv 0 " + s + " 0\nf 1 2 3 4\n";
        });
    obj("100 000 times the same triangle",
        [] { return "v 0 0 0\nv 1 0 0\nv 0 1 0\n" + repeated("f 1 2 3\n", 100000); });
}

std::string ply_header(const std::string& format, const std::string& elements) {
    return "ply\nformat " + format + " 1.0\n" + elements + "end_header\n";
}

void add_ply(std::vector<HostileInput>& all) {
    auto ply = [&](const std::string& name, std::function<std::string()> content) {
        all.push_back(asset(name, "a.ply", std::move(content)));
    };
    const std::string vertices = "element vertex 3\nproperty float x\nproperty float y\nproperty float z\n";
    auto three = [] {
        std::string t;
        for (float f : {0.f, 0.f, 0.f, 1.f, 0.f, 0.f, 0.f, 1.f, 0.f}) put(t, f);
        return t;
    };
    ply("nothing", [] { return ""; });
    ply("a header without end", [] { return "ply\nformat ascii 1.0\n" + std::string(1 << 22, 'x'); });
    for (const double count : {double(NAN), double(INFINITY), 1e19, -1.0, 3.5, 1e300})
        ply("a list of " + std::to_string(count) + " corners, as double", [=] {
            std::string t = ply_header("binary_little_endian",
                                       vertices + "element face 1\nproperty list double int vertex_indices\n") +
                            three();
            put(t, count);
            put(t, int32_t(0));
            return t;
        });
    ply("a list of -1 corners, as int", [=] {
        std::string t =
            ply_header("binary_little_endian", vertices + "element face 1\nproperty list int int vertex_indices\n") +
            three();
        put(t, int32_t(-1));
        return t;
    });
    for (const char* count : {"1000000000", "18446744073709551615", "99999999999999999999", "-1", "x"}) {
        ply(std::string("elements without properties, ") + count, [=] {
            return ply_header("ascii", std::string("element nothing ") + count + "\n" + vertices) +
                   "0 0 0\n1 0 0\n0 1 0\n";
        });
        ply(std::string("vertices, ") + count, [=] {
            return ply_header("binary_big_endian", std::string("element vertex ") + count +
                                                       "\nproperty float x\nproperty float y\nproperty float z\n") +
                   three();
        });
    }
    ply("50 000 elements", [=] {
        return ply_header("ascii", repeated("element e 0\nproperty float x\n", 50000) + vertices) +
               "0 0 0\n1 0 0\n0 1 0\n";
    });
    ply("100 000 properties",
        [=] { return ply_header("ascii", "element vertex 1\n" + repeated("property float x\n", 100000)) + "0\n"; });
    ply("a face with a million corners", [=] {
        std::string t = ply_header("ascii", vertices + "element face 1\nproperty list int int vertex_indices\n") +
                        "0 0 0\n1 0 0\n0 1 0\n1000000";
        for (int i = 0; i < 1000000; ++i) t += " " + std::to_string(i % 3);
        return t;
    });
    ply("numbers that are none", [=] {
        return ply_header("ascii", vertices + "element face 1\nproperty list int int vertex_indices\n") +
               "nan inf 1e99\n1 0 0\n0 1 0\n3 0 nan 1e300\n";
    });
    ply("lists at the vertices", [=] {
        return ply_header("ascii", "element vertex 2\nproperty list uchar float x\nproperty float y\n") +
               "2 0 0 1\n0 1\n";
    });
}

Json triangle_gltf() {
    return Json::parse(R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],
      "meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
      "buffers":[{"byteLength":36,
      "uri":"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA"}],
      "bufferViews":[{"buffer":0,"byteLength":36}],
      "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}]})");
}

void add_gltf(std::vector<HostileInput>& all) {
    auto gltf = [&](const std::string& name, std::function<void(Json&)> spoil) {
        all.push_back(asset(name, "a.gltf", [spoil] {
            Json j = triangle_gltf();
            spoil(j);
            return j.dump();
        }));
    };
    gltf("as it should be", [](Json&) {});
    gltf("nodes 200 000 deep", [](Json& j) {
        for (int i = 0; i < 200000; ++i) {
            j["nodes"][size_t(i)]["children"] = {i + 1};
            j["nodes"].push_back({{"mesh", 0}});
        }
    });
    gltf("nodes that share their children, 40 deep", [](Json& j) {
        for (int i = 0; i < 40; ++i) {
            j["nodes"][size_t(i)]["children"] = {i + 1, i + 1};
            j["nodes"].push_back({{"mesh", 0}});
        }
    });
    gltf("a node below itself", [](Json& j) { j["nodes"][0]["children"] = {0}; });
    gltf("200 000 nodes of one mesh", [](Json& j) {
        for (int i = 1; i < 200000; ++i) {
            j["nodes"].push_back({{"mesh", 0}, {"name", "same"}});
            j["scenes"][0]["nodes"].push_back(i);
        }
    });
    gltf("20 000 meshes", [](Json& j) {
        for (int i = 1; i < 20000; ++i) {
            j["meshes"].push_back(j["meshes"][0]);
            j["nodes"].push_back({{"mesh", i}});
            j["scenes"][0]["nodes"].push_back(i);
        }
    });
    gltf("a million accessors", [](Json& j) {
        for (int i = 0; i < 1000000; ++i) j["accessors"].push_back(1);
    });
    for (const char* count : {"-1", "0", "4", "1000000000", "18446744073709551615", "1e300", "3.5", "null", "\"3\""}) {
        gltf(std::string("an accessor of ") + count, [=](Json& j) { j["accessors"][0]["count"] = Json::parse(count); });
        gltf(std::string("a sparse accessor of ") + count, [=](Json& j) {
            j["accessors"][0].erase("bufferView");
            j["accessors"][0]["count"] = Json::parse(count);
            j["accessors"][0]["sparse"] =
                Json::parse(R"({"count":3,"indices":{"bufferView":0,"componentType":5125},"values":{"bufferView":0}})");
        });
        gltf(std::string("an offset of ") + count,
             [=](Json& j) { j["bufferViews"][0]["byteOffset"] = Json::parse(count); });
        gltf(std::string("a stride of ") + count,
             [=](Json& j) { j["bufferViews"][0]["byteStride"] = Json::parse(count); });
        gltf(std::string("indices in accessor ") + count,
             [=](Json& j) { j["meshes"][0]["primitives"][0]["indices"] = Json::parse(count); });
        gltf(std::string("a buffer of length ") + count,
             [=](Json& j) { j["buffers"][0]["byteLength"] = Json::parse(count); });
    }
    for (const char* uri : {"../../../../etc/passwd", "/etc/passwd", "file:///etc/passwd", "%2e%2e/%2e%2e/etc/passwd",
                            "data:,", "data:;base64,????", "a.gltf", ".", "", "%00", "http://localhost/x", "a%"})
        gltf(std::string("a buffer at '") + uri + "'", [=](Json& j) { j["buffers"][0]["uri"] = uri; });
    for (const char* number : {"0", "1e38", "1e300", "-1e-38", "null"})
        gltf(std::string("a transform of ") + number, [=](Json& j) {
            j["nodes"][0]["matrix"] = std::vector<Json>(16, Json::parse(number));
            j["nodes"].push_back({{"mesh", 0}, {"scale", std::vector<Json>(3, Json::parse(number))}});
            j["nodes"].push_back({{"mesh", 0}, {"rotation", std::vector<Json>(4, Json::parse(number))}});
            j["scenes"][0]["nodes"] = {0, 1, 2};
        });
    for (const char* key :
         {"scenes", "nodes", "meshes", "accessors", "bufferViews", "buffers", "scene", "extensionsRequired"})
        for (const char* by : {"null", "7", "{}", "[null]", "[[]]", "[{}]", "\"x\"", "[-1]"})
            gltf(std::string(key) + " is " + by, [=](Json& j) { j[key] = Json::parse(by); });
    gltf("packed views that claim a gigabyte", [](Json& j) {
        j["bufferViews"][0]["extensions"]["EXT_meshopt_compression"] =
            Json::parse(R"({"buffer":0,"byteLength":36,"byteStride":256,"count":9216,"mode":"ATTRIBUTES"})");
    });
    gltf("20 000 packed views of one buffer", [](Json& j) {
        j["bufferViews"][0]["extensions"]["EXT_meshopt_compression"] =
            Json::parse(R"({"buffer":0,"byteLength":36,"byteStride":256,"count":9216,"mode":"ATTRIBUTES"})");
        for (int i = 0; i < 20000; ++i) j["bufferViews"].push_back(j["bufferViews"][0]);
    });
    gltf("a compressed mesh that is none", [](Json& j) {
        j["meshes"][0]["primitives"][0]["extensions"]["KHR_draco_mesh_compression"] =
            Json::parse(R"({"bufferView":0,"attributes":{"POSITION":0}})");
    });
    for (const char* open : {"[", "{\"a\":", "{\"nodes\":["})
        all.push_back(
            asset(std::string("nested a million deep by ") + open, "a.gltf", [=] { return repeated(open, 1000000); }));
    all.push_back(asset("a number of 1e400", "a.gltf", [] {
        std::string t = triangle_gltf().dump();
        return t.replace(t.find("36"), 2, "1e400");
    }));
    all.push_back(asset("a header that lies", "a.glb", [] {
        std::string t = "glTF";
        for (uint32_t v : {2u, 0xffffffffu, 0xffffffffu, 0x4e4f534au}) put(t, v);
        return t + "{}";
    }));
    for (const double part : {.01, .3, .7, .99})
        all.push_back(asset("cut off at " + std::to_string(part), "a.glb", [=] {
            const std::string whole = *read_file(test::root / "demo" / "lantern.glb");
            return whole.substr(0, size_t(double(whole.size()) * part));
        }));
    all.push_back(asset("a file of another kind", "a.fbx", [] { return "x"; }));
}

}  // namespace

std::vector<HostileInput> hostile_assets() {
    std::vector<HostileInput> all;
    add_obj(all);
    add_ply(all);
    add_gltf(all);
    return all;
}

}  // namespace vemtra::hostile
