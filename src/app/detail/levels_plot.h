// The histogram of what arrives on the visible surface, with the two cuts of a levels, range or remap node dragged on
// it.
#pragma once
#include <QWidget>

#include "review/visible.h"

namespace vemtra::app {

class LevelsPlot : public QWidget {
    Q_OBJECT
public:
    explicit LevelsPlot(QWidget* parent = nullptr);
    void set_histogram(const review::Histogram* histogram);  ///< null: nothing arrives
    void set_cuts(float low, float high);
    QSize sizeHint() const override { return {200, 104}; }
    double x_of(float value) const;  ///< in widget pixels

Q_SIGNALS:
    void moved(bool high_cut, float value);
    void settled();

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;

private:
    QRectF plot() const;
    review::Histogram histogram_;
    bool have_ = false;
    float low_ = 0.f, high_ = 1.f;
    int dragged_ = -1;
};

}  // namespace vemtra::app
