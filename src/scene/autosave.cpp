#include "scene/autosave.h"

#include <chrono>

#include "scene/project_file.h"

namespace vemtra::scene {
namespace {

constexpr std::chrono::milliseconds between_writings(400);  // with the writing itself it stays below a second

}  // namespace

Autosaver::Autosaver() : thread_([this] { work(); }) {
}

Autosaver::~Autosaver() {
    {
        std::lock_guard lock(mutex_);
        quit_ = true;
        waiting_.reset();
    }
    wake_.notify_all();
    thread_.join();
}

void Autosaver::keep(Snapshot scene, fs::path file) {
    std::lock_guard lock(mutex_);
    waiting_ = std::move(scene);
    file_ = std::move(file);
    wake_.notify_all();
}

void Autosaver::cancel() {
    std::unique_lock lock(mutex_);
    waiting_.reset();
    idle_.wait(lock, [this] { return !writing_; });
}

void Autosaver::begin(const Scene& saved) {
    cancel();
    std::lock_guard lock(mutex_);
    journal_.begin(saved);
}
void Autosaver::discard() {
    cancel();
    std::lock_guard lock(mutex_);
    journal_.discard();
}

void Autosaver::finish() {
    std::unique_lock lock(mutex_);
    hurry_ = true;
    wake_.notify_all();
    idle_.wait(lock, [this] { return !waiting_ && !writing_; });
    hurry_ = false;
}

std::optional<Error> Autosaver::problem() {
    std::lock_guard lock(mutex_);
    return std::exchange(problem_, std::nullopt);
}

void Autosaver::work() {
    auto next = std::chrono::steady_clock::now();
    std::unique_lock lock(mutex_);
    while (!quit_) {
        wake_.wait(lock, [this] { return quit_ || waiting_; });
        wake_.wait_until(lock, next, [this] { return quit_ || hurry_; });
        if (quit_ || !waiting_) continue;  // it may have been cancelled meanwhile
        const Snapshot scene = std::exchange(waiting_, nullptr);
        const fs::path file = file_;
        writing_ = true;
        lock.unlock();
        const Status saved = save_in_progress(*scene, file, journal_);
        next = std::chrono::steady_clock::now() + between_writings;
        lock.lock();
        writing_ = false;
        if (!saved) problem_ = saved.error();
        idle_.notify_all();
    }
}

}  // namespace vemtra::scene
