// The neutral booth: greys without tint (ISO 3664 asks for a neutral surround), dark text, one accent for focus. Two
// variants.
#pragma once
#include <QColor>
#include <QFont>
#include <QPainter>
#include <QString>

#include "base/vec.h"

namespace vemtra::app {

struct Theme {
    bool dark = false;
    QColor window, panel, raised, field, line, text, faint, accent, surround;
};
const Theme& theme();
void use_theme(bool dark);  ///< sets palette and style sheet of the application
void load_fonts();

QFont small_font();
QFont strong_font();
/// A linear colour as the interface shows swatches: sRGB, clipped.
QColor swatch(const V3f& linear);
/// Black or white, whichever reads on the colour.
QColor ink_on(const QColor& background);
/// 0.1234 -> "0.123"; 12.0 -> "12"
QString number_text(float value, bool whole = false);
/// Like an icon button's drawing, without icon files: a small outlined tab with a letter.
void draw_tab(QPainter& painter, const QRectF& rect, char letter, bool filled);

}  // namespace vemtra::app
