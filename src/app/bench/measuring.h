// What is measured of the live picture, on a thread of its own: the selected build-up's layers and nodes, thumbnails,
// and the findings.
#pragma once
#include <QImage>
#include <QObject>
#include <QTimer>
#include <thread>

#include "base/progress.h"
#include "render/session.h"
#include "review/finding.h"

namespace vemtra::app {

class Measuring : public QObject {
    Q_OBJECT
public:
    explicit Measuring(render::LiveSession& session, render::Workshop& workshop, QObject* parent = nullptr);
    ~Measuring() override;

    /// Measures soon, if the picture or the build-up is another one than last.
    void want(const std::string& build_up);

    const review::Measured& measured() const { return measured_; }
    /// What it was measured of; null before the first.
    scene::Snapshot scene() const { return measured_of_ ? measured_of_->scene : nullptr; }
    const std::map<std::string, QImage>& thumbnails() const { return thumbnails_; }
    const std::vector<review::Finding>& findings() const { return findings_; }
    /// Of the build-up's layers whose height is a map, by their ids.
    const std::map<std::string, review::HeightSource>& heights() const { return heights_; }

Q_SIGNALS:
    void changed();

private:
    struct Result {
        review::Measured measured;
        std::vector<review::Finding> findings;
        std::map<std::string, QImage> thumbnails;
        std::map<std::string, review::HeightSource> heights;
    };
    void start();
    Result measure(const render::LiveImage& image, const std::string& build_up, Progress& stop);
    void take(Result result, std::shared_ptr<const render::Prepared> of, const std::string& build_up);

    render::LiveSession& session_;
    render::Workshop& workshop_;
    std::string wanted_, measured_build_up_;
    std::shared_ptr<const render::Prepared> measured_of_;
    review::Measured measured_;
    std::vector<review::Finding> findings_;
    std::map<std::string, QImage> thumbnails_;
    std::map<std::string, review::HeightSource> heights_;
    bool busy_ = false;
    Progress stop_;  // of the thread
    QTimer soon_;
    review::Remembered remembered_;  // of the thread alone
    std::thread thread_;
};

}  // namespace vemtra::app
