// SPDX-License-Identifier: GPL-3.0-or-later
// What reading and removing by a manifest have in common: paths for people, and its folders opened one after the other.
#pragma once

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <cstdint>
#include <string>
#include <string_view>
#include <thread>
#include <vector>

#include "core/act/manifest.h"
#include "core/act/tree_content.h"
#include "core/base/text.h"
#include "core/platform/entry_stat.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

inline constexpr std::int64_t second = 1'000'000'000;

inline std::int64_t momentOf(std::int64_t seconds, std::uint32_t nanoseconds)
{
    return seconds * second + nanoseconds;
}

/// The path of an entry, put together only when something is to be said.
inline std::string pathOf(const ListedFolder* folder, std::string_view name, const std::string& shown)
{
    if (!folder->parent)
        return shown;
    std::string path(name);
    for (; folder->parent->parent; folder = folder->parent)
        path = folder->name + "/" + path;
    return joinPath(shown, path);
}

inline std::string pathOf(const ListedFolder* folder, const std::string& shown)
{
    return folder->parent && folder->parent->parent ? pathOf(folder->parent, folder->name, shown) : shown;
}

/// Opens the folders of a manifest one after the other, keeping those on the way to the last one open, but few of them.
class FolderCursor {
public:
    FolderCursor(int base, std::string topName) : base_(base), topName_(std::move(topName)) { }

    /// The descriptor of that folder, or -1 and errno in `error`; ESTALE where another folder has its name.
    int go(const ListedFolder* folder, int& error)
    {
        if (!folder->parent)
            return base_;
        while (!way_.empty() && !isOn(way_.back().folder, folder))
            way_.pop_back();
        std::vector<const ListedFolder*> down;
        for (auto* f = folder; f->parent && (way_.empty() || f != way_.back().folder); f = f->parent)
            down.push_back(f);
        for (; !down.empty(); down.pop_back()) {
            const int at = way_.empty() ? base_ : way_.back().fd.get();
            auto opened = open(at, down.back(), error);
            if (!opened)
                return -1;
            way_.push_back({down.back(), std::move(opened)});
            if (way_.size() > mostOpen)
                way_.erase(way_.begin());
        }
        return way_.back().fd.get();
    }
    const std::string& nameOf(const ListedFolder* folder) const
    {
        return folder->parent && !folder->parent->parent ? topName_ : folder->name;
    }

private:
    struct Open {
        const ListedFolder* folder;
        UniqueFd fd;
    };

    static bool isOn(const ListedFolder* upper, const ListedFolder* lower)
    {
        while (lower->depth > upper->depth)
            lower = lower->parent;
        return lower == upper;
    }
    UniqueFd open(int at, const ListedFolder* folder, int& error) const
    {
        UniqueFd fd(::openat(at, nameOf(folder).c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
        EntryStat now;
        error = fd ? statEntry(fd.get(), "", now, StatSync::Fresh) : errno;
        if (error == 0 && !now.sameObject(folder->stat))
            error = ESTALE;
        return error == 0 ? std::move(fd) : UniqueFd();
    }

    int base_;
    std::string topName_;
    std::vector<Open> way_; ///< downwards; the upper ones may be closed already
};

} // namespace kurvo
