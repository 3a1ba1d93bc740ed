// The strip above the picture: which camera, what is shown, how it is displayed, and how it is rendered.
#pragma once
#include <QWidget>

#include "app/workbench.h"

class QBoxLayout;
class QComboBox;
class QToolButton;

namespace vemtra::app {

class RenderView;
class ValueField;

class PictureStrip : public QWidget {
    Q_OBJECT
public:
    PictureStrip(Workbench& bench, RenderView& view, QWidget* parent = nullptr);
    /// Shows what the bench has.
    void refresh();
    /// Whether a region is being marked or rendered; asked for by the status line's pulse.
    void refresh_region();
    QToolButton* hold() const { return hold_; }
    QToolButton* region() const { return region_; }

Q_SIGNALS:
    void hint(const QString& text);

private:
    QComboBox* combo(const QString& help, int width);
    QToolButton* button(const QString& text, const QString& help, bool checkable);
    void add_camera();
    void add_display();
    void add_rendering();
    void choose_camera(int row);
    void choose_view(int row);

    Workbench& bench_;
    RenderView& view_;
    QBoxLayout* row_;
    QComboBox *camera_, *shown_, *scale_, *look_;
    ValueField *exposure_, *focal_;
    QToolButton *hold_, *region_, *denoise_;
};

}  // namespace vemtra::app
