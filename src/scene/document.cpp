#include "scene/document.h"

namespace vemtra::scene {

Document::Document(Scene scene) : now_(std::make_shared<const Scene>(std::move(scene))), saved_(now_) {
}

void Document::edit(const std::string& label, const std::function<void(Scene&)>& change, const std::string& merge_key) {
    auto next = std::make_shared<Scene>(*now_);
    change(*next);
    if (*next == *now_) return;
    const bool merged = !merge_key.empty() && merge_key == merge_key_ && !past_.empty();
    if (!merged) {
        past_.push_back({label, now_, 0});
        step_bytes_ = bytes_of(*now_);
    }
    // A step holds the tiles of texels that the next one has others for.
    held_ -= past_.back().bytes;
    past_.back().bytes = step_bytes_ + texel_bytes_apart(*past_.back().snapshot, *next);
    held_ += past_.back().bytes;
    forget_oldest();
    merge_key_ = merge_key;
    future_.clear();
    now_ = std::move(next);
}

void Document::set_budget(size_t bytes) {
    budget_ = bytes;
    forget_oldest();
}

void Document::forget_oldest() {
    while (held_ > budget_ && past_.size() > 1) {
        held_ -= past_.front().bytes;
        past_.pop_front();
    }
}

void Document::undo() {
    if (past_.empty()) return;
    held_ -= past_.back().bytes;
    future_.push_back({past_.back().label, now_, 0});
    now_ = past_.back().snapshot;
    past_.pop_back();
    merge_key_.clear();
}

void Document::redo() {
    if (future_.empty()) return;
    past_.push_back({future_.back().label, now_, bytes_of(*now_) + texel_bytes_apart(*now_, *future_.back().snapshot)});
    held_ += past_.back().bytes;
    now_ = future_.back().snapshot;
    future_.pop_back();
    merge_key_.clear();
}

}  // namespace vemtra::scene
