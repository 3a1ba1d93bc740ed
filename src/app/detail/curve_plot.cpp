#include "app/detail/curve_plot.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>

#include "app/theme/theme.h"

namespace vemtra::app {

CurvePlot::CurvePlot(int most_knots, QWidget* parent) : QWidget(parent), most_knots_(most_knots) {
    setFixedHeight(190);
    setMouseTracking(true);
    setObjectName("curve-plot");
    setToolTip(
        "What comes in from left to right, what comes out from below to above. Drag a knot; click to add one; "
        "double-click a knot to take it away. Behind it: the values on what the camera sees.");
}
void CurvePlot::set_histogram(const review::Histogram* h) {
    have_ = h && h->points > 0;
    histogram_ = have_ ? *h : review::Histogram();
    update();
}
void CurvePlot::set_curve(std::vector<V2f> knots, std::vector<float> line) {
    if (dragged_ < 0) knots_ = std::move(knots);
    line_ = std::move(line);
    update();
}
QRectF CurvePlot::plot() const {
    return QRectF(8, 6, width() - 16, height() - 26);
}
QPointF CurvePlot::place_of(V2f k) const {
    const QRectF r = plot();
    return {r.left() + r.width() * double(k.x), r.bottom() - r.height() * double(std::clamp(k.y, -.03f, 1.03f))};
}
V2f CurvePlot::value_at(const QPointF& p) const {
    const QRectF r = plot();
    return {float(std::clamp((p.x() - r.left()) / r.width(), 0.0, 1.0)),
            float(std::clamp((r.bottom() - p.y()) / r.height(), 0.0, 1.0))};
}
int CurvePlot::knot_at(const QPointF& p) const {
    int best = -1;
    double nearest = 12;
    for (size_t i = 0; i < knots_.size(); ++i) {
        const QPointF d = place_of(knots_[i]) - p;
        const double away = std::hypot(d.x(), d.y());
        if (away < nearest) {
            nearest = away;
            best = int(i);
        }
    }
    return best;
}

void CurvePlot::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = plot();
    p.fillRect(r, t.field);
    if (have_) {
        float most = 1e-6f;
        for (float s : histogram_.share) most = std::max(most, std::sqrt(s));
        QColor bar = t.text;
        bar.setAlpha(60);
        for (int i = 0; i < review::Histogram::bins; ++i) {
            const float step = (histogram_.high - histogram_.low) / review::Histogram::bins;
            const float from = histogram_.low + step * float(i);
            const double a = r.left() + r.width() * double(std::clamp(from, 0.f, 1.f));
            const double b = r.left() + r.width() * double(std::clamp(from + step, 0.f, 1.f));
            const double h = double(std::sqrt(histogram_.share[size_t(i)]) / most) * (r.height() - 4);
            if (h > 0 && b > a) p.fillRect(QRectF(a, r.bottom() - h, b - a, h), bar);
        }
    }
    p.setPen(QPen(t.line, 1, Qt::DotLine));
    for (int i = 1; i < 4; ++i) {
        p.drawLine(QPointF(r.left() + r.width() * i / 4, r.top()), QPointF(r.left() + r.width() * i / 4, r.bottom()));
        p.drawLine(QPointF(r.left(), r.top() + r.height() * i / 4), QPointF(r.right(), r.top() + r.height() * i / 4));
    }
    p.setPen(QPen(t.line, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(r);
    p.setPen(QPen(t.text, 1.6));
    for (size_t i = 0; i + 1 < line_.size(); ++i) {
        const float step = 1.f / float(line_.size() - 1);
        p.drawLine(place_of({step * float(i), line_[i]}), place_of({step * float(i + 1), line_[i + 1]}));
    }
    for (size_t i = 0; i < knots_.size(); ++i) {
        const QPointF at = place_of(knots_[i]);
        p.setPen(QPen(t.accent, 1.6));
        p.setBrush(int(i) == dragged_ ? t.accent : t.raised);
        p.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8));
    }
    p.setFont(small_font());
    p.setPen(t.faint);
    const QRectF text(r.left(), r.bottom() + 3, r.width(), 15);
    p.drawText(text, Qt::AlignLeft, "0");
    p.drawText(text, Qt::AlignRight, "1");
    if (dragged_ >= 0 && size_t(dragged_) < knots_.size())
        p.drawText(text, Qt::AlignCenter,
                   number_text(knots_[size_t(dragged_)].x) + " becomes " + number_text(knots_[size_t(dragged_)].y));
    else if (!have_)
        p.drawText(text, Qt::AlignCenter, "nothing arrives on what the camera sees");
}

void CurvePlot::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    dragged_ = knot_at(e->position());
    if (dragged_ < 0 && int(knots_.size()) < most_knots_) {
        const V2f v = value_at(e->position());
        const auto at = std::find_if(knots_.begin(), knots_.end(), [&](const V2f& k) { return k.x > v.x; });
        dragged_ = int(at - knots_.begin());
        knots_.insert(at, v);
        Q_EMIT changed(knots_);
    }
    update();
}
void CurvePlot::mouseMoveEvent(QMouseEvent* e) {
    setCursor(knot_at(e->position()) >= 0 ? Qt::SizeAllCursor : Qt::CrossCursor);
    if (dragged_ < 0) return;
    V2f v = value_at(e->position());
    const size_t k = size_t(dragged_);
    if (k > 0) v.x = std::max(v.x, knots_[k - 1].x + .005f);
    if (k + 1 < knots_.size()) v.x = std::min(v.x, knots_[k + 1].x - .005f);
    knots_[k] = v;
    update();
    Q_EMIT changed(knots_);
}
void CurvePlot::mouseReleaseEvent(QMouseEvent*) {
    if (dragged_ >= 0) Q_EMIT settled();
    dragged_ = -1;
    update();
}
void CurvePlot::mouseDoubleClickEvent(QMouseEvent* e) {
    const int k = knot_at(e->position());
    if (k < 0 || knots_.size() <= 2) return;
    knots_.erase(knots_.begin() + k);
    dragged_ = -1;
    Q_EMIT changed(knots_);
    Q_EMIT settled();
}

}  // namespace vemtra::app
