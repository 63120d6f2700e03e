// SPDX-License-Identifier: GPL-3.0-or-later
// Result<T>: a value, or an error that can be shown to a person as it is.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <variant>

namespace kurvo {

/// What kind of thing went wrong; decides exit statuses and which way out the interface offers.
enum class ErrorKind {
    NotFound,     ///< the path is not there (any more)
    NotAFolder,   ///< a folder was needed and something else is there
    NoPermission, ///< the system refused; administrator rights may help
    NoSpace,      ///< the disk or the quota is full
    Damaged,      ///< a file of ours cannot be trusted
    TooNew,       ///< a file was written by a newer version of Kurvo
    WrongFormat,  ///< the file is something else altogether
    Changed,      ///< an item is not what it was when it was scanned
    Unsupported,  ///< cannot be done here (no trash on this mount, another filesystem, ...)
    Cancelled,    ///< stopped on request
    System        ///< any other refusal by the operating system
};

/// One failure. `sentence` is complete, in plain words, and names the path; it can be shown without further text.
struct Error {
    ErrorKind kind = ErrorKind::System;
    std::string path; ///< bytes as the system has them; may be empty
    int sysError = 0; ///< errno, or 0 where the system was not involved
    std::string sentence;
};

/// Builds an Error from errno. `what` is the verb phrase: "open", "read", "write"; the sentence becomes
/// "Could not open /path: permission denied."; an empty path is left out.
Error systemError(const std::string& what, const std::string& path, int sysError);

/// Nothing, as a value.
struct Done { };

/// Either a T or an Error. Asking for the part that is not there is a programming error (std::bad_variant_access).
template <typename T>
class [[nodiscard]] Result {
public:
    Result(T value) : state_(std::in_place_index<0>, std::move(value)) { }
    Result(Error error) : state_(std::in_place_index<1>, std::move(error)) { }

    explicit operator bool() const { return state_.index() == 0; }
    T& value() { return std::get<0>(state_); }
    const T& value() const { return std::get<0>(state_); }
    T& operator*() { return value(); }
    const T& operator*() const { return value(); }
    T* operator->() { return &value(); }
    const T* operator->() const { return &value(); }
    const Error& error() const { return std::get<1>(state_); }

private:
    std::variant<T, Error> state_;
};

} // namespace kurvo
