#include "exchange/map_pack.h"

#include <OpenColorIO/OpenColorIO.h>
#include <OpenImageIO/imagebuf.h>
#include <OpenImageIO/imagebufalgo.h>

#include <nlohmann/json.hpp>
#include <set>

#include "texture/colour.h"

namespace OCIO = OCIO_NAMESPACE;

namespace vemtra::exchange {
namespace {

using nlohmann::json;
using texture::MapEntry;
using texture::MapKind;
using texture::MapSet;

/// What stands in a channel that the set has no map for: no effect.
float neutral(MapKind kind) {
    switch (kind) {
        case MapKind::ambient_occlusion:
        case MapKind::cavity:
        case MapKind::opacity:
        case MapKind::specular: return 1.f;
        case MapKind::roughness:
        case MapKind::glossiness:
        case MapKind::height:
        case MapKind::displacement:
        case MapKind::bump:
        case MapKind::curvature: return .5f;
        default: return 0.f;
    }
}

struct Wanted {
    MapKind kind = MapKind::unknown;
    int part = -1;  // of a colour or a direction
};
std::optional<Wanted> channel_from_text(const std::string& text) {
    Wanted w;
    const size_t dot = text.find('.');
    w.kind = texture::map_kind_from_name(text.substr(0, dot));
    if (w.kind == MapKind::unknown) return std::nullopt;
    if (dot != std::string::npos) {
        const size_t part = std::string("rgb").find(text.substr(dot + 1));
        if (part == std::string::npos || text.size() != dot + 2) return std::nullopt;
        w.part = int(part);
    }
    return w;
}

/// Where a kind is to be had in the set: a map of its own, its opposite, or a channel of a packed one.
struct Source {
    const MapEntry* map = nullptr;
    int channel = 0;
    bool invert = false;
};
Source source_of(const MapSet& set, MapKind kind) {
    for (const MapEntry& m : set.maps)
        if (m.use && m.kind == kind)
            return {&m, m.channel == "g" ? 1 : m.channel == "b" ? 2 : m.channel == "a" ? 3 : 0, false};
    for (const MapEntry& m : set.maps)
        if (m.use && m.kind == MapKind::packed)
            for (size_t c = 0; c < m.packed.size(); ++c)
                if (m.packed[c] == kind && int(c) < m.header.channels) return {&m, int(c), false};
    const MapKind opposite = kind == MapKind::roughness    ? MapKind::glossiness
                             : kind == MapKind::glossiness ? MapKind::roughness
                                                           : MapKind::unknown;
    if (opposite != MapKind::unknown)
        if (Source s = source_of({set.name,
                                  set.folder,
                                  [&] {
                                      std::vector<MapEntry> only;
                                      for (const MapEntry& m : set.maps)
                                          if (m.kind == opposite) only.push_back(m);
                                      return only;
                                  }(),
                                  {}},
                                 opposite);
            s.map)
            for (const MapEntry& m : set.maps)
                if (m.kind == opposite && m.use) return {&m, s.channel, true};
    // Heights go by three names.
    const std::set<MapKind> heights{MapKind::height, MapKind::displacement, MapKind::bump};
    if (heights.count(kind))
        for (const MapEntry& m : set.maps)
            if (m.use && heights.count(m.kind)) return {&m, 0, false};
    return {};
}

bool blank(const Source& s) {
    if (!s.map || !s.map->facts) return false;
    if (s.map->kind != MapKind::packed) return s.map->blank.has_value();
    const auto& f = s.map->facts->channels;
    return size_t(s.channel) < f.size() && f[size_t(s.channel)].high - f[size_t(s.channel)].low < 1.5f / 255.f;
}

std::string replaced(std::string text, const std::string& what, const std::string& by) {
    for (size_t at; (at = text.find(what)) != std::string::npos;) text.replace(at, what.size(), by);
    return text;
}

}  // namespace

std::vector<fs::path> shipped_recipes() {
    std::vector<fs::path> out;
    std::error_code ec;
    for (const auto& e : fs::directory_iterator(shipped_assets() / "recipes", ec))
        if (e.path().extension() == ".json") out.push_back(e.path());
    std::sort(out.begin(), out.end());
    return out;
}

Result<Recipe> read_recipe(const fs::path& file) {
    const auto text = read_file(file);
    if (!text) return text.error();
    auto wrong = [&](const std::string& place, const std::string& why) {
        return Error{"The recipe cannot be used", file.string(), place, why, "See docs/maps.md"};
    };
    const json j = json::parse(*text, nullptr, false);
    if (!j.is_object()) return wrong("", "it is no JSON object");
    if (!j.contains("outputs") || !j["outputs"].is_array() || j["outputs"].empty())
        return wrong("outputs", "there are none");
    Recipe r;
    auto word = [](const json& o, const char* key, const std::string& other) {
        return o.contains(key) && o[key].is_string() ? o[key].get<std::string>() : other;
    };
    r.name = word(j, "name", file.stem().string());
    r.about = word(j, "about", "");
    if (j.contains("skip_blank")) {
        if (!j["skip_blank"].is_boolean()) return wrong("skip_blank", "it must be true or false");
        r.skip_blank = j["skip_blank"].get<bool>();
    }
    for (const json& o : j["outputs"]) {
        const std::string place = "outputs[" + std::to_string(r.outputs.size()) + "]";
        if (!o.is_object()) return wrong(place, "it must be an object");
        PackOutput out;
        out.name = word(o, "name", "");
        out.depth = word(o, "depth", "8");
        out.space = word(o, "space", "raw");
        if (out.name.empty() || out.name.find('/') != std::string::npos || out.name.find("..") != std::string::npos)
            return wrong(place + ".name", "it must be a file name without folders");
        static const std::set<std::string> endings{".png", ".exr", ".tif", ".jpg"};
        if (!endings.count(fs::path(out.name).extension().string()))
            return wrong(place + ".name", "it must end in .png, .exr, .tif or .jpg");
        static const std::set<std::string> depths{"8", "16", "half", "float"};
        if (!depths.count(out.depth)) return wrong(place + ".depth", "it must be 8, 16, half or float");
        if (auto d = texture::colour_decode(out.space); !d)
            return wrong(place + ".space", "the space '" + out.space + "' is not known");
        if (!o.contains("channels") || !o["channels"].is_array() || o["channels"].empty() || o["channels"].size() > 4)
            return wrong(place + ".channels", "there must be one to four");
        for (const json& c : o["channels"]) {
            if (!c.is_string() || !channel_from_text(c.get<std::string>()))
                return wrong(place + ".channels", "'" + c.dump() + "' is no kind of map");
            out.channels.push_back(c.get<std::string>());
        }
        if (o.contains("resize")) {
            if (!o["resize"].is_number_integer() || o["resize"].get<int>() < 1 || o["resize"].get<int>() > 16384)
                return wrong(place + ".resize", "it must be 1 to 16384");
            out.resize = o["resize"].get<int>();
        }
        if (o.contains("scale")) {
            if (!o["scale"].is_number() || !(o["scale"].get<float>() > 0.f) || o["scale"].get<float>() > 1.f)
                return wrong(place + ".scale", "it must be above 0 and at most 1");
            out.scale = o["scale"].get<float>();
        }
        out.green_down = o.contains("green_down") && o["green_down"].is_boolean() && o["green_down"].get<bool>();
        r.outputs.push_back(out);
    }
    return r;
}

Result<Packed> pack(const MapSet& set, const Recipe& recipe, const fs::path& folder, Progress* progress) {
    Packed out;
    std::error_code ec;
    fs::create_directories(folder, ec);
    std::set<int> tiles;
    for (const MapEntry& m : set.maps) tiles.insert(m.tiles.begin(), m.tiles.end());
    if (tiles.empty()) tiles.insert(0);
    size_t done = 0;
    const size_t total = recipe.outputs.size() * tiles.size();
    for (const PackOutput& o : recipe.outputs) {
        std::vector<Wanted> wanted;
        std::vector<Source> sources;
        bool any = false, all_blank = true;
        for (const std::string& c : o.channels) {
            wanted.push_back(*channel_from_text(c));
            sources.push_back(source_of(set, wanted.back().kind));
            any |= sources.back().map != nullptr;
            all_blank &= !sources.back().map || blank(sources.back());
        }
        if (!any || (recipe.skip_blank && all_blank)) {
            out.left_out.push_back(o.name + (any ? ": its maps are blank" : ": the set has no map for it"));
            done += tiles.size();
            continue;
        }
        for (const int tile : tiles) {
            if (stopped(progress))
                return Error{"The maps were not packed to the end", folder.string(), set.name, "it was stopped", ""};
            // The sources of this tile, in floats; colour in linear light.
            int width = 0, height = 0;
            std::map<const MapEntry*, OIIO::ImageBuf> images;
            for (const Source& s : sources) {
                if (!s.map || images.count(s.map)) continue;
                size_t at = 0;
                if (tile) {
                    const auto it = std::find(s.map->tiles.begin(), s.map->tiles.end(), tile);
                    if (it == s.map->tiles.end()) continue;
                    at = size_t(it - s.map->tiles.begin());
                }
                OIIO::ImageSpec config;
                config.attribute("oiio:UnassociatedAlpha", 1);
                OIIO::ImageBuf image(s.map->files[at].string(), 0, 0, nullptr, &config);
                if (const auto header = texture::read_header(s.map->files[at]); !header) return header.error();
                if (!image.read(0, 0, true, OIIO::TypeDesc::FLOAT))
                    return Error{"A texture map cannot be read", s.map->files[at].string(), "", image.geterror(),
                                 "Export it again"};
                if (texture::info(s.map->kind).colour && image.nchannels() >= 3)
                    if (auto decode = texture::colour_decode(s.map->colour_space); decode && !(*decode)->plain()) {
                        const int n = image.nchannels();
                        auto* p = static_cast<float*>(image.localpixels());
                        std::vector<float> rgb(size_t(image.spec().width) * 3);
                        for (int y = 0; y < image.spec().height; ++y, p += size_t(image.spec().width) * size_t(n)) {
                            for (size_t x = 0; x < size_t(image.spec().width); ++x)
                                std::copy_n(p + x * size_t(n), 3, &rgb[3 * x]);
                            (*decode)->apply_curve(rgb.data(), size_t(image.spec().width));
                            for (size_t x = 0; x < size_t(image.spec().width); ++x) {
                                const V3f c = (*decode)->transform({rgb[3 * x], rgb[3 * x + 1], rgb[3 * x + 2]});
                                std::copy_n(&c.x, 3, p + x * size_t(n));
                            }
                        }
                    }
                width = std::max(width, image.spec().width);
                height = std::max(height, image.spec().height);
                images.emplace(s.map, std::move(image));
            }
            ++done;
            report(progress, float(done) / float(total));
            if (!width) continue;  // the set has no such tile
            float shrink = o.scale;
            if (o.resize) shrink = std::min(shrink, float(o.resize) / float(std::max(width, height)));
            width = std::max(1, int(std::lround(float(width) * shrink)));
            height = std::max(1, int(std::lround(float(height) * shrink)));
            for (auto& [map, image] : images)
                if (image.spec().width != width || image.spec().height != height)
                    image = OIIO::ImageBufAlgo::resize(image, "", 0.f, OIIO::ROI(0, width, 0, height));
            const int n = int(sources.size());
            std::vector<float> pixels(size_t(width) * size_t(height) * size_t(n));
            for (int c = 0; c < n; ++c) {
                const Source& s = sources[size_t(c)];
                const Wanted& w = wanted[size_t(c)];
                const auto it = s.map ? images.find(s.map) : images.end();
                const bool colour = s.map && (texture::info(s.map->kind).colour || s.map->kind == MapKind::normal);
                int channel = colour ? (w.part >= 0 ? w.part : std::min(c, 2)) : s.channel;
                const bool flip =
                    s.map && s.map->kind == MapKind::normal && channel == 1 && s.map->green_down != o.green_down;
                const auto* p = it == images.end() ? nullptr : static_cast<const float*>(it->second.localpixels());
                const int have = p ? it->second.nchannels() : 0;
                channel = std::min(channel, std::max(0, have - 1));
                for (size_t i = 0; i < size_t(width) * size_t(height); ++i) {
                    float v = p ? p[i * size_t(have) + size_t(channel)] : neutral(w.kind);
                    if (s.invert || flip) v = 1.f - v;
                    pixels[i * size_t(n) + size_t(c)] = v;
                }
            }
            if (o.space != "raw" && o.space != "lin_rec709" && n >= 3 && texture::info(wanted[0].kind).colour) {
                try {
                    const auto config =
                        OCIO::Config::CreateFromFile((shipped_assets() / "colour" / "vemtra.ocio").c_str());
                    const auto cpu = config->getProcessor("lin_rec709", o.space.c_str())->getDefaultCPUProcessor();
                    OCIO::PackedImageDesc image(
                        pixels.data(), width, height, n == 3 ? OCIO::CHANNEL_ORDERING_RGB : OCIO::CHANNEL_ORDERING_RGBA,
                        OCIO::BIT_DEPTH_F32, sizeof(float), ptrdiff_t(n) * 4, ptrdiff_t(n) * 4 * width);
                    cpu->apply(image);
                } catch (const OCIO::Exception& e) {
                    return Error{"The colours cannot be converted", "", o.space, e.what(),
                                 "Choose another space in the recipe"};
                }
            }
            std::string name =
                replaced(replaced(o.name, "{set}", set.name), "{tile}", tile ? std::to_string(tile) : "");
            if (!tile) name = replaced(replaced(name, "..", "."), "_.", ".");
            const fs::path target = folder / name;
            OIIO::ImageSpec spec(width, height, n,
                                 o.depth == "8"      ? OIIO::TypeDesc::UINT8
                                 : o.depth == "16"   ? OIIO::TypeDesc::UINT16
                                 : o.depth == "half" ? OIIO::TypeDesc::HALF
                                                     : OIIO::TypeDesc::FLOAT);
            if (n == 4) spec.attribute("oiio:UnassociatedAlpha", 1);
            if (n == 4 && target.extension() == ".exr" && wanted[3].kind != MapKind::opacity)
                spec.alpha_channel = -1;  // numbers, not coverage
            Status s = write_atomically_with(target, [&](const fs::path& temporary) -> Status {
                auto file = OIIO::ImageOutput::create(temporary.string());
                if (!file || !file->open(temporary.string(), spec) ||
                    !file->write_image(OIIO::TypeDesc::FLOAT, pixels.data()) || !file->close())
                    return Error{"A map cannot be written", target.string(), "",
                                 file ? file->geterror() : OIIO::geterror(),
                                 "Check the space and the rights of the folder"};
                return Done{};
            });
            if (!s) return s.error();
            out.written.push_back(target);
        }
    }
    return out;
}

}  // namespace vemtra::exchange
