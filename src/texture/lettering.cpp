#include "texture/lettering.h"

#include <ft2build.h>
#include FT_FREETYPE_H
#include FT_OUTLINE_H

#include <map>
#include <mutex>

#include "base/file.h"
#include "base/vec.h"

namespace vemtra::texture {
namespace {

using Imath::Box2f;

struct Face {
    const char* name;
    const char* file;
};
constexpr Face faces[] = {{"plain", "Inter-Regular.otf"},
                          {"strong", "Inter-SemiBold.otf"},
                          {"sign", "OSP-DIN.ttf"},
                          {"capitals", "BebasNeue-Bold.otf"},
                          {"slab", "RobotoSlab-Bold.otf"}};

/// One outline as it stands in the block: points in heights of a capital, y up.
struct Shape {
    std::vector<V2f> points;
    std::vector<char> tags;
    std::vector<short> ends;
    int flags = 0;
    bool cuts = false;  ///< it is taken away from the letter before it
};

struct Block {
    std::vector<Shape> shapes;
    Box2f box;
    int longest_line = 0;
};

std::vector<uint32_t> code_points(const std::string& text) {
    std::vector<uint32_t> out;
    for (size_t i = 0; i < text.size() && out.size() < most_letters;) {
        const auto c = static_cast<unsigned char>(text[i++]);
        int more = c < 0x80 ? 0 : c >> 5 == 6 ? 1 : c >> 4 == 14 ? 2 : c >> 3 == 30 ? 3 : -1;
        if (more < 0) continue;  // no beginning of a letter
        uint32_t point = more == 0 ? c : c & (0x3fu >> more);
        for (; more > 0 && i < text.size() && (static_cast<unsigned char>(text[i]) >> 6) == 2; --more)
            point = point << 6 | (static_cast<unsigned char>(text[i++]) & 0x3fu);
        if (more == 0) out.push_back(point == '\t' ? ' ' : point);
    }
    return out;
}

/// Frees the library and its face.
class OpenFace {
public:
    ~OpenFace() {
        if (face_) FT_Done_Face(face_);
        if (library_) FT_Done_FreeType(library_);
    }
    OpenFace() = default;
    OpenFace(const OpenFace&) = delete;
    OpenFace& operator=(const OpenFace&) = delete;
    bool open(const fs::path& file) {
        return !FT_Init_FreeType(&library_) && !FT_New_Face(library_, file.c_str(), 0, &face_) &&
               FT_IS_SCALABLE(face_) && face_->units_per_EM > 0;
    }
    FT_Library library() const { return library_; }
    FT_Face face() const { return face_; }

private:
    FT_Library library_ = nullptr;
    FT_Face face_ = nullptr;
};

class Setter {
public:
    Setter(FT_Face face, const nodes::Lettering& l) : face_(face), l_(l) {
        // Heights are those of a capital, as letters of signs are measured.
        capital_ = float(face->units_per_EM) * .7f;
        if (!FT_Load_Char(face, 'H', FT_LOAD_NO_SCALE)) {
            FT_BBox box;
            FT_Outline_Get_CBox(&face->glyph->outline, &box);
            if (box.yMax > 0) capital_ = float(box.yMax);
        }
    }
    Block set() {
        std::vector<std::vector<uint32_t>> lines(1);
        for (const uint32_t c : code_points(l_.text))
            if (c == '\n')
                lines.emplace_back();
            else if (c >= ' ')
                lines.back().push_back(c);
        std::vector<float> widths;
        float widest = 0.f;
        for (const auto& line : lines) {
            widths.push_back(width(line));
            widest = std::max(widest, widths.back());
            block_.longest_line = std::max(block_.longest_line, int(line.size()));
        }
        const float down = l_.leading * float(face_->height) / capital_;
        for (size_t k = 0; k < lines.size(); ++k) {
            const float left = l_.align == "left" ? 0.f : l_.align == "right" ? 1.f : .5f;
            put_line(lines[k], widths[k], (widest - widths[k]) * left - .5f * widest, -float(k) * down);
        }
        return std::move(block_);
    }

private:
    float advance(uint32_t c) {
        if (FT_Load_Char(face_, c, FT_LOAD_NO_SCALE)) return 0.f;
        return float(face_->glyph->metrics.horiAdvance) / capital_ + l_.spacing;
    }
    float width(const std::vector<uint32_t>& line) {
        float w = 0.f;
        for (const uint32_t c : line) w += advance(c);
        return line.empty() ? 0.f : w - l_.spacing;
    }
    void put_line(const std::vector<uint32_t>& line, float width, float left, float base) {
        // Along an arc as long as the line, its middle where the straight line's is.
        const float angle = radians(std::clamp(l_.arc, -360.f, 360.f));
        const float radius = std::fabs(angle) > 1e-3f && width > 0.f ? width / angle : 0.f;
        const float middle = left + .5f * width;
        float x = left;
        for (const uint32_t c : line) {
            const float step = advance(c);
            if (FT_Load_Char(face_, c, FT_LOAD_NO_SCALE)) continue;
            const float centre = x + .5f * (step - l_.spacing);
            const float a = radius != 0.f ? (centre - middle) / radius : 0.f;
            const V2f at = radius != 0.f ? V2f(middle + radius * std::sin(a), base + radius * (std::cos(a) - 1.f))
                                         : V2f(centre, base);
            put_letter(at, a, .5f * (step - l_.spacing));
            x += step;
        }
    }
    /// The letter that is loaded, with `half` of its width to the left of `at`, turned clockwise by `a`.
    void put_letter(const V2f& at, float a, float half) {
        const FT_Outline& o = face_->glyph->outline;
        if (o.n_points <= 0 || o.n_contours <= 0) return;
        const float c = std::cos(a);
        const float s = std::sin(a);
        auto placed = [&](const V2f& p) {
            return V2f(at.x + (p.x - half) * c + p.y * s, at.y - (p.x - half) * s + p.y * c);
        };
        Shape letter;
        letter.flags = o.flags;
        std::vector<V2f> own;
        for (int i = 0; i < o.n_points; ++i) {
            own.emplace_back(float(o.points[i].x) / capital_, float(o.points[i].y) / capital_);
            letter.points.push_back(placed(own.back()));
            letter.tags.push_back(char(o.tags[i]));
            block_.box.extendBy(letter.points.back());
        }
        letter.ends.assign(o.contours, o.contours + o.n_contours);
        // However flat the letters are, a line is as high as a capital.
        block_.box.extendBy(placed(V2f(half, 0.f)));
        block_.box.extendBy(placed(V2f(half, 1.f)));
        block_.shapes.push_back(std::move(letter));
        if (l_.bridges > 0.f) put_bridges(own, std::vector<short>(block_.shapes.back().ends), placed);
    }
    /// An upright bar over the middle of each inside: contours that go round the other way than the largest.
    template <class Placed>
    void put_bridges(const std::vector<V2f>& own, const std::vector<short>& ends, const Placed& placed) {
        struct Contour {
            float area;
            Box2f box;
        };
        std::vector<Contour> contours;
        Box2f all;
        float largest = 0.f;
        for (size_t k = 0; k < ends.size(); ++k) {
            const size_t first = k ? size_t(ends[k - 1]) + 1 : 0;
            const size_t last = size_t(ends[k]);
            Contour c{0.f, {}};
            for (size_t i = first; i <= last; ++i) {
                const V2f& p = own[i];
                const V2f& q = own[i == last ? first : i + 1];
                c.area += .5f * (p.x * q.y - q.x * p.y);
                c.box.extendBy(p);
            }
            all.extendBy(c.box);
            if (std::fabs(c.area) > std::fabs(largest)) largest = c.area;
            contours.push_back(c);
        }
        for (const Contour& c : contours) {
            if (c.area * largest >= 0.f) continue;
            const float x = c.box.center().x;
            const float w = .5f * l_.bridges;
            const float low = all.min.y - .1f;
            const float high = all.max.y + .1f;
            Shape bar;
            bar.cuts = true;
            for (const V2f& p : {V2f(x - w, low), V2f(x + w, low), V2f(x + w, high), V2f(x - w, high)})
                bar.points.push_back(placed(p));
            bar.tags.assign(4, char(FT_CURVE_TAG_ON));
            bar.ends = {3};
            block_.shapes.push_back(std::move(bar));
        }
    }
    FT_Face face_;
    const nodes::Lettering& l_;
    float capital_ = 1.f;
    Block block_;
};

Result<Block> set(const nodes::Lettering& l, OpenFace& open) {
    auto failed = [&](const std::string& why, const std::string& remedy) {
        return Error{"A lettering cannot be set", "", l.text.substr(0, 40), why, remedy};
    };
    for (const Face& f : faces) {
        if (f.name != l.face) continue;
        const fs::path file = shipped_assets() / "fonts" / f.file;
        if (!open.open(file)) return failed("its face cannot be read from " + file.string(), "Install Vemtra again");
        Block block = Setter(open.face(), l).set();
        const V2f size = block.box.isEmpty() ? V2f(0.f) : block.box.size();
        if (!(size.x > 1e-4f) || !(size.y > 1e-4f))
            return failed("it has no letters, only spaces or signs that the face lacks", "Type some letters");
        // A hair of room, so that letters do not end in the frame's edge.
        block.box.min -= V2f(.03f);
        block.box.max += V2f(.03f);
        return block;
    }
    return failed("its face '" + l.face + "' does not ship", "Choose one of the list");
}

/// Into `out`, bytes, row 0 on top.
void draw(FT_Library library, Shape& shape, const Box2f& box, int size, std::vector<uint8_t>& out) {
    std::vector<FT_Vector> points;
    V2f low(1e9f);
    V2f high(-1e9f);
    for (const V2f& p : shape.points) {
        const V2f at = (p - box.min) / box.size() * float(size);
        low = V2f(std::min(low.x, at.x), std::min(low.y, at.y));
        high = V2f(std::max(high.x, at.x), std::max(high.y, at.y));
        points.push_back({FT_Pos(std::lround(at.x * 64.f)), FT_Pos(std::lround(at.y * 64.f))});
    }
    const int x0 = std::clamp(int(std::floor(low.x)), 0, size);
    const int y0 = std::clamp(int(std::floor(low.y)), 0, size);
    const int w = std::clamp(int(std::ceil(high.x)) + 1, 0, size) - x0;
    const int h = std::clamp(int(std::ceil(high.y)) + 1, 0, size) - y0;
    if (w <= 0 || h <= 0) return;
    FT_Outline outline{};
    outline.n_points = short(points.size());
    outline.n_contours = short(shape.ends.size());
    outline.points = points.data();
    outline.tags = shape.tags.data();
    outline.contours = shape.ends.data();
    outline.flags = shape.flags;
    FT_Outline_Translate(&outline, -x0 * 64, -y0 * 64);
    std::vector<uint8_t> pixels(size_t(w) * size_t(h), 0);
    FT_Bitmap bitmap{};
    bitmap.rows = unsigned(h);
    bitmap.width = unsigned(w);
    bitmap.pitch = w;
    bitmap.buffer = pixels.data();
    bitmap.num_grays = 256;
    bitmap.pixel_mode = FT_PIXEL_MODE_GRAY;
    if (FT_Outline_Get_Bitmap(library, &outline, &bitmap)) return;
    for (int y = 0; y < h; ++y)  // the bitmap's first row is its upper one
        for (int x = 0; x < w; ++x) {
            const int row = size - y0 - h + y;
            if (row < 0) continue;
            const uint8_t c = pixels[size_t(y) * size_t(w) + size_t(x)];
            uint8_t& to = out[size_t(row) * size_t(size) + size_t(x0 + x)];
            to = shape.cuts ? uint8_t(int(to) * (255 - c) / 255) : std::max(to, c);
        }
}

std::shared_ptr<const scene::Texels> sheet_of(const std::vector<uint8_t>& pixels, int size) {
    constexpr int edge = scene::texel_tile;
    std::array<uint16_t, 256> half{};
    for (size_t i = 0; i < 256; ++i) half[i] = scene::float_to_half(float(i) / 255.f);
    scene::TexelsEdit edit(scene::Texels::blank(size, 2));
    for (int ty = 0; ty < size / edge; ++ty)
        for (int tx = 0; tx < size / edge; ++tx) {
            uint16_t* to = nullptr;
            for (int y = 0; y < edge; ++y) {
                const uint8_t* row = &pixels[size_t(ty * edge + y) * size_t(size) + size_t(tx * edge)];
                if (!to && std::any_of(row, row + edge, [](uint8_t c) { return c != 0; })) to = edit.tile(tx, ty);
                for (int x = 0; to && x < edge; ++x)
                    for (int lane = 0; lane < 2; ++lane) to[(y * edge + x) * 2 + lane] = half[row[x]];
            }
        }
    return edit.done();
}

}  // namespace

Result<float> lettering_ratio(const nodes::Lettering& l) {
    OpenFace open;
    const auto block = set(l, open);
    if (!block) return block.error();
    return block->box.size().x / block->box.size().y;
}

Result<std::shared_ptr<const scene::Texels>> lettering_sheet(const nodes::Lettering& l) {
    using Sheet = std::shared_ptr<const scene::Texels>;
    // While a slider is dragged every picture asks anew for all letterings of the project.
    static std::mutex mutex;
    static std::map<nodes::Lettering, std::weak_ptr<const scene::Texels>> known;
    {
        std::lock_guard lock(mutex);
        std::erase_if(known, [](const auto& k) { return k.second.expired(); });
        if (const auto it = known.find(l); it != known.end())
            if (Sheet sheet = it->second.lock()) return sheet;
    }
    OpenFace open;
    auto block = set(l, open);
    if (!block) return block.error();
    const int size = block->longest_line <= 4 ? 1024 : block->longest_line <= 40 ? 2048 : 4096;
    std::vector<uint8_t> pixels(size_t(size) * size_t(size), 0);
    for (Shape& shape : block->shapes) draw(open.library(), shape, block->box, size, pixels);
    Sheet sheet = sheet_of(pixels, size);
    std::lock_guard lock(mutex);
    known[l] = sheet;
    return sheet;
}

}  // namespace vemtra::texture
