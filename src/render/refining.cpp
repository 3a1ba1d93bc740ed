#include "render/refining.h"

#include <sys/resource.h>
#include <tbb/task_arena.h>

#include "base/parallel.h"

namespace vemtra::render {
namespace {

constexpr int behind = 5;  // its own thread's niceness: beside a picture that renders it has a sixth of two cores

}  // namespace

Refining::Refining(std::shared_ptr<Workshop> workshop, std::function<void()> done)
    : workshop_(std::move(workshop)), done_(std::move(done)) {
}

Refining::~Refining() {
    stop();
    if (thread_.joinable()) thread_.join();
}

void Refining::begin(std::shared_ptr<const Prepared> from, PrepareOptions options) {
    from_ = std::move(from);
    made_ = nullptr;
    ended_ = false;
    progress_.stop = false;
    progress_.fraction = 0.f;
    options.field_rays = from_->fields_as_before ? geometry::field_rays_first : geometry::field_rays_final;
    options.progress = &progress_;
    thread_ = std::thread([this, options = std::move(options)] { run(options); });
}

void Refining::run(const PrepareOptions& options) {
    yield_to_window();
    setpriority(PRIO_PROCESS, id_t(gettid()), behind);
    try {
        tbb::task_arena arena(tbb::task_arena::automatic, 1, tbb::task_arena::priority::low);
        arena.execute([&] { made_ = prepare(from_->scene, *workshop_, options); });
    } catch (const std::bad_alloc&) {  // the picture stays with the fields that it has
        made_ = nullptr;
    }
    ended_ = true;
    done_();
}

std::shared_ptr<const Prepared> Refining::take() {
    thread_.join();
    from_ = nullptr;
    return std::exchange(made_, nullptr);
}

bool reads_the_same_fields(const Prepared& a, const Prepared& b) {
    return a.geometry == b.geometry && a.build_up_of == b.build_up_of && a.resources.fields == b.resources.fields &&
           a.resources.borders == b.resources.borders &&
           std::all_of(a.resources.fields.begin(), a.resources.fields.end(),
                       [&](const auto& f) { return meant_instances(a, f.named) == meant_instances(b, f.named); }) &&
           std::all_of(a.resources.borders.begin(), a.resources.borders.end(), [&](const auto& r) {
               return !r.touch || meant_instances(a, r.touch->named) == meant_instances(b, r.touch->named);
           });
}

}  // namespace vemtra::render
