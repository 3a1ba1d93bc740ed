// The strip of lists under the picture: one row per page in drawer_pages(), one file each.
#pragma once
#include <QBoxLayout>
#include <QPushButton>
#include <QTabWidget>

#include "app/workbench.h"

namespace vemtra::app {

/// What a swatch of the stock is dragged as: the entry's id.
inline constexpr const char* stock_mime = "application/x-vemtra-stock";

/// A button at the end of a row of a page.
inline QPushButton* add_button(QBoxLayout* row, const QString& text, const QString& help, std::function<void()> press) {
    auto* b = new QPushButton(text);
    b->setToolTip(help);
    QObject::connect(b, &QPushButton::clicked, b, [press = std::move(press)] { press(); });
    row->addWidget(b);
    return b;
}

enum class Page : uint8_t { parts, rigs, stock, brushes, maps, values, snapshots, files, findings };
struct DrawerPage {
    Page id;
    const char* title;
    QWidget* (*make)(Workbench&);
    int (*count)(Workbench&);  ///< shown behind the title where it is not 0; null: none
};
/// In the order in which they stand.
const std::vector<DrawerPage>& drawer_pages();

class Drawer : public QTabWidget {
    Q_OBJECT
public:
    explicit Drawer(Workbench& bench, QWidget* parent = nullptr);
    void show_page(Page page);

private:
    void show_counts();
    Workbench& bench_;
};

QWidget* make_parts_page(Workbench& bench);
QWidget* make_rigs_page(Workbench& bench);
QWidget* make_stock_page(Workbench& bench);
QWidget* make_brushes_page(Workbench& bench);
QWidget* make_kept_values_page(Workbench& bench);
QWidget* make_snapshots_page(Workbench& bench);
QWidget* make_maps_page(Workbench& bench);
QWidget* make_files_page(Workbench& bench);
QWidget* make_findings_page(Workbench& bench);

}  // namespace vemtra::app
