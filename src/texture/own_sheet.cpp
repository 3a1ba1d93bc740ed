#include "texture/own_sheet.h"

#include <OpenEXR/ImfChannelList.h>
#include <OpenEXR/ImfFrameBuffer.h>
#include <OpenEXR/ImfHeader.h>
#include <OpenEXR/ImfTiledInputFile.h>

#include <unordered_set>

namespace vemtra::texture {
namespace {

/// Whether it has these channels, halves each, and levels as the sheet's.
bool fits(const Imf::TiledInputFile& in, const scene::Texels& of, const std::vector<const char*>& names) {
    const Imf::ChannelList& channels = in.header().channels();
    size_t count = 0;
    for (auto it = channels.begin(); it != channels.end(); ++it) ++count;
    if (count != names.size()) return false;
    for (const char* name : names) {
        const Imf::Channel* c = channels.findChannel(name);
        if (!c || c->type != Imf::HALF || c->xSampling != 1 || c->ySampling != 1) return false;
    }
    const Imath::Box2i& window = in.header().dataWindow();
    if (window.min != Imath::V2i(0) || in.levelMode() != Imf::MIPMAP_LEVELS ||
        int(in.tileXSize()) != scene::texel_tile || int(in.tileYSize()) != scene::texel_tile ||
        in.numLevels() < of.levels())
        return false;
    for (int level = 0; level < of.levels(); ++level)
        if (in.levelWidth(level) != of.size(level) || in.levelHeight(level) != of.size(level)) return false;
    return true;
}

}  // namespace

void tame(uint16_t* halves, size_t count) {
    for (size_t i = 0; i < count; ++i)
        if ((halves[i] & 0x7c00) == 0x7c00) halves[i] = (halves[i] & 0x3ff) || (halves[i] & 0x8000) ? 0 : 0x7bff;
}

bool blank(const uint16_t* halves, size_t count) {
    for (size_t i = 0; i < count; ++i)
        if (halves[i] & 0x7fff) return false;
    return true;
}

bool read_own_sheet(const fs::path& file, scene::TexelsEdit& edit) {
    const scene::Texels& of = edit.before();
    const std::vector<const char*> names =
        of.lanes() == 4 ? std::vector<const char*>{"R", "G", "B", "A"} : std::vector<const char*>{"Y", "A"};
    Imf::TiledInputFile in(file.c_str(), 0);
    if (!fits(in, of, names)) return false;
    size_t all = 0;
    for (int level = 0; level < in.numLevels(); ++level)
        all += size_t(in.numXTiles(level)) * size_t(in.numYTiles(level));
    auto tile = std::make_shared<uint16_t[]>(of.halves());
    auto read = [&](int x, int y, int level) {  // null: it is blank
        Imf::FrameBuffer to;
        for (size_t c = 0; c < names.size(); ++c)
            to.insert(names[c],
                      Imf::Slice(Imf::HALF, reinterpret_cast<char*>(tile.get() + c), names.size() * sizeof(uint16_t),
                                 names.size() * sizeof(uint16_t) * scene::texel_tile, 1, 1, 0., true, true));
        std::fill_n(tile.get(), of.halves(), uint16_t(0));
        in.setFrameBuffer(to);
        in.readTile(x, y, level);
        return !blank(tile.get(), of.halves());
    };
    struct At {
        int x, y, level;
    };
    std::vector<At> painted;
    std::vector<std::pair<At, std::string>> short_ones;
    constexpr int longest_blank = 256;  // bytes that a compressed blank tile may take
    for (size_t i = 0; i < all; ++i) {
        At at{0, 0, 0};
        int rows = 0;
        const char* bytes = nullptr;
        int size = 0;
        in.rawTileData(at.x, at.y, at.level, rows, bytes, size);
        if (size < 0 || at.level < 0 || at.x < 0 || at.y < 0)  // the library hands on what the file says
            throw std::runtime_error("a tile says of itself what cannot be");
        if (at.level >= of.levels()) continue;
        if (size <= longest_blank)
            short_ones.emplace_back(at, std::string(bytes, size_t(size)));
        else
            painted.push_back(at);
    }
    std::unordered_set<std::string> blanks;
    auto keep = [&](const At& at) {
        tame(tile.get(), of.halves());
        edit.put(at.level, at.x, at.y, std::exchange(tile, std::make_shared<uint16_t[]>(of.halves())));
    };
    for (const auto& [at, bytes] : short_ones) {
        // Tiles of small levels are smaller: what their bytes mean is another thing.
        const std::string key = std::to_string(std::min(of.size(at.level), scene::texel_tile)) + ":" + bytes;
        if (blanks.contains(key)) continue;
        if (read(at.x, at.y, at.level))
            keep(at);
        else
            blanks.insert(key);
    }
    for (const At& at : painted)
        if (read(at.x, at.y, at.level)) keep(at);
    return true;
}

}  // namespace vemtra::texture
