// The stock of brushes: each as a short stroke of its own. A click takes it in hand.
#include <QListWidget>
#include <QVBoxLayout>
#include <thread>

#include "app/drawer/drawer.h"
#include "app/theme/theme.h"
#include "base/hash.h"
#include "base/parallel.h"

namespace vemtra::app {
namespace {

constexpr QSize picture_size(132, 40);

/// A stroke across a flat picture, by the same dabs and tips as on a form.
QImage stroke_of(const paint::StockBrush& stock, const QColor& paper, const QColor& ink) {
    const paint::Brush b = stock.ready();
    const int w = picture_size.width();
    const int h = picture_size.height();
    std::vector<float> cover(size_t(w * h), 0.f);
    const float radius = std::clamp(.5f * (b.in_scene ? 60.f : b.size), 5.f, 15.f);
    uint32_t count = 1;
    auto chance = [&] { return float(mix32(count++ * 2654435761u) >> 8) * 0x1p-24f; };
    const float step = std::max(.7f, b.spacing * 2.f * radius);
    for (float x = radius; x < float(w) - radius * .8f; x += step) {
        const float part = x / float(w);
        const float wave = std::sin(part * 5.f);
        float angle = radians(b.angle);
        if (b.turning == paint::Turning::random)
            angle += 2.f * pi * chance();
        else if (b.turning == paint::Turning::along)
            angle += -.25f * std::cos(part * 5.f);
        const float r = radius * (1.f - b.jitter_size * chance());
        const float cx = x + b.jitter_place * radius * (chance() - .5f);
        const float cy = .5f * float(h) - wave * 5.f + b.jitter_place * radius * 1.4f * (chance() - .5f);
        const float flow = b.flow * (1.f - b.jitter_flow * chance());
        const paint::Tip* tip = b.tips.empty() ? nullptr : b.tips[size_t(chance() * float(b.tips.size()))].get();
        const float c = std::cos(angle);
        const float s = std::sin(angle);
        for (int py = std::max(0, int(cy - 2 * r)); py < std::min(h, int(cy + 2 * r) + 1); ++py)
            for (int px = std::max(0, int(cx - 2 * r)); px < std::min(w, int(cx + 2 * r) + 1); ++px) {
                const float dx = (float(px) + .5f - cx) / r;
                const float dy = -(float(py) + .5f - cy) / r;
                const float u = dx * c + dy * s;
                const float v = (dy * c - dx * s) / b.roundness;
                float f = 0.f;
                if (tip) {
                    f = tip->at(u, v, 2.f / r);
                } else {
                    const float t = clamp01((1.f - std::sqrt(u * u + v * v)) / std::max(1.f / r, 1.f - b.hardness));
                    f = t * t * (3.f - 2.f * t);
                }
                float& at = cover[size_t(py) * size_t(w) + size_t(px)];
                at += (1.f - at) * f * flow;
            }
    }
    QImage image(picture_size, QImage::Format_RGB32);
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
            const double a = double(cover[size_t(y) * size_t(w) + size_t(x)]);
            image.setPixelColor(x, y,
                                QColor(int(paper.red() + a * (ink.red() - paper.red())),
                                       int(paper.green() + a * (ink.green() - paper.green())),
                                       int(paper.blue() + a * (ink.blue() - paper.blue()))));
        }
    return image;
}

class BrushesPage : public QWidget {
public:
    explicit BrushesPage(Workbench& bench) : bench_(bench), list_(new QListWidget) {
        auto* box = new QVBoxLayout(this);
        box->setContentsMargins(4, 4, 4, 4);
        list_->setObjectName("brushes");
        list_->setViewMode(QListView::IconMode);
        list_->setIconSize(picture_size);
        list_->setGridSize(picture_size + QSize(14, 26));
        list_->setResizeMode(QListView::Adjust);
        list_->setMovement(QListView::Static);
        list_->setUniformItemSizes(true);
        box->addWidget(list_);
        connect(list_, &QListWidget::itemClicked, this, [this](QListWidgetItem* item) { take(list_->row(item)); });
        connect(&bench_.painter(), &Painter::tool_changed, this, [this] { fill(); });
        fill();
    }
    ~BrushesPage() override { stop(); }

protected:
    void showEvent(QShowEvent* event) override {
        QWidget::showEvent(event);
        draw();
    }

private:
    std::vector<paint::StockBrush> all() const {
        std::vector<paint::StockBrush> both = paint::shipped_brushes();
        const auto& own = bench_.painter().own_brushes();
        both.insert(both.end(), own.begin(), own.end());
        return both;
    }
    void fill() {
        const auto brushes = all();
        if (int(brushes.size()) != list_->count()) {
            stop();
            list_->clear();
            QPixmap blank(picture_size);
            blank.fill(theme().field);
            for (const paint::StockBrush& b : brushes) {
                auto* item = new QListWidgetItem(QIcon(blank), QString::fromStdString(b.brush.name), list_);
                item->setToolTip("Take it in hand");
            }
            drawn_ = false;
            if (isVisible()) draw();
        }
        for (size_t i = 0; i < brushes.size(); ++i)
            if (brushes[i].brush.name == bench_.painter().brush().name) list_->setCurrentRow(int(i));
    }
    /// The strokes take a second or so together: they are drawn beside the window's work, once they are to be seen.
    void draw() {
        if (std::exchange(drawn_, true)) return;
        stop();
        leave_ = false;
        drawer_ = std::thread([this, brushes = all(), paper = theme().field, ink = theme().text] {
            yield_to_window();
            for (size_t i = 0; i < brushes.size() && !leave_; ++i)
                QMetaObject::invokeMethod(
                    this,
                    [this, i, name = brushes[i].brush.name, image = stroke_of(brushes[i], paper, ink)] {
                        QListWidgetItem* item = list_->item(int(i));
                        if (item && item->text().toStdString() == name) item->setIcon(QIcon(QPixmap::fromImage(image)));
                    },
                    Qt::QueuedConnection);
        });
    }
    void stop() {
        leave_ = true;
        if (drawer_.joinable()) drawer_.join();
    }
    void take(int row) {
        const auto brushes = all();
        if (row < 0 || row >= int(brushes.size())) return;
        bench_.painter().change_brush([&](paint::StockBrush& b) { b = brushes[size_t(row)]; });
        if (!bench_.painter().armed()) bench_.painter().arm_selected();
    }

    Workbench& bench_;
    QListWidget* list_;
    bool drawn_ = false;
    std::atomic<bool> leave_{false};
    std::thread drawer_;
};

}  // namespace

QWidget* make_brushes_page(Workbench& bench) {
    return new BrushesPage(bench);
}

}  // namespace vemtra::app
