#include "scene/document.h"

namespace vemtra::scene {

Document::Document(Scene scene) : now_(std::make_shared<const Scene>(std::move(scene))), saved_(now_) {}

void Document::edit(const std::string& label, const std::function<void(Scene&)>& change, const std::string& merge_key) {
    auto next = std::make_shared<Scene>(*now_);
    change(*next);
    if (*next == *now_) return;
    const bool merged = !merge_key.empty() && merge_key == merge_key_ && !past_.empty();
    if (!merged) past_.push_back({label, now_});
    merge_key_ = merge_key;
    future_.clear();
    now_ = std::move(next);
}

void Document::undo() {
    if (past_.empty()) return;
    future_.push_back({past_.back().label, now_});
    now_ = past_.back().snapshot;
    past_.pop_back();
    merge_key_.clear();
}

void Document::redo() {
    if (future_.empty()) return;
    past_.push_back({future_.back().label, now_});
    now_ = future_.back().snapshot;
    future_.pop_back();
    merge_key_.clear();
}

}  // namespace vemtra::scene
