// A colour: swatch, linear values, sRGB hex, hue/saturation/value, and a pick from the picture. The value is linear
// Rec.709.
#pragma once
#include <QWidget>

#include "app/workbench.h"

class QLineEdit;

namespace vemtra::app {

class ValueField;

class ColorEditor : public QWidget {
    Q_OBJECT
public:
    ColorEditor(Workbench& bench, V3f reset, QWidget* parent = nullptr);
    void set_color(const V3f& linear);
    V3f color() const { return color_; }

Q_SIGNALS:
    void moved(vemtra::V3f linear);
    void settled();

private:
    void change(const V3f& linear);
    void show_values();
    Workbench& bench_;
    V3f color_{0.f}, reset_;
    QWidget* make_values();
    class Swatch;
    Swatch* swatch_;
    QWidget* values_ = nullptr;
    ValueField* linear_[3] = {};
    ValueField* hsv_[3] = {};
    QLineEdit* hex_;
};

}  // namespace vemtra::app
