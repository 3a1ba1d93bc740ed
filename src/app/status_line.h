// What the bench is busy with, at the foot of the window: how far the picture is, what it holds, what was noticed.
#pragma once
#include "app/workbench.h"

class QLabel;
class QProgressBar;
class QPushButton;
class QStatusBar;

namespace vemtra::app {

class StatusLine : public QObject {
    Q_OBJECT
public:
    /// Puts its cells into `bar`, which owns them.
    StatusLine(Workbench& bench, QStatusBar* bar);
    void refresh();
    void say(const QString& text);

Q_SIGNALS:
    void findings_wanted();

private:
    QLabel* cell(QStatusBar* bar, int width, const QString& help);
    void refresh_picture();
    void refresh_work();

    Workbench& bench_;
    QLabel *samples_, *noise_, *rays_, *memory_, *relief_, *message_, *activity_;
    QPushButton *findings_, *stop_;
    QProgressBar* progress_;
};

}  // namespace vemtra::app
