#include "app/bench/measuring.h"

#include "app/board/layout.h"
#include "app/theme/theme.h"
#include "base/parallel.h"

namespace vemtra::app {

Measuring::Measuring(render::LiveSession& session, render::Workshop& workshop, QObject* parent)
    : QObject(parent), session_(session), workshop_(workshop) {
    soon_.setSingleShot(true);
    soon_.setInterval(30);
    connect(&soon_, &QTimer::timeout, this, &Measuring::start);
}

Measuring::~Measuring() {
    stop_.stop = true;
    if (thread_.joinable()) thread_.join();
}

void Measuring::want(const std::string& build_up) {
    const auto image = session_.latest();
    if (busy_ && build_up != wanted_) stop_.stop = true;  // another one is looked at: a long one gives way
    wanted_ = build_up;
    if (image && (image->prepared != measured_of_ || build_up != measured_build_up_) && !soon_.isActive())
        soon_.start();
}

void Measuring::start() {
    const auto image = session_.latest();
    if (!image || busy_ || (image->prepared == measured_of_ && measured_build_up_ == wanted_)) return;
    busy_ = true;
    if (thread_.joinable()) thread_.join();
    stop_.stop = false;
    thread_ = std::thread([this, image, build_up = wanted_] {
        yield_to_window();
        auto result = std::make_shared<Result>(measure(*image, build_up, stop_));
        // What was stopped is a part only: it does not count as measured, so that coming back measures it anew.
        const auto of = stop_.stop ? nullptr : image->prepared;
        QMetaObject::invokeMethod(
            this, [this, result, of, build_up] { take(std::move(*result), of, build_up); }, Qt::QueuedConnection);
    });
}

namespace {
/// At the tile's own size: the board then has nothing to scale.
QImage thumbnail_of(const review::NodeMeasure& m) {
    if (m.picture.empty()) return {};  // measuring was stopped before it
    QImage image(m.width, m.height, QImage::Format_RGB32);
    for (int y = 0; y < m.height; ++y) {
        auto* line = reinterpret_cast<QRgb*>(image.scanLine(y));
        for (int x = 0; x < m.width; ++x) {
            const V3f& c = m.picture[size_t(y) * size_t(m.width) + size_t(x)];
            line[x] = c.x < 0.f ? theme().surround.rgb() : swatch(c).rgb();
        }
    }
    return image.scaled(int(board::tile_width) - 6, int(board::picture_height) - 3, Qt::IgnoreAspectRatio,
                        Qt::SmoothTransformation);
}
}  // namespace

Measuring::Result Measuring::measure(const render::LiveImage& image, const std::string& build_up, Progress& stop) {
    Result out;
    const render::Prepared& p = *image.prepared;
    out.measured = review::measure(p, build_up, &stop);
    for (const auto& [id, m] : out.measured.nodes) out.thumbnails[id] = thumbnail_of(m);
    const Paths paths(image.request.folder, p.scene->search_folders, image.request.blocked);
    out.findings = review::findings(p, *workshop_.textures(), paths, remembered_, &stop);
    out.heights = review::height_sources(p, build_up, workshop_, paths, remembered_, &stop);
    return out;
}

void Measuring::take(Result result, std::shared_ptr<const render::Prepared> of, const std::string& build_up) {
    busy_ = false;
    measured_ = std::move(result.measured);
    findings_ = std::move(result.findings);
    thumbnails_ = std::move(result.thumbnails);
    heights_ = std::move(result.heights);
    measured_of_ = std::move(of);
    measured_build_up_ = build_up;
    Q_EMIT changed();
    want(wanted_);
}

}  // namespace vemtra::app
