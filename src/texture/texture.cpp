#include "texture/texture.h"

#include <OpenImageIO/imageio.h>

#include <immintrin.h>

#include <array>
#include <bit>
#include <set>

#include "base/hash.h"
#include "base/text.h"
#include "texture/channels.h"
#include "texture/lettering.h"

namespace vemtra::texture {
namespace {

Wrap wrap_of(const std::string& word) {
    return word == "clamp"      ? Wrap::clamp
           : word == "mirror"   ? Wrap::mirror
           : word == "constant" ? Wrap::constant
                                : Wrap::periodic;
}
Filter filter_of(const std::string& word) {
    return word == "off" ? Filter::off : word == "box" ? Filter::box : Filter::smooth;
}

}  // namespace

int channel_of(const ImageHeader& h, const std::string& wanted) {
    const std::string want = lower(wanted);
    for (size_t c = 0; c < h.channel_names.size(); ++c)
        if (lower(h.channel_names[c]) == want) return int(c);
    for (size_t c = 0; c < h.channel_names.size(); ++c)
        if (const std::string name = lower(h.channel_names[c]); want.size() > 1 && name.ends_with("." + want))
            return int(c);
    const size_t letter = std::string("rgba").find(want);
    if (want.size() == 1 && letter != std::string::npos) {
        if (letter == 3) return h.alpha;
        // Files with names of their own: by position, but never alpha by accident.
        int seen = 0;
        for (int c = 0; c < h.channels; ++c)
            if (c != h.alpha && seen++ == int(letter)) return c;
    }
    return -1;
}

std::string space_of(const program::ImageRequest& r, const ImageHeader& h) {
    if (r.colorspace != "auto") return r.colorspace;
    if (r.components != 3) return "raw";
    if (const std::string own = colour_space_named(h.colour_space); !own.empty() && h.floating) return own;
    return h.floating || h.bits > 8 ? "lin_rec709" : "srgb_texture";
}

namespace {

/// What the map is prepared as for the request; empty: there is no such form of it.
std::string form_of(const program::ImageRequest& r, const ImageHeader& h) {
    if (r.spread == nodes::Spread::none) return space_of(r, h);
    const int colours = h.channels - (h.alpha >= 0);
    // A space becomes part of a name: only those that are known.
    if (h.channels > 4 || !colour_decode(space_of(r, h))) return "";
    if (r.spread == nodes::Spread::directions) return colours >= 3 ? spread_form(r.spread, 0, space_of(r, h)) : "";
    int channel = r.channel == "luminance" ? (colours >= 3 ? -1 : 0) : channel_of(h, r.channel);
    if (channel < 0 && r.channel != "luminance") channel = 0;
    return spread_form(r.spread, channel, space_of(r, h));
}

/// Whether a prepared form can be one of the file: its size, and every level down to one texel.
bool is_form_of(const ImageHeader& h, const TexelImage& image) {
    int width = h.width;
    int height = h.height;
    for (const TexelImage::Level& l : image.levels()) {
        if (l.width != width || l.height != height) return false;
        width = std::max(1, width / 2);
        height = std::max(1, height / 2);
    }
    return !image.levels().empty() && image.levels().back().width == 1 && image.levels().back().height == 1;
}

/// The one of those by u + 10 v whose corner is at (u, v), whole numbers; null: there is none.
const TexelImage* tile_of(const std::vector<std::shared_ptr<const TexelImage>>& tiles, float u, float v) {
    if (!(u >= 0.f && u < 10.f && v >= 0.f && v < 100.f)) return nullptr;
    const size_t index = size_t(u) + 10 * size_t(v);
    return index < tiles.size() ? tiles[index].get() : nullptr;
}

}  // namespace

TextureStore::TextureStore(size_t budget_megabytes, fs::path map_folder)
    : texels_(budget_megabytes << 20), maps_(std::move(map_folder)) {
    texels_.on_spoiled = [this](const fs::path& prepared, const TexelSource& source) {
        maps_.discard(prepared, source.file,
                      !source.spread.empty() ? source.spread
                      : source.decode        ? source.decode->space
                                             : "raw");
    };
}

void TextureStore::forget(const std::string& path) {
    texels_.forget(path);
    std::lock_guard lock(mutex_);
    headers_.erase(path);
    problems_.erase(path);
}

std::vector<Error> TextureStore::problems() {
    const std::vector<Error> prepared = maps_.take_problems();
    const std::vector<Error> read = texels_.take_problems();
    std::lock_guard lock(mutex_);
    for (const auto* list : {&prepared, &read})
        for (const Error& e : *list) problems_.emplace(e.file, e);
    std::vector<Error> all;
    for (const auto& [file, e] : problems_) all.push_back(e);
    return all;
}

Result<ImageHeader> TextureStore::header(const fs::path& file) {
    std::error_code ec;
    const auto time = fs::last_write_time(file, ec);
    const auto size = ec ? 0 : fs::file_size(file, ec);
    if (!ec) {
        std::lock_guard lock(mutex_);
        if (const auto it = headers_.find(file.string());
            it != headers_.end() && it->second.time == time && it->second.size == size)
            return it->second.header;
    }
    auto h = read_header(file);
    if (!ec) {
        std::lock_guard lock(mutex_);
        headers_.insert_or_assign(file.string(), Known{time, size, h});
    }
    return h;
}

bool TextureStore::prepare(const std::vector<program::ImageRequest>& requests, const Paths& paths, Progress* progress) {
    std::set<std::pair<fs::path, std::string>> wanted;
    for (const program::ImageRequest& r : requests) {
        if (!r.painting.empty() || !r.lettering.text.empty()) continue;
        if (const auto path = paths.find(r.file))
            for (const auto& [tile, file] : tile_files(*path))
                if (auto h = header(file))
                    if (const std::string form = form_of(r, *h); !form.empty()) wanted.insert({file, form});
    }
    return maps_.prepare_all({wanted.begin(), wanted.end()}, progress);
}

using nodes::no_painting;

Textures::Textures(std::shared_ptr<TextureStore> store, const std::vector<program::ImageRequest>& requests,
                   const Paths& paths, std::vector<Error>& problems, const std::vector<scene::Painting>* paintings)
    : store_(std::move(store)) {
    std::set<fs::path> folders;
    for (const program::ImageRequest& r : requests) {
        Image image;
        if (!r.painting.empty()) {
            image.painting = r.painting;
            image.tiled = true;
            image.wrap_u = image.wrap_v = Wrap::clamp;
            if (const scene::Painting* p = paintings ? scene::find(*paintings, r.painting) : nullptr)
                take_sheets(image, *p);
            else if (r.painting != no_painting)
                problems.push_back({"A painting is missing; nothing is painted in its place", "", r.painting,
                                    "the project has no painting '" + r.painting + "'",
                                    "Begin a new one in the node's detail"});
            images_.push_back(std::move(image));
            continue;
        }
        if (!r.lettering.text.empty()) {
            set_lettering(image, r, problems);
            images_.push_back(std::move(image));
            continue;
        }
        image.wrap_u = wrap_of(r.wrap_u);
        image.wrap_v = wrap_of(r.wrap_v);
        image.filter = filter_of(r.filter);
        const Result<fs::path> found = r.file.empty() ? Result<fs::path>(fs::path()) : paths.find(r.file);
        if (!found) {  // it reads as missing, and is told as what it is
            if (r.spread == nodes::Spread::none) problems.push_back(found.error());
            images_.push_back(std::move(image));
            continue;
        }
        const fs::path path = *found;
        if (r.spread != nodes::Spread::none) {
            open_spread(path, r, image);
            images_.push_back(std::move(image));
            continue;
        }
        auto missing = [&](const std::string& why, const std::string& remedy) {
            problems.push_back({"A texture map cannot be read; magenta stands in its place",
                                r.file.empty() ? "(no file)" : path.string(), "", why, remedy});
        };
        const auto files = r.file.empty() ? std::vector<std::pair<int, fs::path>>() : tile_files(path);
        image.tiled = !files.empty() && files.front().first != 0;
        if (r.file.empty())
            missing("no file is chosen", "Choose one in the node's detail");
        else if (files.empty())
            missing("no tile of it exists", "Bring the files back, or choose others");
        if (image.tiled) {
            folders.insert(path.parent_path());
            image.wrap_u = image.wrap_v = Wrap::clamp;
        }
        std::string space;
        for (const auto& [tile, file] : files) {
            files_.push_back(file);
            const auto header = store_->header(file);
            if (!header) {
                Error e = header.error();
                e.what = "A texture map cannot be read; magenta stands in its place";
                problems.push_back(e);
                continue;
            }
            if (space.empty()) {  // the first tile speaks for all
                space = space_of(r, *header);
                if (auto decode = colour_decode(space))
                    image.decode = space == "raw" ? nullptr : *decode;
                else
                    problems.push_back(decode.error());
            }
            const size_t index = image.tiled ? size_t(tile - 1001) : 0;
            if (image.tiles.size() <= index) image.tiles.resize(index + 1);
            image.tiles[index] = open(file, r, image, space, problems);
        }
        if (r.seamless && !image.tiled && !image.tiles.empty() && image.tiles[0])
            image.seamless = std::make_shared<Seamless>();
        images_.push_back(std::move(image));
    }
    files_.insert(files_.end(), folders.begin(), folders.end());
    for (size_t i = 0; i < requests.size(); ++i) {
        program::ImageRequest r = requests[i];
        r.spread = nodes::Spread::heights;
        const auto it = std::find(requests.begin(), requests.end(), r);
        if (it != requests.end() && it - requests.begin() != long(i) &&
            images_[size_t(it - requests.begin())].spread == nodes::Spread::heights)
            images_[i].spread_of = int(it - requests.begin());
    }
}

/// Where it is not prepared yet, nothing is known of how it varies.
void Textures::open_spread(const fs::path& path, const program::ImageRequest& r, Image& image) {
    const auto files = r.file.empty() ? std::vector<std::pair<int, fs::path>>() : tile_files(path);
    image.spread = r.spread;
    image.tiled = !files.empty() && files.front().first != 0;
    image.filter = filter_of(r.filter);  // as the map is read: the means are taken off it
    if (image.tiled) image.wrap_u = image.wrap_v = Wrap::clamp;
    for (const auto& [tile, file] : files) {
        const auto header = store_->header(file);
        const std::string form = header ? form_of(r, *header) : "";
        if (form.empty()) continue;
        const auto prepared = store_->maps().find(file, form);
        if (!prepared) {
            store_->maps().want(file, form);
            continue;
        }
        auto opened = store_->texels().open({file, 0, 4, nullptr, form}, *prepared);
        if (!opened || !is_form_of(*header, **opened)) {
            store_->maps().discard(*prepared, file, form);
            continue;
        }
        const size_t index = image.tiled ? size_t(tile - 1001) : 0;
        if (image.tiles.size() <= index) image.tiles.resize(index + 1);
        image.tiles[index] = *opened;
    }
}

std::shared_ptr<const TexelImage> Textures::open(const fs::path& file, const program::ImageRequest& r, Image& image,
                                                 const std::string& space, std::vector<Error>& problems) {
    const auto header = store_->header(file);
    TexelSource source{file, 0, 1, image.decode};
    if (r.components == 1 && r.channel != "luminance") {
        source.first_channel = channel_of(*header, r.channel);
        if (source.first_channel < 0) {
            std::string have;
            for (const std::string& n : header->channel_names) have += (have.empty() ? "" : ", ") + n;
            problems.push_back({"A texture map has no such channel; its first one is read", file.string(), r.channel,
                                "it has " + have, "Choose a channel that it has"});
            source.first_channel = 0;
        }
    } else {
        // Colour is the first three that are not alpha; alpha comes along as the fourth where it follows them.
        const int colours = header->channels - (header->alpha >= 0);
        source.channels = colours >= 3 ? (header->alpha == 3 ? 4 : 3) : 1;
        image.as_luminance = r.components == 1 && colours >= 3;
        if (source.channels == 1) source.first_channel = 0;
    }
    fs::path from = file;
    if (header->channels <= 4 || source.first_channel + source.channels <= 4) {  // prepared maps keep four channels
        if (auto prepared = store_->maps().find(file, space))
            from = *prepared;
        else
            store_->maps().want(file, space);
    }
    auto opened = store_->texels().open(source, from);
    if (opened && from != file && !is_form_of(*header, **opened)) {
        store_->texels().spoil(**opened);
        opened = store_->texels().open(source, file);
    } else if (!opened && from != file) {
        store_->maps().discard(from, file, space);
        opened = store_->texels().open(source, file);
    }
    if (opened) return *opened;
    Error e = opened.error();
    e.what = "A texture map cannot be read; magenta stands in its place";
    problems.push_back(e);
    return nullptr;
}

uint64_t Textures::content_hash(int handle) const {
    if (handle < 0 || size_t(handle) >= images_.size()) return 0;
    std::vector<uint64_t> tiles;
    for (const auto& t : images_[size_t(handle)].tiles) tiles.push_back(t ? t->content_hash() : 0);
    return hash_bytes(tiles.data(), tiles.size() * sizeof tiles[0]);
}

std::pair<int, int> Textures::size(int handle) const {
    std::pair<int, int> largest(0, 0);
    if (handle >= 0 && size_t(handle) < images_.size())
        for (const auto& t : images_[size_t(handle)].tiles)
            if (t && !t->levels().empty())
                largest = std::pair(std::max(largest.first, t->levels()[0].width),
                                    std::max(largest.second, t->levels()[0].height));
    return largest;
}

void Textures::set_lettering(Image& image, const program::ImageRequest& r, std::vector<Error>& problems) const {
    image.wrap_u = image.wrap_v = Wrap::constant;
    const auto set = lettering_sheet(r.lettering);
    if (set)
        image.tiles = {TexelImage::of(*set)};
    else
        problems.push_back(set.error());
}

void Textures::take_sheets(Image& image, const scene::Painting& painting) {
    std::vector<std::shared_ptr<const TexelImage>> tiles;
    for (const scene::Sheet& sheet : painting.sheets) {
        if (!sheet.texels || sheet.tile < 1001) continue;
        const size_t index = size_t(sheet.tile - 1001);
        if (tiles.size() <= index) tiles.resize(index + 1);
        const bool same =
            index < image.tiles.size() && image.tiles[index] && image.tiles[index]->painted() == sheet.texels.get();
        tiles[index] = same ? image.tiles[index] : TexelImage::of(sheet.texels);
    }
    image.tiles = std::move(tiles);
}

std::shared_ptr<const Textures> Textures::repainted(const std::vector<scene::Painting>& paintings) const {
    auto next = std::make_shared<Textures>(*this);
    for (Image& image : next->images_)
        if (!image.painting.empty())
            if (const scene::Painting* p = scene::find(paintings, image.painting)) take_sheets(image, *p);
    return next;
}

void Textures::lie_over(int handle, int uv_set) {
    images_[size_t(handle)].own_uv_set = uv_set;
}
int Textures::spread_of(int handle) const {
    return handle >= 0 && size_t(handle) < images_.size() ? images_[size_t(handle)].spread_of : -1;
}
int Textures::own_uv_set(int handle) const {
    return handle >= 0 && size_t(handle) < images_.size() ? images_[size_t(handle)].own_uv_set : -1;
}

void Textures::sample(int handle, int n, const float* const* place, float* const* out, int components) const {
    static const Image none;
    const Image& image = handle >= 0 && size_t(handle) < images_.size() ? images_[size_t(handle)] : none;
    if (!image.painting.empty())
        sample_painted(image, n, place, out, components);
    else if (image.seamless)
        sample_seamless(image, n, place, out, components);
    else
        sample_copies(image, n, place, out, components);
}

void Textures::sample_seamless(const Image& image, int n, const float* const* place, float* const* out,
                               int components) const {
    constexpr int across = 128;  // points a side by which the tones are known
    const bool spread = image.spread != nodes::Spread::none;
    if (!spread)
        std::call_once(image.seamless->once, [&] {
            std::vector<float> u;
            std::vector<float> v;
            std::vector<float> values(size_t(across) * across * 3);
            std::vector<float> step(size_t(across) * across, 1.f / across);
            std::vector<float> none(step.size(), 0.f);
            for (int i = 0; i < across * across; ++i)
                u.push_back((float(i % across) + .5f) / across), v.push_back((float(i / across) + .5f) / across);
            float* to[] = {values.data(), values.data() + step.size(), values.data() + 2 * step.size()};
            for (size_t first = 0; first < step.size(); first += size_t(nodes::max_batch)) {
                const float* at[] = {&u[first], &v[first], &step[first], &none[first], &none[first], &step[first]};
                float* part[] = {to[0] + first, to[1] + first, to[2] + first};
                sample_copies(image, nodes::max_batch, at, part, components);
            }
            for (int c = 0; c < components; ++c) image.seamless->tones[c] = Tones({to[c], to[c] + step.size()});
        });
    thread_local std::vector<float> memory;
    const size_t stride = size_t(n);
    memory.resize(stride * 6 + stride * 3 * 4);
    float* u = memory.data();
    float* v = u + 3 * stride;
    float* value = v + 3 * stride;
    std::vector<Copies> copies(stride);
    for (size_t i = 0; i < stride; ++i) {
        auto countable = [](float x) { return std::fabs(x) < 0x1p23f ? x : 0.f; };  // else it has no fraction left
        copies[i] = copies_at(countable(place[0][i]), countable(place[1][i]));
        for (size_t k = 0; k < 3; ++k) u[k * stride + i] = copies[i].u[k], v[k * stride + i] = copies[i].v[k];
    }
    for (size_t k = 0; k < 3; ++k) {
        const float* at[] = {u + k * stride, v + k * stride, place[2], place[3], place[4], place[5]};
        float* to[4];
        for (size_t c = 0; c < 4; ++c) to[c] = value + (4 * k + c) * stride;
        sample_copies(image, n, at, to, components);
    }
    if (spread) {  // tones of one deviation are mixed, so that their variances are by the squares of the shares
        for (size_t i = 0; i < stride; ++i) {
            float square[3];
            float all = 0.f;
            for (size_t k = 0; k < 3; ++k) all += square[k] = copies[i].weight[k] * copies[i].weight[k];
            for (size_t c = 0; c < size_t(components); ++c) {
                out[c][i] = 0.f;
                for (size_t k = 0; k < 3; ++k) out[c][i] += square[k] / all * value[(4 * k + c) * stride + i];
            }
        }
        return;
    }
    for (size_t i = 0; i < stride; ++i)
        for (size_t c = 0; c < size_t(components); ++c) {
            const Tones& t = image.seamless->tones[c];
            float g[3];
            for (size_t k = 0; k < 3; ++k) g[k] = t.to_normal(value[(4 * k + c) * stride + i]);
            out[c][i] = t.from_normal(mix_normal(g, copies[i].weight));
        }
}

/// Near the border of a tile the next one is read too, so that a stroke crosses it without a step.
void Textures::sample_painted(const Image& image, int n, const float* const* place, float* const* out,
                              int components) const {
    sample_copies(image, n, place, out, components);
    if (image.own_uv_set >= 0) return;  // its tiles are no neighbours
    auto tile_at = [&](float fu, float fv) { return tile_of(image.tiles, fu, fv); };
    // Few points lie so near a border that it may count.
    int coarsest = 1 << 30;
    for (const auto& t : image.tiles)
        if (t) coarsest = std::min(coarsest, t->levels()[0].width);
    const __m256 least = _mm256_set1_ps(1.f / float(coarsest));
    auto reach_beyond = [&](int first, const auto& eight_of) {  // of eight points, a bit for each that does
        const __m256 one = _mm256_set1_ps(1.f);
        __m256 wide = least;
        for (int a = 2; a < 6; ++a)
            if (place[a])
                wide = _mm256_max_ps(_mm256_andnot_ps(_mm256_set1_ps(-0.f), eight_of(place[a] + first)), wide);
        __m256 away = one;
        for (int a = 0; a < 2; ++a) {
            const __m256 at = eight_of(place[a] + first);
            const __m256 part = _mm256_sub_ps(at, _mm256_floor_ps(at));
            away = _mm256_min_ps(away, _mm256_min_ps(part, _mm256_sub_ps(one, part)));
        }
        const __m256 reach = _mm256_mul_ps(_mm256_set1_ps(.5f), wide);
        return unsigned(_mm256_movemask_ps(_mm256_cmp_ps(reach, away, _CMP_GT_OQ)));
    };
    thread_local std::vector<int> near;
    near.clear();
    for (int first = 0; first < n; first += 8) {
        const int count = std::min(8, n - first);
        auto few = [&](const float* p) {
            alignas(32) float eight[8] = {};
            std::copy_n(p, count, eight);
            return _mm256_load_ps(eight);
        };
        unsigned some = count == 8 ? reach_beyond(first, [](const float* p) { return _mm256_loadu_ps(p); })
                                   : reach_beyond(first, few) & ((1u << count) - 1);
        for (; some; some &= some - 1) near.push_back(first + std::countr_zero(some));
    }
    for (const int i : near) {
        const float fu = std::floor(place[0][i]);
        const float fv = std::floor(place[1][i]);
        const TexelImage* here = tile_at(fu, fv);
        float widest = 0.f;
        for (int a = 2; a < 6; ++a)
            if (place[a]) widest = std::max(widest, std::fabs(place[a][i]));
        for (int axis = 0; axis < 2; ++axis) {
            const float part = place[axis][i] - (axis ? fv : fu);
            const float side = part < .5f ? -1.f : 1.f;
            const TexelImage* there = axis ? tile_at(fu, fv + side) : tile_at(fu + side, fv);
            if (!here && !there) continue;
            const float texel = 1.f / float((here ? here : there)->levels()[0].width);
            const float reach = .5f * std::max(texel, std::min(widest, .5f));
            const float away = part < .5f ? part : 1.f - part;
            if (!(away < reach)) continue;
            // Both are clamped, so that each gives its last texel here: between the two it goes evenly.
            float over[6];
            const float* at[6];
            float value[4];
            float* to[] = {value, value + 1, value + 2, value + 3};
            for (int a = 0; a < 6; ++a) {
                over[a] = place[a] ? place[a][i] : 0.f;
                at[a] = place[a] ? &over[a] : nullptr;
            }
            over[axis] = side < 0.f ? (axis ? fv : fu) - 1e-6f : (axis ? fv : fu) + 1.f;
            sample_copies(image, 1, at, to, components);
            const float share = .5f * (1.f - away / reach);
            for (int c = 0; c < components; ++c) out[c][i] += share * (value[c] - out[c][i]);
        }
    }
}

void Textures::sample_copies(const Image& source, int n, const float* const* place, float* const* out,
                             int components) const {
    const Image* image = &source;
    auto loud = [&](int i) {  // where nothing is painted, or known of how it varies, is nothing
        const bool silent = !image->painting.empty() || image->spread != nodes::Spread::none;
        for (int c = 0; c < components; ++c)
            out[c][i] = silent ? 0.f : components == 1 ? missing_number : missing_color[c];
    };
    if (n < 1) return;
    if (image->tiles.empty()) {
        for (int i = 0; i < n; ++i) loud(i);
        return;
    }
    thread_local std::vector<float> local;
    thread_local std::vector<std::array<float, 4>> values;
    local.resize(size_t(n) * 2);
    values.resize(size_t(n));
    float* u = local.data();
    float* v = local.data() + n;
    auto* rows = reinterpret_cast<float(*)[4]>(values.data());
    Lookups points;
    points.wrap_u = image->wrap_u;
    points.wrap_v = image->wrap_v;
    points.filter = image->filter;
    TexelStore::Reading reading(store_->texels());
    auto run = [&](const TexelImage& tile, int first, int count) {
        points.count = count;
        points.u = u + first;
        points.v = v + first;
        for (int a = 0; a < 4; ++a) points.axes[a] = place[2 + a] ? place[2 + a] + first : nullptr;
        read_filtered(reading, tile, image->decode.get(), points, rows + first);
        const bool single = tile.lanes() == 1;
        for (int i = first; i < first + count; ++i) {
            const float* value = rows[i];
            if (image->spread == nodes::Spread::heights) {  // kept from texel to texel
                const float w = float(tile.levels()[0].width);
                const float h = float(tile.levels()[0].height);
                out[0][i] = value[0] * w * w;
                out[1][i] = value[1] * h * h;
                out[2][i] = value[2] * w * h;
                if (components > 3) out[3][i] = value[3];
            } else if (single) {
                for (int c = 0; c < components; ++c) out[c][i] = value[0];
            } else if (image->as_luminance) {
                out[0][i] = luminance({value[0], value[1], value[2]});
            } else {
                for (int c = 0; c < components; ++c) out[c][i] = value[c];
            }
        }
    };
    if (!image->tiled) {
        std::copy_n(place[0], n, u);
        std::copy_n(place[1], n, v);
        if (image->tiles[0]) return run(*image->tiles[0], 0, n);
        for (int i = 0; i < n; ++i) loud(i);
        return;
    }
    // Runs of neighbours on one tile go together.
    const TexelImage* now = nullptr;
    int begin = 0;
    auto flush = [&](int end) {
        if (now && end > begin) run(*now, begin, end - begin);
        begin = end;
    };
    auto tile_at = [&](float fu, float fv) { return tile_of(image->tiles, fu, fv); };
    const float first_u = std::floor(place[0][0]);
    const float first_v = std::floor(place[1][0]);
    int elsewhere = 0;  // mostly all are on one tile
    for (int i = 0; i < n; ++i) {
        const float fu = std::floor(place[0][i]);
        const float fv = std::floor(place[1][i]);
        u[i] = place[0][i] - fu;
        v[i] = place[1][i] - fv;
        elsewhere |= int(!(fu == first_u)) | int(!(fv == first_v));
    }
    const TexelImage* const of_all = elsewhere ? nullptr : tile_at(first_u, first_v);
    if (of_all) return run(*of_all, 0, n);
    for (int i = 0; i < n; ++i) {
        const TexelImage* tile = tile_at(std::floor(place[0][i]), std::floor(place[1][i]));
        if (tile != now) flush(i), now = tile;
        if (!tile) {
            loud(i);
            begin = i + 1;
        }
    }
    flush(n);
}

}  // namespace vemtra::texture
