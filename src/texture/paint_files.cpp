#include "texture/paint_files.h"

#include <OpenImageIO/imageio.h>

#include <bit>
#include <cstring>

#include "base/folders.h"
#include "base/parallel.h"
#include "texture/image_header.h"
#include "texture/own_sheet.h"
#include "texture/write_image.h"

namespace vemtra::texture {
namespace {

using scene::Texels;
constexpr int edge = scene::texel_tile;

Error unread(const fs::path& file, const std::string& why) {
    return {"A painting cannot be read; nothing is painted in its place", file.string(), "", why,
            "Bring the file back and open the project again; saving leaves it alone"};
}

/// One row of tiles of a level into an edit.
Status read_row(OIIO::ImageInput& in, const OIIO::ImageSpec& spec, int level, int row, int size, bool finest_alone,
                const fs::path& file, scene::TexelsEdit& edit) {
    const Texels& of = edit.before();
    const size_t lanes = size_t(of.lanes());
    const int y0 = row * edge;
    const int y1 = std::min(y0 + edge, size);
    const int channels = std::min(spec.nchannels, int(lanes));
    std::vector<uint16_t> rows(size_t(spec.width) * size_t(y1 - y0) * size_t(channels));
    const bool good =
        spec.tile_width
            ? in.read_tiles(0, level, 0, spec.width, y0, y1, 0, 1, 0, channels, OIIO::TypeDesc::HALF, rows.data())
            : in.read_scanlines(0, level, y0, y1, 0, 0, channels, OIIO::TypeDesc::HALF, rows.data());
    if (!good) return unread(file, "the file is cut off or damaged: " + plain_reason(in.geterror()));
    tame(rows.data(), rows.size());
    for (int x = 0; x * edge < size; ++x) {
        auto tile = std::make_shared<uint16_t[]>(of.halves());
        const int n = std::min(edge, size - x * edge);
        for (int y = y0; y < y1; ++y)
            for (int i = 0; i < n; ++i) {
                const uint16_t* from =
                    &rows[(size_t(y - y0) * size_t(spec.width) + size_t(x * edge + i)) * size_t(channels)];
                uint16_t* to = &tile[(size_t(y - y0) * edge + size_t(i)) * lanes];
                for (size_t c = 0; c < lanes; ++c)
                    to[c] = c < size_t(channels) ? from[c]
                            : c + 1 == lanes     ? uint16_t(0x3c00)  // no coverage: all of it is painted
                                                 : from[channels - 1];
            }
        if (blank(tile.get(), of.halves())) continue;
        if (finest_alone)
            std::memcpy(edit.tile(x, row), tile.get(), of.halves() * sizeof(uint16_t));
        else
            edit.put(level, x, row, std::move(tile));
    }
    return Done{};
}

Result<std::shared_ptr<const Texels>> read_from(const fs::path& file, int lanes, Progress* progress) {
    const Result<ImageHeader> header = read_header(file);
    if (!header) return unread(file, header.error().why);
    const int size = int(std::bit_floor(unsigned(std::min(header->width, header->height))));
    if (size < scene::least_sheet || size > scene::largest_sheet)
        return unread(file, "its size of " + std::to_string(header->width) + " x " + std::to_string(header->height) +
                                " is outside of 64 to 8192");
    auto in = OIIO::ImageInput::open(file.string());
    if (!in) return unread(file, plain_reason(OIIO::geterror()));
    const auto start = Texels::blank(size, lanes);
    bool mipped = in->spec().tile_width == edge && in->spec().tile_height == edge && in->spec().width == size &&
                  in->spec().height == size && in->spec().nchannels == lanes && header->floating;
    for (int level = 0; mipped && level < start->levels(); ++level) {
        const OIIO::ImageSpec spec = in->spec_dimensions(0, level);
        mipped = spec.width == start->size(level) && spec.height == start->size(level);
    }
    scene::TexelsEdit edit(start);
    try {
        if (mipped && read_own_sheet(file, edit)) return edit.done();
    } catch (const std::bad_alloc&) {
        throw;
    } catch (const std::exception& e) {
        return unread(file, "the file is cut off or damaged: " + plain_reason(e.what()));
    }
    const int levels = mipped ? start->levels() : 1;
    if (!mipped) {  // written by another program: it is read whole, whatever its tiles are
        if (in->spec().tile_width && in->spec().tile_height != edge && edge % in->spec().tile_height != 0)
            return unread(file, "its tiles are " + std::to_string(in->spec().tile_height) + " texels high");
    }
    for (int level = 0; level < levels; ++level) {
        const OIIO::ImageSpec spec = in->spec_dimensions(0, level);
        for (int row = 0; row < start->across(level); ++row) {
            if (stopped(progress)) return unread(file, "the reading was stopped");
            if (Status s = read_row(*in, spec, level, row, start->size(level), !mipped, file, edit); !s)
                return s.error();
        }
    }
    return edit.done();
}

/// The folder of a project's paintings: "lantern.vemtra" keeps them in "lantern.paint".
fs::path folder_of(const fs::path& project) {
    return project.parent_path() / (project.stem().string() + ".paint");
}

std::string stem_for(const std::string& id) {
    std::string stem;
    for (const char c : id) stem += std::isalnum(static_cast<unsigned char>(c)) || c == '-' ? c : '-';
    return stem;
}

/// Sheets of the painting in the folder that are not those which `pattern` stands for: older ones, and what a killed
/// saving left behind.
void other_generations(const fs::path& folder, const std::string& id, const fs::path& pattern,
                       std::vector<fs::path>& out) {
    const std::string stem = stem_for(id) + "_";
    const std::string own = pattern.filename().string().substr(0, pattern.filename().string().find('<'));
    for (const fs::directory_entry& e : entries_of(folder)) {
        const std::string name = e.path().filename().string();
        if (!name.starts_with(stem) || name.starts_with(own) || !name.ends_with(".exr")) continue;
        const std::string rest = name.substr(stem.size(), name.size() - stem.size() - 4);  // "3.1001"
        const size_t point = rest.find('.');
        const bool ours = point != std::string::npos && point > 0 && rest.size() == point + 5 &&
                          rest.find_first_not_of("0123456789.") == std::string::npos;
        if (ours && std::find(out.begin(), out.end(), e.path()) == out.end()) out.push_back(e.path());
    }
}

/// A name that no file of the folder has yet: "worn_2.<UDIM>.exr".
fs::path fresh_pattern(const fs::path& folder, const std::string& id) {
    const std::string stem = stem_for(id);
    const std::vector<fs::directory_entry> there = entries_of(folder);
    for (int generation = 1;; ++generation) {
        const std::string begin = stem + "_" + std::to_string(generation) + ".";
        const bool taken = std::any_of(there.begin(), there.end(), [&](const fs::directory_entry& e) {
            return e.path().filename().string().starts_with(begin);
        });
        if (!taken) return folder / (begin + "<UDIM>.exr");
    }
}

Status link_or_copy(const fs::path& from, const fs::path& to) {
    std::error_code ec;
    fs::create_hard_link(from, to, ec);
    return ec ? copy_file_atomically(from, to) : Status(Done{});
}

}  // namespace

fs::path sheet_file(const fs::path& pattern, int tile) {
    std::string name = pattern.string();
    if (const size_t at = name.rfind("<UDIM>"); at != std::string::npos) name.replace(at, 6, std::to_string(tile));
    return name;
}

Result<std::shared_ptr<const Texels>> read_sheet(const fs::path& file, int lanes, Progress* progress) {
    return guarded(file, [&] { return read_from(file, lanes, progress); });
}

Status write_sheet(const fs::path& file, const Texels& texels, Progress* progress, SheetPart part) {
    const size_t lanes = size_t(texels.lanes());
    const size_t first = part == SheetPart::coverage ? lanes - 1 : 0;
    const size_t channels = part == SheetPart::all ? lanes : part == SheetPart::values ? lanes - 1 : 1;
    OIIO::ImageSpec spec(texels.size(), texels.size(), int(channels), OIIO::TypeDesc::HALF);
    spec.tile_width = spec.tile_height = edge;
    spec.channelnames = channels >= 3 ? std::vector<std::string>{"R", "G", "B"} : std::vector<std::string>{"Y"};
    if (part == SheetPart::all) {
        spec.channelnames.push_back("A");
        spec.alpha_channel = int(channels) - 1;
    }
    spec.attribute("compression", "zip");
    spec.attribute("textureformat", "Plain Texture");  // with mip levels
    spec.attribute("oiio:ColorSpace", "lin_rec709");
    return write_levels(
        file, spec, texels.levels(),
        [&](int level, int row, uint16_t* out) {
            const int size = texels.size(level);
            const int height = std::min(edge, size - row * edge);
            for (int x = 0; x < texels.across(level); ++x) {
                const scene::TexelTile& tile = texels.tile(level, x, row);
                const size_t n = size_t(std::min(edge, size - x * edge));
                for (int y = 0; y < height; ++y) {
                    uint16_t* to = out + (size_t(y) * size_t(size) + size_t(x) * edge) * channels;
                    if (!tile) {
                        std::memset(to, 0, n * channels * sizeof(uint16_t));
                        continue;
                    }
                    const uint16_t* from = tile.get() + size_t(y) * edge * lanes;
                    if (channels == lanes) {
                        std::memcpy(to, from, n * lanes * sizeof(uint16_t));
                        continue;
                    }
                    for (size_t i = 0; i < n; ++i)
                        for (size_t c = 0; c < channels; ++c) to[channels * i + c] = from[lanes * i + first + c];
                }
            }
        },
        progress);
}

void load_paintings(scene::Scene& s, const Paths& paths, std::vector<Error>& problems, const scene::Scene* known,
                    Progress* progress) {
    struct Wanted {
        scene::Sheet* sheet;
        fs::path file;
        int lanes;
        Error error;
    };
    std::vector<Wanted> wanted;
    for (scene::Painting& p : s.paintings) {
        if (p.file.empty()) continue;
        const auto pattern = paths.find(p.file);
        if (!pattern) {
            problems.push_back(pattern.error());
            continue;
        }
        const scene::Painting* same = known ? scene::find(known->paintings, p.id) : nullptr;
        for (scene::Sheet& sheet : p.sheets) {
            if (sheet.texels) continue;
            const scene::Sheet* read = same && same->file == p.file ? same->sheet(sheet.tile) : nullptr;
            if (read && read->texels && read->size == sheet.size && read->texels->lanes() == p.lanes())
                sheet.texels = read->texels;
            else
                wanted.push_back({&sheet, sheet_file(*pattern, sheet.tile), p.lanes(), {}});
        }
    }
    std::atomic<size_t> done{0};
    parallel_ranges(wanted.size(), 1, [&](size_t first, size_t last) {
        for (size_t i = first; i < last; ++i) {
            auto texels = read_sheet(wanted[i].file, wanted[i].lanes, progress);
            if (texels)
                wanted[i].sheet->texels = *texels;
            else
                wanted[i].error = texels.error();
            report(progress, float(++done) / float(wanted.size()));
        }
    });
    for (Wanted& w : wanted) {
        if (w.sheet->texels)
            w.sheet->size = w.sheet->texels->size();
        else
            problems.push_back(std::move(w.error));
    }
}

Result<std::vector<fs::path>> save_paintings(scene::Scene& s, const fs::path& project, const Paths& paths,
                                             const scene::Scene* saved, Progress* progress) {
    std::vector<fs::path> gone;
    std::vector<fs::path> written;
    auto give_up = [&](const Error& e) {
        std::error_code ec;
        for (const fs::path& f : written) fs::remove(f, ec);
        return e;
    };
    const fs::path folder = folder_of(project);
    for (scene::Painting& p : s.paintings) {
        if (p.sheets.empty()) {
            p.file.clear();
            continue;
        }
        const scene::Painting* old = saved ? scene::find(saved->paintings, p.id) : nullptr;
        const bool stays = !p.file.empty() && old && old->file == p.file && old->sheets == p.sheets &&
                           (project.parent_path() / p.file).parent_path() == folder;
        if (stays) continue;
        if (Status made = make_folder(folder); !made) return give_up(made.error());
        const fs::path pattern = fresh_pattern(folder, p.id);
        // Where the disk has its sheets: as they were saved last, or as the project that was read names them.
        const std::string& on_disk = old ? old->file : p.file;
        const auto before = on_disk.empty() ? Result<fs::path>(fs::path()) : paths.find(on_disk);
        for (size_t i = 0; i < p.sheets.size(); ++i) {
            const scene::Sheet& sheet = p.sheets[i];
            const fs::path to = sheet_file(pattern, sheet.tile);
            const scene::Sheet* there = old ? old->sheet(sheet.tile) : nullptr;
            const fs::path from = before && !before->empty() ? sheet_file(*before, sheet.tile) : fs::path();
            std::error_code ec;
            const bool as_it_was = !sheet.texels || (there && *there == sheet);
            Status done = Done{};
            if (as_it_was && !from.empty() && fs::exists(from, ec))
                done = link_or_copy(from, to);
            else if (sheet.texels)
                done = write_sheet(to, *sheet.texels, progress);
            if (!done) return give_up(done.error());
            written.push_back(to);
            report(progress, float(i + 1) / float(p.sheets.size()));
        }
        if (old && !old->file.empty() && (project.parent_path() / old->file).parent_path() == folder)
            for (const scene::Sheet& sheet : old->sheets)
                gone.push_back(sheet_file(project.parent_path() / old->file, sheet.tile));
        p.file = path_from(project.parent_path(), pattern);
        other_generations(folder, p.id, pattern, gone);
    }
    if (saved)  // what was taken out
        for (const scene::Painting& old : saved->paintings)
            if (!scene::find(s.paintings, old.id) && !old.file.empty() &&
                (project.parent_path() / old.file).parent_path() == folder)
                for (const scene::Sheet& sheet : old.sheets)
                    gone.push_back(sheet_file(project.parent_path() / old.file, sheet.tile));
    return gone;
}

}  // namespace vemtra::texture
