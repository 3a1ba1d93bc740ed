#include "app/status_line.h"

#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QStatusBar>

namespace vemtra::app {

StatusLine::StatusLine(Workbench& bench, QStatusBar* bar) : QObject(bar), bench_(bench) {
    bar->setSizeGripEnabled(false);
    samples_ = cell(bar, 96,
                    "Samples per pixel so far, of those asked for. The live picture clamps single bright indirect "
                    "samples, caustics among them, at preview_clamp; written pictures do not");
    noise_ = cell(bar, 80, "Mean relative error of the picture");
    rays_ = cell(bar, 96, "Rays followed per second");
    memory_ = cell(bar, 94, "Memory that Vemtra holds");
    relief_ = cell(bar, 0, "Heights of layers are not all in the picture (E, Shift+E)");
    relief_->hide();
    findings_ = new QPushButton;
    findings_->setToolTip("What the checks noticed");
    findings_->setFlat(true);
    connect(findings_, &QPushButton::clicked, this, &StatusLine::findings_wanted);
    bar->addWidget(findings_);
    message_ = new QLabel;
    message_->setObjectName("message");
    bar->addWidget(message_, 1);
    activity_ = new QLabel;
    progress_ = new QProgressBar;
    progress_->setFixedWidth(120);
    progress_->setTextVisible(false);
    progress_->setRange(0, 1000);
    stop_ = new QPushButton("Stop");
    connect(stop_, &QPushButton::clicked, this, [this] { bench_.jobs().stop(); });
    bar->addPermanentWidget(activity_);
    bar->addPermanentWidget(progress_);
    bar->addPermanentWidget(stop_);
}

QLabel* StatusLine::cell(QStatusBar* bar, int width, const QString& help) {
    auto* l = new QLabel;
    l->setMinimumWidth(width);
    l->setToolTip(help);
    bar->addWidget(l);
    return l;
}

void StatusLine::say(const QString& text) {
    message_->setText(text);
}

void StatusLine::refresh() {
    refresh_picture();
    memory_->setText(QString("%1 MB").arg(bench_.memory() >> 20));
    const size_t n = bench_.findings().size();
    findings_->setText(n == 1 ? "1 finding" : QString("%1 findings").arg(n));
    const render::Relief relief = bench_.showing().live().relief;
    relief_->setText(relief == render::Relief::off ? "no relief" : "quick relief");
    relief_->setVisible(relief != render::Relief::full);
    refresh_work();
}

void StatusLine::refresh_picture() {
    const auto image = bench_.image();
    if (!image || bench_.scene().parts.empty()) {
        samples_->setText("no asset");
        noise_->clear();
        rays_->clear();
        return;
    }
    samples_->setText(image->coarse > 1
                          ? "first picture"
                          : QString("%1 / %2 samples").arg(image->samples).arg(bench_.scene().render.samples));
    noise_->setText(image->samples > 1 ? QString("noise %1 %").arg(double(image->noise) * 100, 0, 'f', 1) : "noise -");
    rays_->setText(QString("%1 M rays/s").arg(image->rays_per_second / 1e6, 0, 'f', 1));
}

// A job of the window comes first, then the session's, then maps that are being prepared.
void StatusLine::refresh_work() {
    const QString session = QString::fromStdString(bench_.session().activity());
    const auto maps = bench_.workshop().textures()->maps().state();
    const bool job = bench_.jobs().busy();
    const bool preparing = !job && session.isEmpty() && maps.wanted > maps.done;
    QString text = session;
    QString help;
    float fraction = bench_.session().fraction();
    if (job) {
        text = bench_.jobs().text();
        fraction = bench_.jobs().fraction();
    } else if (preparing) {
        text = QString("Preparing maps, %1 of %2").arg(maps.done + 1).arg(maps.wanted);
        help = "Maps are made ready on disk, tiled and in all sizes; the picture reads the originals until then";
        fraction = float(maps.done) / float(maps.wanted);
    }
    activity_->setText(text);
    activity_->setToolTip(help);
    progress_->setVisible(job || preparing || !session.isEmpty());
    progress_->setValue(int(1000 * fraction));
    stop_->setVisible(job);
}

}  // namespace vemtra::app
