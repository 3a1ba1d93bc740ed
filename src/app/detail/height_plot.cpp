#include "app/detail/height_plot.h"

#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "app/theme/theme.h"

namespace vemtra::app {

QString length_text(float metres) {
    const double m = double(std::fabs(metres));
    if (m >= 1.) return QString::number(m, 'g', 3) + " m";
    if (m >= 1e-2) return QString::number(m * 1e2, 'g', 3) + " cm";
    if (m >= 1e-4) return QString::number(m * 1e3, 'g', 2) + " mm";
    return QString::number(m * 1e6, 'g', 2) + " µm";
}

HeightPlot::HeightPlot(QWidget* parent) : QWidget(parent) {
    setFixedHeight(186);
    setObjectName("height-plot");
    setToolTip(
        "Above: how the map's values are spread; shaded is what lies beyond the limits, the line is the neutral value. "
        "Below: texels that follow each other where 8 bits step most, as they are and as 8 bits have them.");
}
void HeightPlot::set_source(const review::HeightSource* s) {
    have_ = s != nullptr;
    source_ = have_ ? *s : review::HeightSource();
    update();
}
void HeightPlot::set_marks(float low, float high, float neutral, float metres_per_unit) {
    low_ = low;
    high_ = high;
    neutral_ = neutral;
    metres_ = metres_per_unit;
    update();
}

void HeightPlot::draw_spread(QPainter& p, const QRectF& r) const {
    const Theme& t = theme();
    const review::Histogram& h = source_.values;
    auto x_of = [&](float v) {
        return std::clamp(r.left() + r.width() * double((v - h.low) / (h.high - h.low)), r.left(), r.right());
    };
    // Square root of the share: small amounts stay visible beside large ones.
    float most = 1e-6f;
    for (const float s : h.share) most = std::max(most, std::sqrt(s));
    QColor bar = t.text;
    bar.setAlpha(170);
    const double w = r.width() / review::Histogram::bins;
    for (int i = 0; i < review::Histogram::bins; ++i) {
        const double tall = double(std::sqrt(h.share[size_t(i)]) / most) * (r.height() - 4);
        if (tall > 0)
            p.fillRect(QRectF(r.left() + i * w, r.bottom() - std::max(1.0, tall), w, std::max(1.0, tall)), bar);
    }
    QColor cut = t.surround;
    cut.setAlpha(120);
    p.fillRect(QRectF(r.left(), r.top(), x_of(low_) - r.left(), r.height()), cut);
    p.fillRect(QRectF(x_of(high_), r.top(), r.right() - x_of(high_), r.height()), cut);
    p.setPen(QPen(t.accent, 2));
    p.drawLine(QPointF(x_of(neutral_), r.top()), QPointF(x_of(neutral_), r.bottom()));
    p.setFont(small_font());
    p.setPen(t.faint);
    const QRectF text(r.left(), r.bottom() + 2, r.width(), 15);
    p.drawText(text, Qt::AlignLeft, number_text(h.low));
    p.drawText(text, Qt::AlignRight, number_text(h.high));
    p.drawText(text, Qt::AlignCenter,
               QString("holds %1 to %2, most near %3")
                   .arg(number_text(h.smallest), number_text(h.largest), number_text(source_.commonest)));
}

void HeightPlot::draw_stretch(QPainter& p, const QRectF& r) const {
    const Theme& t = theme();
    if (source_.stretch.size() < 2) return;
    const auto [lo, hi] = std::minmax_element(source_.stretch.begin(), source_.stretch.end());
    const float margin = std::max(.15f * (*hi - *lo), source_.step(8));
    const float from = *lo - margin;
    const float to = *hi + margin;
    auto at = [&](size_t k, float v) {
        return QPointF(r.left() + r.width() * double(k) / double(source_.stretch.size() - 1),
                       r.bottom() - r.height() * double((v - from) / (to - from)));
    };
    QPainterPath steps;
    QPainterPath whole;
    for (size_t k = 0; k < source_.stretch.size(); ++k) {
        const float v = source_.stretch[k];
        const float coarse = source_.at_8_bits(v);
        if (k == 0) {
            whole.moveTo(at(k, v));
            steps.moveTo(at(k, coarse));
            continue;
        }
        whole.lineTo(at(k, v));
        steps.lineTo(at(k, source_.at_8_bits(source_.stretch[k - 1])));
        steps.lineTo(at(k, coarse));
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.accent, 1.6));
    p.drawPath(steps);
    p.setPen(QPen(t.text, 1.2));
    p.drawPath(whole);
    p.setFont(small_font());
    const QRectF text(r.left(), r.bottom() + 2, r.width(), 15);
    p.setPen(t.faint);
    p.drawText(text, Qt::AlignLeft, source_.bits <= 8 ? "as it is: 8 bits" : "as it is");
    p.setPen(t.accent);
    if (source_.bits > 8)
        p.drawText(text, Qt::AlignRight, "at 8 bits: steps of " + length_text(source_.step(8) * metres_));
    else
        p.drawText(text, Qt::AlignRight, "steps of " + length_text(source_.step(8) * metres_));
}

void HeightPlot::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF upper(8, 4, width() - 16, 66);
    const QRectF lower(8, 96, width() - 16, 66);
    for (const QRectF& r : {upper, lower}) p.fillRect(r, t.field);
    if (have_) {
        draw_spread(p, upper);
        draw_stretch(p, lower);
    } else {
        p.setPen(t.faint);
        p.drawText(upper, Qt::AlignCenter, "the map is being read");
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.line, 1));
    for (const QRectF& r : {upper, lower}) p.drawRect(r);
}

}  // namespace vemtra::app
