// The curves of a curves node over the histogram of what arrives: knots are dragged, a click on the line adds one, a
// double click takes one away.
#pragma once
#include <QWidget>
#include <array>
#include <vector>

#include "base/vec.h"
#include "review/visible.h"

namespace vemtra::app {

class CurvePlot : public QWidget {
    Q_OBJECT
public:
    explicit CurvePlot(int most_knots, QWidget* parent = nullptr);
    void set_histogram(const review::Histogram* histogram);  ///< null: nothing arrives
    /// Knots of the channel that is shown, and what the curve gives at even steps from 0 to 1.
    void set_curve(std::vector<V2f> knots, std::vector<float> line);
    QSize sizeHint() const override { return {200, 190}; }
    QPointF place_of(V2f knot) const;  ///< in widget pixels

Q_SIGNALS:
    void changed(const std::vector<vemtra::V2f>& knots);
    void settled();

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;

private:
    QRectF plot() const;
    V2f value_at(const QPointF& p) const;
    int knot_at(const QPointF& p) const;  ///< -1: none
    review::Histogram histogram_;
    bool have_ = false;
    int most_knots_;
    std::vector<V2f> knots_{{0.f, 0.f}, {1.f, 1.f}};
    std::vector<float> line_;
    int dragged_ = -1;
};

}  // namespace vemtra::app
