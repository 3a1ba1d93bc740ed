#include "app/detail/value_field.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/theme/theme.h"

namespace vemtra::app {

ValueField::ValueField(const NumberRange& range, QWidget* parent)
    : QWidget(parent), range_(range), value_(range.reset) {
    setFocusPolicy(Qt::StrongFocus);
    setCursor(Qt::SizeHorCursor);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void ValueField::set_value(float value) {
    value_ = value;
    update();
}

void ValueField::change(float value) {
    if (!std::isfinite(value)) return;
    if (range_.hard) value = std::clamp(value, range_.low, range_.high);
    if (range_.whole) value = std::round(value);
    if (value == value_) return;
    value_ = value;
    update();
    Q_EMIT moved(value);
}

void ValueField::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    const QRect r = rect().adjusted(0, 1, -1, -2);
    p.fillRect(r, t.field);
    const double f = std::clamp((value_ - range_.low) / std::max(1e-9f, range_.high - range_.low), 0.f, 1.f);
    QColor bar = t.text;
    bar.setAlpha(38);
    p.fillRect(QRect(r.left(), r.top(), int(r.width() * f), r.height()), bar);
    p.setPen(hasFocus() ? t.accent : t.line);
    p.drawRect(r);
    p.setPen(isEnabled() ? t.text : t.faint);
    p.drawText(r.adjusted(6, 0, -6, 0), Qt::AlignVCenter | Qt::AlignLeft, number_text(value_, range_.whole));
    if (!range_.unit.isEmpty()) {
        p.setPen(t.faint);
        p.drawText(r.adjusted(6, 0, -6, 0), Qt::AlignVCenter | Qt::AlignRight, range_.unit);
    }
}

void ValueField::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    dragging_ = false;
    start_x_ = e->position().x();
    start_value_ = value_;
}
void ValueField::mouseMoveEvent(QMouseEvent* e) {
    if (!(e->buttons() & Qt::LeftButton)) return;
    const double dx = e->position().x() - start_x_;
    if (!dragging_ && std::fabs(dx) < 3) return;
    dragging_ = true;
    const float fine = e->modifiers() & Qt::ShiftModifier ? .1f : 1.f;
    float value = start_value_ + float(dx) * (range_.high - range_.low) / 240.f * fine;
    // Dragging stays within the usual range unless the value stood outside already; typing goes beyond.
    value = std::clamp(value, std::min(range_.low, start_value_), std::max(range_.high, start_value_));
    change(value);
}
void ValueField::mouseReleaseEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    if (dragging_) Q_EMIT settled();
    dragging_ = false;
}
void ValueField::mouseDoubleClickEvent(QMouseEvent*) {
    change(range_.reset);
    Q_EMIT settled();
}

void ValueField::keyPressEvent(QKeyEvent* e) {
    const float step =
        range_.whole ? 1.f : (range_.high - range_.low) / 100.f * (e->modifiers() & Qt::ShiftModifier ? .1f : 1.f);
    switch (e->key()) {
        case Qt::Key_Up:
        case Qt::Key_Right:
            change(value_ + step);
            Q_EMIT settled();
            return;
        case Qt::Key_Down:
        case Qt::Key_Left:
            change(value_ - step);
            Q_EMIT settled();
            return;
        case Qt::Key_Return:
        case Qt::Key_Enter: start_typing({}); return;
        default: break;
    }
    const QString text = e->text();
    if (!text.isEmpty() && QString("0123456789.-").contains(text))
        start_typing(text);
    else
        QWidget::keyPressEvent(e);
}

void ValueField::start_typing(const QString& text) {
    if (!editor_) {
        editor_ = new QLineEdit(this);
        connect(editor_, &QLineEdit::editingFinished, this, [this] {
            if (!editor_->isVisible()) return;
            editor_->hide();
            bool ok = false;
            const float value = editor_->text().replace(',', '.').toFloat(&ok);
            if (ok) change(value), Q_EMIT settled();
            setFocus();
        });
    }
    editor_->setGeometry(rect());
    editor_->setText(text.isEmpty() ? number_text(value_, range_.whole) : text);
    editor_->show();
    editor_->setFocus();
    if (text.isEmpty()) editor_->selectAll();
}
void ValueField::resizeEvent(QResizeEvent*) {
    if (editor_) editor_->setGeometry(rect());
}

}  // namespace vemtra::app
