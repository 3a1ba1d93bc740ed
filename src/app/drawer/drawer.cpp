#include "app/drawer/drawer.h"

namespace vemtra::app {

// The register: one line per page.
const std::vector<DrawerPage>& drawer_pages() {
    static const std::vector<DrawerPage> all = {
        {Page::parts, "Parts", make_parts_page, nullptr},
        {Page::rigs, "Rigs", make_rigs_page, nullptr},
        {Page::stock, "Stock", make_stock_page, nullptr},
        {Page::brushes, "Brushes", make_brushes_page, nullptr},
        {Page::maps, "Maps", make_maps_page, nullptr},
        {Page::values, "Values", make_kept_values_page, nullptr},
        {Page::snapshots, "Snapshots", make_snapshots_page, nullptr},
        {Page::files, "Files", make_files_page, nullptr},
        {Page::findings, "Findings", make_findings_page, [](Workbench& bench) { return int(bench.findings().size()); }},
    };
    return all;
}

Drawer::Drawer(Workbench& bench, QWidget* parent) : QTabWidget(parent), bench_(bench) {
    setDocumentMode(true);
    setObjectName("drawer");
    for (const DrawerPage& page : drawer_pages()) addTab(page.make(bench), page.title);
    connect(&bench_, &Workbench::measured_changed, this, &Drawer::show_counts);
    connect(&bench_, &Workbench::picture_changed, this, &Drawer::show_counts);
}

void Drawer::show_page(Page page) {
    for (int i = 0; i < count(); ++i)
        if (drawer_pages()[size_t(i)].id == page) setCurrentIndex(i);
}

void Drawer::show_counts() {
    for (int i = 0; i < count(); ++i) {
        const DrawerPage& page = drawer_pages()[size_t(i)];
        if (!page.count) continue;
        const int n = page.count(bench_);
        const QString text = n ? QString("%1 (%2)").arg(page.title).arg(n) : page.title;
        if (tabText(i) != text) setTabText(i, text);  // setting it lays out the whole window anew
    }
}

}  // namespace vemtra::app
