#include <sys/resource.h>
#include <unistd.h>
#include <QApplication>
#include <QComboBox>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPushButton>
#include <condition_variable>
#include <deque>

#include "app/drawer/drawer.h"
#include "app/theme/theme.h"
#include "review/swatch.h"
#include "scene/edits.h"

namespace vemtra::app {
namespace {

/// Renders swatches one after the other in the background, asked for by id; those asked for last come first.
class SwatchMaker {
public:
    using Ready = std::function<void(const std::string& id, const QString& file)>;
    explicit SwatchMaker(Ready ready) : ready_(std::move(ready)), thread_([this] { work(); }) {}
    ~SwatchMaker() {
        {
            std::lock_guard lock(mutex_);
            quit_ = true;
            progress_.stop = true;
        }
        wake_.notify_all();
        thread_.join();
    }
    void ask(std::vector<scene::StockItem> items, std::optional<scene::Rig> rig, fs::path folder) {
        {
            std::lock_guard lock(mutex_);
            wanted_.assign(std::make_move_iterator(items.begin()), std::make_move_iterator(items.end()));
            rig_ = std::move(rig);
            folder_ = std::move(folder);
        }
        wake_.notify_all();
    }

private:
    void work() {
        setpriority(PRIO_PROCESS, id_t(gettid()), 10);  // swatches can wait for the picture
        render::Workshop workshop(64);
        for (;;) {
            scene::StockItem item;
            std::optional<scene::Rig> rig;
            fs::path folder;
            {
                std::unique_lock lock(mutex_);
                wake_.wait(lock, [this] { return quit_ || !wanted_.empty(); });
                if (quit_) return;
                item = std::move(wanted_.front());
                wanted_.pop_front();
                rig = rig_;
                folder = folder_;
            }
            const auto file = review::swatch_picture(item, rig ? &*rig : nullptr, folder, {}, workshop, &progress_);
            if (file) ready_(item.layer.id, QString::fromStdString(file->string()));
        }
    }
    Ready ready_;
    std::mutex mutex_;
    std::condition_variable wake_;
    std::deque<scene::StockItem> wanted_;
    std::optional<scene::Rig> rig_;
    fs::path folder_;
    bool quit_ = false;
    Progress progress_;
    std::thread thread_;
};

class StockList : public QListWidget {
public:
    StockList() {
        setViewMode(QListView::IconMode);
        setIconSize(QSize(72, 72));
        setGridSize(QSize(100, 106));
        setResizeMode(QListView::Adjust);
        setMovement(QListView::Static);
        setWordWrap(true);
        setDragEnabled(true);
        setFont(small_font());
        setObjectName("stock");
    }
    QMimeData* mimeData(const QList<QListWidgetItem*>& items) const override {
        auto* data = new QMimeData;
        if (!items.isEmpty()) data->setData(stock_mime, items.front()->data(Qt::UserRole).toByteArray());
        return data;
    }
    QStringList mimeTypes() const override { return {stock_mime}; }
};

class StockPage : public QWidget {
public:
    explicit StockPage(Workbench& bench)
        : bench_(bench), maker_([this](const std::string& id, const QString& file) {
              QMetaObject::invokeMethod(
                  this, [this, id, file] { arrived(id, file); }, Qt::QueuedConnection);
          }) {
        auto* row = new QHBoxLayout(this);
        row->setContentsMargins(6, 6, 6, 6);
        auto* left = new QVBoxLayout;
        auto* top = new QHBoxLayout;
        search_ = new QLineEdit;
        search_->setPlaceholderText("Search the stock");
        search_->setClearButtonEnabled(true);
        search_->setObjectName("stock-search");
        search_->setToolTip("Arrows choose among what is found; Enter puts it onto the selected layer");
        search_->installEventFilter(this);
        group_ = new QComboBox;
        group_->setToolTip("Group of the stock");
        top->addWidget(search_, 1);
        top->addWidget(group_);
        left->addLayout(top);
        list_ = new StockList;
        left->addWidget(list_, 1);
        note_ = new QLabel;
        note_->setFont(small_font());
        left->addWidget(note_);
        row->addLayout(left, 1);
        auto* buttons = new QVBoxLayout;
        add_button(buttons, "Onto layer",
                   "Exchanges the selected layer's surface; its mask and amounts stay. Double-click does the same",
                   [this] { onto_layer(); });
        add_button(buttons, "New layer", "Adds it as a layer above the selected one",
                   [this] { bench_.stockroom().add_stock_layer(chosen()); });
        add_button(buttons, "Keep layer", "Keeps the selected layer's surface in the stock", [this] { keep(); });
        add_button(buttons, "Keep mask", "Keeps what opens the selected layer's gate in the stock, as a mask",
                   [this] { keep_mask(); });
        rename_ =
            add_button(buttons, "Rename", "Another name or group; only for entries of your own", [this] { rename(); });
        remove_ = add_button(buttons, "Remove", "Takes an entry of your own out of the stock",
                             [this] { bench_.stockroom().remove_own_stock(chosen()); });
        buttons->addStretch();
        row->addLayout(buttons);
        connect(search_, &QLineEdit::textChanged, this, [this] { fill(); });
        connect(search_, &QLineEdit::returnPressed, this, [this] { take_found(); });
        connect(group_, &QComboBox::activated, this, [this] { fill(); });
        connect(list_, &QListWidget::itemDoubleClicked, this, [this] { onto_layer(); });
        connect(list_, &QListWidget::currentItemChanged, this, [this] { show_note(); });
        connect(&bench_, &Workbench::stock_changed, this, [this] { groups(); });
        connect(&bench_, &Workbench::changed, this, [this] {
            if (isVisible()) ask();
        });
        groups();
    }
    void showEvent(QShowEvent*) override { ask(); }

protected:
    /// The list is walked from the search line: both are one thing to the hand.
    bool eventFilter(QObject* of, QEvent* e) override {
        if (of != search_ || e->type() != QEvent::KeyPress) return false;
        const int key = static_cast<QKeyEvent*>(e)->key();
        if (key != Qt::Key_Down && key != Qt::Key_Up) return false;
        const int step = key == Qt::Key_Down ? 1 : -1;
        list_->setCurrentRow(std::clamp(list_->currentRow() + step, 0, std::max(0, list_->count() - 1)));
        return true;
    }

private:
    /// What is chosen among what was found goes onto the layer; keys are commands again.
    void take_found() {
        if (chosen().empty()) return;
        onto_layer();
        search_->clearFocus();
    }
    std::string chosen() const {
        return list_->currentItem() ? list_->currentItem()->data(Qt::UserRole).toString().toStdString() : std::string();
    }
    void onto_layer() { bench_.stockroom().apply_stock(chosen()); }
    void keep() {
        const auto* layer = bench_.layer();
        if (!layer) return;
        bool ok = false;
        const QString name = QInputDialog::getText(this, "Keep layer", "Name in the stock", QLineEdit::Normal,
                                                   QString::fromStdString(layer->name), &ok);
        if (ok && !name.trimmed().isEmpty()) bench_.stockroom().keep_own_stock(name.trimmed().toStdString());
    }
    void keep_mask() {
        const auto* layer = bench_.layer();
        if (!layer) return;
        bool ok = false;
        const QString name = QInputDialog::getText(this, "Keep mask", "Name in the stock", QLineEdit::Normal,
                                                   QString::fromStdString(layer->name) + " mask", &ok);
        if (ok && !name.trimmed().isEmpty()) bench_.stockroom().keep_own_mask(name.trimmed().toStdString());
    }
    void rename() {
        const auto* item = bench_.stockroom().stock().find(chosen());
        if (!item || !item->own) return;
        bool ok = false;
        const QString text =
            QInputDialog::getText(this, "Rename", "Group / name", QLineEdit::Normal,
                                  QString::fromStdString(item->family + " / " + item->layer.name), &ok);
        const int cut = int(text.lastIndexOf(" / "));
        if (ok)
            bench_.stockroom().rename_own_stock(
                item->layer.id, (cut < 0 ? QString::fromStdString(item->family) : text.left(cut)).toStdString(),
                (cut < 0 ? text : text.mid(cut + 3)).toStdString());
    }
    void groups() {
        const QString now = group_->currentText();
        group_->clear();
        group_->addItem("All groups");
        for (const auto& g : bench_.stockroom().stock().families()) group_->addItem(QString::fromStdString(g));
        group_->setCurrentIndex(std::max(0, group_->findText(now)));
        fill();
    }
    void fill() {
        const std::string kept = chosen();
        list_->clear();
        const QStringList words = search_->text().split(' ', Qt::SkipEmptyParts);
        const QString group = group_->currentIndex() > 0 ? group_->currentText() : QString();
        for (const scene::StockItem& i : bench_.stockroom().stock().items) {
            const QString name = QString::fromStdString(i.layer.name);
            const QString of = QString::fromStdString(i.family);
            if (!group.isEmpty() && of != group) continue;
            if (!std::all_of(words.begin(), words.end(), [text = name + " " + of](const QString& w) {
                    return text.contains(w, Qt::CaseInsensitive);
                }))
                continue;
            auto* item = new QListWidgetItem(name);
            item->setData(Qt::UserRole, QString::fromStdString(i.layer.id));
            item->setToolTip(of + ": " + name + "\n" + QString::fromStdString(i.note));
            item->setTextAlignment(Qt::AlignHCenter | Qt::AlignTop);
            const auto have = icons_.find(i.layer.id);
            item->setIcon(have != icons_.end() ? have->second : shipped(i.layer.id));
            list_->addItem(item);
            if (i.layer.id == kept) list_->setCurrentItem(item);
        }
        if (!words.isEmpty() && !list_->currentItem()) list_->setCurrentRow(0);
        show_note();
        asked_.reset();
        if (isVisible()) ask();
    }
    /// The picture that ships, in the default rig, until there is one in the rig that is in use.
    QIcon shipped(const std::string& id) const {
        QPixmap p(QString::fromStdString((shipped_assets() / "stock" / "pictures" / (id + ".png")).string()));
        return p.isNull() ? waiting() : QIcon(p);
    }
    QIcon waiting() const {
        QPixmap p(72, 72);
        p.fill(theme().raised);
        return QIcon(p);
    }
    void show_note() {
        const auto* item = bench_.stockroom().stock().find(chosen());
        note_->setText(item             ? QString::fromStdString(item->note)
                       : list_->count() ? "Drag a swatch onto a part or a lane, or find it by name and press Enter."
                                        : "Nothing in the stock has that name.");
        rename_->setEnabled(item && item->own);
        remove_->setEnabled(item && item->own);
    }
    /// Asks for the swatches in the list, in the rig that is in use; again when that changes.
    void ask() {
        const scene::Rig* rig = scene::active_rig(bench_.scene());
        // All that lights the swatches: a light that is moved or tinted makes them anew, a balance or a name does not.
        Lighting now{bench_.files().folder(), rig ? *rig : scene::Rig()};
        now.rig.name.clear();
        now.rig.groups.clear();
        if (asked_ && now == *asked_) return;
        if (lit_by_ && !(now == *lit_by_)) {
            icons_.clear();
            for (int i = 0; i < list_->count(); ++i) list_->item(i)->setIcon(waiting());
        }
        asked_ = lit_by_ = now;
        std::vector<scene::StockItem> items;
        for (int i = 0; i < list_->count(); ++i)
            if (const auto* item =
                    bench_.stockroom().stock().find(list_->item(i)->data(Qt::UserRole).toString().toStdString()))
                items.push_back(*item);
        maker_.ask(std::move(items), rig ? std::optional(*rig) : std::nullopt, bench_.files().folder());
    }
    void arrived(const std::string& id, const QString& file) {
        const QPixmap picture(file);
        if (picture.isNull()) return;
        QIcon icon(picture);
        icon.addPixmap(picture, QIcon::Selected);  // no tint: colour is judged here
        icons_[id] = icon;
        for (int i = 0; i < list_->count(); ++i)
            if (list_->item(i)->data(Qt::UserRole).toString().toStdString() == id) list_->item(i)->setIcon(icon);
    }

    Workbench& bench_;
    QLineEdit* search_;
    QComboBox* group_;
    StockList* list_;
    QLabel* note_;
    QPushButton *rename_, *remove_;
    std::map<std::string, QIcon> icons_;
    struct Lighting {
        fs::path folder;
        scene::Rig rig;
        bool operator==(const Lighting&) const = default;
    };
    std::optional<Lighting> asked_, lit_by_;  ///< what swatches were asked in last; what those in `icons_` are lit by
    SwatchMaker maker_;                       // last: its thread must end before what it reports to
};

}  // namespace

QWidget* make_stock_page(Workbench& bench) {
    return new StockPage(bench);
}

}  // namespace vemtra::app
