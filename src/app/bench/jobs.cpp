#include "app/bench/jobs.h"

namespace vemtra::app {

Jobs::~Jobs() {
    stop();
    if (thread_.joinable()) thread_.join();
}

void Jobs::start(const QString& text, std::function<Finish(Progress&)> work) {
    if (job_) {
        Q_EMIT refused(text_);
        return;
    }
    if (thread_.joinable()) thread_.join();
    job_ = std::make_shared<Progress>();
    text_ = text;
    Q_EMIT changed();
    thread_ = std::thread([this, text, job = job_, work = std::move(work)] {
        Finish finish;
        try {
            finish = work(*job);
        } catch (const std::bad_alloc&) {
            finish = [this, text] { Q_EMIT failed("Given up, there is not enough memory: " + text); };
        }
        QMetaObject::invokeMethod(
            this,
            [this, finish = std::move(finish)] {
                job_.reset();
                text_.clear();
                Q_EMIT changed();
                finish();
            },
            Qt::QueuedConnection);
    });
}

void Jobs::stop() {
    if (job_) job_->stop = true;
}

}  // namespace vemtra::app
