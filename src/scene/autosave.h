// Writes work in progress beside the project, on a thread of its own: at most half a second of edits is not on the disk
// yet, however fast they come, and nobody waits for it.
#pragma once
#include <condition_variable>
#include <mutex>
#include <optional>
#include <thread>

#include "base/file.h"
#include "scene/paint_journal.h"
#include "scene/scene.h"

namespace vemtra::scene {

class Autosaver {
public:
    Autosaver();
    ~Autosaver();
    Autosaver(const Autosaver&) = delete;
    Autosaver& operator=(const Autosaver&) = delete;

    /// The newest state wins; it is written to `file` soon. Never waits.
    void keep(Snapshot scene, fs::path file);
    /// Another document, or it was saved: what it has is in the files now.
    void begin(const Scene& saved);
    /// Takes away what was painted since; as cancel() for the rest.
    void discard();
    /// What waits is forgotten; when it returns, nothing is being written any more.
    void cancel();
    /// Waits until all that was given is on the disk.
    void finish();
    /// What went wrong with the last writing, told once.
    std::optional<Error> problem();

private:
    void work();

    std::mutex mutex_;
    std::condition_variable wake_, idle_;
    Snapshot waiting_;
    fs::path file_;
    std::optional<Error> problem_;
    PaintJournal journal_;  // of the thread while it writes
    bool writing_ = false, hurry_ = false, quit_ = false;
    std::thread thread_;
};

}  // namespace vemtra::scene
