#include "review/height_source.h"

#include <algorithm>
#include <cmath>

#include "nodes/slot_names.h"
#include "review/finding.h"

namespace vemtra::review {
namespace {

constexpr size_t stretch_texels = 64;
constexpr int rows_looked_at = 96;

std::vector<size_t> counted(const texture::HeightTile& t) {
    std::vector<size_t> counts(65536, 0);
    const size_t n = size_t(t.width()) * size_t(t.height());
    for (size_t k = 0; k < n; ++k) ++counts[t.codes()[k]];
    return counts;
}

/// The code below which that share of the texels lies.
size_t code_at(const std::vector<size_t>& counts, size_t all, double share) {
    double sum = 0;
    for (size_t c = 0; c < counts.size(); ++c)
        if ((sum += double(counts[c])) > share * double(all)) return c;
    return counts.size() - 1;
}

/// The middle of the fullest run of 256 codes.
size_t fullest(const std::vector<size_t>& counts) {
    constexpr size_t wide = 256;
    size_t sum = 0;
    size_t best = 0;
    size_t most = 0;
    for (size_t c = 0; c < counts.size(); ++c) {
        sum += counts[c];
        if (c >= wide) sum -= counts[c - wide];
        if (sum > most) most = sum, best = c;
    }
    // Within it, where its texels have their mean: a single value stays what it is.
    double mean = 0;
    for (size_t c = best + 1 > wide ? best + 1 - wide : 0; c <= best; ++c) mean += double(c) * double(counts[c]);
    return most ? size_t(mean / double(most) + .5) : 0;
}

void find_stretch(const texture::HeightTile& t, HeightSource& out) {
    const size_t n = std::min<size_t>(stretch_texels, size_t(t.width()));
    const float enough = 2.5f * out.step(8);
    float best = -1.f;
    bool crosses = false;
    std::vector<float> here(n);
    for (int r = 0; r < std::min(rows_looked_at, t.height()); ++r) {
        const int y = int(size_t(r) * size_t(t.height()) / size_t(std::min(rows_looked_at, t.height())));
        for (size_t x = 0; x + n <= size_t(t.width()); x += n) {
            for (size_t k = 0; k < n; ++k) here[k] = t.value(t.code(int(x + k), y));
            const auto [lo, hi] = std::minmax_element(here.begin(), here.end());
            const float rise = *hi - *lo;
            const bool does = rise >= enough;
            if (does ? (!crosses || rise < best) : (!crosses && rise > best)) {
                best = rise;
                crosses |= does;
                out.stretch = here;
            }
        }
    }
}

}  // namespace

float HeightSource::at_8_bits(float value) const {
    const float s = step(8);
    return s > 0.f ? range.x + s * std::round((std::clamp(value, range.x, range.y) - range.x) / s) : value;
}

HeightSource height_source(const texture::HeightTile& t) {
    HeightSource out;
    const std::vector<size_t> counts = counted(t);
    const size_t all = size_t(t.width()) * size_t(t.height());
    out.range = V2f(t.value(0), t.value(65535));
    const size_t first = code_at(counts, all, .001);
    const size_t last = std::max(first, code_at(counts, all, .999));
    out.ends = V2f(t.value(uint16_t(first)), t.value(uint16_t(last)));
    out.commonest = std::clamp(t.value(uint16_t(fullest(counts))), out.ends.x, out.ends.y);
    float before = 0.f;
    for (size_t c = first; c <= last; ++c) {
        if (!counts[c]) continue;
        const float coarse = out.at_8_bits(t.value(uint16_t(c)));
        out.levels_8 += out.levels == 0 || coarse != before;
        before = coarse;
        ++out.levels;
    }
    Histogram& h = out.values;
    h.smallest = t.value(t.lowest());
    h.largest = t.value(t.highest());
    h.low = std::min(0.f, h.smallest);
    h.high = std::max(1.f, h.largest);
    h.points = all;
    for (size_t c = 0; c < counts.size(); ++c) {
        if (!counts[c]) continue;
        const float at = (t.value(uint16_t(c)) - h.low) / (h.high - h.low) * float(Histogram::bins);
        h.share[size_t(std::clamp(int(at), 0, Histogram::bins - 1))] += float(double(counts[c]) / double(all));
    }
    find_stretch(t, out);
    return out;
}

const HeightSource* Remembered::heights(const fs::path& file, const std::string& channel, render::Workshop& workshop,
                                        Progress* progress) {
    std::error_code none;
    const fs::file_time_type time = fs::last_write_time(file, none);
    if (none) return nullptr;
    const std::string key = file.string() + "|" + channel;
    if (const auto it = heights_.find(key); it != heights_.end() && it->second.time == time) return &it->second.source;
    const auto tile = workshop.heights(file, channel, progress);
    if (!tile || stopped(progress)) return nullptr;
    return &heights_.insert_or_assign(key, KnownHeights{time, height_source(**tile)}).first->second.source;
}

std::map<std::string, HeightSource> height_sources(const render::Prepared& prepared, const std::string& build_up,
                                                   render::Workshop& workshop, const Paths& paths,
                                                   Remembered& remembered, Progress* progress) {
    std::map<std::string, HeightSource> out;
    for (const WiredMap& m : wired_maps(prepared, *workshop.textures(), paths, remembered)) {
        if (m.build_up->id != build_up) continue;
        for (const scene::LayerEnd& e : m.ends) {
            if (!e.straight || e.slot != nodes::slot::height) continue;
            const HeightSource* source =
                remembered.heights(m.files.front().second, m.request.channel, workshop, progress);
            if (!source) continue;
            HeightSource& here = out[e.layer] = *source;
            here.file = m.path.filename().string();
            here.bits = m.header.bits;
            here.floating = m.header.floating;
        }
    }
    return out;
}

void take_range(scene::Layer& layer, const HeightSource& source) {
    namespace slot = nodes::slot;
    layer.surface[slot::height_low].value = source.ends.x;
    layer.surface[slot::height_high].value = source.ends.y;
    layer.surface[slot::height_neutral].value = source.commonest;
}

}  // namespace vemtra::review
