#include <QHeaderView>
#include <QPushButton>
#include <QStyledItemDelegate>
#include <QTreeWidget>
#include <QVBoxLayout>

#include "app/drawer/drawer.h"

namespace vemtra::app {
namespace {

/// Rows as high as their words need at the width of their columns.
class WrappedRows : public QStyledItemDelegate {
public:
    explicit WrappedRows(QTreeView* tree) : QStyledItemDelegate(tree), tree_(tree) {}
    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const int width = tree_->columnWidth(index.column());
        const QRect words = option.fontMetrics.boundingRect(QRect(0, 0, std::max(20, width - 10), 2000),
                                                            Qt::TextWordWrap, index.data().toString());
        return {width, std::max(26, words.height() + 8)};
    }

private:
    QTreeView* tree_;
};

class FindingsPage : public QWidget {
public:
    explicit FindingsPage(Workbench& bench) : bench_(bench) {
        auto* box = new QVBoxLayout(this);
        box->setContentsMargins(6, 6, 6, 6);
        tree_ = new QTreeWidget;
        tree_->setObjectName("findings");
        tree_->setHeaderLabels({"What", "Where", "Why", "What to do", ""});
        tree_->setRootIsDecorated(false);
        tree_->setWordWrap(true);
        tree_->header()->setStretchLastSection(false);
        tree_->header()->setSectionResizeMode(QHeaderView::Stretch);
        tree_->header()->setSectionResizeMode(4, QHeaderView::Fixed);
        tree_->header()->resizeSection(4, 132);
        tree_->setItemDelegate(new WrappedRows(tree_));
        tree_->setTextElideMode(Qt::ElideNone);
        connect(tree_->header(), &QHeaderView::sectionResized, tree_, [this] { tree_->doItemsLayout(); });
        box->addWidget(tree_);
        connect(&bench_, &Workbench::measured_changed, this, [this] { fill(); });
        connect(&bench_, &Workbench::picture_changed, this, [this] { fill(); });
    }

private:
    void fill() {
        std::vector<std::string> lines;
        std::vector<Finding> findings = bench_.findings();
        std::stable_partition(findings.begin(), findings.end(),
                              [](const Finding& e) { return bool(e.act); });  // what one step settles comes first
        for (const Finding& e : findings) lines.push_back(e.line() + e.action.toStdString());
        if (lines == lines_ && tree_->topLevelItemCount()) return;
        lines_ = lines;
        tree_->clear();
        for (const Finding& e : findings) {
            std::string where = e.file.empty()
                                    ? e.place
                                    : fs::path(e.file).filename().string() + (e.place.empty() ? "" : ", " + e.place);
            auto* item = new QTreeWidgetItem(tree_, {QString::fromStdString(e.what), QString::fromStdString(where),
                                                     QString::fromStdString(e.why), QString::fromStdString(e.remedy)});
            for (int c = 0; c < 4; ++c) item->setToolTip(c, QString::fromStdString(e.line()));
            if (e.action.isEmpty()) continue;
            auto* button = new QPushButton(e.action);
            button->setToolTip("Puts it right, as an edit that can be undone");
            // The list is made anew by what the step changes: not while its button is still at work.
            connect(button, &QPushButton::clicked, this,
                    [this, act = e.act] { QMetaObject::invokeMethod(this, act, Qt::QueuedConnection); });
            auto* cell = new QWidget;
            auto* in = new QVBoxLayout(cell);
            in->setContentsMargins(2, 2, 2, 2);
            in->addWidget(button);
            in->addStretch(1);
            tree_->setItemWidget(item, 4, cell);
        }
        if (findings.empty()) new QTreeWidgetItem(tree_, {"Nothing was found", "", "", "", ""});
    }
    Workbench& bench_;
    QTreeWidget* tree_;
    std::vector<std::string> lines_;
};

}  // namespace

QWidget* make_findings_page(Workbench& bench) {
    return new FindingsPage(bench);
}

}  // namespace vemtra::app
