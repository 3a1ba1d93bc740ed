#include "exchange/map_pack.h"

#include <OpenColorIO/OpenColorIO.h>
#include <OpenImageIO/imagebuf.h>
#include <OpenImageIO/imagebufalgo.h>

#include <nlohmann/json.hpp>
#include <set>

#include "base/folders.h"
#include "base/json_text.h"
#include "texture/colour.h"
#include "texture/write_image.h"

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
/// Of that very kind: a map of its own, or a channel of a packed one.
Source source_of_kind(const MapSet& set, MapKind kind) {
    for (const MapEntry& m : set.maps)
        if (m.use && m.kind == kind)
            return {&m, m.channel == "g" ? 1 : m.channel == "b" ? 2 : m.channel == "a" ? 3 : 0, false};
    for (const MapEntry& m : set.maps)
        if (m.use && m.kind == MapKind::packed)
            for (size_t c = 0; c < m.packed.size(); ++c)
                if (m.packed[c] == kind && int(c) < m.header.channels) return {&m, int(c), false};
    return {};
}

Source source_of(const MapSet& set, MapKind kind) {
    if (const Source s = source_of_kind(set, kind); s.map) return s;
    if (kind == MapKind::roughness || kind == MapKind::glossiness) {
        Source s = source_of_kind(set, kind == MapKind::roughness ? MapKind::glossiness : MapKind::roughness);
        s.invert = s.map != nullptr;
        return s;
    }
    constexpr MapKind heights[] = {MapKind::height, MapKind::displacement, MapKind::bump};  // three names of one thing
    if (std::find(std::begin(heights), std::end(heights), kind) != std::end(heights))
        for (const MapKind other : heights)
            if (const Source s = source_of_kind(set, other); s.map) return s;
    return {};
}

bool blank(const Source& s) {
    if (!s.map || !s.map->facts) return false;
    if (s.map->kind != MapKind::packed) return s.map->blank.has_value();
    const auto& f = s.map->facts->channels;
    return size_t(s.channel) < f.size() && f[size_t(s.channel)].high - f[size_t(s.channel)].low < 1.5f / 255.f;
}

std::string replaced(std::string text, const std::string& what, const std::string& by) {
    for (size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += by.size())
        text.replace(at, what.size(), by);
    return text;
}

}  // namespace

std::vector<fs::path> shipped_recipes() {
    std::vector<fs::path> out;
    std::error_code ec;
    for (const auto& e : entries_of(shipped_assets() / "recipes"))
        if (e.path().extension() == ".json") out.push_back(e.path());
    std::sort(out.begin(), out.end());
    return out;
}

Result<Recipe> read_recipe(const fs::path& file) {
    const auto text = read_file(file, most_text_bytes);
    if (!text) return text.error();
    auto wrong = [&](const std::string& place, const std::string& why) {
        return Error{"The recipe cannot be used", file.string(), place, why, "See docs/maps.md"};
    };
    const Result<json> parsed = parse_json<json>(*text);
    if (!parsed) return wrong(parsed.error().place, parsed.error().why);
    const json& j = *parsed;
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
                return wrong(place + ".channels", "'" + json_text(c, -1) + "' is no kind of map");
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

namespace {

/// One output of a recipe, on its way from the maps of a set to a file of a tile.
class Packer {
public:
    Packer(const MapSet& set, const PackOutput& output, const fs::path& folder)
        : set_(set), output_(output), folder_(folder) {
        for (const std::string& c : output.channels) {
            wanted_.push_back(*channel_from_text(c));
            sources_.push_back(source_of(set, wanted_.back().kind));
        }
    }
    bool has_any_map() const;
    bool is_blank() const;
    /// Writes one tile (0: of a set without tiles). The path that was written, or an empty one where the set has no
    /// such tile.
    Result<fs::path> write(int tile);

private:
    Status read(int tile);
    void bring_to_one_size();
    std::vector<float> gathered() const;
    Status to_space(std::vector<float>& pixels) const;
    fs::path target(int tile) const;
    OIIO::ImageSpec spec(const fs::path& target) const;

    const MapSet& set_;
    const PackOutput& output_;
    const fs::path& folder_;
    std::vector<Wanted> wanted_;
    std::vector<Source> sources_;
    // Of the present tile: its maps in floats, colour in linear light.
    std::map<const MapEntry*, OIIO::ImageBuf> images_;
    int width_ = 0, height_ = 0;
};

bool Packer::has_any_map() const {
    return std::any_of(sources_.begin(), sources_.end(), [](const Source& s) { return s.map; });
}

bool Packer::is_blank() const {
    return std::all_of(sources_.begin(), sources_.end(), [](const Source& s) { return !s.map || blank(s); });
}

void to_linear(OIIO::ImageBuf& image, const texture::ColourDecode& decode) {
    const size_t n = size_t(image.nchannels());
    const size_t width = size_t(image.spec().width);
    auto* p = static_cast<float*>(image.localpixels());
    std::vector<float> rgb(width * 3);
    for (int y = 0; y < image.spec().height; ++y, p += width * n) {
        for (size_t x = 0; x < width; ++x) std::copy_n(p + x * n, 3, &rgb[3 * x]);
        decode.apply_curve(rgb.data(), width);
        for (size_t x = 0; x < width; ++x) {
            const V3f c = decode.transform({rgb[3 * x], rgb[3 * x + 1], rgb[3 * x + 2]});
            std::copy_n(&c.x, 3, p + x * n);
        }
    }
}

Status Packer::read(int tile) {
    images_.clear();
    width_ = height_ = 0;
    for (const Source& s : sources_) {
        if (!s.map || images_.count(s.map)) continue;
        size_t at = 0;
        if (tile) {
            const auto it = std::find(s.map->tiles.begin(), s.map->tiles.end(), tile);
            if (it == s.map->tiles.end()) continue;
            at = size_t(it - s.map->tiles.begin());
        }
        const fs::path& file = s.map->files[at];
        if (const auto header = texture::read_header(file); !header) return header.error();
        OIIO::ImageSpec config;
        config.attribute("oiio:UnassociatedAlpha", 1);
        OIIO::ImageBuf image(file.string(), 0, 0, nullptr, &config);
        if (!image.read(0, 0, true, OIIO::TypeDesc::FLOAT))
            return texture::refused_map(file, texture::plain_reason(image.geterror()), "Export it again");
        if (texture::info(s.map->kind).colour && image.nchannels() >= 3)
            if (auto decode = texture::colour_decode(s.map->colour_space); decode && !(*decode)->plain())
                to_linear(image, **decode);
        width_ = std::max(width_, image.spec().width);
        height_ = std::max(height_, image.spec().height);
        images_.emplace(s.map, std::move(image));
    }
    return Done{};
}

void Packer::bring_to_one_size() {
    float shrink = output_.scale;
    if (output_.resize) shrink = std::min(shrink, float(output_.resize) / float(std::max(width_, height_)));
    width_ = std::max(1, int(std::lround(float(width_) * shrink)));
    height_ = std::max(1, int(std::lround(float(height_) * shrink)));
    for (auto& [map, image] : images_)
        if (image.spec().width != width_ || image.spec().height != height_)
            image = OIIO::ImageBufAlgo::resize(image, "", 0.f, OIIO::ROI(0, width_, 0, height_));
}

// The channels of the output side by side; what has no map is neutral.
std::vector<float> Packer::gathered() const {
    const size_t n = sources_.size();
    const size_t texels = size_t(width_) * size_t(height_);
    std::vector<float> pixels(texels * n);
    for (size_t c = 0; c < n; ++c) {
        const Source& s = sources_[c];
        const Wanted& w = wanted_[c];
        const auto it = s.map ? images_.find(s.map) : images_.end();
        const auto* p = it == images_.end() ? nullptr : static_cast<const float*>(it->second.localpixels());
        const int have = p ? it->second.nchannels() : 0;
        const bool normal = s.map && s.map->kind == MapKind::normal;
        const bool triple = s.map && (texture::info(s.map->kind).colour || normal);
        int channel = s.channel;
        if (triple) channel = w.part >= 0 ? w.part : std::min(int(c), 2);
        const bool turn = s.invert || (normal && channel == 1 && s.map->green_down != output_.green_down);
        channel = std::min(channel, std::max(0, have - 1));
        for (size_t i = 0; i < texels; ++i) {
            const float v = p ? p[i * size_t(have) + size_t(channel)] : neutral(w.kind);
            pixels[i * n + c] = turn ? 1.f - v : v;
        }
    }
    return pixels;
}

Status Packer::to_space(std::vector<float>& pixels) const {
    const size_t n = sources_.size();
    if (output_.space == "raw" || output_.space == "lin_rec709" || n < 3 || !texture::info(wanted_[0].kind).colour)
        return Done{};
    try {
        const auto config = OCIO::Config::CreateFromFile((shipped_assets() / "colour" / "vemtra.ocio").c_str());
        const auto cpu = config->getProcessor("lin_rec709", output_.space.c_str())->getDefaultCPUProcessor();
        OCIO::PackedImageDesc image(pixels.data(), width_, height_,
                                    n == 3 ? OCIO::CHANNEL_ORDERING_RGB : OCIO::CHANNEL_ORDERING_RGBA,
                                    OCIO::BIT_DEPTH_F32, sizeof(float), ptrdiff_t(n) * 4, ptrdiff_t(n) * 4 * width_);
        cpu->apply(image);
    } catch (const OCIO::Exception& e) {
        return Error{"The colours cannot be converted", "", output_.space, e.what(),
                     "Choose another space in the recipe"};
    }
    return Done{};
}

fs::path Packer::target(int tile) const {
    const std::string number = tile ? std::to_string(tile) : "";
    std::string name = replaced(replaced(output_.name, "{set}", set_.name), "{tile}", number);
    if (!tile) name = replaced(replaced(name, "..", "."), "_.", ".");
    return folder_ / name;
}

OIIO::ImageSpec Packer::spec(const fs::path& target) const {
    OIIO::TypeDesc type = OIIO::TypeDesc::FLOAT;
    if (output_.depth == "8") type = OIIO::TypeDesc::UINT8;
    if (output_.depth == "16") type = OIIO::TypeDesc::UINT16;
    if (output_.depth == "half") type = OIIO::TypeDesc::HALF;
    const int n = int(sources_.size());
    OIIO::ImageSpec spec(width_, height_, n, type);
    if (n == 4) spec.attribute("oiio:UnassociatedAlpha", 1);
    if (n == 4 && target.extension() == ".exr" && wanted_[3].kind != MapKind::opacity)
        spec.alpha_channel = -1;  // numbers, not coverage
    return spec;
}

Result<fs::path> Packer::write(int tile) {
    if (Status s = read(tile); !s) return s.error();
    if (!width_) return fs::path();
    bring_to_one_size();
    std::vector<float> pixels = gathered();
    if (Status s = to_space(pixels); !s) return s.error();
    const fs::path to = target(tile);
    const OIIO::ImageSpec spec = this->spec(to);
    const Status written = texture::write_image(to, spec, OIIO::TypeDesc::FLOAT, pixels.data());
    if (!written) return written.error();
    return to;
}

}  // namespace

Result<Packed> pack(const MapSet& set, const Recipe& recipe, const fs::path& folder, Progress* progress) {
    Packed out;
    if (Status s = make_folder(folder); !s) return s.error();
    std::set<int> tiles;
    for (const MapEntry& m : set.maps) tiles.insert(m.tiles.begin(), m.tiles.end());
    if (tiles.empty()) tiles.insert(0);
    size_t done = 0;
    const size_t total = recipe.outputs.size() * tiles.size();
    for (const PackOutput& o : recipe.outputs) {
        Packer packer(set, o, folder);
        const bool any = packer.has_any_map();
        if (!any || (recipe.skip_blank && packer.is_blank())) {
            out.left_out.push_back(o.name + (any ? ": its maps are blank" : ": the set has no map for it"));
            done += tiles.size();
            continue;
        }
        for (const int tile : tiles) {
            if (stopped(progress))
                return Error{"The maps were not packed to the end", folder.string(), set.name, "it was stopped", ""};
            Result<fs::path> written = packer.write(tile);
            if (!written) return written.error();
            if (!written->empty()) out.written.push_back(*written);
            report(progress, float(++done) / float(total));
        }
    }
    return out;
}

}  // namespace vemtra::exchange
