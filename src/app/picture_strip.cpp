#include "app/picture_strip.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QToolButton>

#include "app/detail/value_field.h"
#include "app/view/render_view.h"
#include "scene/edits.h"

namespace vemtra::app {

PictureStrip::PictureStrip(Workbench& bench, RenderView& view, QWidget* parent)
    : QWidget(parent), bench_(bench), view_(view), row_(new QHBoxLayout(this)) {
    row_->setContentsMargins(6, 3, 6, 3);
    row_->setSpacing(3);
    add_camera();
    add_display();
    for (ValueField* f : {focal_, exposure_}) connect(f, &ValueField::settled, this, [this] { bench_.end_merge(); });
    row_->addStretch();
    add_rendering();
}

QComboBox* PictureStrip::combo(const QString& help, int width) {
    auto* c = new QComboBox;
    c->setToolTip(help);
    c->setFixedWidth(width);
    row_->addWidget(c);
    return c;
}

QToolButton* PictureStrip::button(const QString& text, const QString& help, bool checkable) {
    auto* b = new QToolButton;
    b->setText(text);
    b->setToolTip(help);
    b->setCheckable(checkable);
    row_->addWidget(b);
    return b;
}

void PictureStrip::add_camera() {
    camera_ = combo("Camera", 92);
    connect(camera_, &QComboBox::activated, this, &PictureStrip::choose_camera);
    focal_ = new ValueField({12.f, 200.f, 50.f, false, false, "mm"});
    focal_->setFixedWidth(62);
    focal_->setToolTip("Focal length on a sensor 36 mm wide");
    row_->addWidget(focal_);
    connect(focal_, &ValueField::moved, this, [this](float v) {
        auto set = [v](scene::Scene& s) {
            const scene::Camera* active = scene::active_camera(s);
            if (active) scene::find(s.cameras, active->id)->focal_length = std::clamp(v, 1.f, 5000.f);
        };
        bench_.edit("Focal length", set, "focal");
    });
}

void PictureStrip::choose_camera(int row) {
    const std::string id = camera_->itemData(row).toString().toStdString();
    if (!id.empty()) return bench_.edit("Choose camera", [&](scene::Scene& s) { s.camera = id; });
    bench_.edit("Keep camera", [](scene::Scene& s) {
        const scene::Camera* now = scene::active_camera(s);
        if (!now) return;
        scene::Camera copy = *now;
        copy.name = "Camera " + std::to_string(s.cameras.size() + 1);
        copy.id = scene::FreshIds(scene::ids_of(s.cameras)).take(scene::stem_of(copy.name));
        s.camera = copy.id;
        s.cameras.push_back(copy);
    });
}

void PictureStrip::add_display() {
    shown_ = combo("What the picture shows", 88);
    for (const render::ViewKind& v : render::views()) shown_->addItem(QString(v.title).remove('&'));
    connect(shown_, &QComboBox::activated, this, &PictureStrip::choose_view);
    look_ = combo("How light becomes screen colour: filmic (ACES), plain sRGB, or raw numbers", 70);
    look_->addItems({"filmic", "srgb", "raw"});
    connect(look_, &QComboBox::activated, this, [this](int i) {
        bench_.edit("Display view", [&](scene::Scene& s) { s.display.view = texture::display_views()[size_t(i)]; });
    });
    exposure_ = new ValueField({-6.f, 6.f, 0.f, false, false, "stops"});
    exposure_->setFixedWidth(72);
    exposure_->setToolTip("Exposure of the display; the render is not touched");
    row_->addWidget(exposure_);
    connect(exposure_, &ValueField::moved, this, [this](float v) {
        auto set = [v](scene::Scene& s) { s.display.exposure = std::clamp(v, -32.f, 32.f); };
        bench_.edit("Exposure", set, "exposure");
    });
}

void PictureStrip::choose_view(int row) {
    if (row != int(render::View::node)) return bench_.showing().show_view(render::View(row));
    if (!bench_.selection().node.empty()) return bench_.showing().show_node(bench_.selection().node);
    Q_EMIT hint("Choose a tile on the board first, then show it");
    refresh();
}

void PictureStrip::add_rendering() {
    region_ = button("Region", "Render only a part of the picture (R)", true);
    connect(region_, &QToolButton::clicked, this, [this] { view_.start_region(); });
    hold_ = button("Hold", "Stop and go on (H)", true);
    connect(hold_, &QToolButton::clicked, this, [this](bool on) {
        bench_.showing().set_hold(on);
        view_.update();
    });
    denoise_ = button("Smooth", "Denoise the preview, guided by form and colour", true);
    denoise_->setChecked(true);
    connect(denoise_, &QToolButton::clicked, &bench_, [this](bool on) { bench_.showing().set_denoise(on); });
    scale_ = combo("Share of the pixels that are rendered", 70);
    for (int percent : {25, 50, 100}) scale_->addItem(QString("%1 %").arg(percent), percent);
    scale_->setCurrentIndex(2);
    connect(scale_, &QComboBox::activated, this,
            [this](int i) { bench_.showing().set_scale(scale_->itemData(i).toInt()); });
    auto* keep = button("Keep", "Keep this picture as a snapshot (K)", false);
    connect(keep, &QToolButton::clicked, this, [this] { bench_.kept_pictures().keep_picture(); });
}

void PictureStrip::refresh() {
    const scene::Scene& s = bench_.scene();
    camera_->blockSignals(true);
    camera_->clear();
    const scene::Camera* active = scene::active_camera(s);
    for (const auto& c : s.cameras) {
        camera_->addItem(QString::fromStdString(c.name), QString::fromStdString(c.id));
        if (&c == active) camera_->setCurrentIndex(camera_->count() - 1);
    }
    camera_->addItem("Keep as new");
    if (!active) camera_->setCurrentIndex(-1);
    camera_->blockSignals(false);
    camera_->setEnabled(active);
    if (active) focal_->set_value(active->focal_length);
    exposure_->set_value(s.display.exposure);
    for (size_t i = 0; i < texture::display_views().size(); ++i)
        if (texture::display_views()[i] == s.display.view) look_->setCurrentIndex(int(i));
    shown_->setCurrentIndex(int(bench_.showing().live().view));
    hold_->setChecked(bench_.showing().live().hold);
}

void PictureStrip::refresh_region() {
    region_->setChecked(view_.marking_region() || bench_.showing().has_region());
}

}  // namespace vemtra::app
