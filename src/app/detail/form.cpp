#include "app/detail/form.h"

#include <QCheckBox>
#include <QComboBox>
#include <QElapsedTimer>
#include <QFileDialog>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QTimer>
#include <QToolButton>
#include <set>
#include <utility>

#include "app/detail/color_editor.h"
#include "app/theme/theme.h"
#include "scene/part_names.h"

namespace vemtra::app {
namespace {

constexpr int rows_at_once = 5;
constexpr qint64 long_enough = 4;  // milliseconds of one moment

}  // namespace

Form::Form(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
    layout_ = new QFormLayout(this);
    layout_->setContentsMargins(10, 6, 10, 10);
    layout_->setVerticalSpacing(4);
    layout_->setHorizontalSpacing(8);
    layout_->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    layout_->setLabelAlignment(Qt::AlignLeft | Qt::AlignTop);
}

std::string Form::merge_key(const QString& label) const {
    return label.toStdString() + "@" + bench_.selection().build_up + "/" + bench_.selection().layer + "/" +
           bench_.selection().node + "#" + std::to_string(rows_);
}

void Form::add_row(const QString& label, const QString& help, QWidget* w) {
    // Where the style sheet is asked again for all that is moved into another widget, each is made where it stays.
    auto* row = new QWidget(place());
    auto* box = new QHBoxLayout(row);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(4);
    box->addWidget(w, 1);
    auto* name = new QLabel(label, place());
    name->setFixedWidth(136);
    name->setWordWrap(true);
    name->setMinimumHeight(22);
    name->setToolTip(help);
    if (w->toolTip().isEmpty()) w->setToolTip(help);
    (folding_ ? folding_ : layout_)->addRow(name, row);
    last_ = row;
    last_label_ = name;
    all_rows_.push_back({name, row, filling_});
    ++rows_;
}

void Form::heading(const QString& text) {
    auto* l = new QLabel(text, place());
    l->setFont(strong_font());
    l->setContentsMargins(0, 6, 0, 2);
    (folding_ ? folding_ : layout_)->addRow(l);
}
void Form::note(const QString& text) {
    auto* l = new QLabel(text, place());
    l->setWordWrap(true);
    QPalette p = l->palette();
    p.setColor(QPalette::WindowText, theme().faint);
    l->setPalette(p);
    (folding_ ? folding_ : layout_)->addRow(l);
}
QToolButton* Form::fold(const QString& title, bool open, std::function<void()> fill, Mentions mentions) {
    auto* head = new QToolButton(this);
    head->setProperty("folds", true);  // the theme draws it flat
    head->setText(title);
    head->setCheckable(true);
    head->setArrowType(Qt::RightArrow);
    head->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    head->setAutoRaise(true);
    auto* inside = new QWidget(this);
    auto* rows = new QFormLayout(inside);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setVerticalSpacing(4);
    rows->setHorizontalSpacing(8);
    inside->hide();
    layout_->addRow(head);
    layout_->addRow(inside);
    const size_t index = folds_.size();
    folds_.push_back({head, inside, std::move(fill), std::move(mentions)});
    connect(head, &QToolButton::toggled, inside, [this, head, inside, index](bool open) {
        head->setArrowType(open ? Qt::DownArrow : Qt::RightArrow);
        if (open) fill_fold(index);
        inside->setVisible(open);
    });
    head->setChecked(open);
    return head;
}

void Form::fill_fold(size_t index) {
    if (const auto fill = std::exchange(folds_[index].fill, nullptr)) fill_in(folds_[index].inside, fill);
}

void Form::fill_in(QWidget* inside, const std::function<void()>& rows) {
    const size_t first = refreshers_.size();
    const size_t first_row = all_rows_.size();
    auto* const folding = std::exchange(folding_, inside ? static_cast<QFormLayout*>(inside->layout()) : nullptr);
    auto* const filling = std::exchange(filling_, inside);
    rows();
    folding_ = folding;
    filling_ = filling;
    for (size_t i = first; i < refreshers_.size(); ++i) refreshers_[i]();
    if (all_rows_.size() > first_row && !filter_.isEmpty()) filter(filter_);
}

void Form::later(std::function<void()> rows) {
    if (waiting_.empty() && !making_) {
        if (rows_ < rows_at_once) return rows();
        QTimer::singleShot(0, this, [this] { make_next(false); });
    }
    waiting_.push_back({filling_, std::move(rows)});
}

void Form::make_next(bool all) {
    QElapsedTimer clock;
    clock.start();
    const bool making = std::exchange(making_, true);
    while (!waiting_.empty() && (all || clock.elapsed() < long_enough)) {
        const Waiting next = std::move(waiting_.front());
        waiting_.pop_front();
        std::deque<Waiting> rest = std::exchange(waiting_, {});
        fill_in(next.inside, next.rows);
        // What stands inside of it comes before what stands below: keys go from row to row as they were made.
        std::move(rest.begin(), rest.end(), std::back_inserter(waiting_));
    }
    making_ = making;
    if (!making && !waiting_.empty()) QTimer::singleShot(0, this, [this] { make_next(false); });
}

void Form::finish() {
    make_next(true);
}

void Form::filter(const QString& words) {
    const QString text = words.trimmed();
    filter_.clear();
    if (!text.isEmpty()) {
        finish();
        for (size_t i = 0; i < folds_.size(); ++i)
            if (!folds_[i].mentions || folds_[i].mentions(text)) fill_fold(i);
        finish();
    }
    filter_ = text;
    std::set<QWidget*> wanted;
    for (const Row& r : all_rows_) {
        const bool fits = text.isEmpty() || r.name->text().contains(text, Qt::CaseInsensitive) ||
                          r.name->toolTip().contains(text, Qt::CaseInsensitive);
        r.name->setVisible(fits);
        r.row->setVisible(fits);
        if (fits && !text.isEmpty()) wanted.insert(r.inside);
    }
    for (const Fold& f : folds_) {
        const bool shown = text.isEmpty() ? f.head->isChecked() : wanted.contains(f.inside);
        f.inside->setVisible(shown);
        f.head->setVisible(text.isEmpty() || shown);
    }
}

void Form::number(const QString& label, const QString& help, const NumberRange& range, Read<float> read,
                  Write<float> write) {
    auto* field = new ValueField(range);
    field->setObjectName(label);
    add_row(label, help, field);
    const std::string key = merge_key(label);
    connect(field, &ValueField::moved, this, [=, this](float v) {
        bench_.edit(
            "Set " + label.toStdString(), [&](Scene& s) { write(s, v); }, key);
    });
    connect(field, &ValueField::settled, this, [this] { bench_.end_merge(); });
    also([=, this] {
        if (auto v = read(bench_.scene())) field->set_value(*v);
    });
}

void Form::color(const QString& label, const QString& help, V3f reset, Read<V3f> read, Write<V3f> write) {
    auto* editor = new ColorEditor(bench_, reset);
    editor->setObjectName(label);
    add_row(label, help, editor);
    const std::string key = merge_key(label);
    connect(editor, &ColorEditor::moved, this, [=, this](V3f v) {
        bench_.edit(
            "Set " + label.toStdString(), [&](Scene& s) { write(s, v); }, key);
    });
    connect(editor, &ColorEditor::settled, this, [this] { bench_.end_merge(); });
    also([=, this] {
        if (auto v = read(bench_.scene())) editor->set_color(*v);
    });
}

void Form::vector(const QString& label, const QString& help, const NumberRange& range, int components, Read<V3f> read,
                  Write<V3f> write) {
    auto* all = new QWidget;
    auto* row = new QHBoxLayout(all);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(3);
    std::array<ValueField*, 3> fields{};
    const std::string key = merge_key(label);
    for (int c = 0; c < components; ++c) {
        auto* f = fields[size_t(c)] = new ValueField(range);
        f->setToolTip(help);
        f->setObjectName(label + "." + "xyz"[c]);
        row->addWidget(f);
        connect(f, &ValueField::moved, this, [=, this](float v) {
            V3f value = read(bench_.scene()).value_or(V3f(0.f));
            value[c] = v;
            bench_.edit(
                "Set " + label.toStdString(), [&](Scene& s) { write(s, value); }, key);
        });
        connect(f, &ValueField::settled, this, [this] { bench_.end_merge(); });
    }
    add_row(label, help, all);
    also([=, this] {
        if (auto v = read(bench_.scene()))
            for (int c = 0; c < components; ++c) fields[size_t(c)]->set_value((*v)[c]);
    });
}

void Form::choice(const QString& label, const QString& help, const QStringList& items, Read<int> read,
                  Write<int> write) {
    auto* box = new QComboBox;
    box->addItems(items);
    box->setObjectName(label);
    box->setFocusPolicy(Qt::StrongFocus);
    add_row(label, help, box);
    connect(box, &QComboBox::activated, this,
            [=, this](int i) { bench_.edit("Set " + label.toStdString(), [&](Scene& s) { write(s, i); }); });
    also([=, this] {
        if (auto v = read(bench_.scene())) box->setCurrentIndex(*v);
    });
}

void Form::text(const QString& label, const QString& help, Read<std::string> read, Write<std::string> write) {
    auto* line = new QLineEdit;
    line->setObjectName(label);
    add_row(label, help, line);
    connect(line, &QLineEdit::editingFinished, this, [=, this] {
        const std::string v = line->text().toStdString();
        if (read(bench_.scene()) != v) bench_.edit("Set " + label.toStdString(), [&](Scene& s) { write(s, v); });
    });
    also([=, this] {
        if (auto v = read(bench_.scene()); v && !line->hasFocus()) line->setText(QString::fromStdString(*v));
    });
}

void Form::file(const QString& label, const QString& help, const QString& filter, Read<std::string> read,
                Write<std::string> write) {
    text(label, help, read, write);
    auto* choose = new QPushButton("Choose");
    choose->setToolTip("Choose a file");
    last_->layout()->addWidget(choose);
    connect(choose, &QPushButton::clicked, this, [=, this] {
        const QString f = QFileDialog::getOpenFileName(
            this, "Choose a file", QString::fromStdString(bench_.files().folder().string()), filter);
        if (f.isEmpty()) return;
        const std::string v =
            bench_.files().file() ? path_from(bench_.files().folder(), f.toStdString()) : f.toStdString();
        bench_.edit("Set " + label.toStdString(), [&](Scene& s) { write(s, v); });
    });
}

void Form::names(const QString& label, const QString& help,
                 std::function<std::vector<std::string>(const Scene&)> that_there_are, Read<std::string> read,
                 Write<std::string> write) {
    text(label, help, read, write);
    auto* choose = new QPushButton("Choose");
    choose->setObjectName(label + ": choose");
    choose->setToolTip("Choose names from the project");
    last_->layout()->addWidget(choose);
    auto* menu = new QMenu(choose);
    choose->setMenu(menu);
    connect(menu, &QMenu::aboutToShow, this, [=, this] {
        menu->clear();
        const std::string list = read(bench_.scene()).value_or("");
        for (const std::string& name : that_there_are(bench_.scene())) {
            QAction* entry = menu->addAction(QString::fromStdString(name).replace('&', "&&"));
            entry->setCheckable(true);
            entry->setChecked(scene::is_meant_by(list, name));
            connect(entry, &QAction::triggered, this, [=, this](bool on) {
                const std::string v = scene::with_name(list, name, on);
                bench_.edit("Set " + label.toStdString(), [&](Scene& s) { write(s, v); });
            });
        }
    });
}

void Form::toggle(const QString& label, const QString& help, Read<bool> read, Write<bool> write) {
    auto* box = new QCheckBox;
    box->setObjectName(label);
    add_row(label, help, box);
    connect(box, &QCheckBox::clicked, this,
            [=, this](bool on) { bench_.edit("Set " + label.toStdString(), [&](Scene& s) { write(s, on); }); });
    also([=, this] {
        if (auto v = read(bench_.scene())) box->setChecked(*v);
    });
}

void Form::button(const QString& label, const QString& help, std::function<void()> press) {
    auto* b = new QPushButton(label, place());
    b->setToolTip(help);
    (folding_ ? folding_ : layout_)->addRow(b);
    connect(b, &QPushButton::clicked, this, [press] { press(); });
}

void Form::connection(std::function<void(const QPoint&)> open_menu, std::function<QString()> source) {
    auto* b = new QToolButton(last_);
    b->setFixedWidth(26);
    b->setText(QString(QChar(0x2190)));
    b->setToolTip("Connect a node, or let it go");
    last_->layout()->addWidget(b);
    QWidget* row = last_;
    QWidget* field = last_->layout()->itemAt(0)->widget();
    connect(b, &QToolButton::clicked, this, [=] { open_menu(b->mapToGlobal(QPoint(0, b->height()))); });
    also([=, wired = static_cast<QLabel*>(nullptr)]() mutable {
        const QString from = source();
        if (!wired && !from.isEmpty())
            static_cast<QHBoxLayout*>(row->layout())->insertWidget(0, wired = new QLabel(row), 1);
        if (wired) {
            wired->setText("from " + from);
            wired->setVisible(!from.isEmpty());
        }
        field->setVisible(from.isEmpty());
        b->setChecked(!from.isEmpty());
    });
}

void Form::refresh() {
    for (const auto& r : refreshers_) r();
}

}  // namespace vemtra::app
