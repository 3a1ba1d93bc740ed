#include <QApplication>
#include <QComboBox>
#include <QHeaderView>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QTreeWidget>
#include <QVBoxLayout>

#include "app/drawer/drawer.h"
#include "scene/edits.h"

namespace vemtra::app {
namespace {

/// The build-up that a part wears, as text that opens a list of all of them. A list in every row would be made for each
/// of hundreds of parts, and again with each edit.
class BuildUpChoice : public QStyledItemDelegate {
public:
    /// `chosen`: the item and the id of its build-up; empty: a new one.
    BuildUpChoice(Workbench& bench, QTreeWidget* tree,
                  std::function<void(const QModelIndex&, const std::string&)> chosen)
        : QStyledItemDelegate(tree), bench_(bench), chosen_(std::move(chosen)) {}

    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        constexpr int arrow = 18;
        QStyleOptionViewItem text = option;
        initStyleOption(&text, index);
        text.text = text.fontMetrics.elidedText(text.text, Qt::ElideRight, text.rect.width() - arrow - 8);
        const QStyle* style = option.widget ? option.widget->style() : QApplication::style();
        style->drawControl(QStyle::CE_ItemViewItem, &text, painter, option.widget);
        const QPointF at(option.rect.right() - arrow / 2, option.rect.center().y());
        painter->save();
        painter->setRenderHint(QPainter::Antialiasing);
        const bool selected = option.state & QStyle::State_Selected;
        painter->setPen(QPen(option.palette.color(selected ? QPalette::HighlightedText : QPalette::Text), 1.4));
        painter->drawPolyline(QPolygonF({at + QPointF(-4, -2), at + QPointF(0, 2), at + QPointF(4, -2)}));
        painter->restore();
    }
    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        return QStyledItemDelegate::sizeHint(option, index).expandedTo({0, option.fontMetrics.height() + 8});
    }
    QWidget* createEditor(QWidget* parent, const QStyleOptionViewItem&, const QModelIndex&) const override {
        auto* list = new QComboBox(parent);
        for (const auto& b : bench_.scene().build_ups)
            list->addItem(QString::fromStdString(b.name), QString::fromStdString(b.id));
        list->addItem("New build-up");
        auto* self = const_cast<BuildUpChoice*>(this);
        connect(list, &QComboBox::activated, self, [self, list] {
            Q_EMIT self->commitData(list);
            Q_EMIT self->closeEditor(list);
        });
        QMetaObject::invokeMethod(list, &QComboBox::showPopup, Qt::QueuedConnection);
        return list;
    }
    void setEditorData(QWidget* editor, const QModelIndex& index) const override {
        auto* list = static_cast<QComboBox*>(editor);
        list->setCurrentIndex(std::max(0, list->findData(index.data(Qt::UserRole))));
    }
    void setModelData(QWidget* editor, QAbstractItemModel*, const QModelIndex& index) const override {
        const auto* list = static_cast<QComboBox*>(editor);
        if (list->currentData() != index.data(Qt::UserRole))
            chosen_(index, list->currentData().toString().toStdString());
    }

private:
    Workbench& bench_;
    std::function<void(const QModelIndex&, const std::string&)> chosen_;
};

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
        tree_->headerItem()->setToolTip(1, "The build-up that the part wears. Click to choose another one");
        tree_->setItemDelegateForColumn(
            1, new BuildUpChoice(bench, tree_, [this](const QModelIndex& row, const std::string& build_up) {
                const std::string id = row.siblingAtColumn(0).data(Qt::UserRole).toString().toStdString();
                // The list is filled anew by the edit: not while its editor is still at work.
                QMetaObject::invokeMethod(
                    this, [this, id, build_up] { wear(id, build_up); }, Qt::QueuedConnection);
            }));
        connect(tree_, &QTreeWidget::itemClicked, this, [this](QTreeWidgetItem* item, int column) {
            if (column == 1) tree_->editItem(item, 1);
        });
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
    void wear(const std::string& part, std::string build_up) {
        bench_.edit("Give part a build-up", [&](scene::Scene& x) {
            auto* p = scene::find(x.parts, part);
            if (!p) return;
            if (build_up.empty()) {
                build_up = scene::FreshIds(scene::ids_of(x.build_ups)).take(scene::stem_of(p->name));
                x.build_ups.push_back(scene::default_build_up(build_up, p->name));
            }
            p->build_up = build_up;
        });
        bench_.select({});
        bench_.select_part(part);
    }
    void fill_row(QTreeWidgetItem* item, const scene::Part& part) {
        const scene::BuildUp* worn = scene::find(bench_.scene().build_ups, part.build_up);
        item->setText(0, QString::fromStdString(part.name));
        item->setData(0, Qt::UserRole, QString::fromStdString(part.id));
        item->setText(1, worn ? QString::fromStdString(worn->name) : QString());
        item->setData(1, Qt::UserRole, QString::fromStdString(part.build_up));
        item->setToolTip(1, "The build-up that the part wears. Click to choose another one");
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
    }
    void fill() {
        const scene::Scene& s = bench_.scene();
        std::vector<std::string> names;
        for (const scene::BuildUp& b : s.build_ups) names.push_back(b.name);
        filling_ = true;
        if (s.parts != parts_ || names != build_ups_) {
            const auto same_id = [](const scene::Part& a, const scene::Part& b) { return a.id == b.id; };
            if (!std::equal(s.parts.begin(), s.parts.end(), parts_.begin(), parts_.end(), same_id)) {
                tree_->clear();
                for (size_t i = 0; i < s.parts.size(); ++i) new QTreeWidgetItem(tree_);
            }
            for (size_t i = 0; i < s.parts.size(); ++i) fill_row(tree_->topLevelItem(int(i)), s.parts[i]);
            parts_ = s.parts;
            build_ups_ = std::move(names);
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
    std::vector<std::string> build_ups_;  ///< their names
    bool filling_ = false;
};

}  // namespace

QWidget* make_parts_page(Workbench& bench) {
    return new PartsPage(bench);
}

}  // namespace vemtra::app
