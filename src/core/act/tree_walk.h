// SPDX-License-Identifier: GPL-3.0-or-later
// Walking down one tree, or two side by side, through open folders and with few of them open however deep it goes.
#pragma once

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/base/text.h"
#include "core/platform/entry_stat.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

/// A folder on the way down. Beyond a depth its descriptor is closed and found again through ".." on the way up.
class WalkFolder {
public:
    WalkFolder() = default;
    /// 0 or errno.
    int open(int parent, const char* name)
    {
        fd_ = UniqueFd(::openat(parent, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
        return fd_ ? statEntry(fd_.get(), "", self_, StatSync::Fresh) : errno;
    }
    /// The same folder again, from one in it.
    int reopen(int child)
    {
        UniqueFd above(::openat(child, "..", O_RDONLY | O_DIRECTORY | O_CLOEXEC));
        EntryStat now;
        if (!above)
            return errno;
        if (const int error = statEntry(above.get(), "", now, StatSync::Fresh); error != 0)
            return error;
        if (!now.sameObject(self_))
            return ESTALE; // it was moved away under our feet
        fd_ = std::move(above);
        return 0;
    }
    void close() { fd_ = UniqueFd(); }
    int fd() const { return fd_.get(); }
    const EntryStat& self() const { return self_; }
    /// The names in it by their bytes, or errno.
    int list(std::vector<std::string>& names) const
    {
        names.clear();
        FolderReader reader;
        reader.start(fd_.get());
        while (const char* name = reader.next())
            names.emplace_back(name);
        std::sort(names.begin(), names.end());
        return reader.error();
    }

private:
    UniqueFd fd_;
    EntryStat self_;
};

/// Where one is in a walk: the path for people, grown and cut with each step.
class ShownPath {
public:
    explicit ShownPath(std::string top) : text_(std::move(top)) { }
    void down(const std::string& name) { text_ = joinPath(text_, name); }
    void up() { text_ = parentPath(text_); }
    const std::string& text() const { return text_; }

private:
    std::string text_;
};

} // namespace kurvo
