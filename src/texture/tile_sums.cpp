#include "texture/tile_sums.h"

#include <cstring>
#include <fstream>

#include "base/hash.h"

namespace vemtra::texture {
namespace {

// Behind the image: the sums, then numbers[], the last of which are the hash of all before it and the mark.
constexpr uint64_t mark = 0x32534d5553454c54;  // "TLESUMS2"
constexpr size_t form_numbers = 8;
constexpr size_t tail_numbers = form_numbers + 3;

void put(const TileForm& f, uint64_t* to) {
    const int64_t numbers[form_numbers] = {f.width, f.height, f.channels,     f.bytes,
                                           f.real,  f.alpha,  f.unassociated, f.halves};
    std::memcpy(to, numbers, sizeof numbers);
}
TileForm taken(const uint64_t* from) {
    int64_t n[form_numbers];
    std::memcpy(n, from, sizeof n);
    return {int(n[0]), int(n[1]), int(n[2]), int(n[3]), n[4] != 0, int(n[5]), n[6] != 0, n[7] != 0};
}

}  // namespace

TileForm form_of(const OIIO::ImageSpec& spec) {
    return {spec.width,
            spec.height,
            spec.nchannels,
            int(spec.format.size()),
            spec.format.is_floating_point(),
            spec.alpha_channel,
            spec.get_int_attribute("oiio:UnassociatedAlpha", 0) != 0};
}

void TileSums::add_band(const uint8_t* rows_of, int width, int rows, size_t texel, int edge) {
    std::vector<uint8_t> tile;
    for (int x = 0; x < width; x += edge) {
        const size_t row = size_t(std::min(edge, width - x)) * texel;
        tile.resize(row * size_t(rows));
        for (int y = 0; y < rows; ++y)
            std::memcpy(&tile[size_t(y) * row], rows_of + (size_t(y) * size_t(width) + size_t(x)) * texel, row);
        sums_.push_back(hash_bytes(tile.data(), tile.size()));
    }
}

Status TileSums::append_to(const fs::path& file, const TileForm& form) const {
    std::vector<uint64_t> all = sums_;
    all.resize(sums_.size() + tail_numbers);
    uint64_t* tail = &all[sums_.size()];
    put(form, tail);
    tail[form_numbers] = sums_.size();
    tail[form_numbers + 1] = hash_bytes(all.data(), (all.size() - 2) * sizeof all[0]);
    tail[form_numbers + 2] = mark;
    std::ofstream out(file, std::ios::binary | std::ios::app);
    out.write(reinterpret_cast<const char*>(all.data()), std::streamsize(all.size() * sizeof all[0]));
    out.close();
    if (!out) return Error{"A map was not prepared", file.string(), "", "its sums cannot be written", ""};
    return Done{};
}

std::shared_ptr<const TileSums> TileSums::read(const fs::path& file) {
    std::error_code ec;
    const uint64_t size = fs::file_size(file, ec);
    std::ifstream in(file, std::ios::binary);
    constexpr uint64_t tail_bytes = tail_numbers * sizeof(uint64_t);
    if (ec || !in || size < tail_bytes) return nullptr;
    uint64_t tail[tail_numbers];
    in.seekg(std::streamoff(size - tail_bytes));
    if (!in.read(reinterpret_cast<char*>(tail), tail_bytes)) return nullptr;
    const uint64_t count = tail[form_numbers];
    if (tail[form_numbers + 2] != mark || count > (size - tail_bytes) / sizeof(uint64_t)) return nullptr;
    std::vector<uint64_t> all(count + tail_numbers);
    in.seekg(std::streamoff(size - all.size() * sizeof all[0]));
    if (!in.read(reinterpret_cast<char*>(all.data()), std::streamsize(all.size() * sizeof all[0]))) return nullptr;
    if (hash_bytes(all.data(), (all.size() - 2) * sizeof all[0]) != tail[form_numbers + 1]) return nullptr;
    auto sums = std::make_shared<TileSums>();
    sums->form_ = taken(&all[count]);
    all.resize(count);
    sums->sums_ = std::move(all);
    return sums;
}

bool TileSums::is(size_t tile, const uint8_t* texels, size_t bytes) const {
    return tile < sums_.size() && hash_bytes(texels, bytes) == sums_[tile];
}

}  // namespace vemtra::texture
