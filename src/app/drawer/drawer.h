// The strip of lists under the picture: parts, rigs, stock, kept values, snapshots, findings. One page, one file.
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

class Drawer : public QTabWidget {
    Q_OBJECT
public:
    explicit Drawer(Workbench& bench, QWidget* parent = nullptr);
    void show_page(const QString& title);
    void show_findings() { setCurrentIndex(count() - 1); }

private:
    Workbench& bench_;
};

QWidget* make_parts_page(Workbench& bench);
QWidget* make_rigs_page(Workbench& bench);
QWidget* make_stock_page(Workbench& bench);
QWidget* make_kept_values_page(Workbench& bench);
QWidget* make_snapshots_page(Workbench& bench);
QWidget* make_maps_page(Workbench& bench);
QWidget* make_picture_page(Workbench& bench);
QWidget* make_files_page(Workbench& bench);
QWidget* make_findings_page(Workbench& bench);

}  // namespace vemtra::app
