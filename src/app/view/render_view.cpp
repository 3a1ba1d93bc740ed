#include "app/view/render_view.h"

#include "app/view/projection.h"
#include "render/pinhole.h"

#include "app/drawer/drawer.h"

#include <QDragEnterEvent>
#include <QMimeData>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include "app/theme/theme.h"
#include "base/text.h"
#include "render/views.h"
#include "render/visible_points.h"
#include "scene/edits.h"

namespace vemtra::app {

RenderView::RenderView(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
    setAcceptDrops(true);
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setObjectName("render-view");
    connect(&bench_, &Workbench::selection_changed, this, qOverload<>(&QWidget::update));
    connect(&bench_, &Workbench::changed, this, qOverload<>(&QWidget::update));
    setAttribute(Qt::WA_OpaquePaintEvent);  // nothing under the picture needs drawing
    connect(&bench_, &Workbench::picture_changed, this, [this] {
        const auto latest = bench_.image();
        if (!latest || latest == shown_) return;
        shown_ = latest;
        image_ = QImage(shown_->bgra.data(), shown_->shown_width, shown_->shown_height, shown_->shown_width * 4,
                        QImage::Format_RGB32);
        update();
    });
    connect(&bench_, &Workbench::kept_changed, this, qOverload<>(&QWidget::update));
    connect(&bench_, &Workbench::changed, this, qOverload<>(&QWidget::update));
    connect(&bench_, &Workbench::arranging_changed, this, qOverload<>(&QWidget::update));
    connect(&bench_.painter(), &Painter::tool_changed, this, [this] {
        setCursor(bench_.painter().armed() ? Qt::BlankCursor : Qt::ArrowCursor);
        update();
    });
    connect(&bench_.decals(), &DecalTool::tool_changed, this, [this] {
        setCursor(bench_.decals().placing() ? Qt::CrossCursor : Qt::ArrowCursor);
        update();
    });
    connect(&bench_, &Workbench::picking_changed, this, [this] {
        setCursor(bench_.picking().picking() || bench_.picking().placing() ? Qt::CrossCursor : Qt::ArrowCursor);
        update();
    });
}

void RenderView::resizeEvent(QResizeEvent*) {
    bench_.showing().set_view_size(width(), height());
}

void RenderView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().surround);
    if (bench_.scene().parts.empty()) return paint_invitation(p);
    if (image_.isNull()) {
        p.setPen(theme().text);
        p.drawText(rect(), Qt::AlignCenter, "The first picture is on its way");
        return;
    }
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    paint_picture(p);
    if (bench_.kept_pictures().compared() >= 0 &&
        bench_.kept_pictures().compared() < int(bench_.kept_pictures().kept().size()))
        paint_compared(p, bench_.kept_pictures().kept()[size_t(bench_.kept_pictures().compared())]);
    paint_region(p);
    if (bench_.showing().live().view != render::View::uv) {
        handles_.paint(p, this->size());
        placing_.paint(p, this->size());
        brush_.paint(p, this->size());
        decal_.paint(p, this->size());
    }
    if (bench_.showing().live().view == render::View::coverage) paint_legend(p);
    if (const QString note = hint(); !note.isEmpty()) {
        QRectF box = p.fontMetrics().boundingRect(note).adjusted(-8, -4, 8, 4);
        box.moveCenter(QPointF(width() * .5, 0));
        box.moveTop(8);
        paint_label(p, box, note);
    }
}

void RenderView::paint_invitation(QPainter& p) {
    p.setPen(theme().text);
    p.setFont(strong_font());
    p.drawText(rect().adjusted(20, 0, -20, -24), Qt::AlignCenter, "Bring in an asset");
    p.setFont(font());
    p.drawText(rect().adjusted(20, 24, -20, 0), Qt::AlignCenter,
               QString("Drop an %1 file here, or choose Project > Import asset (Ctrl+I)")
                   .arg(QString::fromStdString(geometry::format_names())));
}

void RenderView::paint_label(QPainter& p, const QRectF& box, const QString& text) {
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(20, 20, 20, 170));
    p.drawRoundedRect(box, 3, 3);
    p.setPen(QColor(240, 240, 240));
    p.drawText(box, Qt::AlignCenter, text);
}

// A picture of another shape (just after a resize) keeps its proportions until the right one is there.
void RenderView::paint_picture(QPainter& p) {
    QSizeF size = image_.size();
    const bool same_shape = std::fabs(size.width() / size.height() - double(width()) / height()) < .02;
    size.scale(this->size(), same_shape ? Qt::IgnoreAspectRatio : Qt::KeepAspectRatioByExpanding);
    QRectF target(QPointF(0, 0), size);
    target.moveCenter(QRectF(rect()).center());
    if (std::abs(image_.width() - width()) < 8 && std::abs(image_.height() - height()) < 8)
        p.drawImage(QPoint(0, 0), image_);  // pixel for pixel
    else
        p.drawImage(target, image_);
}

void RenderView::paint_compared(QPainter& p, const KeptPicture& kept) {
    const double x = width() * divider_;
    p.save();
    p.setClipRect(QRectF(0, 0, x, height()));
    p.drawImage(QRectF(rect()), kept.image);
    p.restore();
    for (const QPen& pen : {QPen(QColor(20, 20, 20), 3), QPen(QColor(235, 235, 235), 1)}) {
        p.setPen(pen);
        p.drawLine(QPointF(x, 0), QPointF(x, height()));
    }
    p.setBrush(QColor(235, 235, 235));
    p.setPen(QPen(QColor(20, 20, 20), 1));
    p.drawRoundedRect(QRectF(x - 5, height() * .5 - 16, 10, 32), 4, 4);
    p.setFont(font());
    auto box_of = [&](const QString& text) {
        QRectF box = p.fontMetrics().boundingRect(text).adjusted(-6, -3, 6, 3);
        box.moveBottom(height() - 8);
        return box;
    };
    QRectF left = box_of(kept.name);
    QRectF right = box_of("        Live");
    left.moveRight(x - 8);
    right.moveLeft(x + 8);
    paint_label(p, left, kept.name);
    paint_label(p, right, "Live");
}

void RenderView::paint_region(QPainter& p) {
    QRectF region = marked_;
    if (!marking_ && bench_.showing().has_region()) {
        const render::PixelRect& r = bench_.showing().live().region;
        const double s = 100.0 / bench_.showing().live().scale_percent;
        region = QRectF(r.x0 * s, r.y0 * s, (r.x1 - r.x0) * s, (r.y1 - r.y0) * s);
    }
    if (region.width() <= 1) return;
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(QColor(20, 20, 20), 1));
    p.drawRect(region.adjusted(-1, -1, 1, 1));
    p.setPen(QPen(QColor(240, 240, 240), 1, Qt::DashLine));
    p.drawRect(region);
}

/// The layers of the selected part, outermost first: colour, name, the colour's name, share of the visible surface.
void RenderView::paint_legend(QPainter& p) {
    const scene::BuildUp* b = bench_.build_up();
    if (!b || !shown_ || !shown_->prepared) return;
    const auto& ids = shown_->prepared->layers;
    const auto& measured = bench_.measured();
    const bool have = measured.build_up == b->id && measured.layers.size() == b->layers.size();
    struct Row {
        QColor color;
        QString name, hue, share;
    };
    std::vector<Row> rows;
    auto add = [&](const scene::BuildUp& of, size_t k, const QString& name, const QString& share) {
        for (size_t i = 0; i < ids.size(); ++i)
            if (ids[i].build_up == of.id && ids[i].layer == of.layers[k].id)
                rows.push_back({swatch(render::coverage_color(ids[i].own)), name,
                                QString::fromStdString(render::coverage_color_name(ids[i].own)), share});
    };
    for (size_t k = b->layers.size(); k-- > 0;) {
        const scene::Layer& layer = b->layers[k];
        const QString name = QString::fromStdString(layer.name);
        const QString share = have ? QString::number(double(measured.layers[k].coverage) * 100, 'f', 1) + " %" : "";
        const scene::BuildUp* inner = scene::find(bench_.scene().build_ups, layer.build_up);
        if (!inner) {
            add(*b, k, name, share);
            continue;
        }
        for (size_t i = inner->layers.size(); i-- > 0;)  // where it is made of another build-up, that one's layers
            add(*inner, i, name + ": " + QString::fromStdString(inner->layers[i].name), i == 0 ? share : "");
    }
    p.setFont(small_font());
    const int line = p.fontMetrics().height() + 3;
    const size_t fit = size_t(std::max(1, (height() - 60) / line));
    if (rows.size() > fit) rows.resize(fit);
    int name_width = 60;
    int hue_width = 40;
    for (const Row& r : rows) {
        name_width = std::max(name_width, std::min(170, p.fontMetrics().horizontalAdvance(r.name) + 2));
        hue_width = std::max(hue_width, p.fontMetrics().horizontalAdvance(r.hue) + 2);
    }
    const int share_width = p.fontMetrics().horizontalAdvance("100.0 %") + 2;
    const QRectF box(8, 8, 46 + name_width + hue_width + share_width, 10 + line * double(rows.size() + 1));
    p.setPen(Qt::NoPen);
    p.setBrush(QColor(20, 20, 20, 190));
    p.drawRoundedRect(box, 3, 3);
    double y = box.top() + 4;
    p.setPen(QColor(190, 190, 190));
    p.drawText(QRectF(box.left() + 8, y, box.width() - 16, line), Qt::AlignVCenter,
               p.fontMetrics().elidedText(QString::fromStdString(b->name), Qt::ElideRight, int(box.width() - 16)));
    y += line;
    for (const Row& r : rows) {
        p.fillRect(QRectF(box.left() + 8, y + 3, 14, line - 6), r.color);
        double x = box.left() + 28;
        auto put = [&](const QString& text, int width, Qt::Alignment align, int light) {
            p.setPen(QColor(light, light, light));
            p.drawText(QRectF(x, y, width, line), Qt::AlignVCenter | align,
                       p.fontMetrics().elidedText(text, Qt::ElideRight, width));
            x += width + 6;
        };
        put(r.name, name_width, Qt::AlignLeft, 240);
        put(r.hue, hue_width, Qt::AlignLeft, 190);
        put(r.share, share_width, Qt::AlignRight, 240);
        y += line;
    }
}

QString RenderView::hint() const {
    if (bench_.picking().picking()) return "Click in the picture to take its colour; Esc leaves";
    if (bench_.picking().placing()) return "Click the place on the asset; Esc leaves";
    if (placing_.shown()) return placing_.hint();
    if (bench_.painter().armed()) return brush_.hint();
    if (bench_.decals().placing())
        return "Press where the decal goes and drag it to its size, Shift turns it; Esc leaves";
    if (marking_) return "Drag over the part of the picture that should be rendered";
    if (bench_.showing().live().hold) return "Held";
    if (bench_.showing().live().view != render::View::node) return {};
    const auto* b = scene::find(bench_.scene().build_ups, bench_.showing().live().shown_build_up);
    const scene::Node* n = b ? scene::find_node(*b, bench_.showing().live().shown_node).node : nullptr;
    return "On the asset: " + QString::fromStdString(n ? n->name : bench_.showing().live().shown_node);
}

void RenderView::move_camera(const std::function<void(scene::Camera&)>& change) {
    bench_.edit(
        "Move the camera",
        [&](scene::Scene& s) {
            if (auto* camera = const_cast<scene::Camera*>(scene::active_camera(s))) change(*camera);
        },
        "camera");
}

void RenderView::mousePressEvent(QMouseEvent* e) {
    pressed_ = last_ = e->position();
    moved_ = false;
    if (bench_.picking().picking() && e->button() == Qt::LeftButton) {
        if (auto c = linear_at(e->position())) bench_.picking().picked(*c);
        return;
    }
    if (bench_.picking().placing() && e->button() == Qt::LeftButton) {
        if (const auto spot = spot_at(e->position()))
            bench_.picking().placed(*spot);
        else
            Q_EMIT bench_.said("Nothing is there: click on the asset");
        return;
    }
    if (press_brush(e) || press_decal(e)) return;
    const bool may_hold = e->button() == Qt::LeftButton && !marking_;
    const PlacementHandles::Handle held = may_hold ? placing_.at(e->position(), size()) : PlacementHandles::none;
    handle_ = may_hold && held == PlacementHandles::none ? handles_.at(e->position(), size()) : FrameHandles::none;
    if (held != PlacementHandles::none) {
        drag_ = Drag::placing;
        placing_.begin(held, e->position(), size());
    } else if (handle_ != FrameHandles::none) {
        drag_ = Drag::frame;
        takes_another_ = handle_ == FrameHandles::middle && e->modifiers() & Qt::ControlModifier;
    } else if (marking_ && e->button() == Qt::LeftButton)
        drag_ = Drag::region;
    else if (bench_.kept_pictures().compared() >= 0 && std::fabs(e->position().x() - width() * divider_) < 8)
        drag_ = Drag::divider;
    else if (e->button() == Qt::MiddleButton || (e->button() == Qt::LeftButton && e->modifiers() & Qt::ShiftModifier))
        drag_ = Drag::pan;
    else if (e->button() == Qt::LeftButton)
        drag_ = Drag::orbit;
    else if (e->button() == Qt::RightButton)
        drag_ = Drag::dolly;
}

void RenderView::mouseMoveEvent(QMouseEvent* e) {
    const QPointF d = e->position() - last_;
    brush_.hover(e->position());
    if (bench_.painter().armed()) update();
    if (drag_ == Drag::brush) {
        bench_.painter().move(BrushOverlay::sample(e->position(), nullptr));
        last_ = e->position();
        moved_ = true;
        return;
    }
    if (drag_ == Drag::none && bench_.painter().armed()) {
        setCursor(brush_.over_photo(e->position()) != BrushOverlay::none ? Qt::SizeAllCursor : Qt::BlankCursor);
        return;
    }
    if (drag_ == Drag::none) {
        if (!bench_.picking().picking() && !bench_.picking().placing())
            setCursor(bench_.kept_pictures().compared() >= 0 && std::fabs(e->position().x() - width() * divider_) < 8
                          ? Qt::SplitHCursor
                          : Qt::ArrowCursor);
        return;
    }
    if (!moved_ && (e->position() - pressed_).manhattanLength() < 4) return;
    moved_ = true;
    last_ = e->position();
    switch (drag_) {
        case Drag::divider:
            divider_ = std::clamp(e->position().x() / width(), .02, .98);
            update();
            break;
        case Drag::frame:
            if (std::exchange(takes_another_, false)) handles_.take_another();
            handles_.drag(handle_, e->position(), size(),
                          handle_ == FrameHandles::middle ? spot_at(e->position()) : std::nullopt);
            update();
            break;
        case Drag::placing:
            placing_.drag(e->position(), size(), spot_beside(e->position()));
            update();
            break;
        case Drag::stick:
            bench_.decals().drag(e->position(), size(), e->modifiers() & Qt::ShiftModifier);
            update();
            break;
        case Drag::decal:
            decal_.drag(decal_handle_, e->position(), size(),
                        decal_handle_ == DecalHandles::middle ? spot_at(e->position()) : std::nullopt);
            update();
            break;
        case Drag::outline: brush_.add_to_outline(e->position()); break;
        case Drag::photo: brush_.drag_photo(d, e->modifiers() & Qt::ShiftModifier); break;
        case Drag::region:
            marked_ = QRectF(pressed_, e->position()).normalized() & QRectF(rect());
            update();
            break;
        case Drag::orbit:
            move_camera([&](scene::Camera& c) {
                V3f v = c.position - c.target;
                const float r = v.length();
                float azimuth = std::atan2(v.x, v.z) - float(d.x()) * .008f;
                float elevation = std::asin(std::clamp(v.y / r, -1.f, 1.f)) + float(d.y()) * .008f;
                elevation = std::clamp(elevation, -1.54f, 1.54f);
                c.position = c.target + V3f(std::cos(elevation) * std::sin(azimuth), std::sin(elevation),
                                            std::cos(elevation) * std::cos(azimuth)) *
                                            r;
            });
            break;
        case Drag::pan:
            move_camera([&](scene::Camera& c) {
                const V3f shift = parallel_step(bench_.scene(), c.target, QPointF(0, 0), QPointF(-d), size());
                c.position += shift;
                c.target += shift;
            });
            break;
        case Drag::dolly:
            move_camera([&](scene::Camera& c) {
                c.position = c.target + (c.position - c.target) * std::exp(float(d.y()) * .006f);
            });
            break;
        default: break;
    }
}

/// With a brush in hand the left button paints; what it is held over or with may mean something else.
bool RenderView::press_brush(QMouseEvent* e) {
    Painter& painter = bench_.painter();
    if (!painter.armed() || e->button() != Qt::LeftButton || e->modifiers() & Qt::AltModifier) return false;
    setFocus();
    const QPointF at = e->position();
    if (brush_.take_photo(at)) {
        drag_ = Drag::photo;
    } else if (painter.drawing_outline()) {
        drag_ = Drag::outline;
        brush_.add_to_outline(at);
    } else if (e->modifiers() & Qt::ShiftModifier) {
        painter.line_to(BrushOverlay::sample(at, nullptr), size());
    } else {
        painter.press(BrushOverlay::sample(at, nullptr), size());
        drag_ = Drag::brush;
    }
    return true;
}

/// A decal is stuck on, or the one that is shown is taken by a handle.
bool RenderView::press_decal(QMouseEvent* e) {
    DecalTool& decals = bench_.decals();
    if (e->button() != Qt::LeftButton || marking_) return false;
    if (decals.placing()) {
        if (const auto spot = spot_at(e->position())) {
            decals.press(*spot, e->position(), size());
            drag_ = Drag::stick;
        } else {
            Q_EMIT bench_.said("Nothing is there: press on the asset");
        }
        return true;
    }
    decal_handle_ = decal_.at(e->position(), size());
    if (decal_handle_ != DecalHandles::none) {
        drag_ = Drag::decal;
        return true;
    }
    const int other = decal_.other_at(e->position(), size());
    if (other >= 0) decals.select_pin(other);
    return other >= 0;
}

/// Pens speak of pressure and tilt; whoever has none of them is a mouse.
void RenderView::tabletEvent(QTabletEvent* e) {
    Painter& painter = bench_.painter();
    brush_.hover(e->position());
    if (!painter.armed() || painter.drawing_outline()) return e->ignore();  // then it comes as a mouse
    switch (e->type()) {
        case QEvent::TabletPress:
            if (brush_.over_photo(e->position()) != BrushOverlay::none) return e->ignore();
            painter.press(BrushOverlay::sample(e->position(), e), size());
            drag_ = Drag::brush;
            break;
        case QEvent::TabletMove:
            if (drag_ == Drag::brush) painter.move(BrushOverlay::sample(e->position(), e));
            update();
            break;
        case QEvent::TabletRelease:
            if (drag_ == Drag::brush) painter.release();
            drag_ = Drag::none;
            break;
        default: break;
    }
    e->accept();
}
void RenderView::leaveEvent(QEvent*) {
    brush_.hover(QPointF(-1e4, -1e4));
    if (bench_.painter().armed()) update();
}

void RenderView::mouseReleaseEvent(QMouseEvent* e) {
    if (drag_ == Drag::brush) {
        bench_.painter().release();
        drag_ = Drag::none;
        return;
    }
    if (drag_ == Drag::stick) {
        bench_.decals().release();
        drag_ = Drag::none;
        return;
    }
    if (drag_ == Drag::outline) brush_.close_outline();
    if (drag_ == Drag::region) {
        const double s = bench_.showing().live().scale_percent / 100.0;
        const bool marked = moved_ && marked_.width() > 4 && marked_.height() > 4;
        render::PixelRect region;
        if (marked)
            region = {int(marked_.left() * s), int(marked_.top() * s), int(std::ceil(marked_.right() * s)),
                      int(std::ceil(marked_.bottom() * s))};
        marking_ = false;
        marked_ = {};
        bench_.showing().set_region(region);
        update();
    } else if (!moved_ && drag_ == Drag::orbit)
        click(e->position());
    if (moved_) bench_.end_merge();
    drag_ = Drag::none;
}

void RenderView::wheelEvent(QWheelEvent* e) {
    const float steps = float(e->angleDelta().y()) / 120.f;
    if (bench_.painter().armed() && e->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier)) {
        const bool turns = e->modifiers() & Qt::ShiftModifier;
        if (HeldPhoto* photo = bench_.painter().photo(); photo && e->modifiers() & Qt::ControlModifier) {
            brush_.turn_photo(turns ? steps * 3.f : 0.f, turns ? 1.f : std::exp(steps * .06f));
            return;
        }
        bench_.painter().change_brush([&](paint::StockBrush& b) {
            if (turns)
                b.brush.angle = std::remainder(b.brush.angle + steps * 5.f, 360.f);
            else
                b.brush.size = std::clamp(b.brush.size * std::exp(steps * .12f), 1e-4f, 2000.f);
        });
        return;
    }
    move_camera([&](scene::Camera& c) { c.position = c.target + (c.position - c.target) * std::exp(-steps * .12f); });
}

std::optional<V3f> RenderView::linear_at(const QPointF& p) const {
    if (!shown_ || shown_->linear.empty()) return std::nullopt;
    const int x = std::clamp(int(p.x() * shown_->width / width()), 0, shown_->width - 1);
    const int y = std::clamp(int(p.y() * shown_->height / height()), 0, shown_->height - 1);
    return shown_->linear[size_t(y) * size_t(shown_->width) + size_t(x)];
}

std::optional<SurfaceSpot> RenderView::spot_at(const QPointF& p) const {
    const auto* camera = scene::active_camera(bench_.scene());
    if (!shown_ || !camera) return std::nullopt;
    const render::Prepared& prepared = *shown_->prepared;
    const auto hit = render::visible_at(prepared, *camera, width(), height(), float(p.x()), float(p.y()));
    if (!hit.hit) return std::nullopt;
    const geometry::SurfacePoint s = prepared.geometry->at(hit.at);
    const geometry::Instance& in = prepared.geometry->instances()[hit.at.instance];
    // Pins and frames lie on the form as it was before heights moved it: networks read that.
    return SurfaceSpot{prepared.parts[hit.at.instance]->id,
                       in.point_to_object(s.position - s.displaced_by),
                       in.normal_to_object(s.normal).normalized(),
                       s.position,
                       s.normal,
                       hit.at};
}
/// What lies under the point beside what is being arranged.
std::optional<SurfaceSpot> RenderView::spot_beside(const QPointF& p) const {
    const auto spot = spot_at(p);
    const scene::Part* arranged = bench_.part();
    const scene::Part* there = spot ? scene::find(bench_.scene().parts, spot->part) : nullptr;
    if (!there || !arranged) return spot;
    return there->id == arranged->id || (bench_.arranging().whole_asset() && there->asset == arranged->asset)
               ? std::nullopt
               : spot;
}
std::string RenderView::part_at(const QPointF& p) const {
    const auto spot = spot_at(p);
    return spot ? spot->part : std::string();
}

void RenderView::click(const QPointF& p) {
    if (const std::string part = part_at(p); !part.empty()) bench_.select_part(part);
}

void RenderView::frame_box(const Box3f& box) {
    move_camera([&](scene::Camera& c) {
        scene::frame(c, box,
                     std::min(float(width()) / float(std::max(1, height())), render::framed_aspect(bench_.scene())));
    });
    bench_.end_merge();
}
void RenderView::frame_all() {
    if (shown_) frame_box(shown_->prepared->geometry->bounds());
}
void RenderView::frame_part() {
    if (!shown_) return;
    const int i = shown_->prepared->instance_of(bench_.selection().part);
    if (i < 0) return frame_all();
    frame_box(shown_->prepared->geometry->instances()[size_t(i)].bounds());
}
void RenderView::start_region() {
    if (bench_.showing().has_region())
        bench_.showing().set_region({});
    else
        marking_ = true;
    update();
}

void RenderView::dragEnterEvent(QDragEnterEvent* e) {
    if (e->mimeData()->hasUrls() || e->mimeData()->hasFormat(stock_mime)) e->acceptProposedAction();
}
void RenderView::dropEvent(QDropEvent* e) {
    if (e->mimeData()->hasFormat(stock_mime)) {
        const std::string part = part_at(e->position());
        if (part.empty())
            Q_EMIT bench_.said("Drop it on a part");
        else
            bench_.stockroom().wear_stock(e->mimeData()->data(stock_mime).toStdString(), part);
        e->acceptProposedAction();
        return;
    }
    std::vector<fs::path> maps;
    for (const QUrl& url : e->mimeData()->urls()) {
        const fs::path file = url.toLocalFile().toStdString();
        if (vemtra::lower(file.extension().string()) == ".vemtra")
            Q_EMIT open_wanted(file);  // the window asks about unsaved work first
        else if (geometry::format_of(file.string()))
            bench_.files().import_asset(file);
        else
            maps.push_back(file);
    }
    if (maps.empty()) return;
    if (const std::string part = part_at(e->position()); !part.empty() && part != bench_.selection().part)
        bench_.select_part(part);
    bench_.map_intake().look_for_maps(maps);
}

}  // namespace vemtra::app
