// A number that is dragged anywhere on its field, typed exactly, stepped with the arrow keys, and reset with a double
// click.
#pragma once
#include <QWidget>
#include <functional>

class QLineEdit;

namespace vemtra::app {

struct NumberRange {
    float low = 0.f, high = 1.f, reset = 0.f;
    bool hard = false, whole = false;
    QString unit;
};

class ValueField : public QWidget {
    Q_OBJECT
public:
    explicit ValueField(const NumberRange& range, QWidget* parent = nullptr);
    void set_value(float value);
    float value() const { return value_; }
    const NumberRange& range() const { return range_; }
    QSize sizeHint() const override { return {120, 22}; }
    QSize minimumSizeHint() const override { return {56, 22}; }

Q_SIGNALS:
    void moved(float value);  ///< while dragging, and on every step
    void settled();           ///< the hand has let go

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void focusInEvent(QFocusEvent*) override { update(); }
    void focusOutEvent(QFocusEvent*) override { update(); }

private:
    void change(float value);
    void start_typing(const QString& text);
    NumberRange range_;
    float value_ = 0.f, start_value_ = 0.f;
    double start_x_ = 0;
    bool dragging_ = false;
    QLineEdit* editor_ = nullptr;
};

}  // namespace vemtra::app
