#include <QComboBox>
#include <QHeaderView>
#include <QTreeWidget>
#include <QVBoxLayout>

#include "app/drawer/drawer.h"
#include "scene/edits.h"

namespace vemtra::app {
namespace {

class PartsPage : public QWidget {
public:
    explicit PartsPage(Workbench& bench) : bench_(bench) {
        auto* box = new QVBoxLayout(this);
        box->setContentsMargins(6, 6, 6, 6);
        tree_ = new QTreeWidget;
        tree_->setObjectName("parts");
        tree_->setColumnCount(8);
        tree_->setHeaderLabels({"Part", "Build-up", "Seen", "Priority", "Relief", "Smooth", "Round", "Asset"});
        tree_->setRootIsDecorated(false);
        tree_->header()->setStretchLastSection(false);
        tree_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
        tree_->setColumnWidth(1, 190);
        tree_->setColumnWidth(2, 46);
        tree_->setColumnWidth(3, 58);
        tree_->setColumnWidth(4, 46);
        tree_->setColumnWidth(5, 54);
        tree_->setColumnWidth(6, 48);
        tree_->setColumnWidth(7, 96);
        tree_->headerItem()->setToolTip(
            6,
            "Faces are bent between their corners to the form that their normals tell of, as finely as the picture can "
            "tell: no corners in its outline, however near");
        tree_->headerItem()->setToolTip(
            5,
            "How often its polygons are halved towards the smooth surface that they frame, 0 to 6; "
            "with a ! behind it, edges where its normals part stay hard. Double-click to change");
        tree_->headerItem()->setToolTip(4, "Whether heights of its layers move it; else it stays flat");
        tree_->headerItem()->setToolTip(3,
                                        "Where two clear parts overlap, as glass and what is in it, the higher one is "
                                        "there. Double-click to change");
        box->addWidget(tree_);
        auto* row = new QHBoxLayout;
        add_button(row, "Place", "Move, turn and scale the selected part in the picture (P)",
                   [this] { bench_.arranging().arrange(!bench_.arranging().on()); });
        add_button(row, "Sit down", "Its lowest point comes to lie on the stage",
                   [this] { bench_.arranging().sit_down(); });
        add_button(row, "Another one", "An instance beside it, which shares its mesh (Ctrl+Shift+D)",
                   [this] { bench_.arranging().duplicate_part(); });
        add_button(row, "Remove", "Takes the part out of the project", [this] { bench_.arranging().remove_part(); });
        row->addStretch(1);
        box->addLayout(row);
        connect(tree_, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
            if (item && !filling_) bench_.select_part(item->data(0, Qt::UserRole).toString().toStdString());
        });
        connect(tree_, &QTreeWidget::itemChanged, this, [this](QTreeWidgetItem* item, int column) {
            if (filling_) return;
            // The list is filled anew by the edit: not while the item is still at work.
            QMetaObject::invokeMethod(
                this,
                [this, column, id = item->data(0, Qt::UserRole).toString().toStdString(), text = item->text(column),
                 ticked = item->checkState(column) == Qt::Checked] { change(id, column, text, ticked); },
                Qt::QueuedConnection);
        });
        connect(&bench_, &Workbench::changed, this, [this] { fill(); });
        connect(&bench_, &Workbench::selection_changed, this, [this] { fill(); });
        fill();
    }

private:
    void change(const std::string& id, int column, const QString& text, bool ticked) {
        static constexpr const char* labels[] = {"Rename part",      "Part",           "Show or hide part",
                                                 "Priority of part", "Relief of part", "Smoothness of part",
                                                 "Roundness of part"};
        bench_.edit(labels[std::clamp(column, 0, 6)], [&](scene::Scene& s) {
            scene::Part* part = scene::find(s.parts, id);
            if (!part) return;
            switch (column) {
                case 0: part->name = text.toStdString(); break;
                case 2: part->visible = ticked; break;
                case 3: part->priority = std::clamp(text.toInt(), -99, 99); break;
                case 4: part->flat = !ticked; break;
                case 6: part->round = ticked; break;
                case 5:
                    part->hard_edges = text.trimmed().endsWith('!');
                    part->subdivision = std::clamp(QString(text).remove('!').trimmed().toInt(), 0, 6);
                    break;
                default: break;
            }
        });
    }
    void fill() {
        const scene::Scene& s = bench_.scene();
        filling_ = true;
        if (s.parts != parts_ || s.build_ups.size() != build_ups_) {
            parts_ = s.parts;
            build_ups_ = s.build_ups.size();
            tree_->clear();
            for (const scene::Part& part : s.parts) {
                auto* item = new QTreeWidgetItem(tree_, {QString::fromStdString(part.name)});
                item->setData(0, Qt::UserRole, QString::fromStdString(part.id));
                item->setFlags(item->flags() | Qt::ItemIsEditable | Qt::ItemIsUserCheckable);
                item->setText(3, QString::number(part.priority));
                item->setCheckState(4, part.flat ? Qt::Unchecked : Qt::Checked);
                item->setText(5, QString::number(part.subdivision) + (part.hard_edges ? "!" : ""));
                item->setTextAlignment(5, Qt::AlignCenter);
                item->setCheckState(6, part.round ? Qt::Checked : Qt::Unchecked);
                item->setText(7, QString::fromStdString(part.asset) + (part.placement.at_rest() ? "" : ", moved"));
                item->setToolTip(7, "Shared by all of its parts; \"moved\": not where the file has it");
                item->setTextAlignment(3, Qt::AlignCenter);
                item->setCheckState(2, part.visible ? Qt::Checked : Qt::Unchecked);
                auto* choice = new QComboBox;
                for (const auto& b : s.build_ups)
                    choice->addItem(QString::fromStdString(b.name), QString::fromStdString(b.id));
                choice->addItem("New build-up");
                for (int i = 0; i < int(s.build_ups.size()); ++i)
                    if (s.build_ups[size_t(i)].id == part.build_up) choice->setCurrentIndex(i);
                choice->setToolTip("The build-up that the part wears");
                connect(choice, &QComboBox::activated, this, [this, choice, id = part.id](int i) {
                    std::string build_up = choice->itemData(i).toString().toStdString();
                    bench_.edit("Give part a build-up", [&](scene::Scene& x) {
                        auto* p = scene::find(x.parts, id);
                        if (!p) return;
                        if (build_up.empty()) {
                            build_up = scene::FreshIds(scene::ids_of(x.build_ups)).take(scene::stem_of(p->name));
                            x.build_ups.push_back(scene::default_build_up(build_up, p->name));
                        }
                        p->build_up = build_up;
                    });
                    QMetaObject::invokeMethod(
                        this,
                        [this, id] {
                            bench_.select({});
                            bench_.select_part(id);
                        },
                        Qt::QueuedConnection);
                });
                tree_->setItemWidget(item, 1, choice);
            }
        }
        for (int i = 0; i < tree_->topLevelItemCount(); ++i)
            if (tree_->topLevelItem(i) != tree_->currentItem() &&
                tree_->topLevelItem(i)->data(0, Qt::UserRole).toString().toStdString() == bench_.selection().part)
                tree_->setCurrentItem(tree_->topLevelItem(i));
        filling_ = false;
    }
    Workbench& bench_;
    QTreeWidget* tree_;
    std::vector<scene::Part> parts_;
    size_t build_ups_ = 0;
    bool filling_ = false;
};

}  // namespace

QWidget* make_parts_page(Workbench& bench) {
    return new PartsPage(bench);
}

}  // namespace vemtra::app
