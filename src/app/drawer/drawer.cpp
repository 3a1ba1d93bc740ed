#include "app/drawer/drawer.h"

namespace vemtra::app {

Drawer::Drawer(Workbench& bench, QWidget* parent) : QTabWidget(parent), bench_(bench) {
    setDocumentMode(true);
    setObjectName("drawer");
    addTab(make_parts_page(bench), "Parts");
    addTab(make_rigs_page(bench), "Rigs");
    addTab(make_stock_page(bench), "Stock");
    addTab(make_maps_page(bench), "Maps");
    addTab(make_kept_values_page(bench), "Values");
    addTab(make_snapshots_page(bench), "Snapshots");
    addTab(make_picture_page(bench), "Picture");
    addTab(make_files_page(bench), "Files");
    addTab(make_findings_page(bench), "Findings");
    auto count_findings = [this] {
        const size_t n = bench_.findings().size();
        const QString text = n ? QString("Findings (%1)").arg(n) : "Findings";
        if (tabText(count() - 1) != text) setTabText(count() - 1, text);  // setting it lays out the whole window anew
    };
    connect(&bench_, &Workbench::measured_changed, this, count_findings);
    connect(&bench_, &Workbench::picture_changed, this, count_findings);
}

void Drawer::show_page(const QString& title) {
    for (int i = 0; i < count(); ++i)
        if (tabText(i).startsWith(title)) setCurrentIndex(i);
}

}  // namespace vemtra::app
