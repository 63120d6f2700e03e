// SPDX-License-Identifier: GPL-3.0-or-later
// What copying a tree and proving the copy have in common: hashing, reading links, walking over the data of a file, and
// the words for what goes wrong.
#pragma once

#include <unistd.h>
#include <xxhash.h>

#include <algorithm>
#include <climits>
#include <memory>
#include <thread>

#include "core/act/tree_copy.h"
#include "core/base/text.h"

namespace kurvo {

constexpr int mostOpen = 64;     ///< levels whose folders stay open
constexpr int mostLevels = 4000; ///< each takes a frame of the stack
constexpr std::size_t bufferSize = 1 << 20;

/// How many threads copy and read back files.
inline std::size_t sideBySide()
{
    return std::clamp<std::size_t>(std::thread::hardware_concurrency(), 1, 4);
}

inline Error cancelled(const std::string& path)
{
    return {ErrorKind::Cancelled, path, ECANCELED, "Stopped at " + displayText(path) + "."};
}

inline Error changed(const std::string& path, const std::string& what)
{
    return {ErrorKind::Changed, path, 0,
            displayText(path) + " " + what + " while it was copied. It was left as it is."};
}

inline Error tooDeep(const std::string& path)
{
    return {ErrorKind::Unsupported, path, ELOOP, displayText(path) + " is nested too deeply to be moved."};
}

inline Error unlike(const std::string& path)
{
    return {ErrorKind::Damaged, path, EIO,
            displayText(path) +
                " does not read as it was written. The drive that it was copied to is not to be trusted."};
}

/// XXH3-128 over pieces; of the pieces' bytes alone.
class Hasher {
public:
    Hasher() : state_(XXH3_createState()) { reset(); }
    void reset() { XXH3_128bits_reset(state_.get()); }
    void add(const void* bytes, std::size_t size) { XXH3_128bits_update(state_.get(), bytes, size); }
    ContentHash hash() const
    {
        const auto h = XXH3_128bits_digest(state_.get());
        return {h.high64, h.low64};
    }

private:
    struct Free {
        void operator()(XXH3_state_t* state) const { XXH3_freeState(state); }
    };
    std::unique_ptr<XXH3_state_t, Free> state_;
};

inline ContentHash hashOf(const std::string& text)
{
    Hasher hasher;
    hasher.add(text.data(), text.size());
    return hasher.hash();
}

/// 0 or errno.
inline int readLink(int folder, const char* name, std::string& target)
{
    target.resize(PATH_MAX);
    const auto n = ::readlinkat(folder, name, target.data(), target.size());
    if (n < 0)
        return errno;
    target.resize(static_cast<std::size_t>(n));
    return 0;
}

/// Calls `piece(begin, end)` for the data of an entry.
template <typename Piece>
Result<Done> forEachPiece(const std::vector<std::uint64_t>& data, std::uint64_t size, const Piece& piece)
{
    if (data.empty())
        return size == 0 ? Result<Done>(Done{}) : piece(0, size);
    for (std::size_t i = 0; i + 1 < data.size(); i += 2)
        if (auto done = piece(data[i], data[i + 1]); !done)
            return done;
    return Done{};
}

/// Waits until a change after the one that `stat` shows would show as well, which takes a tick of the kernel's clock
/// (or two seconds, on a filesystem without fractions of one). True where it had to wait: then look again.
bool waitUntilSettled(const EntryStat& stat);

} // namespace kurvo
