#include "texture/texture.h"

#include <OpenImageIO/imageio.h>
#include <OpenImageIO/texture.h>
#include <OpenImageIO/ustring.h>

#include <cstring>

namespace vemtra::texture {
namespace {

OIIO::TextureSystem* as_system(void* s) { return static_cast<OIIO::TextureSystem*>(s); }

// lin AP1 (ACEScg, D60) to lin Rec.709 (D65), Bradford adapted: ACES TB-2014-004 primaries.
V3f acescg_to_rec709(const V3f& c) {
    return {1.70505f * c.x - .62179f * c.y - .08326f * c.z, -.13026f * c.x + 1.14080f * c.y - .01055f * c.z, -.02400f * c.x - .12897f * c.y + 1.15297f * c.z};
}

// The first tile that a <UDIM> name stands for, to learn channels and depth; the name itself where it has none.
fs::path first_tile(const fs::path& path) {
    const std::string name = path.filename().string();
    const size_t at = name.find("<UDIM>");
    if (at == std::string::npos) return path;
    std::error_code ec;
    fs::path best;
    for (const auto& entry : fs::directory_iterator(path.parent_path(), ec)) {
        const std::string other = entry.path().filename().string();
        if (other.size() != name.size() - 2 || other.compare(0, at, name, 0, at) != 0 || other.compare(at + 4, std::string::npos, name, at + 6, std::string::npos) != 0) continue;
        if (other.find_first_not_of("0123456789", at) < at + 4) continue;
        if (best.empty() || entry.path() < best) best = entry.path();
    }
    return best;
}

}  // namespace

TextureStore::TextureStore(size_t budget_megabytes) {
    OIIO::TextureSystem* s = OIIO::TextureSystem::create(false);
    s->attribute("max_memory_MB", float(budget_megabytes));
    s->attribute("automip", 1);
    s->attribute("autotile", 64);
    s->attribute("accept_untiled", 1);
    s->attribute("accept_unmipped", 1);
    s->attribute("gray_to_rgb", 1);
    s->attribute("max_open_files", 200);
    system_ = s;
}
TextureStore::~TextureStore() { OIIO::TextureSystem::destroy(as_system(system_)); }
void TextureStore::forget(const std::string& path) { as_system(system_)->invalidate(OIIO::ustring(path)); }
size_t TextureStore::memory() const {
    long long bytes = 0;
    as_system(system_)->getattribute("stat:cache_memory_used", OIIO::TypeDesc::INT64, &bytes);
    return size_t(bytes);
}

Textures::Textures(std::shared_ptr<TextureStore> store, const std::vector<program::ImageRequest>& requests, const fs::path& folder, std::vector<Error>& problems)
    : store_(std::move(store)) {
    for (const program::ImageRequest& r : requests) {
        Image image;
        const fs::path path = fs::path(r.file).is_absolute() ? fs::path(r.file) : folder / r.file;
        auto missing = [&](const std::string& why, const std::string& remedy) {
            problems.push_back({"A texture map cannot be read; magenta stands in its place", r.file.empty() ? "(no file)" : path.string(), "", why, remedy});
        };
        const fs::path real = first_tile(path);
        files_.push_back(path);
        images_.push_back(image);
        if (r.file.empty()) { missing("no file is chosen", "Choose one in the node's detail"); continue; }
        std::error_code ec;
        if (real.empty() || !fs::exists(real, ec)) { missing("it does not exist", "Bring the file back, or choose another one"); continue; }
        if (fs::is_directory(real, ec)) { missing("it is a folder", "Choose a file in it"); continue; }
        auto in = OIIO::ImageInput::open(real.string());
        if (!in) { missing(OIIO::geterror(), "Export it again"); continue; }
        const OIIO::ImageSpec spec = in->spec();
        if (spec.width < 1 || spec.height < 1 || spec.width > 65536 || spec.height > 65536 || spec.nchannels < 1) {
            missing("its size of " + std::to_string(spec.width) + " x " + std::to_string(spec.height) + " cannot be right", "Export it again");
            continue;
        }
        // Reading the last row tells whether the file is whole.
        std::vector<float> row(size_t(spec.tile_width ? spec.tile_width * spec.tile_height : spec.width) * size_t(spec.nchannels));
        const int last = spec.height - 1 + spec.y;
        const bool whole = spec.tile_width ? in->read_tile(spec.x, spec.y + (spec.height - 1) / spec.tile_height * spec.tile_height, 0, OIIO::TypeDesc::FLOAT, row.data())
                                           : in->read_scanline(last, 0, OIIO::TypeDesc::FLOAT, row.data());
        if (!whole) { missing("the file is cut off: " + in->geterror(), "Export it again"); continue; }
        image.ok = true;
        image.path = path.string();
        image.channels = r.components;
        image.wrap = int(r.wrap == "clamp" ? OIIO::TextureOpt::WrapClamp : r.wrap == "mirror" ? OIIO::TextureOpt::WrapMirror
                         : r.wrap == "constant" ? OIIO::TextureOpt::WrapBlack : OIIO::TextureOpt::WrapPeriodic);
        if (path != real) image.wrap = int(OIIO::TextureOpt::WrapClamp);
        const bool eight_bit = spec.format.basetype == OIIO::TypeDesc::UINT8;
        if (r.colorspace == "srgb_texture" || (r.colorspace == "auto" && eight_bit)) image.decode = Decode::srgb;
        if (r.colorspace == "acescg") image.decode = Decode::acescg;
        if (r.components == 1) {
            if (r.channel == "luminance") image.as_luminance = spec.nchannels >= 3;
            else {
                const size_t c = std::string("rgba").find(r.channel);
                if (c == std::string::npos || int(c) >= spec.nchannels) {
                    problems.push_back({"A texture map has no such channel; its first one is read", path.string(), r.channel,
                                        "it has " + std::to_string(spec.nchannels), "Choose a channel that it has"});
                } else image.first_channel = int(c);
            }
        }
        images_.back() = image;
    }
}

void Textures::sample(int handle, int n, const float* u, const float* v, const float* width, float* const* out, int components) const {
    const Image* image = handle >= 0 && size_t(handle) < images_.size() ? &images_[size_t(handle)] : nullptr;
    if (!image || !image->ok) {
        for (int c = 0; c < components; ++c) std::fill_n(out[c], n, components == 3 ? missing_color[c] : missing_number);
        return;
    }
    auto* system = as_system(store_->system());
    auto* thread = system->get_perthread_info();
    auto* texture = system->get_texture_handle(OIIO::ustring(image->path), thread);
    OIIO::TextureOpt opt;
    opt.swrap = opt.twrap = OIIO::TextureOpt::Wrap(image->wrap);
    opt.interpmode = OIIO::TextureOpt::InterpBilinear;
    opt.firstchannel = image->first_channel;
    opt.fill = 0.f;
    static constexpr float missing_tile[] = {1.f, 0.f, 1.f, 1.f};
    opt.missingcolor = missing_tile;
    const int read = image->as_luminance ? 3 : components;
    for (int i = 0; i < n; ++i) {
        float value[4] = {};
        const float w = width ? width[i] : 0.f;
        if (!system->texture(texture, thread, opt, u[i], 1.f - v[i], w, 0.f, 0.f, w, read, value)) {
            system->geterror();
            for (int c = 0; c < 3; ++c) value[c] = components == 3 ? missing_color[c] : missing_number;
        }
        if (image->decode == Decode::srgb)
            for (int c = 0; c < read; ++c) value[c] = srgb_to_linear(std::max(0.f, value[c]));
        if (image->decode == Decode::acescg && read == 3) {
            const V3f c = acescg_to_rec709({value[0], value[1], value[2]});
            std::memcpy(value, &c.x, sizeof c);
        }
        if (image->as_luminance) value[0] = luminance({value[0], value[1], value[2]});
        for (int c = 0; c < components; ++c) out[c][i] = std::isfinite(value[c]) ? value[c] : 0.f;
    }
}

Result<Picture> read_picture(const fs::path& file) {
    auto broken = [&](const std::string& why) { return Error{"The image cannot be read", file.string(), "", why, "Choose another image, or export it again"}; };
    std::error_code ec;
    if (fs::is_directory(file, ec)) return broken("it is a folder");
    if (!fs::exists(file, ec)) return broken("it does not exist");
    auto in = OIIO::ImageInput::open(file.string());
    if (!in) return broken(OIIO::geterror());
    const OIIO::ImageSpec& spec = in->spec();
    if (spec.width < 1 || spec.height < 1 || spec.width > 16384 || spec.height > 16384 || spec.depth > 1)
        return broken("its size of " + std::to_string(spec.width) + " x " + std::to_string(spec.height) + " is outside of 1 to 16384");
    const size_t pixels = size_t(spec.width) * size_t(spec.height), channels = size_t(std::min(3, spec.nchannels));
    const bool decode = spec.format.basetype == OIIO::TypeDesc::UINT8;
    std::vector<float> raw(pixels * channels);
    Picture picture{spec.width, spec.height, std::vector<V3f>(pixels)};
    if (!in->read_image(0, 0, 0, int(channels), OIIO::TypeDesc::FLOAT, raw.data())) return broken("the file is cut off: " + in->geterror());
    for (size_t i = 0; i < pixels; ++i)
        for (int c = 0; c < 3; ++c) {
            float x = raw[i * channels + std::min(size_t(c), channels - 1)];
            if (!std::isfinite(x)) x = x > 0 ? 65504.f : 0.f;
            picture.pixels[i][c] = decode ? srgb_to_linear(x) : std::max(0.f, x);
        }
    return picture;
}

}  // namespace vemtra::texture
