// The bytes of a file from its beginning to its end, a piece of it in memory at a time; or bytes that are in memory. A
// file that is cut while it is read ends there (a mapped one would end the process).
#pragma once
#include <string>
#include <string_view>

#include "base/file.h"

namespace vemtra {

class ByteStream {
public:
    /// Ordinary files only.
    static Result<ByteStream> open(const fs::path& file);
    /// `bytes` must outlive it.
    static ByteStream of(std::string_view bytes);
    ~ByteStream();
    ByteStream(ByteStream&& other) noexcept;
    ByteStream& operator=(ByteStream&&) = delete;

    size_t size() const { return size_; }  ///< of the whole, when it was opened
    size_t position() const { return size_t(p_ - start_) + before_; }
    size_t left() const { return size_ - std::min(size_, position()); }  ///< by what it was when it was opened

    /// The next n bytes; null where there are fewer. Good until the next call.
    const char* take(size_t n) {
        if (size_t(end_ - p_) < n && look(n).size() < n) return nullptr;
        const char* at = p_;
        p_ += n;
        return at;
    }
    /// At least the next n bytes where there are as many; does not move. Good until the next call.
    std::string_view look(size_t n) {
        if (size_t(end_ - p_) < n) refill(n);
        return {p_, size_t(end_ - p_)};
    }
    void skip(size_t n) { p_ += std::min(n, size_t(end_ - p_)); }  ///< of what look() gave
    /// Up to the next line break, which is passed over; false at the end.
    bool line(std::string_view& text);
    /// All that is left.
    std::string_view rest();

private:
    ByteStream() = default;
    void refill(size_t wanted);

    int file_ = -1;
    size_t size_ = 0, before_ = 0;  ///< of the whole; of what was given back already
    std::string buffer_;
    const char *start_ = nullptr, *p_ = nullptr, *end_ = nullptr;
};

}  // namespace vemtra
