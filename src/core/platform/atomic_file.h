// SPDX-License-Identifier: GPL-3.0-or-later
// A file that appears whole or not at all: written without a name (O_TMPFILE; under a hidden one where the filesystem
// cannot do that), synced, named, renamed into place. A process that is killed meanwhile leaves nothing behind.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

/// Not thread-safe. Dropping it without commit() removes the temporary file and leaves what was at `path` untouched.
class AtomicFile {
public:
    enum class Readers {
        OwnerOnly, ///< paths can be private
        AsUsual    ///< what the user's umask lets
    };
    enum class Existing {
        Replace,
        Keep ///< commit() fails, with what is there untouched, where something stands by then
    };
    /// Opens the file in the folder of `path`, which may be relative to the current folder.
    static Result<AtomicFile> create(const std::string& path, Readers readers = Readers::OwnerOnly,
                                     Existing existing = Existing::Replace);
    AtomicFile(AtomicFile&&) noexcept = default;
    AtomicFile& operator=(AtomicFile&&) noexcept = default;
    ~AtomicFile();

    /// Appends; buffered. An error (a full disk, say) is final: commit() will refuse with the same error.
    void write(const void* data, std::size_t size);
    /// Flushes, syncs the file, renames it to its place and syncs the folder.
    Result<Done> commit();

private:
    AtomicFile() = default;
    void flush();
    int giveName();

    std::string path_;
    Existing existing_ = Existing::Replace;
    std::string temporary_;
    UniqueFd fd_;
    std::vector<char> buffer_;
    int error_ = 0;
};

} // namespace kurvo
