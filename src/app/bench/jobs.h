// Long work in the background, one piece at a time, with progress and a stop.
#pragma once
#include <QObject>
#include <functional>
#include <memory>
#include <thread>

#include "base/progress.h"

namespace vemtra::app {

class Jobs : public QObject {
    Q_OBJECT
public:
    explicit Jobs(QObject* parent = nullptr) : QObject(parent) {}
    ~Jobs() override;

    /// `work` runs on a thread of its own; what it returns runs in the window's thread when it is done. Refused, and
    /// said, while another one runs.
    using Finish = std::function<void()>;
    void start(const QString& text, std::function<Finish(Progress&)> work);
    void stop();
    bool busy() const { return job_ != nullptr; }
    float fraction() const { return job_ ? job_->fraction.load() : 0.f; }
    const QString& text() const { return text_; }

Q_SIGNALS:
    void changed();
    void refused(const QString& busy_with);
    void failed(const QString& why);

private:
    std::shared_ptr<Progress> job_;
    QString text_;
    std::thread thread_;
};

}  // namespace vemtra::app
