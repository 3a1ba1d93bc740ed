#include "app/drawer/drawer.h"

namespace vemtra::app {

Drawer::Drawer(Workbench& bench, QWidget* parent) : QTabWidget(parent), bench_(bench) {
    setDocumentMode(true);
    setObjectName("drawer");
    addTab(make_parts_page(bench), "Parts");
    addTab(make_rigs_page(bench), "Rigs");
    addTab(make_snapshots_page(bench), "Snapshots");
    addTab(make_findings_page(bench), "Findings");
    auto count_findings = [this] {
        const size_t n = bench_.findings().size();
        setTabText(count() - 1, n ? QString("Findings (%1)").arg(n) : "Findings");
    };
    connect(&bench_, &Workbench::measured_changed, this, count_findings);
    connect(&bench_, &Workbench::picture_changed, this, count_findings);
}

}  // namespace vemtra::app
