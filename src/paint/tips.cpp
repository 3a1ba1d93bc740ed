#include "paint/tips.h"

#include <map>
#include <mutex>

#include "base/hash.h"
#include "base/json_text.h"
#include "render/flat_points.h"

namespace vemtra::paint {
namespace {

constexpr int tip_size = 256;

float chance(int x, int y, uint32_t seed) {
    return float(mix32(uint32_t(x) * 0x8da6b343u ^ mix32(uint32_t(y) * 0xd8163841u ^ mix32(seed))) >> 8) * 0x1p-24f;
}
float smooth(float low, float high, float x) {
    const float t = clamp01((x - low) / (high - low));
    return t * t * (3.f - 2.f * t);
}
/// Value noise with quintic weights, 0..1.
float noise(float x, float y, uint32_t seed) {
    const int ix = int(std::floor(x));
    const int iy = int(std::floor(y));
    const float fx = x - float(ix);
    const float fy = y - float(iy);
    const float a = fx * fx * fx * (fx * (fx * 6.f - 15.f) + 10.f);
    const float b = fy * fy * fy * (fy * (fy * 6.f - 15.f) + 10.f);
    return lerp(lerp(chance(ix, iy, seed), chance(ix + 1, iy, seed), a),
                lerp(chance(ix, iy + 1, seed), chance(ix + 1, iy + 1, seed), a), b);
}
float octaves(float x, float y, uint32_t seed, int count) {
    float sum = 0.f;
    float weight = .5f;
    for (int i = 0; i < count; ++i, weight *= .5f, x *= 2.03f, y *= 2.03f)
        sum += weight * noise(x, y, seed + uint32_t(i));
    return sum / (1.f - std::pow(.5f, float(count)));
}
float round_fade(float x, float y, float from) {
    return 1.f - smooth(from, 1.f, std::sqrt(x * x + y * y));
}
/// Distance to the nearest of the points that lie scattered, one to a cell.
float scattered(float x, float y, uint32_t seed, float& size) {
    const int cx = int(std::floor(x));
    const int cy = int(std::floor(y));
    float best = 9.f;
    for (int j = cy - 1; j <= cy + 1; ++j)
        for (int i = cx - 1; i <= cx + 1; ++i) {
            const float px = float(i) + chance(i, j, seed);
            const float py = float(j) + chance(i, j, seed + 1);
            const float d = std::hypot(px - x, py - y);
            if (d < best) best = d, size = chance(i, j, seed + 2);
        }
    return best;
}
/// Distance from a line through the middle region: the k-th of a seed's scratches.
float scratch(float x, float y, uint32_t seed, int count, float width, float spread) {
    float most = 0.f;
    for (int k = 0; k < count; ++k) {
        const float at = (chance(k, 0, seed) * 2.f - 1.f) * .8f;
        const float lean = (chance(k, 1, seed) * 2.f - 1.f) * spread;
        const float begin = -1.f + .8f * chance(k, 2, seed);
        const float end = 1.f - .8f * chance(k, 3, seed);
        const float bend = .12f * (noise(x * 2.f + float(k) * 7.f, 3.f, seed + 9) - .5f);
        const float away = std::fabs(y - at - lean * x - bend);
        const float w = width * (.4f + .6f * chance(k, 4, seed)) * smooth(begin, begin + .3f, x) *
                        (1.f - smooth(end - .3f, end, x));
        if (w > 0.f) most = std::max(most, (1.f - smooth(w * .4f, w, away)) * (.5f + .5f * chance(k, 5, seed)));
    }
    return most;
}

// The kinds. Each is a picture of something that happens to surfaces of gear.
float soft(float x, float y, uint32_t) {
    return round_fade(x, y, 0.f);
}
float hard(float x, float y, uint32_t) {
    return round_fade(x, y, .94f);
}
float felt(float x, float y, uint32_t s) {
    return round_fade(x, y, .6f) * (.75f + .25f * octaves(x * 20.f, y * 20.f, s, 2));
}
float flat(float x, float y, uint32_t) {
    return (1.f - smooth(.9f, 1.f, std::fabs(x))) * (1.f - smooth(.28f, .34f, std::fabs(y)));
}
float square(float x, float y, uint32_t) {
    return (1.f - smooth(.93f, .97f, std::fabs(x))) * (1.f - smooth(.93f, .97f, std::fabs(y)));
}
float chipped(float x, float y, uint32_t s) {
    const float r = std::sqrt(x * x + y * y);
    const float way = std::atan2(y, x);
    const float border = .55f + .35f * octaves(2.f + std::cos(way) * 2.2f, 2.f + std::sin(way) * 2.2f, s, 4);
    return 1.f - smooth(border - .03f, border, r);
}
float flaked(float x, float y, uint32_t s) {
    const float warped = octaves(x * 3.f, y * 3.f, s, 4) + .45f * (1.f - std::sqrt(x * x + y * y)) - .12f;
    return smooth(.56f, .6f, warped) * round_fade(x, y, .85f);
}
float scratches(float x, float y, uint32_t s) {
    return scratch(x, y, s, 9, .03f, .12f);
}
float gouge(float x, float y, uint32_t s) {
    return scratch(x, y, s, 1, .16f, .05f);
}
float hairlines(float x, float y, uint32_t s) {
    return scratch(x, y, s, 26, .012f, .5f) * round_fade(x, y, .7f);
}
float speckle(float x, float y, uint32_t s) {
    float size = 0.f;
    const float d = scattered(x * 9.f, y * 9.f, s, size);
    return (1.f - smooth(.1f + .25f * size, .16f + .3f * size, d)) * round_fade(x, y, .6f) * (size > .4f ? 1.f : 0.f);
}
float spatter(float x, float y, uint32_t s) {
    float size = 0.f;
    const float d = scattered(x * 4.f, y * 4.f, s, size);
    const float drop = .05f + .45f * size * size * size;
    return 1.f - smooth(drop * .85f, drop, d + .08f * noise(x * 20.f, y * 20.f, s));
}
float smear(float x, float y, uint32_t s) {
    const float along = octaves(x * 1.2f, y * 14.f, s, 3);
    return smooth(.35f, .75f, along + .35f * (1.f - std::fabs(y))) * (1.f - smooth(.5f, 1.f, std::fabs(x))) *
           (1.f - smooth(.6f, .95f, std::fabs(y)));
}
float drip(float x, float y, uint32_t s) {  // runs down from the top
    float most = 0.f;
    for (int k = 0; k < 4; ++k) {
        const float at = (chance(k, 7, s) * 2.f - 1.f) * .6f;
        const float reach = 1.f - 1.8f * chance(k, 8, s);
        const float wide = .05f + .08f * chance(k, 9, s);
        const float wobble = .05f * (noise(3.f * y, float(k), s) - .5f);
        const float body =
            (1.f - smooth(wide * .7f, wide, std::fabs(x - at - wobble))) * smooth(reach, reach + .15f, y);
        const float head = 1.f - smooth(wide, wide * 1.3f, std::hypot(x - at - wobble, y - reach - .1f));
        most = std::max(most, std::max(body * (.55f + .45f * smooth(1.f, reach, y)), head));
    }
    return most * (1.f - smooth(.92f, 1.f, std::fabs(y)));
}
float leak(float x, float y, uint32_t s) {  // a broad stain that narrows and fades downwards
    const float down = (1.f - y) * .5f;
    const float wide = .2f + .5f * (1.f - down) * .6f + .2f * (octaves(y * 3.f, 1.f, s, 3) - .5f);
    const float grain = octaves(x * 16.f, y * 2.f, s + 3, 3);
    return (1.f - smooth(wide * .5f, wide, std::fabs(x))) * (1.f - smooth(.5f, 1.f, down)) *
           smooth(0.f, .04f, 1.f - y) * (.45f + .75f * grain);
}
float dry_bristle(float x, float y, uint32_t s) {
    const float hair = chance(int(std::floor((y + 2.f) * 34.f)), 0, s);
    const float broken = noise(x * 3.f + hair * 40.f, hair * 90.f, s);
    return (hair > .35f ? 1.f : 0.f) * smooth(.3f, .6f, broken) * (1.f - smooth(.7f, 1.f, std::fabs(x))) *
           (1.f - smooth(.8f, .95f, std::fabs(y)));
}
float bristle(float x, float y, uint32_t s) {
    const float hair = octaves(.6f * x, y * 26.f, s, 2);
    return smooth(.2f, .65f, hair) * (1.f - smooth(.8f, 1.f, std::fabs(x))) * (1.f - smooth(.75f, .95f, std::fabs(y)));
}
float scuff(float x, float y, uint32_t s) {
    const float along = octaves(x * 2.f, y * 9.f, s, 4);
    return smooth(.5f, .7f, along) * round_fade(x, y, .35f);
}
float pitting(float x, float y, uint32_t s) {
    float size = 0.f;
    const float d = scattered(x * 6.f, y * 6.f, s, size);
    const float hole = .12f + .3f * size;
    return (1.f - smooth(hole * .3f, hole, d)) * round_fade(x, y, .7f) * (.4f + .6f * size);
}
float pores(float x, float y, uint32_t s) {
    float size = 0.f;
    const float d = scattered(x * 22.f, y * 22.f, s, size);
    return (1.f - smooth(.08f, .22f, d)) * round_fade(x, y, .5f);
}
float grain(float x, float y, uint32_t s) {
    return smooth(.45f, .7f, octaves(x * 24.f, y * 24.f, s, 2)) * round_fade(x, y, .3f);
}
float cloud(float x, float y, uint32_t s) {
    return smooth(.3f, .75f, octaves(x * 2.5f, y * 2.5f, s, 5)) * round_fade(x, y, .2f);
}
float crackle(float x, float y, uint32_t s) {
    float first = 9.f;
    float second = 9.f;
    const float px = x * 4.f;
    const float py = y * 4.f;
    for (int j = int(std::floor(py)) - 1; j <= int(std::floor(py)) + 1; ++j)
        for (int i = int(std::floor(px)) - 1; i <= int(std::floor(px)) + 1; ++i) {
            const float d = std::hypot(float(i) + chance(i, j, s) - px, float(j) + chance(i, j, s + 1) - py);
            if (d < first)
                second = first, first = d;
            else
                second = std::min(second, d);
        }
    return (1.f - smooth(.02f, .07f, second - first)) * round_fade(x, y, .75f);
}
float ring(float x, float y, uint32_t s) {  // what a wet pot leaves
    const float r = std::sqrt(x * x + y * y);
    const float broken = octaves(3.f + x * 2.f, 3.f + y * 2.f, s, 3);
    return (1.f - smooth(.03f, .09f, std::fabs(r - .8f))) * smooth(.25f, .55f, broken);
}
float stencil_sheet(float x, float y, uint32_t) {  // slots of a perforated sheet
    const float cx = x * 3.f - std::floor(x * 3.f) - .5f;
    const float cy = y * 6.f - std::floor(y * 6.f) - .5f;
    return (1.f - smooth(.3f, .34f, std::fabs(cx))) * (1.f - smooth(.22f, .28f, std::fabs(cy)));
}
float mesh_sheet(float x, float y, uint32_t) {
    const float row = std::floor(y * 5.f);
    const float cx = x * 5.f + (int(row) & 1 ? .5f : 0.f);
    const float dx = cx - std::floor(cx) - .5f;
    const float dy = y * 5.f - row - .5f;
    return 1.f - smooth(.3f, .34f, std::hypot(dx, dy));
}
float band(float x, float y, uint32_t) {  // tape: a hard stripe across
    return (1.f - smooth(.46f, .5f, std::fabs(y))) * (std::fabs(x) < .995f ? 1.f : 0.f);
}
float torn(float x, float y, uint32_t s) {  // an edge that was torn, whole on one side
    const float border = .1f + .35f * (octaves(x * 3.f, 0.f, s, 5) - .5f);
    return (1.f - smooth(border - .02f, border + .02f, y)) * (1.f - smooth(.9f, 1.f, std::fabs(x))) *
           smooth(-1.f, -.55f, y);
}
float splash(float x, float y, uint32_t s) {
    const float way = std::atan2(y, x);
    const float r = std::sqrt(x * x + y * y);
    const float reach =
        .25f + .6f * std::pow(noise(way * 4.f + 20.f, 0.f, s), 3.f) + .1f * noise(way * 14.f + 50.f, 1.f, s);
    return 1.f - smooth(reach - .05f, reach, r);
}

}  // namespace

const std::vector<TipKind>& tip_kinds() {
    static const std::vector<TipKind> all = {
        {"soft", "Soft", soft},
        {"hard", "Hard", hard},
        {"felt", "Felt", felt},
        {"flat", "Flat", flat},
        {"square", "Square", square},
        {"band", "Tape", band},
        {"chipped", "Chipped edge", chipped},
        {"flaked", "Flaked", flaked},
        {"torn", "Torn edge", torn},
        {"scratches", "Scratches", scratches},
        {"hairlines", "Hairlines", hairlines},
        {"gouge", "Gouge", gouge},
        {"scuff", "Scuff", scuff},
        {"speckle", "Speckle", speckle},
        {"spatter", "Spatter", spatter},
        {"splash", "Splash", splash},
        {"smear", "Smear", smear},
        {"drip", "Drip", drip},
        {"leak", "Leak", leak},
        {"ring", "Wet ring", ring},
        {"bristle", "Bristle", bristle},
        {"dry-bristle", "Dry bristle", dry_bristle},
        {"pitting", "Pitting", pitting},
        {"pores", "Pores", pores},
        {"grain", "Grain", grain},
        {"cloud", "Cloud", cloud},
        {"crackle", "Crackle", crackle},
        {"slotted-sheet", "Slotted sheet", stencil_sheet},
        {"perforated-sheet", "Perforated sheet", mesh_sheet},
    };
    return all;
}

std::shared_ptr<const Tip> tip(const std::string& id, uint32_t seed) {
    static std::mutex mutex;
    static std::map<std::pair<std::string, uint32_t>, std::shared_ptr<const Tip>> made;
    {
        std::lock_guard lock(mutex);
        if (const auto kept = made.find({id, seed}); kept != made.end()) return kept->second;
    }
    const auto kind =
        std::find_if(tip_kinds().begin(), tip_kinds().end(), [&](const TipKind& k) { return k.id == id; });
    if (kind == tip_kinds().end()) return nullptr;
    std::vector<float> values;  // without the lock: hands do not wait for the stock's pictures
    values.reserve(size_t(tip_size) * tip_size);
    for (int y = 0; y < tip_size; ++y)
        for (int x = 0; x < tip_size; ++x)
            values.push_back(clamp01(kind->value((float(x) + .5f) / tip_size * 2.f - 1.f,
                                                 1.f - (float(y) + .5f) / tip_size * 2.f, 1000 * seed + 17)));
    auto fresh = std::make_shared<const Tip>(kind->title, tip_size, std::move(values));
    std::lock_guard lock(mutex);
    return made.emplace(std::pair{id, seed}, std::move(fresh)).first->second;
}

std::shared_ptr<const Tip> tip_of(const std::string& name, const program::Program& program,
                                  const render::Prepared& prepared, float metres) {
    constexpr int size = 256;
    if (prepared.geometry->instances().empty()) return nullptr;
    render::FlatPiece square;
    square.middle = prepared.geometry->shape(0).bounds().center();
    square.across = V3f(metres, 0.f, 0.f);
    square.up = V3f(0.f, metres, 0.f);
    square.width = square.height = size;
    std::vector<float> values(size_t(size) * size);
    render::over_flat_piece(prepared, square, program, [&](int i, const float* const* out, int at) {
        values[size_t(i)] = std::isfinite(out[0][at]) ? clamp01(out[0][at]) : 0.f;
    });
    return std::make_shared<const Tip>(name, size, std::move(values));
}

std::shared_ptr<const Tip> tip_from(const std::string& name, int width, int height,
                                    const std::vector<float>& lightness) {
    if (width < 1 || height < 1 || lightness.size() < size_t(width) * size_t(height)) return nullptr;
    // A square around the picture; each of its texels is the mean of what it covers.
    const int longer = std::max(width, height);
    std::vector<float> values;
    for (int y = 0; y < tip_size; ++y)
        for (int x = 0; x < tip_size; ++x) {
            const double step = double(longer) / tip_size;
            const double left = x * step - (longer - width) * .5;
            const double top = y * step - (longer - height) * .5;
            double sum = 0;
            int count = 0;
            const int n = std::clamp(int(std::ceil(step)), 1, 16);
            for (int j = 0; j < n; ++j)
                for (int i = 0; i < n; ++i, ++count) {
                    const int px = int(std::floor(left + (i + .5) * step / n));
                    const int py = int(std::floor(top + (j + .5) * step / n));
                    if (px >= 0 && py >= 0 && px < width && py < height)
                        sum += double(clamp01(lightness[size_t(py) * size_t(width) + size_t(px)]));
                }
            values.push_back(float(sum / count));
        }
    return std::make_shared<const Tip>(name, tip_size, std::move(values));
}

Brush StockBrush::ready() const {
    Brush b = brush;
    for (const std::string& id : tips)
        for (uint32_t seed = 0; seed < 4; ++seed)
            if (auto t = tip(id, seed)) b.tips.push_back(std::move(t));
    return b;
}

const std::vector<StockBrush>& shipped_brushes() {
    static const std::vector<StockBrush> all = [] {
        std::vector<StockBrush> list;
        auto add = [&](const char* id, const char* name, std::vector<std::string> tips, float size, float flow,
                       float spacing, Turning turning, auto&& more) {
            StockBrush s;
            s.brush.id = id;
            s.brush.name = name;
            s.brush.size = size;
            s.brush.flow = flow;
            s.brush.spacing = spacing;
            s.brush.turning = turning;
            more(s.brush);
            s.tips = std::move(tips);
            list.push_back(std::move(s));
        };
        auto plain = [](Brush&) {};
        add("soft-round", "Soft round", {}, 60.f, .5f, .1f, Turning::fixed, [](Brush& b) { b.hardness = 0.f; });
        add("hard-round", "Hard round", {}, 40.f, 1.f, .08f, Turning::fixed, [](Brush& b) { b.hardness = .92f; });
        add("broad-flat", "Broad flat", {"flat"}, 90.f, .9f, .06f, Turning::along, [](Brush& b) { b.angle = 90.f; });
        add("worn-edge", "Worn edge", {"chipped", "flaked"}, 46.f, .9f, .35f, Turning::random, [](Brush& b) {
            b.jitter_size = .6f;
            b.jitter_place = .35f;
        });
        add("chips", "Chips", {"chipped"}, 30.f, 1.f, .9f, Turning::random, [](Brush& b) {
            b.jitter_size = .8f;
            b.jitter_place = .9f;
        });
        add("boat-hook", "Boat hook scratches", {"scratches", "gouge"}, 80.f, .85f, 1.1f, Turning::along, [](Brush& b) {
            b.jitter_angle = .06f;
            b.jitter_place = .2f;
        });
        add("hairlines", "Hairlines", {"hairlines"}, 120.f, .5f, .7f, Turning::random,
            [](Brush& b) { b.jitter_flow = .5f; });
        add("scuffs", "Scuffs", {"scuff", "smear"}, 70.f, .5f, .4f, Turning::along,
            [](Brush& b) { b.jitter_flow = .6f; });
        add("speckle", "Speckle", {"speckle"}, 90.f, .8f, .6f, Turning::random, [](Brush& b) { b.jitter_place = .4f; });
        add("spatter", "Spatter", {"spatter", "splash"}, 90.f, 1.f, 1.2f, Turning::random, [](Brush& b) {
            b.jitter_size = .7f;
            b.jitter_place = 1.f;
        });
        add("runs", "Runs", {"drip"}, 100.f, .9f, 1.f, Turning::fixed, [](Brush& b) {
            b.jitter_size = .5f;
            b.jitter_flow = .4f;
        });
        add("leak", "Leak under a bolt", {"leak"}, 120.f, .8f, 1.f, Turning::fixed,
            [](Brush& b) { b.jitter_size = .2f; });
        add("wet-ring", "Wet ring", {"ring"}, 80.f, .8f, 2.f, Turning::random, plain);
        add("full-bristle", "Full bristle", {"bristle"}, 70.f, .8f, .05f, Turning::along,
            [](Brush& b) { b.tilt_turns = true; });
        add("dry-bristle", "Dry bristle", {"dry-bristle"}, 70.f, .55f, .06f, Turning::along,
            [](Brush& b) { b.jitter_flow = .3f; });
        add("pitting", "Pitting", {"pitting", "pores"}, 70.f, .9f, .5f, Turning::random,
            [](Brush& b) { b.jitter_place = .5f; });
        add("grime", "Grime", {"cloud", "grain"}, 110.f, .25f, .2f, Turning::random,
            [](Brush& b) { b.jitter_size = .4f; });
        add("salt", "Salt bloom", {"grain", "pores"}, 80.f, .5f, .3f, Turning::random,
            [](Brush& b) { b.jitter_flow = .5f; });
        add("crackle", "Crackle", {"crackle"}, 100.f, .9f, .8f, Turning::random, plain);
        add("tape", "Tape", {"band"}, 60.f, 1.f, .25f, Turning::along, [](Brush& b) { b.smoothing = .8f; });
        add("torn", "Torn edge", {"torn"}, 70.f, 1.f, .5f, Turning::along, plain);
        add("slots", "Slotted sheet", {"slotted-sheet"}, 140.f, 1.f, 1.f, Turning::fixed, plain);
        add("holes", "Perforated sheet", {"perforated-sheet"}, 140.f, 1.f, 1.f, Turning::fixed, plain);
        add("felt", "Felt", {"felt"}, 50.f, .6f, .1f, Turning::random, plain);
        add("smudge", "Smudge", {}, 60.f, .6f, .06f, Turning::fixed, [](Brush& b) {
            b.mode = Mode::smudge;
            b.hardness = .2f;
        });
        add("soften", "Soften", {}, 70.f, .4f, .15f, Turning::fixed, [](Brush& b) {
            b.mode = Mode::blur;
            b.hardness = .2f;
        });
        add("rub-out", "Rub out", {}, 60.f, .6f, .1f, Turning::fixed, [](Brush& b) { b.mode = Mode::erase; });
        return list;
    }();
    return all;
}

namespace {

using Json = nlohmann::ordered_json;
/// Two hexadecimal digits a texel.
std::string written(const Tip& tip) {
    constexpr char digits[] = "0123456789abcdef";
    std::string text;
    text.reserve(size_t(tip.size()) * size_t(tip.size()) * 2);
    for (int y = 0; y < tip.size(); ++y)
        for (int x = 0; x < tip.size(); ++x) {
            const int v = int(clamp01(tip.texel(x, y)) * 255.f + .5f);
            text += digits[v >> 4];
            text += digits[v & 15];
        }
    return text;
}
/// Null where it is no tip.
std::shared_ptr<const Tip> tip_read(const Json& j) {
    if (!j.is_object() || !j.contains("size") || !j["size"].is_number_integer() || !j.contains("values") ||
        !j["values"].is_string())
        return nullptr;
    const auto size = j["size"].get<int64_t>();
    const std::string& text = j["values"].get_ref<const std::string&>();
    if (size < 1 || size > 1024 || text.size() != size_t(size * size * 2)) return nullptr;
    auto digit = [](char c) { return c >= '0' && c <= '9' ? c - '0' : c >= 'a' && c <= 'f' ? c - 'a' + 10 : 0; };
    std::vector<float> values;
    for (size_t i = 0; i < text.size(); i += 2)
        values.push_back(float(digit(text[i]) * 16 + digit(text[i + 1])) / 255.f);
    const std::string name = j.contains("name") && j["name"].is_string() ? j["name"].get<std::string>() : "picture";
    return std::make_shared<const Tip>(name, int(size), std::move(values));
}

constexpr const char* mode_words[] = {"paint", "erase", "smudge", "blur"};
constexpr const char* turning_words[] = {"fixed", "along", "random"};

struct BrushNumber {
    const char* key;
    float Brush::*member;
    float low, high;
};
constexpr BrushNumber brush_numbers[] = {
    {"size", &Brush::size, 1e-5f, 4000.f},
    {"hardness", &Brush::hardness, 0.f, 1.f},
    {"flow", &Brush::flow, 0.f, 1.f},
    {"opacity", &Brush::opacity, 0.f, 1.f},
    {"spacing", &Brush::spacing, .01f, 4.f},
    {"angle", &Brush::angle, -360.f, 360.f},
    {"roundness", &Brush::roundness, .05f, 1.f},
    {"jitter_size", &Brush::jitter_size, 0.f, 1.f},
    {"jitter_angle", &Brush::jitter_angle, 0.f, 1.f},
    {"jitter_place", &Brush::jitter_place, 0.f, 1.f},
    {"jitter_flow", &Brush::jitter_flow, 0.f, 1.f},
    {"smoothing", &Brush::smoothing, 0.f, 1.f},
    {"steep", &Brush::steep, 1.f, 180.f},
};
struct BrushSwitch {
    const char* key;
    bool Brush::*member;
};
constexpr BrushSwitch brush_switches[] = {{"in_scene", &Brush::in_scene},
                                          {"pressure_size", &Brush::pressure_size},
                                          {"pressure_flow", &Brush::pressure_flow},
                                          {"tilt_turns", &Brush::tilt_turns},
                                          {"through", &Brush::through}};

template <size_t n> int word(const Json& j, const char* key, const char* const (&words)[n]) {
    if (j.contains(key) && j[key].is_string())
        for (size_t i = 0; i < n; ++i)
            if (j[key].template get<std::string>() == words[i]) return int(i);
    return 0;
}

}  // namespace

std::vector<StockBrush> load_brushes(const fs::path& file, std::vector<Error>& problems) {
    std::vector<StockBrush> out;
    std::error_code ec;
    if (!fs::exists(file, ec)) return out;
    const auto text = read_file(file, most_text_bytes);
    auto json = text ? parse_json<Json>(*text) : Result<Json>(text.error());
    if (!json || !json->is_array()) {
        problems.push_back({"Brushes of one's own cannot be read", file.string(), json ? "" : json.error().place,
                            json ? "a list is expected" : json.error().why, "Correct the file, or take it away"});
        return out;
    }
    size_t at = 0;
    for (const Json& j : *json) {
        ++at;
        if (!j.is_object() || !j.contains("name") || !j["name"].is_string()) {
            problems.push_back({"A brush of one's own is left out", file.string(), "entry " + std::to_string(at),
                                "it is no object { } with a name", "Correct the file, or take the entry away"});
            continue;
        }
        StockBrush s;
        s.brush.name = s.brush.id = j["name"].get<std::string>();
        s.brush.mode = Mode(word(j, "mode", mode_words));
        s.brush.turning = Turning(word(j, "turning", turning_words));
        for (const BrushNumber& n : brush_numbers)
            if (j.contains(n.key) && j[n.key].is_number() && std::isfinite(j[n.key].get<double>()))
                s.brush.*n.member = std::clamp(float(j[n.key].get<double>()), n.low, n.high);
        for (const BrushSwitch& b : brush_switches)
            if (j.contains(b.key) && j[b.key].is_boolean()) s.brush.*b.member = j[b.key].get<bool>();
        if (j.contains("tips") && j["tips"].is_array())
            for (const Json& t : j["tips"])
                if (t.is_string()) s.tips.push_back(t.get<std::string>());
        if (j.contains("pictures") && j["pictures"].is_array())
            for (const Json& t : j["pictures"])
                if (auto picture = tip_read(t)) s.brush.tips.push_back(std::move(picture));
        out.push_back(std::move(s));
    }
    return out;
}

Status save_brushes(const fs::path& file, const std::vector<StockBrush>& brushes) {
    Json list = Json::array();
    for (const StockBrush& s : brushes) {
        Json j{{"name", s.brush.name},
               {"mode", mode_words[size_t(s.brush.mode)]},
               {"turning", turning_words[size_t(s.brush.turning)]}};
        for (const BrushNumber& n : brush_numbers) j[n.key] = s.brush.*n.member;
        for (const BrushSwitch& b : brush_switches) j[b.key] = s.brush.*b.member;
        j["tips"] = s.tips;
        for (const auto& t : s.brush.tips)
            j["pictures"].push_back({{"name", t->name()}, {"size", t->size()}, {"values", written(*t)}});
        list.push_back(std::move(j));
    }
    std::error_code ec;
    fs::create_directories(file.parent_path(), ec);
    return write_file_atomically(file, json_text(list));
}

}  // namespace vemtra::paint
