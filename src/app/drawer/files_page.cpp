#include <QFileDialog>
#include <QHeaderView>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QSettings>
#include <QTimer>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <thread>

#include "app/detail/value_field.h"
#include "app/drawer/drawer.h"
#include "exchange/collect.h"

namespace vemtra::app {
namespace {

constexpr const char* search_folder = "search folder";

/// Every file that the project names, whether it is there, and the memory and the disk that maps may take.
class FilesPage : public QWidget {
public:
    explicit FilesPage(Workbench& bench) : bench_(bench) {
        auto* box = new QVBoxLayout(this);
        box->setContentsMargins(6, 6, 6, 6);
        auto* row = new QHBoxLayout;
        add_button(row, "Find missing...",
                   "Look in a folder and below for the files that are not at their place, by name and by content",
                   [this] {
                       const QString f = QFileDialog::getExistingDirectory(
                           this, "Look for missing files", QString::fromStdString(bench_.files().folder().string()));
                       if (!f.isEmpty()) bench_.files().find_missing_in(f.toStdString());
                   });
        add_button(
            row, "Search folder...",
            "Add a folder in which this project's files are looked for by name whenever they are not at their place",
            [this] {
                const QString f = QFileDialog::getExistingDirectory(
                    this, "Add a search folder", QString::fromStdString(bench_.files().folder().string()));
                if (!f.isEmpty()) add_search_folder(f.toStdString());
            });
        row->addStretch(1);
        box->addLayout(row);
        tree_ = new QTreeWidget;
        tree_->setObjectName("files");
        tree_->setHeaderLabels({"File", "For", "State", "Size"});
        tree_->setRootIsDecorated(false);
        tree_->header()->setStretchLastSection(false);
        tree_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
        tree_->header()->resizeSection(1, 190);
        tree_->header()->resizeSection(2, 190);
        tree_->header()->resizeSection(3, 90);
        tree_->setContextMenuPolicy(Qt::CustomContextMenu);
        connect(tree_, &QTreeWidget::customContextMenuRequested, this, [this](const QPoint& at) {
            auto* item = tree_->itemAt(at);
            if (!item || item->text(1) != search_folder) return;
            QMenu menu;
            menu.addAction("Do not look there any more", [this, folder = item->text(0).toStdString()] {
                bench_.edit("Remove a search folder", [&](scene::Scene& s) { std::erase(s.search_folders, folder); });
            });
            menu.exec(tree_->viewport()->mapToGlobal(at));
        });
        box->addWidget(tree_, 1);
        add_budgets(box);
        connect(&bench_, &Workbench::changed, this, [this] { fill(); });
        auto* pulse = new QTimer(this);
        connect(pulse, &QTimer::timeout, this, [this] {
            if (!isVisible()) return;
            numbers();
            fill();
        });
        pulse->start(1000);
    }

    ~FilesPage() override {
        if (looker_.joinable()) looker_.join();
    }

protected:
    void showEvent(QShowEvent*) override {
        numbers();
        fill();
    }

private:
    /// What maps and steps back may take, in a row of its own: beside the buttons it would widen the whole drawer.
    void add_budgets(QBoxLayout* box) {
        auto* row = new QHBoxLayout;
        auto budget = [&](const QString& label, const QString& help, NumberRange range, float now, auto change) {
            auto* l = new QLabel(label);
            l->setToolTip(help);
            auto* field = new ValueField(range);
            field->setToolTip(help);
            field->setFixedWidth(84);
            field->set_value(now);
            connect(field, &ValueField::settled, this, [field, change] { change(field->value()); });
            row->addWidget(l);
            row->addWidget(field);
            return field;
        };
        texels_ = new QLabel;
        disk_ = new QLabel;
        auto& store = *bench_.workshop().textures();
        row->addWidget(texels_);
        budget("of", "Memory that texels of maps may take; what was not looked at for longest goes first",
               {64, 65536, 1024, true, true, "MB"}, float(store.texels().budget() >> 20),
               [this](float v) {
                   bench_.workshop().textures()->texels().set_budget(size_t(v) << 20);
                   QSettings("Vemtra", "Vemtra").setValue("texel-megabytes", int(v));
               })
            ->setObjectName("texel-budget");
        row->addStretch(1);
        row->addWidget(disk_);
        budget("of", "Disk that prepared maps may take, for all projects; what was not used for longest goes first",
               {1, 4096, 20, true, true, "GB"}, float(store.maps().state().limit >> 30),
               [this](float v) {
                   bench_.workshop().textures()->maps().set_limit(uint64_t(v) << 30);
                   QSettings("Vemtra", "Vemtra").setValue("prepared-gigabytes", int(v));
               })
            ->setObjectName("prepared-limit");
        add_button(row, "Empty", "Remove all prepared maps; they are made again where they are needed",
                   [this] { bench_.workshop().textures()->maps().clear(); });
        row->addStretch(1);
        undo_ = new QLabel;
        undo_->setObjectName("undo-held");
        row->addWidget(undo_);
        budget("of", "Memory that steps which can be taken back may hold; the oldest are forgotten first",
               {8, 16384, 256, true, true, "MB"}, float(bench_.document().budget() >> 20),
               [this](float v) {
                   bench_.set_undo_budget(size_t(v) << 20);
                   QSettings("Vemtra", "Vemtra").setValue("undo-megabytes", int(v));
               })
            ->setObjectName("undo-budget");
        box->addLayout(row);
    }
    void add_search_folder(const fs::path& folder) {
        const std::string named = bench_.files().file() ? path_from(bench_.files().folder(), folder) : folder.string();
        bench_.edit("Add a search folder", [&](scene::Scene& s) {
            if (std::find(s.search_folders.begin(), s.search_folders.end(), named) == s.search_folders.end())
                s.search_folders.push_back(named);
        });
    }
    void numbers() {
        auto& store = *bench_.workshop().textures();
        const auto state = store.maps().state();
        texels_->setText(QString("Texels %1 MB").arg(store.memory() >> 20));
        disk_->setText("Prepared " + size_text(state.bytes));
        const size_t steps = bench_.document().steps();
        const QString count = steps == 1 ? "1 step" : QString("%1 steps").arg(steps);
        undo_->setText(count + ", " + size_text(bench_.document().held()));
    }
    static QString size_text(uint64_t bytes) {
        if (bytes >= (1u << 30)) return QString("%1 GB").arg(double(bytes) / double(1 << 30), 0, 'f', 1);
        return bytes >= (1u << 20) ? QString("%1 MB").arg(double(bytes) / double(1 << 20), 0, 'f', 1)
                                   : QString("%1 kB").arg((bytes + 1023) >> 10);
    }
    /// What stands where the project's paths lead; disks may be slow.
    static std::vector<QStringList> rows_of(scene::Scene scene, const Paths& paths) {
        std::vector<QStringList> rows;
        std::map<std::string, size_t> seen;
        exchange::for_each_file(scene, [&](const std::string& place, const std::string& path, const char*) {
            if (const auto [it, fresh] = seen.emplace(path, rows.size()); !fresh) {
                QString& uses = rows[it->second][1];
                if (!uses.contains(QString::fromStdString(place))) uses += ", " + QString::fromStdString(place);
                return;
            }
            QString state;
            QString size;
            const auto at = paths.find(path);
            if (!at) {
                state = "outside, not read";
            } else if (!something_at(*at)) {
                state = "missing";
            } else {
                const auto files = tile_files(*at);
                uint64_t bytes = 0;
                std::error_code ec;
                for (const auto& [tile, file] : files)
                    if (const auto n = fs::file_size(file, ec); !ec) bytes += uint64_t(n);
                const bool moved =
                    at->lexically_normal() !=
                    (fs::path(path).is_absolute() ? fs::path(path) : paths.folder / path).lexically_normal();
                state = files.front().first ? QString("%1 tiles").arg(files.size()) : QString("there");
                if (moved) state += ", in " + QString::fromStdString(at->parent_path().filename().string());
                size = size_text(bytes);
            }
            rows.push_back({QString::fromStdString(path), QString::fromStdString(place), state, size});
        });
        for (const std::string& s : scene.search_folders) {
            std::error_code ec;
            const fs::path at = fs::path(s).is_absolute() ? fs::path(s) : paths.folder / s;
            rows.push_back({QString::fromStdString(s), search_folder,
                            paths.blocked && paths.blocked->count(s) ? "outside, not read"
                            : fs::is_directory(at, ec)               ? "there"
                                                                     : "missing",
                            ""});
        }
        return rows;
    }
    void fill() {
        if (!isVisible() || looking_) return;
        looking_ = true;
        if (looker_.joinable()) looker_.join();
        looker_ = std::thread([this, scene = bench_.scene(), paths = bench_.files().paths()] {
            auto rows = std::make_shared<std::vector<QStringList>>(rows_of(scene, paths));
            QMetaObject::invokeMethod(
                this,
                [this, rows] {
                    looking_ = false;
                    show_rows(*rows);
                },
                Qt::QueuedConnection);
        });
    }
    void show_rows(const std::vector<QStringList>& rows) {
        if (rows == rows_ && tree_->topLevelItemCount()) return;
        rows_ = rows;
        tree_->clear();
        for (const QStringList& r : rows) {
            auto* item = new QTreeWidgetItem(tree_, r);
            for (int c = 0; c < 4; ++c) item->setToolTip(c, r[c]);
            item->setTextAlignment(3, Qt::AlignRight | Qt::AlignVCenter);
        }
        if (rows.empty())
            new QTreeWidgetItem(tree_, {"The project names no files yet: import an asset first", "", "", ""});
    }
    Workbench& bench_;
    QLabel *texels_, *disk_, *undo_;
    QTreeWidget* tree_;
    std::vector<QStringList> rows_;
    bool looking_ = false;
    std::thread looker_;
};

}  // namespace

QWidget* make_files_page(Workbench& bench) {
    return new FilesPage(bench);
}

}  // namespace vemtra::app
