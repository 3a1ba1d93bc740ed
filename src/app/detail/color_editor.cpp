#include "app/detail/color_editor.h"

#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPointer>
#include <QPushButton>

#include "app/detail/value_field.h"
#include "app/theme/theme.h"

namespace vemtra::app {

/// Painted rather than styled: a style sheet of its own would be read anew with every colour.
class ColorEditor::Swatch : public QPushButton {
public:
    void show_color(const QColor& c) {
        color_ = c;
        update();
    }

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        p.setRenderHint(QPainter::Antialiasing);
        p.setBrush(color_);
        p.setPen(underMouse() || hasFocus() ? theme().accent : theme().line);
        p.drawRoundedRect(QRectF(rect()).adjusted(.5, .5, -.5, -.5), 3, 3);
    }

private:
    QColor color_;
};

ColorEditor::ColorEditor(Workbench& bench, V3f reset, QWidget* parent) : QWidget(parent), bench_(bench), reset_(reset) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(3);
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    swatch_ = new Swatch;
    swatch_->setCheckable(true);
    swatch_->setFixedHeight(22);
    swatch_->setToolTip("Shows the values of the colour");
    auto* pick = new QPushButton("Pick");
    pick->setToolTip("Take the colour from the picture");
    hex_ = new QLineEdit;
    hex_->setToolTip("sRGB, 8 bit, as #rrggbb");
    hex_->setFixedWidth(76);
    row->addWidget(swatch_, 1);
    row->addWidget(hex_);
    row->addWidget(pick);
    all->addLayout(row);
    connect(swatch_, &QPushButton::toggled, this, [this, all](bool open) {
        if (!values_ && open) {
            values_ = make_values();
            all->addWidget(values_);
            show_values();
        }
        if (values_) values_->setVisible(open);
    });
    connect(pick, &QPushButton::clicked, this, [this] {
        QPointer<ColorEditor> self = this;
        bench_.picking().pick_color([self](V3f c) {
            if (!self) return;
            self->change({std::max(0.f, c.x), std::max(0.f, c.y), std::max(0.f, c.z)});
            Q_EMIT self->settled();
        });
    });
    connect(hex_, &QLineEdit::editingFinished, this, [this] {
        const QColor q(hex_->text().startsWith('#') ? hex_->text() : "#" + hex_->text());
        if (!q.isValid() || q.name() == swatch(color_).name()) return show_values();
        change({srgb_to_linear(float(q.redF())), srgb_to_linear(float(q.greenF())), srgb_to_linear(float(q.blueF()))});
        Q_EMIT settled();
    });
    set_color(reset);
}

/// Its numbers, made when they are first looked at.
QWidget* ColorEditor::make_values() {
    auto* values = new QWidget(this);
    auto* grid = new QGridLayout(values);
    grid->setContentsMargins(0, 0, 0, 2);
    grid->setSpacing(3);
    grid->addWidget(new QLabel("linear"), 0, 0);
    grid->addWidget(new QLabel("HSV"), 1, 0);
    for (int c = 0; c < 3; ++c) {
        linear_[c] = new ValueField({.low = 0.f, .high = 1.f, .reset = reset_[c]});
        linear_[c]->setToolTip(QString("Linear Rec.709 %1").arg("RGB"[c]));
        grid->addWidget(linear_[c], 0, c + 1);
        connect(linear_[c], &ValueField::moved, this, [this, c](float v) {
            V3f next = color_;
            next[c] = std::max(0.f, v);
            change(next);
        });
        hsv_[c] = new ValueField({.low = 0.f, .high = 1.f, .reset = c == 2 ? 1.f : 0.f, .hard = true});
        hsv_[c]->setToolTip(
            QStringList{"Hue of the sRGB colour", "Saturation of the sRGB colour", "Value of the sRGB colour"}[c]);
        grid->addWidget(hsv_[c], 1, c + 1);
        connect(hsv_[c], &ValueField::moved, this, [this](float) {
            const QColor q = QColor::fromHsvF(std::min(hsv_[0]->value(), .9999f), hsv_[1]->value(), hsv_[2]->value());
            change(
                {srgb_to_linear(float(q.redF())), srgb_to_linear(float(q.greenF())), srgb_to_linear(float(q.blueF()))});
        });
        connect(linear_[c], &ValueField::settled, this, &ColorEditor::settled);
        connect(hsv_[c], &ValueField::settled, this, &ColorEditor::settled);
    }
    return values;
}

void ColorEditor::set_color(const V3f& linear) {
    if (linear == color_ && !hex_->text().isEmpty()) return;
    color_ = linear;
    show_values();
}
void ColorEditor::change(const V3f& linear) {
    if (linear == color_) return;
    color_ = linear;
    show_values();
    Q_EMIT moved(linear);
}
void ColorEditor::show_values() {
    const QColor q = swatch(color_);
    swatch_->show_color(q);
    hex_->setText(q.name());
    if (!values_) return;
    for (int c = 0; c < 3; ++c) linear_[c]->set_value(color_[c]);
    float h;
    float s;
    float v;
    q.getHsvF(&h, &s, &v);
    if (!hsv_[0]->hasFocus() && !hsv_[1]->hasFocus() &&
        !hsv_[2]->hasFocus()) {  // grey has no hue: do not lose it while dragging
        hsv_[0]->set_value(std::max(0.f, h));
        hsv_[1]->set_value(s);
        hsv_[2]->set_value(v);
    }
}

}  // namespace vemtra::app
