#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>

#include "app/drawer/drawer.h"

namespace vemtra::app {
namespace {

class SnapshotsPage : public QWidget {
public:
    explicit SnapshotsPage(Workbench& bench) : bench_(bench) {
        auto* row = new QHBoxLayout(this);
        row->setContentsMargins(6, 6, 6, 6);
        list_ = new QListWidget;
        list_->setObjectName("snapshots");
        list_->setViewMode(QListView::IconMode);
        list_->setIconSize(QSize(150, 96));
        list_->setResizeMode(QListView::Adjust);
        list_->setMovement(QListView::Static);
        row->addWidget(list_, 1);
        auto* buttons = new QVBoxLayout;
        add_button(buttons, "Keep picture", "Keeps the live picture with the state that made it (K)",
                   [this] { bench_.kept_pictures().keep_picture(); });
        add_button(buttons, "Compare", "Splits the view between the chosen snapshot and the live render", [this] {
            bench_.kept_pictures().compare_with(
                list_->currentRow() == bench_.kept_pictures().compared() ? -1 : list_->currentRow());
        });
        add_button(buttons, "Bring back", "Makes the snapshot's state the present one; can be undone", [this] {
            const int i = list_->currentRow();
            if (i < 0 || i >= int(bench_.kept_pictures().kept().size())) return;
            const auto state = bench_.kept_pictures().kept()[size_t(i)].scene;
            bench_.edit("Bring back " + bench_.kept_pictures().kept()[size_t(i)].name.toStdString(),
                        [&](scene::Scene& s) { s = *state; });
        });
        add_button(buttons, "Remove", "Forgets the snapshot",
                   [this] { bench_.kept_pictures().forget_picture(list_->currentRow()); });
        buttons->addStretch();
        row->addLayout(buttons);
        hint_ = new QLabel("No snapshot yet. K keeps the picture as it is now;\nthen compare it with what you change.",
                           list_->viewport());
        hint_->move(14, 12);
        connect(&bench_, &Workbench::kept_changed, this, [this] { fill(); });
        fill();
    }

private:
    void fill() {
        const int current = list_->currentRow();
        list_->clear();
        for (size_t i = 0; i < bench_.kept_pictures().kept().size(); ++i) {
            const auto& k = bench_.kept_pictures().kept()[i];
            const QString text =
                k.name +
                (int(i) == bench_.kept_pictures().compared() ? "  (compared)" : QString("  %1 samples").arg(k.samples));
            const QPixmap small =
                QPixmap::fromImage(k.image.scaled(150, 96, Qt::KeepAspectRatio, Qt::SmoothTransformation));
            QIcon icon(small);
            icon.addPixmap(small, QIcon::Selected);  // colour is judged here: no tint when it is chosen
            list_->addItem(new QListWidgetItem(icon, text));
        }
        list_->setCurrentRow(std::clamp(current, bench_.kept_pictures().kept().empty() ? -1 : 0,
                                        int(bench_.kept_pictures().kept().size()) - 1));
        hint_->setVisible(bench_.kept_pictures().kept().empty());
    }
    Workbench& bench_;
    QListWidget* list_;
    QLabel* hint_;
};

}  // namespace

QWidget* make_snapshots_page(Workbench& bench) {
    return new SnapshotsPage(bench);
}

}  // namespace vemtra::app
