#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QHeaderView>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

#include "app/drawer/drawer.h"
#include "nodes/description.h"
#include "scene/graph.h"
#include "texture/picture_formats.h"

namespace vemtra::app {
namespace {

using texture::MapEntry;
using texture::MapKind;
using texture::MapSet;

enum Column { use, map, kind, feeds, notes, tiles, dimensions, space, channel, columns };

/// What was found in a folder, map by map, before it goes onto a layer: every guess can be set right here.
class MapsPage : public QWidget {
public:
    explicit MapsPage(Workbench& bench) : bench_(bench) {
        auto* box = new QVBoxLayout(this);
        box->setContentsMargins(6, 6, 6, 6);
        auto* row = new QHBoxLayout;
        add_button(row, "Folder...",
                   "Look for map sets in a folder. A folder or a map can also be dropped onto the picture", [this] {
                       const QString f = QFileDialog::getExistingDirectory(
                           this, "Look for texture maps", QString::fromStdString(bench_.files().folder().string()));
                       if (!f.isEmpty()) bench_.map_intake().look_for_maps({f.toStdString()});
                   });
        add_button(row, "Map...", "Choose one map: its siblings are found by their names", [this] {
            const QString f = QFileDialog::getOpenFileName(
                this, "Choose a texture map", QString::fromStdString(bench_.files().folder().string()),
                QString("Images (%1);;All files (*)").arg(QString::fromStdString(texture::picture_patterns())));
            if (!f.isEmpty()) bench_.map_intake().look_for_maps({f.toStdString()});
        });
        sets_ = new QComboBox;
        sets_->setObjectName("map-sets");
        sets_->setToolTip("The sets that were found");
        sets_->setMinimumWidth(150);
        row->addWidget(sets_);
        connect(sets_, &QComboBox::activated, this, [this] { fill(); });
        said_ = new QLabel;
        row->addWidget(said_, 1);
        apply_ = add_button(row, "Apply to layer",
                            "Wires the maps that are in use to the selected layer, as nodes that share one placement",
                            [this] { bench_.map_intake().apply_map_set(size_t(std::max(0, sets_->currentIndex()))); });
        apply_->setObjectName("apply-maps");
        box->addLayout(row);
        table_ = new QTableWidget(0, columns);
        table_->setObjectName("maps");
        table_->setHorizontalHeaderLabels(
            {"Use", "Map", "Kind", "Feeds", "Notes", "Tiles", "Size", "Space", "Channel"});
        table_->verticalHeader()->hide();
        table_->verticalHeader()->setDefaultSectionSize(23);
        table_->setSelectionMode(QAbstractItemView::NoSelection);
        table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
        table_->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
        const int widths[] = {32, 96, 112, 140, 190, 44, 96, 104, 76};
        for (int c = 0; c < columns; ++c) table_->setColumnWidth(c, widths[c]);
        box->addWidget(table_, 1);
        hint_ = new QLabel("No maps yet. Choose a folder, or drop one onto a part in the picture.", table_->viewport());
        hint_->move(14, 12);
        hint_->resize(520, 20);
        connect(&bench_, &Workbench::maps_changed, this, [this] { rebuild(); });
        connect(&bench_, &Workbench::selection_changed, this, [this] { state(); });
        rebuild();
    }

private:
    void rebuild() {
        const QString before = sets_->currentText();
        sets_->clear();
        for (const MapSet& s : bench_.map_intake().map_sets())
            sets_->addItem(QString::fromStdString(s.name), QString::fromStdString(s.folder.string()));
        sets_->setCurrentIndex(std::max(0, sets_->findText(before)));
        sets_->setEnabled(sets_->count() > 1);
        hint_->setVisible(bench_.map_intake().map_sets().empty());
        fill();
    }
    void state() {
        const auto* layer = bench_.layer();
        apply_->setEnabled(!bench_.map_intake().map_sets().empty() && layer);
        apply_->setText(layer && !bench_.map_intake().map_sets().empty()
                            ? "Apply to " + QString::fromStdString(layer->name)
                            : "Apply to layer");
    }
    QComboBox* choice(int r, Column c, const QStringList& items, int now, std::function<void(MapEntry&, int)> change) {
        auto* box = new QComboBox;
        box->addItems(items);
        box->setCurrentIndex(now);
        box->setFocusPolicy(Qt::StrongFocus);
        const size_t set = size_t(sets_->currentIndex());
        connect(box, &QComboBox::activated, this, [this, set, r, change](int i) {
            // The row is rebuilt by the change: not while its box is still at work.
            QMetaObject::invokeMethod(
                this,
                [this, set, r, change, i] {
                    bench_.map_intake().correct_map(set, size_t(r), [&](MapEntry& m) { change(m, i); });
                },
                Qt::QueuedConnection);
        });
        table_->setCellWidget(r, c, box);
        return box;
    }
    /// What each channel of a packed map is: a menu per channel.
    QWidget* packed_channels(int r, const MapEntry& m) {
        auto* button = new QPushButton;
        QStringList now;
        auto* menu = new QMenu(button);
        const size_t set = size_t(sets_->currentIndex());
        for (int c = 0; c < std::min(4, m.header.channels); ++c) {
            const MapKind is = size_t(c) < m.packed.size() ? m.packed[size_t(c)] : MapKind::unknown;
            const QString letter(QChar("rgba"[c]));
            if (is != MapKind::unknown) now << letter + " " + texture::info(is).title;
            auto* sub = menu->addMenu(letter + ": " + (is == MapKind::unknown ? "nothing" : texture::info(is).title));
            for (const auto& k : texture::map_kinds()) {
                if (k.kind == MapKind::packed || k.kind == MapKind::normal || k.colour) continue;
                auto* action = sub->addAction(k.kind == MapKind::unknown ? "nothing" : k.title);
                action->setCheckable(true);
                action->setChecked(k.kind == is);
                connect(action, &QAction::triggered, this, [this, set, r, c, kind = k.kind] {
                    QMetaObject::invokeMethod(
                        this,
                        [this, set, r, c, kind] {
                            bench_.map_intake().correct_map(set, size_t(r), [&](MapEntry& e) {
                                e.packed.resize(std::max(e.packed.size(), size_t(c) + 1), MapKind::unknown);
                                e.packed[size_t(c)] = kind;
                            });
                        },
                        Qt::QueuedConnection);
                });
            }
        }
        button->setObjectName("packed-channels");
        button->setText("by channel...");
        button->setToolTip("What each channel is: " + (now.isEmpty() ? QString("nothing yet") : now.join(", ")));
        button->setMenu(menu);
        return button;
    }
    void text(int r, Column c, const QString& t, const QString& help = {}) {
        auto* item = new QTableWidgetItem(t);
        item->setToolTip(help.isEmpty() ? t : help);
        table_->setItem(r, c, item);
    }
    /// Whether the map is taken.
    void add_use(int at, int r, const MapEntry& m) {
        auto* check = new QCheckBox;
        check->setChecked(m.use);
        check->setToolTip("Leave the map out, or take it");
        connect(check, &QCheckBox::toggled, this, [this, at, r](bool on) {
            QMetaObject::invokeMethod(
                this,
                [this, at, r, on] {
                    bench_.map_intake().correct_map(size_t(at), size_t(r), [&](MapEntry& e) { e.use = on; });
                },
                Qt::QueuedConnection);
        });
        table_->setCellWidget(r, use, check);
    }
    /// What was noticed of it. `parts`: what its channels are, where it is packed.
    void add_notes(int r, const MapEntry& m, const QString& parts) {
        QStringList said;
        if (m.kind == MapKind::packed && !m.packed.empty()) said << parts;
        if (m.kind == MapKind::normal) said << (m.green_down ? "green points down" : "green points up");
        if (m.invert) said << "inverted";
        if (m.blank) said << QString("one value: %1").arg(double((*m.blank)[0]), 0, 'g', 3);
        for (const auto& n : m.notes) {
            if (m.blank && n.what == "it is one value everywhere") continue;
            said << QString::fromStdString((n.grade == texture::MapNote::Grade::finding ? "! " : "") + n.what);
        }
        QStringList help;
        for (const auto& n : m.notes) help << QString::fromStdString(n.what + ": " + n.remedy);
        text(r, notes, said.join("; "), help.join("\n"));
    }
    void fill() {
        state();
        table_->setRowCount(0);
        said_->clear();
        const int at = sets_->currentIndex();
        if (at < 0 || size_t(at) >= bench_.map_intake().map_sets().size()) return;
        const MapSet& set = bench_.map_intake().map_sets()[size_t(at)];
        QStringList notes_of_set;
        for (const auto& n : set.notes) notes_of_set << QString::fromStdString(n.what);
        said_->setText(notes_of_set.join("; "));
        said_->setToolTip(said_->text());
        table_->setRowCount(int(set.maps.size()));
        QStringList kinds;
        QStringList spaces;
        QStringList slots{"(stands by)"};
        for (const auto& k : texture::map_kinds()) kinds << k.title;
        for (const std::string& s : texture::colour_spaces()) spaces << QString::fromStdString(s);
        std::vector<std::string> slot_names{""};
        for (const nodes::Port& p : nodes::surface_description().ports)
            slot_names.push_back(p.name), slots << QString::fromStdString(p.name).replace('_', ' ');
        slot_names.push_back(scene::gate_slot);
        slots << scene::gate_slot;
        for (int r = 0; r < table_->rowCount(); ++r) {
            const MapEntry& m = set.maps[size_t(r)];
            add_use(at, r, m);
            const QString file = QString::fromStdString(fs::path(m.pattern).filename().string());
            text(r, map, m.word.empty() ? file : QString::fromStdString(m.word), QString::fromStdString(m.pattern));
            auto* k = choice(r, kind, kinds, int(m.kind), [](MapEntry& e, int i) { texture::set_kind(e, MapKind(i)); });
            if (m.kind == MapKind::packed) {
                QStringList parts;
                for (size_t c = 0; c < m.packed.size(); ++c)
                    parts << QString(QChar("rgba"[c])) + " " + texture::info(m.packed[c]).title;
                k->setToolTip(parts.join(", "));
            }
            QString count = m.tiles.empty() ? "one" : QString::number(m.tiles.size());
            if (!m.missing.empty()) count += QString(", %1 miss").arg(m.missing.size());
            QStringList numbers;
            for (int t : m.tiles) numbers << QString::number(t);
            text(r, tiles, count, numbers.join(" "));
            const QString edges = m.header.width == m.header.height
                                      ? QString::number(m.header.width)
                                      : QString("%1 x %2").arg(m.header.width).arg(m.header.height);
            text(r, dimensions, QString("%1, %2 bit").arg(edges).arg(m.header.bits),
                 QString("%1 channels of %2 bits%3")
                     .arg(m.header.channels)
                     .arg(m.header.bits)
                     .arg(m.header.floating ? ", floating" : ""));
            const auto& all = texture::colour_spaces();
            choice(r, space, spaces,
                   int(std::max<std::ptrdiff_t>(0, std::find(all.begin(), all.end(), m.colour_space) - all.begin())),
                   [](MapEntry& e, int i) { e.colour_space = texture::colour_spaces()[size_t(i)]; });
            static const QStringList channels{"r", "g", "b", "a", "luminance"};
            if (m.kind == MapKind::normal) {
                choice(r, channel, {"green up", "green down"}, m.green_down ? 1 : 0, [](MapEntry& e, int i) {
                    e.green_down = i == 1;
                })->setToolTip("Which way the green channel leans; the pixels say so where they can");
            } else {
                auto* ch =
                    choice(r, channel, channels, std::max(0, int(channels.indexOf(QString::fromStdString(m.channel)))),
                           [](MapEntry& e, int i) { e.channel = channels[i].toStdString(); });
                ch->setEnabled(!texture::info(m.kind).colour && m.kind != MapKind::packed);
            }
            if (m.kind == MapKind::packed) {
                table_->setCellWidget(r, feeds, packed_channels(r, m));
            } else {
                choice(r, feeds, slots,
                       int(std::max<std::ptrdiff_t>(
                           0, std::find(slot_names.begin(), slot_names.end(), m.slot) - slot_names.begin())),
                       [slot_names](MapEntry& e, int i) { e.slot = slot_names[size_t(i)]; });
            }
            add_notes(r, m, k->toolTip());
        }
    }
    Workbench& bench_;
    QComboBox* sets_;
    QLabel *said_, *hint_;
    QPushButton* apply_;
    QTableWidget* table_;
};

}  // namespace

QWidget* make_maps_page(Workbench& bench) {
    return new MapsPage(bench);
}

}  // namespace vemtra::app
