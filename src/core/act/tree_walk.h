// SPDX-License-Identifier: GPL-3.0-or-later
// Walking down one tree, or two side by side, through open folders and with few of them open however deep it goes.
#pragma once

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <string>
#include <vector>

#include "core/act/tree_content.h"
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

/// Calls `visit(parent folder, name, stat, shown path)` for an entry and everything below it, folders first, names by
/// their bytes.
template <typename Visit>
class TreeWalk {
public:
    TreeWalk(Visit& visit, const std::string& shown) : visit_(visit), shown_(shown) { }

    Result<Done> entry(int parent, const std::string& name, WalkFolder* above, int level)
    {
        EntryStat stat;
        if (const int error = statEntry(parent, name.c_str(), stat, StatSync::Fresh); error != 0)
            return systemError("read", shown_.text(), error);
        if (auto done = visit_(parent, name, stat, shown_.text()); !done || stat.kind != EntryKind::Folder)
            return done;
        if (level >= mostLevels)
            return tooDeep(shown_.text());
        WalkFolder own;
        std::vector<std::string> names;
        if (int error = own.open(parent, name.c_str()); error != 0 || (error = own.list(names)) != 0)
            return systemError("read", shown_.text(), error);
        if (above && level > mostOpen)
            above->close();
        for (const auto& child : names) {
            shown_.down(child);
            if (auto done = entry(own.fd(), child, &own, level + 1); !done)
                return done;
            shown_.up();
        }
        if (above && level > mostOpen)
            if (const int error = above->reopen(own.fd()); error != 0)
                return systemError("read", shown_.text(), error);
        return Done{};
    }

private:
    Visit& visit_;
    ShownPath shown_;
};

template <typename Visit>
Result<Done> walkTree(int top, const std::string& name, const std::string& shown, Visit visit)
{
    return TreeWalk<Visit>(visit, shown).entry(top, name, nullptr, 0);
}

} // namespace kurvo
