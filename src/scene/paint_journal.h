// Painted work in progress, kept beside the autosave: tiles are appended as they change, and a state of the paintings
// is a number, by which the autosave names the one that it belongs to. What a kill cuts off is the last, unfinished
// state.
#pragma once
#include <map>
#include <optional>

#include "base/file.h"
#include "scene/scene.h"

namespace vemtra::scene {

class PaintJournal {
public:
    ~PaintJournal();
    /// What is on the disk as files is this; the journal begins anew with the next keep().
    void begin(const Scene& saved);
    /// Appends what differs from the last state that was kept; `file` is made at the first difference. Returns the
    /// state's number; 0: it is that of the files.
    Result<int> keep(const Scene& now, const fs::path& file);
    /// Removes the journal.
    void discard();
    size_t bytes() const { return written_; }

    /// Brings the paintings of a scene, whose files have been read, to a state of the journal. False where the journal
    /// does not hold it; the scene then has the last one before it.
    static bool replay(const fs::path& file, int state, Scene& scene);

private:
    using Key = std::pair<std::string, int>;  // painting, sheet
    using Kept = std::map<Key, std::shared_ptr<const Texels>>;
    Status append(const Scene& now);
    static Kept sheets_of(const Scene& scene);
    Kept base_, kept_;
    fs::path file_;
    int descriptor_ = -1, state_ = 0, last_state_ = 0;
    size_t written_ = 0;
};

}  // namespace vemtra::scene
