// What a map of heights holds: how its values are spread, with the limits and the neutral value of the layer on them,
// and a stretch of it as it is and as 8 bits would have it, one over the other.
#pragma once
#include <QWidget>

#include "review/height_source.h"

namespace vemtra::app {

class HeightPlot : public QWidget {
    Q_OBJECT
public:
    explicit HeightPlot(QWidget* parent = nullptr);
    void set_source(const review::HeightSource* source);  ///< null: it is not measured yet
    void set_marks(float low, float high, float neutral, float metres_per_unit);
    QSize sizeHint() const override { return {200, 186}; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    void draw_spread(QPainter& p, const QRectF& r) const;
    void draw_stretch(QPainter& p, const QRectF& r) const;
    review::HeightSource source_;
    bool have_ = false;
    float low_ = 0.f, high_ = 1.f, neutral_ = .5f, metres_ = 0.f;
};

/// "0.42 mm": a length as one reads it.
QString length_text(float metres);

}  // namespace vemtra::app
