#include "app/detail/levels_plot.h"

#include <QMouseEvent>
#include <QPainter>

#include "app/theme/theme.h"

namespace vemtra::app {

LevelsPlot::LevelsPlot(QWidget* parent) : QWidget(parent) {
    setFixedHeight(104);
    setMouseTracking(true);
    setObjectName("levels-plot");
    setToolTip(
        "Values that arrive on what the camera sees. Drag the two cuts: black below the left one, white above the "
        "right one.");
}
void LevelsPlot::set_histogram(const review::Histogram* h) {
    have_ = h && h->points > 0;
    histogram_ = have_ ? *h : review::Histogram();
    update();
}
void LevelsPlot::set_cuts(float low, float high) {
    low_ = low;
    high_ = high;
    update();
}
QRectF LevelsPlot::plot() const {
    return QRectF(8, 4, width() - 16, height() - 32);
}
double LevelsPlot::x_of(float v) const {
    const QRectF r = plot();
    return r.left() + r.width() * double((v - histogram_.low) / (histogram_.high - histogram_.low));
}

void LevelsPlot::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = plot();
    p.fillRect(r, t.field);
    // Square root of the share: small amounts stay visible beside large ones.
    float most = 1e-6f;
    for (float s : histogram_.share) most = std::max(most, std::sqrt(s));
    const double w = r.width() / review::Histogram::bins;
    QColor bar = t.text;
    bar.setAlpha(170);
    for (int i = 0; i < review::Histogram::bins; ++i) {
        const double h = double(std::sqrt(histogram_.share[size_t(i)]) / most) * (r.height() - 4);
        if (h > 0) p.fillRect(QRectF(r.left() + i * w, r.bottom() - std::max(1.0, h), w, std::max(1.0, h)), bar);
    }
    if (!have_) {
        p.setPen(t.faint);
        p.drawText(r, Qt::AlignCenter, "nothing arrives on what the camera sees");
    }
    QColor cut = t.surround;
    cut.setAlpha(120);
    const double a = std::clamp(x_of(low_), r.left(), r.right());
    const double b = std::clamp(x_of(high_), r.left(), r.right());
    p.fillRect(QRectF(r.left(), r.top(), std::min(a, b) - r.left(), r.height()), cut);
    p.fillRect(QRectF(std::max(a, b), r.top(), r.right() - std::max(a, b), r.height()), cut);
    p.setPen(QPen(t.line, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(r);
    for (int k = 0; k < 2; ++k) {
        const double x = k ? b : a;
        p.setPen(QPen(t.accent, 2));
        p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom() + 4));
        p.setBrush(k ? QColor(240, 240, 240) : QColor(20, 20, 20));
        p.setPen(QPen(t.accent, 1.4));
        p.drawRect(QRectF(x - 5, r.bottom() + 2, 10, 8));
    }
    p.setFont(small_font());
    p.setPen(t.faint);
    const QRectF text(r.left(), r.bottom() + 11, r.width(), 14);
    p.drawText(text, Qt::AlignLeft, number_text(histogram_.low));
    p.drawText(text, Qt::AlignRight, number_text(histogram_.high));
    if (have_)
        p.drawText(text, Qt::AlignCenter,
                   QString("arrives: %1 to %2").arg(number_text(histogram_.smallest), number_text(histogram_.largest)));
}

void LevelsPlot::mousePressEvent(QMouseEvent* e) {
    const double x = e->position().x();
    const double to_low = std::fabs(x - x_of(low_));
    const double to_high = std::fabs(x - x_of(high_));
    dragged_ = to_low < to_high || (to_low == to_high && x < x_of(low_)) ? 0 : 1;
    mouseMoveEvent(e);
}
void LevelsPlot::mouseMoveEvent(QMouseEvent* e) {
    setCursor(Qt::SizeHorCursor);
    if (dragged_ < 0) return;
    const QRectF r = plot();
    const float f = float(std::clamp((e->position().x() - r.left()) / r.width(), 0.0, 1.0));
    const float v = histogram_.low + f * (histogram_.high - histogram_.low);
    (dragged_ ? high_ : low_) = v;
    update();
    Q_EMIT moved(dragged_ == 1, v);
}
void LevelsPlot::mouseReleaseEvent(QMouseEvent*) {
    if (dragged_ >= 0) Q_EMIT settled();
    dragged_ = -1;
}

}  // namespace vemtra::app
