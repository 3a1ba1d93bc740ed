#include "app/command_list.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>

#include "app/theme/theme.h"

namespace vemtra::app {

CommandList::CommandList(QWidget* parent) : QFrame(parent, Qt::Popup) {
    setFrameShape(QFrame::Box);
    setObjectName("command-list");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(8, 8, 8, 8);
    line_ = new QLineEdit;
    list_ = new QListWidget;
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);  // what is too long ends in dots
    box->addWidget(line_);
    box->addWidget(list_);
    line_->installEventFilter(this);
    connect(line_, &QLineEdit::textChanged, this, &CommandList::filter);
    connect(line_, &QLineEdit::returnPressed, this, &CommandList::run_current);
    connect(list_, &QListWidget::itemClicked, this, &CommandList::run_current);
}

void CommandList::open(std::vector<Command> commands, const QString& prompt, const QPoint& at) {
    commands_ = std::move(commands);
    line_->setPlaceholderText(prompt);
    line_->clear();
    filter({});
    resize(430, 340);
    move(at - QPoint(width() / 2, 0));
    show();
    line_->setFocus();
}

void CommandList::filter(const QString& text) {
    list_->clear();
    shown_.clear();
    const QStringList words = text.split(' ', Qt::SkipEmptyParts);
    for (int pass = 0; pass < 2; ++pass)  // names that begin with the text come first
        for (size_t i = 0; i < commands_.size(); ++i) {
            const bool begins = !text.isEmpty() && commands_[i].name.startsWith(text, Qt::CaseInsensitive);
            if (begins != (pass == 0)) continue;
            bool all = true;
            for (const QString& w : words)
                all &= (commands_[i].name + " " + commands_[i].hint).contains(w, Qt::CaseInsensitive);
            if (!all) continue;
            shown_.push_back(i);
            list_->addItem(commands_[i].hint.isEmpty() ? commands_[i].name
                                                       : commands_[i].name + "   -   " + commands_[i].hint);
        }
    list_->setCurrentRow(0);
}

void CommandList::run_current() {
    const int row = list_->currentRow();
    if (row < 0 || row >= int(shown_.size())) return;
    const auto run = commands_[shown_[size_t(row)]].run;
    hide();
    run();
}

bool CommandList::eventFilter(QObject*, QEvent* e) {
    if (e->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(e)->key();
        if (key == Qt::Key_Up || key == Qt::Key_Down) {
            list_->setCurrentRow(
                std::clamp(list_->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0, std::max(0, list_->count() - 1)));
            return true;
        }
    }
    return false;
}

}  // namespace vemtra::app
