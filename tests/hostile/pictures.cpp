// Pictures as maps, environments and sets: sizes that lie, bytes that turned over, numbers that are none.
#include <OpenImageIO/imageio.h>

#include <cmath>
#include <cstring>
#include <random>

#include "exchange/map_pack.h"
#include "hostile/inputs.h"
#include "support.h"

namespace vemtra::hostile {
namespace {

/// A project whose base colour, roughness and relief read the map, and whose environment is it.
std::vector<Call> picture_calls(const fs::path& folder, const std::string& file) {
    scene::Scene s = square_project(folder);
    scene::Layer& base = s.build_ups[0].layers[0];
    for (const auto& [id, kind, type, slot] : {std::tuple("c", "image", "color3", "base_color"),
                                               {"r", "image", "float", "specular_roughness"},
                                               {"h", "heightrelief", "vector3", "geometry_normal"}}) {
        scene::Node n;
        n.id = id;
        n.kind = kind;
        n.type = type;
        n.inputs["file"].value = file;
        base.nodes.push_back(n);
        base.surface[slot].from = id;
    }
    const bool one = file.find('<') == std::string::npos;
    if (one) s.rigs[0].environment.image = file;
    std::vector<Call> calls = project_calls(save_in(folder, s));
    if (one) calls.push_back({{"info", (folder / file).string()}});
    calls.push_back({{"maps", folder.string()}});
    for (const char* recipe : {"occlusion-roughness-metalness", "each-slot-8bit"})
        calls.push_back({{"maps", folder.string(), "--pack", recipe, "-o", (folder / "packed").string()}});
    calls.push_back(
        {{"maps", folder.string(), "--pack", (folder / "all.json").string(), "-o", (folder / "packed").string()}});
    write_bytes(folder / "all.json",
                R"({"outputs":[{"name":"{set}_{tile}.png","channels":["roughness","glossiness","ambient_occlusion"]},
                               {"name":"{set}_{tile}.exr","channels":["base_color.r"],"depth":"half"}]})");
    return calls;
}

HostileInput picture(const std::string& name, const std::string& file, std::function<void(const fs::path& file)> make) {
    return {file + ": " + name, [=](const fs::path& folder) {
                fs::create_directories(folder);
                make(folder / file);
                return picture_calls(folder, file);
            }};
}

void write_picture(const fs::path& file, int width, int height, const std::vector<float>& values, int channels,
                   OIIO::TypeDesc type = OIIO::TypeDesc::FLOAT) {
    OIIO::ImageSpec spec(width, height, channels, type);
    auto out = OIIO::ImageOutput::create(file.string());
    if (!out || !out->open(file.string(), spec)) return;
    out->write_image(OIIO::TypeDesc::FLOAT, values.data());
    out->close();
}

std::vector<float> pattern(int width, int height, int channels) {
    std::vector<float> v(size_t(width) * size_t(height) * size_t(channels));
    for (size_t i = 0; i < v.size(); ++i) v[i] = float(i % 97) / 96.f;
    return v;
}

/// The CRC-32 of PNG (ISO 3309).
uint32_t crc(const std::string& bytes) {
    uint32_t c = ~0u;
    for (unsigned char b : bytes) {
        c ^= b;
        for (int k = 0; k < 8; ++k) c = c & 1 ? 0xedb88320u ^ c >> 1 : c >> 1;
    }
    return ~c;
}
void put_big(std::string& to, uint32_t v) {
    for (int shift = 24; shift >= 0; shift -= 8) to += char(v >> shift & 255);
}
std::string png_of_size(uint32_t width, uint32_t height, const std::string& data) {
    std::string t("\x89PNG\r\n\x1a\n", 8), head = "IHDR";
    put_big(head, width);
    put_big(head, height);
    head += std::string("\x08\x06\0\0\0", 5);
    for (const std::string& chunk : {head, "IDAT" + data, std::string("IEND")}) {
        put_big(t, uint32_t(chunk.size() - 4));
        t += chunk;
        put_big(t, crc(chunk));
    }
    return t;
}

/// An EXR that claims its size and has no pixel.
void empty_exr(const fs::path& file, int width, int height, int channels) {
    write_picture(file, 64, 64, pattern(64, 64, channels), channels, OIIO::TypeDesc::HALF);
    std::string bytes = *read_file(file);
    for (const char* window : {"dataWindow", "displayWindow"}) {
        const size_t at = bytes.find(window);
        if (at == std::string::npos) continue;
        const int box[] = {0, 0, width - 1, height - 1};
        std::memcpy(&bytes[at + std::strlen(window) + 1 + 6 + 4], box, sizeof box);
    }
    write_bytes(file, bytes);
}

void add_sizes(std::vector<HostileInput>& all) {
    for (const auto& [w, h] :
         {std::pair(65000u, 65000u), {0u, 0u}, {1u, 0x7fffffffu}, {0xffffffffu, 1u}, {16384u, 16384u}})
        all.push_back(picture("a size of " + std::to_string(w) + " x " + std::to_string(h) + " that lies", "a.png",
                              [w = w, h = h](const fs::path& f) { write_bytes(f, png_of_size(w, h, "x")); }));
    for (const auto& [w, h, c] : {std::tuple(65000, 65000, 3), {1 << 30, 1 << 30, 1}, {16384, 16384, 4}, {-5, -5, 1}})
        all.push_back(picture("a size of " + std::to_string(w) + " with nothing in it", "a.exr",
                              [w = w, h = h, c = c](const fs::path& f) { empty_exr(f, w, h, c); }));
    all.push_back(picture("one texel", "a.png", [](const fs::path& f) { write_picture(f, 1, 1, {.5f}, 1); }));
    all.push_back(
        picture("65 536 x 1", "a.exr", [](const fs::path& f) { write_picture(f, 65536, 1, pattern(65536, 1, 3), 3); }));
    all.push_back(
        picture("1 x 65 536", "a.tif", [](const fs::path& f) { write_picture(f, 1, 65536, pattern(1, 65536, 3), 3); }));
    all.push_back(picture("500 channels", "a.exr",
                          [](const fs::path& f) { write_picture(f, 16, 16, pattern(16, 16, 500), 500); }));
    all.push_back(
        picture("two channels", "a.tif", [](const fs::path& f) { write_picture(f, 16, 16, pattern(16, 16, 2), 2); }));
}

void add_numbers(std::vector<HostileInput>& all) {
    for (const auto& [name, number] :
         {std::pair("nan", NAN), {"inf", INFINITY}, {"-inf", -INFINITY}, {"3e38", 3e38f}, {"-1", -1.f}, {"0", 0.f}})
        for (const char* file : {"a.exr", "a.tif"})
            all.push_back(picture(std::string("all numbers ") + name, file, [number = number](const fs::path& f) {
                write_picture(f, 32, 16, std::vector<float>(32 * 16 * 3, number), 3);
            }));
    all.push_back(picture("one sun of 3e38", "a.exr", [](const fs::path& f) {
        std::vector<float> v(64 * 32 * 3, 0.f);
        v[3000] = v[3001] = v[3002] = 3e38f;
        write_picture(f, 64, 32, v, 3);
    }));
}

void add_damage(std::vector<HostileInput>& all) {
    for (const char* extension : {"png", "jpg", "tif", "exr", "hdr", "tga", "bmp"}) {
        const std::string file = std::string("a.") + extension;
        auto whole = [file](const fs::path& folder) {
            const bool wide = file == "a.exr" || file == "a.hdr";
            write_picture(folder, 48, 32, pattern(48, 32, 3), 3, wide ? OIIO::TypeDesc::HALF : OIIO::TypeDesc::UINT8);
            return *read_file(folder);
        };
        for (const double part : {.02, .3, .95})
            all.push_back(picture("cut off at " + std::to_string(part), file, [=](const fs::path& f) {
                const std::string bytes = whole(f);
                write_bytes(f, bytes.substr(0, size_t(double(bytes.size()) * part)));
            }));
        for (int seed = 0; seed < 6; ++seed)
            all.push_back(picture("bytes turned over, " + std::to_string(seed), file, [=](const fs::path& f) {
                std::string bytes = whole(f);
                std::mt19937 random{uint32_t(seed)};
                const size_t reach = seed < 4 ? std::min<size_t>(bytes.size(), 300) : bytes.size();
                for (int k = 0; k < 1 + 3 * seed; ++k) bytes[random() % reach] = char(random());
                write_bytes(f, bytes);
            }));
        all.push_back(picture("nothing", file, [](const fs::path& f) { write_bytes(f, ""); }));
        all.push_back(picture("a text", file, [](const fs::path& f) { write_bytes(f, "this is no picture\n"); }));
    }
}

void add_sets(std::vector<HostileInput>& all) {
    all.push_back(
        {"one base colour and nothing else, packed by every recipe", [](const fs::path& folder) {
             write_picture(folder / "crate_basecolor.png", 64, 64, pattern(64, 64, 3), 3, OIIO::TypeDesc::UINT8);
             std::vector<Call> calls;
             for (const fs::path& recipe : exchange::shipped_recipes())
                 calls.push_back(
                     {{"maps", folder.string(), "--pack", recipe.stem().string(), "-o", (folder / "packed").string()}});
             return calls;
         }});
    all.push_back({"ten thousand tiles", [](const fs::path& folder) {
                       fs::create_directories(folder);
                       write_picture(folder / "one.png", 4, 4, pattern(4, 4, 3), 3, OIIO::TypeDesc::UINT8);
                       for (int tile = 1000; tile < 11000; ++tile)
                           fs::create_hard_link(folder / "one.png", folder / ("hull_" + std::to_string(tile) + ".png"));
                       return picture_calls(folder, "hull_<UDIM>.png");
                   }});
    all.push_back({"ten thousand maps of other names", [](const fs::path& folder) {
                       fs::create_directories(folder);
                       write_picture(folder / "one.png", 4, 4, pattern(4, 4, 3), 3, OIIO::TypeDesc::UINT8);
                       for (int i = 0; i < 10000; ++i)
                           fs::create_hard_link(folder / "one.png",
                                                folder / ("m" + std::to_string(i) + "_roughness.png"));
                       return std::vector<Call>{{{"maps", folder.string()}}};
                   }});
    for (const char* pattern_name :
         {"<UDIM>", "<UDIM><UDIM>.png", "<UVTILE>", "<UDIM", "<UDIM>/x.png", "../<UDIM>.png", "x<UDIM>.<UVTILE>.png"})
        all.push_back({std::string("the pattern ") + pattern_name, [=](const fs::path& folder) {
                           fs::create_directories(folder);
                           write_picture(folder / "1001.png", 4, 4, pattern(4, 4, 3), 3, OIIO::TypeDesc::UINT8);
                           return picture_calls(folder, pattern_name);
                       }});
}

void add_lists(std::vector<HostileInput>& all) {
    std::string deep(1000000, '[');
    for (const std::string& text :
         {std::string(), std::string("{}"), std::string("7"), deep, std::string("{\"outputs\":[{}]}"),
          std::string(R"({"outputs":[{"name":"../x.png","channels":["roughness"]}]})"),
          std::string(R"({"outputs":[{"name":"x.png","channels":["roughness"],"resize":1e400}]})"),
          std::string(R"({"outputs":[{"name":"x.png","channels":["roughness"],"resize":99999999999}]})"),
          std::string(R"({"outputs":[{"name":"x.png","channels":["roughness"],"scale":1e-30}]})"),
          std::string("{\"outputs\":[{\"name\":\"\x01\\u0000/..png\",\"channels\":[\"roughness\"]}]}")})
        all.push_back({"a recipe that says " + text.substr(0, 70), [=](const fs::path& folder) {
                           write_picture(folder / "crate_basecolor.png", 8, 8, pattern(8, 8, 3), 3,
                                         OIIO::TypeDesc::UINT8);
                           write_bytes(folder / "r.json", text);
                           return std::vector<Call>{{{"maps", folder.string(), "--pack", (folder / "r.json").string(),
                                                      "-o", (folder / "out").string()}}};
                       }});
    for (const std::string& text :
         {std::string(), deep, std::string("[1e400]"), std::string("{\"vemtra_stock\":1,\"items\":[7,{},{\"id\":7}]}"),
          std::string("{\"vemtra_stock\":1,\"items\":[{\"id\":\"x\",\"name\":\"X\",\"surface\":{\"base_color\":[1e30,"
                      "3e38,1e39]}}]}")})
        for (const char* file : {"stock.json", "map-guesses.json", "own-projects.json"})
            all.push_back(
                {std::string("an own ") + file + " that says " + text.substr(0, 60), [=](const fs::path& folder) {
                     write_bytes(folder / "data" / "vemtra" / file, text);
                     const std::string project = save_in(folder, square_project(folder)).string();
                     std::vector<Call> calls{{{"stock", "list"}}, {{"maps", folder.string()}}, {{"check", project}}};
                     for (Call& c : calls) c.environment.push_back("XDG_DATA_HOME=" + (folder / "data").string());
                     return calls;
                 }});
}

}  // namespace

std::vector<HostileInput> hostile_pictures() {
    std::vector<HostileInput> all;
    add_sizes(all);
    add_numbers(all);
    add_damage(all);
    add_sets(all);
    add_lists(all);
    return all;
}

}  // namespace vemtra::hostile
