// The picture: the live render and what is worked on in it. Left drag orbits, Shift or middle drag pans, wheel or right
// drag dollies, a click selects the part; with a snapshot compared, the divider is dragged.
#pragma once
#include <QWidget>

#include "app/view/brush_overlay.h"
#include "app/view/decal_handles.h"
#include "app/view/frame_handles.h"
#include "app/view/placement_handles.h"

namespace vemtra::app {

class RenderView : public QWidget {
    Q_OBJECT
public:
    explicit RenderView(Workbench& bench, QWidget* parent = nullptr);
    void frame_part();  ///< the selected part, or all when pressed again
    void frame_all();
    void start_region();  ///< the next drag marks the region; on an empty drag it is cleared
    bool marking_region() const { return marking_; }
    const FrameHandles& handles() const { return handles_; }
    QPointF divider() const { return {width() * divider_, height() * .5}; }
    const PlacementHandles& placing() const { return placing_; }
    const DecalHandles& decal() const { return decal_; }
    QSize minimumSizeHint() const override { return {320, 240}; }

Q_SIGNALS:
    void open_wanted(const std::filesystem::path& project);  ///< a project was dropped

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void tabletEvent(QTabletEvent*) override;
    void leaveEvent(QEvent*) override;
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;

private:
    enum class Drag { none, orbit, pan, dolly, divider, region, frame, placing, brush, outline, photo, decal, stick };
    void move_camera(const std::function<void(scene::Camera&)>& change);
    void frame_box(const Box3f& box);
    std::optional<V3f> linear_at(const QPointF& p) const;
    std::optional<SurfaceSpot> spot_at(const QPointF& p) const;
    std::optional<SurfaceSpot> spot_beside(const QPointF& p) const;
    std::string part_at(const QPointF& p) const;  ///< id; empty: none
    void click(const QPointF& p);
    bool press_brush(QMouseEvent* e);
    bool press_decal(QMouseEvent* e);
    void paint_invitation(QPainter& p);
    void paint_picture(QPainter& p);
    void paint_compared(QPainter& p, const KeptPicture& kept);
    void paint_region(QPainter& p);
    void paint_legend(QPainter& p);  ///< what the colours of the coverage view stand for
    static void paint_label(QPainter& p, const QRectF& box, const QString& text);
    QString hint() const;  ///< what the hand is asked for; empty: nothing

    Workbench& bench_;
    std::shared_ptr<const render::LiveImage> shown_;
    QImage image_;
    Drag drag_ = Drag::none;
    FrameHandles handles_{bench_};
    PlacementHandles placing_{bench_};
    BrushOverlay brush_{bench_};
    DecalHandles decal_{bench_};
    DecalHandles::Handle decal_handle_ = DecalHandles::none;
    FrameHandles::Handle handle_ = FrameHandles::none;
    bool takes_another_ = false;  ///< once the hand moves
    QPointF last_, pressed_;
    bool moved_ = false, marking_ = false, framed_part_ = false;
    double divider_ = .5;
    QRectF marked_;
};

}  // namespace vemtra::app
