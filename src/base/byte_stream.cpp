#include "base/byte_stream.h"

#include <unistd.h>

#include <cerrno>
#include <cstring>

namespace vemtra {
namespace {
constexpr size_t piece = size_t(1) << 20;
}

Result<ByteStream> ByteStream::open(const fs::path& file) {
    Result<OrdinaryFile> opened = open_ordinary(file);
    if (!opened) return opened.error();
    ByteStream s;
    s.file_ = opened->descriptor;
    s.size_ = opened->size;
    return s;
}

ByteStream ByteStream::of(std::string_view bytes) {
    ByteStream s;
    s.size_ = bytes.size();
    s.start_ = s.p_ = bytes.data();
    s.end_ = s.p_ + bytes.size();
    return s;
}

ByteStream::~ByteStream() {
    if (file_ >= 0) ::close(file_);
}

ByteStream::ByteStream(ByteStream&& o) noexcept
    : file_(std::exchange(o.file_, -1)), size_(o.size_), before_(o.before_) {
    const size_t at = size_t(o.p_ - o.start_);
    const size_t have = size_t(o.end_ - o.start_);
    const bool own = o.start_ == o.buffer_.data();
    buffer_ = std::move(o.buffer_);
    start_ = own ? buffer_.data() : o.start_;
    p_ = start_ + at;
    end_ = start_ + have;
}

void ByteStream::refill(size_t wanted) {
    if (file_ < 0) return;
    before_ += size_t(p_ - start_);
    const size_t kept = size_t(end_ - p_);
    if (kept) std::memmove(buffer_.data(), p_, kept);
    const size_t room = std::max(wanted, kept + piece);
    if (buffer_.size() < room) buffer_.resize(room);
    size_t have = kept;
    while (have < room) {
        const ssize_t n = ::read(file_, buffer_.data() + have, room - have);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) break;
        have += size_t(n);
    }
    start_ = p_ = buffer_.data();
    end_ = p_ + have;
}

bool ByteStream::line(std::string_view& text) {
    for (size_t seen = 0;;) {
        const size_t have = size_t(end_ - p_);
        const void* stop = have > seen ? std::memchr(p_ + seen, '\n', have - seen) : nullptr;
        if (stop) {
            text = {p_, size_t(static_cast<const char*>(stop) - p_)};
            p_ = static_cast<const char*>(stop) + 1;
            return true;
        }
        seen = have;
        refill(2 * have + 1);  // a line without end is looked through once, not once per piece
        if (size_t(end_ - p_) > have) continue;
        if (!have) return false;
        text = {p_, have};
        p_ = end_;
        return true;
    }
}

std::string_view ByteStream::rest() {
    look(left() + 1);
    const std::string_view all{p_, size_t(end_ - p_)};
    p_ = end_;
    return all;
}

}  // namespace vemtra
