#include "app/theme/theme.h"

#include <cmath>

#include <QApplication>
#include <QFontDatabase>
#include <QPalette>
#include <QPixmapCache>

#include "base/file.h"

namespace vemtra::app {
namespace {
Theme current;
Theme make(bool dark) {
    auto grey = [](int v) { return QColor(v, v, v); };
    if (dark)
        return {true,    grey(62), grey(74), grey(88), grey(56), grey(42), grey(222), grey(160), QColor(122, 172, 170),
                grey(54)};
    return {false,     grey(150), grey(164), grey(180),          grey(192),
            grey(118), grey(20),  grey(74),  QColor(24, 92, 96), grey(119)};
}
QString css(const QColor& c) {
    return c.name();
}
}  // namespace

const Theme& theme() {
    return current;
}

void load_fonts() {
    for (const char* file : {"Inter-Regular.otf", "Inter-SemiBold.otf"})
        QFontDatabase::addApplicationFont(QString::fromStdString((shipped_assets() / "fonts" / file).string()));
}

void use_theme(bool dark) {
    current = make(dark);
    const Theme& t = current;
    QPalette p;
    p.setColor(QPalette::Window, t.panel);
    p.setColor(QPalette::WindowText, t.text);
    p.setColor(QPalette::Base, t.field);
    p.setColor(QPalette::AlternateBase, t.panel);
    p.setColor(QPalette::Text, t.text);
    p.setColor(QPalette::Button, t.raised);
    p.setColor(QPalette::ButtonText, t.text);
    p.setColor(QPalette::Highlight, t.accent);
    p.setColor(QPalette::HighlightedText, t.dark ? QColor(20, 20, 20) : QColor(245, 245, 245));
    p.setColor(QPalette::ToolTipBase, t.field);
    p.setColor(QPalette::ToolTipText, t.text);
    p.setColor(QPalette::PlaceholderText, t.faint);
    for (auto role : {QPalette::Text, QPalette::ButtonText, QPalette::WindowText})
        p.setColor(QPalette::Disabled, role, t.faint);
    QApplication::setStyle("Fusion");
    QPixmapCache::setCacheLimit(2048);  // kilobytes: rows are made anew with each selection, and each has drawings kept
    QApplication::setPalette(p);
    QFont font("Inter");
    font.setPixelSize(12);
    QApplication::setFont(font);
    qApp->setStyleSheet(
        QStringLiteral(
            "QToolTip{background:%1;color:%2;border:1px solid %3;padding:3px}"
            "QPushButton,QToolButton{background:%4;color:%2;border:1px solid %3;border-radius:3px;padding:3px 6px}"
            "QPushButton:hover,QToolButton:hover{border-color:%5}"
            "QPushButton:checked,QToolButton:checked{background:%5;color:%6}"
            "QPushButton:disabled,QToolButton:disabled{color:%8}"
            "QToolButton::menu-indicator{image:none}"
            "QToolButton[folds=\"true\"],QToolButton[folds=\"true\"]:checked{background:transparent;border:none;"
            "padding:4px "
            "0;color:%2;font-weight:600}"
            "QLineEdit{background:%1;color:%2;border:1px solid %3;border-radius:3px;padding:2px 6px;min-height:18px}"
            "QLineEdit:focus{border-color:%5}"
            "QTabBar::tab{background:transparent;color:%8;padding:4px 10px;border:0;border-bottom:2px solid "
            "transparent}"
            "QTabBar::tab:selected{color:%2;border-bottom:2px solid %5}"
            "QTabWidget::pane{border:0;border-top:1px solid %3}"
            "QListWidget,QTreeWidget{background:%7;border:1px solid %3;border-radius:3px}"
            "QListWidget::item,QTreeWidget::item{padding:2px 4px}"
            "QScrollArea{border:0}"
            "QSplitter::handle{background:%3}"
            "QStatusBar QLabel{padding-left:6px}QStatusBar::item{border:0}"
            "QMenu{background:%4;border:1px solid %3}QMenu::item{padding:4px 22px 4px "
            "14px}QMenu::item:selected{background:%5;color:%6}"
            "QMenuBar{background:%9}QMenuBar::item{padding:4px 9px}QMenuBar::item:selected{background:%4}"
            "QScrollBar:vertical{background:transparent;width:9px}QScrollBar:horizontal{background:transparent;height:"
            "9px}"
            "QScrollBar::handle{background:%3;border-radius:4px;min-height:20px;min-width:20px}"
            "QScrollBar::add-line,QScrollBar::sub-line{width:0;height:0}QScrollBar::add-page,QScrollBar::sub-page{"
            "background:transparent}"
            "QProgressBar{background:%1;border:1px solid "
            "%3;border-radius:3px;max-height:10px}QProgressBar::chunk{background:%5}")
            .arg(css(t.field), css(t.text), css(t.line), css(t.raised), css(t.accent), t.dark ? "#141414" : "#f5f5f5",
                 css(t.panel), css(t.faint), css(t.window)));
}

QFont small_font() {
    QFont f = QApplication::font();
    f.setPixelSize(12);
    return f;
}
QFont strong_font() {
    QFont f = QApplication::font();
    f.setWeight(QFont::DemiBold);
    return f;
}

QColor swatch(const V3f& linear) {
    auto c = [](float x) { return int(std::lround(255.f * linear_to_srgb(clamp01(x)))); };
    return {c(linear.x), c(linear.y), c(linear.z)};
}
QColor ink_on(const QColor& b) {
    return b.red() * .3 + b.green() * .59 + b.blue() * .11 > 128 ? QColor(20, 20, 20) : QColor(240, 240, 240);
}

QString number_text(float value, bool whole) {
    if (whole) return QString::number(int(std::lround(value)));
    if (value != 0.f && std::fabs(value) < .01f) return QString::number(double(value), 'g', 3);
    QString s = QString::number(double(value), 'f', std::fabs(value) >= 100.f ? 1 : 3);
    while (s.contains('.') && (s.endsWith('0') || s.endsWith('.'))) {
        const bool dot = s.endsWith('.');
        s.chop(1);
        if (dot) break;
    }
    return s == "-0" ? "0" : s;
}

void draw_tab(QPainter& painter, const QRectF& r, char letter, bool filled) {
    const Theme& t = theme();
    painter.setPen(QPen(t.line.darker(130), 1));
    painter.setBrush(filled ? t.text : t.field);
    painter.drawRoundedRect(r, 2, 2);
    QFont f = small_font();
    f.setPixelSize(10);
    f.setWeight(QFont::DemiBold);
    painter.setFont(f);
    painter.setPen(filled ? t.field : t.text);
    painter.drawText(r, Qt::AlignCenter, QString(QChar(letter)));
}

}  // namespace vemtra::app
