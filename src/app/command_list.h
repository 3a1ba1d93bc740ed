// The typed list: a few letters find any command and any node.
#pragma once
#include <QFrame>
#include <functional>
#include <vector>

class QLineEdit;
class QListWidget;

namespace vemtra::app {

struct Command {
    QString name, hint;
    std::function<void()> run;
};

class CommandList : public QFrame {
    Q_OBJECT
public:
    explicit CommandList(QWidget* parent);
    void open(std::vector<Command> commands, const QString& prompt, const QPoint& top_middle);

protected:
    bool eventFilter(QObject*, QEvent*) override;

private:
    void filter(const QString& text);
    void run_current();
    std::vector<Command> commands_;
    std::vector<size_t> shown_;
    QLineEdit* line_;
    QListWidget* list_;
};

}  // namespace vemtra::app
