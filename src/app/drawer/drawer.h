// The strip of lists under the picture: parts, rigs, snapshots, findings. One page, one file.
#pragma once
#include <QTabWidget>

#include "app/workbench.h"

namespace vemtra::app {

class Drawer : public QTabWidget {
    Q_OBJECT
public:
    explicit Drawer(Workbench& bench, QWidget* parent = nullptr);
    void show_findings() { setCurrentIndex(count() - 1); }

private:
    Workbench& bench_;
};

QWidget* make_parts_page(Workbench& bench);
QWidget* make_rigs_page(Workbench& bench);
QWidget* make_snapshots_page(Workbench& bench);
QWidget* make_findings_page(Workbench& bench);

}  // namespace vemtra::app
