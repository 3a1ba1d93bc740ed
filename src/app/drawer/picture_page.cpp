#include <QScrollArea>
#include <QVBoxLayout>

#include "app/detail/form.h"
#include "app/drawer/drawer.h"

namespace vemtra::app {
namespace {

using scene::RenderSettings;
using scene::Scene;

/// How far the live render goes, and what written pictures are made with.
class PicturePage : public QWidget {
public:
    explicit PicturePage(Workbench& bench) {
        auto* box = new QVBoxLayout(this);
        box->setContentsMargins(6, 6, 6, 6);
        auto* area = new QScrollArea;
        area->setWidgetResizable(true);
        area->setFrameShape(QFrame::NoFrame);
        form_ = new Form(bench);
        form_->setObjectName("picture-settings");
        whole("width", "Pixels of a written picture.", {16, 16384, 1280, true, true, "px"}, &RenderSettings::width);
        whole("height", "Pixels of a written picture.", {16, 16384, 800, true, true, "px"}, &RenderSettings::height);
        whole("samples", "Samples per pixel at most.", {1, 4096, 256, true, true}, &RenderSettings::samples);
        number("noise",
               "A part of the picture is done once its relative error is below this, and the time goes to the rest; 0: "
               "every pixel gets all samples.",
               {0.f, .1f, 0.f}, &RenderSettings::noise);
        whole("depth", "Surfaces that light may meet on its way. Glass within glass needs more.",
              {1, 64, 6, true, true}, &RenderSettings::depth);
        whole("seed", "Another number gives another noise.", {0, 65535, 0, true, true}, &RenderSettings::seed);
        number("preview clamp",
               "In the window no single indirect sample counts for more: caustics and sparks are dimmed. 0: nothing is "
               "clamped.",
               {0.f, 32.f, 8.f}, &RenderSettings::preview_clamp);
        number("final clamp", "The same in written pictures; 0, as it should be for finals: nothing is clamped.",
               {0.f, 32.f, 0.f}, &RenderSettings::clamp);
        area->setWidget(form_);
        box->addWidget(area);
        connect(&bench, &Workbench::changed, this, [this] {
            if (isVisible()) form_->refresh();
        });
    }

protected:
    void showEvent(QShowEvent*) override { form_->refresh(); }

private:
    void number(const QString& label, const QString& help, NumberRange range, float RenderSettings::*field) {
        form_->number(
            label, help, range, [field](const Scene& s) { return std::optional(s.render.*field); },
            [field](Scene& s, float v) { s.render.*field = std::max(0.f, v); });
    }
    void whole(const QString& label, const QString& help, NumberRange range, int RenderSettings::*field) {
        form_->number(
            label, help, range, [field](const Scene& s) { return std::optional(float(s.render.*field)); },
            [field](Scene& s, float v) { s.render.*field = int(std::lround(v)); });
    }
    Form* form_;
};

}  // namespace

QWidget* make_picture_page(Workbench& bench) {
    return new PicturePage(bench);
}

}  // namespace vemtra::app
