#include "app/detail/color_editor.h"

#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPointer>
#include <QPushButton>

#include "app/detail/value_field.h"
#include "app/theme/theme.h"

namespace vemtra::app {

ColorEditor::ColorEditor(Workbench& bench, V3f reset, QWidget* parent) : QWidget(parent), bench_(bench), reset_(reset) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(3);
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    swatch_ = new QPushButton;
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
    folded_ = new QWidget;
    auto* grid = new QGridLayout(folded_);
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
    folded_->hide();
    all->addWidget(folded_);
    connect(swatch_, &QPushButton::toggled, folded_, &QWidget::setVisible);
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

void ColorEditor::set_color(const V3f& linear) {
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
    swatch_->setStyleSheet(
        QString("QPushButton{background:%1;border:1px solid %2;border-radius:3px}").arg(q.name(), theme().line.name()));
    hex_->setText(q.name());
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
