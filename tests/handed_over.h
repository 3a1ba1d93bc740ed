// Every picture that a live session hands over: between two looks of another thread several may pass.
#pragma once
#include <memory>
#include <mutex>
#include <vector>

#include "render/session.h"

namespace vemtra::test {

class HandedOver {
public:
    using Image = std::shared_ptr<const render::LiveImage>;
    explicit HandedOver(render::LiveSession& session) : session_(session) {
        session.on_post([seen = seen_, &session] {
            const Image image = session.latest();
            const std::scoped_lock lock(seen->guard);
            if (image && (seen->all.empty() || seen->all.back() != image)) seen->all.push_back(image);
        });
    }
    ~HandedOver() { session_.on_post(nullptr); }
    HandedOver(const HandedOver&) = delete;
    HandedOver& operator=(const HandedOver&) = delete;

    /// So far, of that edit.
    std::vector<Image> of(uint64_t edit) const {
        const std::scoped_lock lock(seen_->guard);
        std::vector<Image> out;
        for (const Image& image : seen_->all)
            if (image->edit == edit) out.push_back(image);
        return out;
    }

private:
    struct Seen {
        std::mutex guard;
        std::vector<Image> all;
    };
    render::LiveSession& session_;
    std::shared_ptr<Seen> seen_ = std::make_shared<Seen>();  // outlives a call that is under way at the end
};

}  // namespace vemtra::test
