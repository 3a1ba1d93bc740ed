// The open document: the present snapshot, and the ones before and after it. Undo is exact by construction: it returns
// the very snapshot that was there (docs/decisions/0002).
#pragma once
#include <deque>
#include <functional>

#include "scene/scene.h"

namespace vemtra::scene {

class Document {
public:
    explicit Document(Scene scene = {});

    const Snapshot& now() const { return now_; }

    /// Applies `change` to a copy and makes that the present. An edit with the same non-empty `merge_key` as the last
    /// one becomes one step with it (a drag). An edit that changes nothing leaves no step.
    void edit(const std::string& label, const std::function<void(Scene&)>& change, const std::string& merge_key = {});
    /// Another present in place of this one, without a step: what saving writes into it.
    void amend(Scene scene) { now_ = std::make_shared<const Scene>(std::move(scene)); }
    const Snapshot& saved() const { return saved_; }  ///< the present as it was saved or opened
    void end_merge() { merge_key_.clear(); }          ///< the hand has let go

    /// The steps before the present one hold at most about this many bytes: the oldest are forgotten first, the last
    /// one never.
    void set_budget(size_t bytes);
    size_t budget() const { return budget_; }
    size_t held() const { return held_; }  ///< bytes, about
    size_t steps() const { return past_.size(); }

    bool can_undo() const { return !past_.empty(); }
    bool can_redo() const { return !future_.empty(); }
    std::string undo_label() const { return past_.empty() ? "" : past_.back().label; }
    std::string redo_label() const { return future_.empty() ? "" : future_.back().label; }
    void undo();
    void redo();

    void mark_saved() {
        saved_ = now_;
        merge_key_.clear();
    }
    /// It was saved in a state that may lie before the present by now.
    void mark_saved(Snapshot as) { saved_ = std::move(as); }
    bool unsaved() const { return saved_ != now_; }

private:
    struct Step {
        std::string label;
        Snapshot snapshot;
        size_t bytes = 0;
    };
    void forget_oldest();
    Snapshot now_, saved_;
    std::deque<Step> past_;
    std::vector<Step> future_;
    size_t budget_ = size_t(256) << 20, held_ = 0;
    size_t step_bytes_ = 0;  ///< of the last step, without its texels
    std::string merge_key_;
};

}  // namespace vemtra::scene
