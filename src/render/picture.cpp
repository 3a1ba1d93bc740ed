#include "render/picture.h"

#include "render/denoise.h"
#include "render/regression.h"

#include <OpenImageIO/imageio.h>

#include <map>
#include <mutex>

#include "base/text.h"
#include "texture/write_image.h"

namespace vemtra::render {

PictureSettings picture_settings(const scene::Scene& scene) {
    return {.width = scene.render.width,
            .height = scene.render.height,
            .samples = scene.render.samples,
            .seed = uint32_t(scene.render.seed),
            .regression = scene.render.smooth};
}

FrameSettings frame_settings(const scene::Scene& scene, const PictureSettings& s) {
    FrameSettings f;
    f.width = s.width;
    f.height = s.height;
    f.region = s.region;
    f.view = s.view;
    f.seed = s.seed;
    f.depth = scene.render.depth;
    f.noise = scene.render.noise;
    if (s.reference) f.softening = 0.f, f.reweighs = false;
    f.clamp = s.preview_clamp ? scene.render.preview_clamp : scene.render.clamp;
    return f;
}

Result<Film> render_picture(const Prepared& prepared, const PictureSettings& settings, Progress* progress) {
    FrameSettings frame = frame_settings(*prepared.scene, settings);
    const PixelRect wanted = frame.region;
    const bool part = wanted.x1 > wanted.x0;
    if (part && frame.reweighs)  // what is believed of a pixel depends on those around it
        frame.region = {std::max(0, wanted.x0 - 1), std::max(0, wanted.y0 - 1), std::min(frame.width, wanted.x1 + 1),
                        std::min(frame.height, wanted.y1 + 1)};
    Film film(settings.width, settings.height, prepared.rig.groups.size(),
              settings.coverage ? prepared.layers.size() : 0);
    const bool smooths = settings.regression && !settings.reference && info(settings.view).lit;
    if (smooths) film.keep_halves();
    const float rendering = smooths ? .85f : 1.f;  // of the time, about
    static std::atomic<bool> never{false};
    const std::atomic<bool>* stop = progress ? &progress->stop : &never;
    for (int s = 0; s < settings.samples; ++s) {
        if (!render_samples(prepared, frame, uint32_t(s), uint32_t(s + 1), film, nullptr, stop, nullptr))
            return Error{"Rendering stopped", "", "", "it was asked to stop after " + std::to_string(s) + " samples",
                         ""};
        if (frame.noise > 0.f &&
            std::all_of(film.finished.begin(), film.finished.end(), [](uint8_t done) { return done; }))
            break;
        report(progress, rendering * float(s + 1) / float(settings.samples));
    }
    film.settle();
    if (smooths && settings.samples > 1) {
        if (!smooth_by_regression(film, group_gains(prepared, *prepared.scene), progress, rendering))
            return Error{"Rendering stopped", "", "", "it was asked to stop while the picture was smoothed", ""};
        report(progress, 1.f);
    }
    if (part) film.keep_only(wanted);  // more was rendered
    return film;
}

namespace {

void describe(OIIO::ImageSpec& spec, const PictureSettings& s, const PictureInfo& info) {
    spec.attribute("Software", "Vemtra " VEMTRA_VERSION);
    spec.attribute("vemtra:samples", s.samples);
    spec.attribute("vemtra:seed", int(s.seed));
    spec.attribute("vemtra:project", info.project);
    spec.attribute("vemtra:seconds", float(info.seconds));
    spec.attribute("vemtra:view", view_name(s.view));
}

}  // namespace

namespace {
/// What wears no build-up counts as one layer of that name.
std::string coverage_channel(const LayerId& id) {
    return id.build_up.empty() ? "coverage.none" : "coverage." + id.build_up + "." + id.layer;
}
}  // namespace

Status write_exr(const Prepared& prepared, const Film& film, const PictureSettings& settings, const PictureInfo& info,
                 const fs::path& file) {
    std::vector<V3f> beauty;
    const std::vector<V3f> gains = group_gains(prepared, *prepared.scene);
    film.resolve(gains, beauty);
    std::vector<std::string> names{"R",        "G",        "B",        "A",        "albedo.R", "albedo.G",
                                   "albedo.B", "normal.X", "normal.Y", "normal.Z", "depth.Z"};
    for (size_t g = 1; g < prepared.rig.groups.size(); ++g)
        for (const char* c : {".R", ".G", ".B"}) names.push_back("light." + prepared.rig.groups[g] + c);
    if (film.smoothing) names.push_back("error.Y");
    for (size_t l = 0; l < film.coverage.size(); ++l) names.push_back(coverage_channel(prepared.layers[l]));
    const size_t channels = names.size();
    const size_t pixels = film.samples.size();
    std::vector<float> data(pixels * channels);
    for (size_t p = 0; p < pixels; ++p) {
        float* to = &data[p * channels];
        const float n = 1.f / float(std::max(1u, film.samples[p]));
        const float a = film.alpha[p] > 0.f ? 1.f / film.alpha[p] : 0.f;
        const V3f normal = film.normal[p].length() > 0.f ? film.normal[p].normalized() : V3f(0.f);
        const float head[] = {
            beauty[p].x,          beauty[p].y,          beauty[p].z, film.alpha[p] * n, film.albedo[p].x * n,
            film.albedo[p].y * n, film.albedo[p].z * n, normal.x,    normal.y,          normal.z,
            film.depth[p] * a};
        std::copy(std::begin(head), std::end(head), to);
        to += 11;
        const float believed = film.trust(int(p) % film.width, int(p) / film.width);
        for (size_t g = 1; g < film.light.size(); ++g)
            for (int c = 0; c < 3; ++c) *to++ = film.light[g][p][c] * believed * gains[g][c] * n;
        if (film.smoothing) *to++ = film.smoothing->error[p];
        for (const auto& layer : film.coverage) *to++ = layer[p] * n;
    }
    OIIO::ImageSpec spec(film.width, film.height, int(channels), OIIO::TypeDesc::FLOAT);
    spec.channelnames = names;
    spec.alpha_channel = 3;
    spec.attribute("compression", "zip");
    spec.attribute("oiio:ColorSpace", "lin_rec709");
    describe(spec, settings, info);
    if (film.smoothing) {
        spec.attribute("vemtra:noise_before_smoothing", film.smoothing->noise_before);
        spec.attribute("vemtra:error_after_smoothing", film.smoothing->error_after);
    }
    if (settings.region.x1 > settings.region.x0)
        spec.attribute("vemtra:region", std::to_string(settings.region.x0) + "," + std::to_string(settings.region.y0) +
                                            "," + std::to_string(settings.region.x1) + "," +
                                            std::to_string(settings.region.y1));
    return texture::write_image(file, spec, OIIO::TypeDesc::FLOAT, data.data());
}

Result<std::vector<uint8_t>> displayed(const std::vector<V3f>& linear, View view, const scene::Display& display) {
    static std::mutex mutex;
    static std::map<std::string, std::shared_ptr<const texture::DisplayTransform>> made;
    const bool as_data = !info(view).lit;
    const std::string name = as_data || (view == View::clay && display.view == "filmic") ? "srgb" : display.view;
    std::shared_ptr<const texture::DisplayTransform> transform;
    {
        std::lock_guard lock(mutex);
        transform = made[name];
        if (!transform) {
            auto t = texture::DisplayTransform::make(name);
            if (!t) return t.error();
            transform = made[name] = *t;
        }
    }
    std::vector<uint8_t> rgba(linear.size() * 4);
    transform->apply(linear.data(), linear.size(), as_data ? 0.f : display.exposure, rgba.data());
    return rgba;
}

Status write_png(const Prepared& prepared, const Film& film, const PictureSettings& settings, const PictureInfo& info,
                 const fs::path& file) {
    std::vector<V3f> beauty;
    film.resolve(group_gains(prepared, *prepared.scene), beauty);
    if (settings.smooth) denoise(film, beauty);
    auto rgba = displayed(beauty, settings.view, prepared.scene->display);
    if (!rgba) return rgba.error();
    for (size_t p = 0; p < beauty.size(); ++p) std::copy_n(&(*rgba)[4 * p], 3, &(*rgba)[3 * p]);
    OIIO::ImageSpec spec(film.width, film.height, 3, OIIO::TypeDesc::UINT8);
    spec.attribute("oiio:ColorSpace", "sRGB");
    describe(spec, settings, info);
    return texture::write_image(file, spec, OIIO::TypeDesc::UINT8, rgba->data());
}

// The register: one line per format.
const std::vector<PictureFormat>& picture_formats() {
    static const std::vector<PictureFormat> all = {
        {"OpenEXR", ".exr", write_exr},
        {"PNG", ".png", write_png},
    };
    return all;
}
const PictureFormat* picture_format_of(const fs::path& file) {
    const std::string extension = lower(file.extension().string());
    for (const PictureFormat& f : picture_formats())
        if (extension == f.extension) return &f;
    return nullptr;
}
std::string picture_extensions() {
    std::string text;
    for (size_t i = 0; i < picture_formats().size(); ++i)
        text += (i == 0                              ? ""
                 : i + 1 == picture_formats().size() ? " or "
                                                     : ", ") +
                std::string(picture_formats()[i].extension);
    return text;
}

Status write_picture(const Prepared& prepared, const Film& film, const PictureSettings& settings,
                     const PictureInfo& info, const fs::path& file) {
    if (const PictureFormat* format = picture_format_of(file))
        return format->write(prepared, film, settings, info, file);
    return Error{"Cannot write the picture", file.string(), "",
                 "the extension '" + file.extension().string() + "' is not one that Vemtra writes",
                 "Use " + picture_extensions()};
}

}  // namespace vemtra::render
