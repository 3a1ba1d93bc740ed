// What may fail because of the outside (files, foreign data, a hand-written project) returns a Result: a value, or an
// Error that a person can act on. What can only fail because of a mistake of ours is an assertion.
#pragma once
#include <cassert>
#include <string>
#include <utility>
#include <variant>

#include "base/text.h"

namespace vemtra {

/// What happened, to which file, why, and what to do about it. `place` is a line, key, part or node within the file;
/// may be empty.
struct Error {
    std::string what;
    std::string file;
    std::string place;
    std::string why;
    std::string remedy;

    /// One line for a terminal or a log: "what: file (place): why. remedy".
    std::string line() const {
        std::string text = what;
        if (!file.empty()) text += ": " + file;
        if (!place.empty()) text += " (" + place + ")";
        if (!why.empty()) text += ": " + why;
        if (!remedy.empty()) text += ". " + remedy;
        return printable(text);
    }
};

template <class T> class Result {
public:
    Result(T value) : content_(std::move(value)) {}
    Result(Error error) : content_(std::move(error)) {}
    explicit operator bool() const { return content_.index() == 0; }
    T& operator*() {
        assert(*this);
        return std::get<0>(content_);
    }
    const T& operator*() const {
        assert(*this);
        return std::get<0>(content_);
    }
    T* operator->() { return &**this; }
    const T* operator->() const { return &**this; }
    const Error& error() const { return std::get<1>(content_); }

private:
    std::variant<T, Error> content_;
};

struct Done {};
using Status = Result<Done>;

}  // namespace vemtra
