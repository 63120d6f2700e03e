// SPDX-License-Identifier: GPL-3.0-or-later
// What a file or folder is, entry by entry, so that later it can be shown to be just that, and so that only what stands
// here is ever removed. Removing reads no folder again: what came in meanwhile is not on the list, and its folder
// stays.
//
// Entries are found through open folders, each compared (device, inode) as it is opened; no path is followed. Several
// threads work by folder.
#pragma once

#include <cstdint>
#include <deque>
#include <functional>
#include <optional>
#include <stop_token>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"
#include "core/platform/entry_stat.h"
#include "core/tree/file_tree.h"

namespace kurvo {

struct TreeCopy;

/// Of a manifest: what is no folder.
struct ListedFile {
    std::uint32_t nameAt = 0; ///< in the names of its folder
    std::uint16_t nameSize = 0;
    EntryKind kind = EntryKind::File;
    bool watched = false; ///< some program could open it for writing without a path: removed under a lease
    bool linked = false; ///< it has further hard links, so that removing one of them changes the others' time of change
    std::uint64_t inode = 0, size = 0;
    std::int64_t modified = 0, changed = 0;
    std::uint32_t modifiedNs = 0, changedNs = 0;
};

struct ListedFolder {
    ListedFolder* parent = nullptr; ///< null of the folder that the item is in, which is no part of it
    std::uint32_t depth = 0;
    std::string name;
    EntryStat stat;
    std::vector<ListedFile> files;
    std::vector<ListedFolder*> folders;
    std::string names;
    bool opened = false; ///< its mode was widened to get in; put right again by restoreModes()

    std::string_view nameOf(const ListedFile& file) const
    {
        return std::string_view(names).substr(file.nameAt, file.nameSize);
    }
    void add(std::string_view fileName, const EntryStat& stat);
};

class Manifest {
public:
    enum class For {
        Looking,
        /// It is to be removed: refused where a program can write to one of its files or works in one of its folders,
        /// where something is immutable or another mount, and where this user may not remove all of it.
        Removing
    };

    /// Reads `name` in the open folder `folder`. `shown`: its path, for people. Changed, NoPermission or Unsupported
    /// where it may not be removed; NotKnown of who writes is NoPermission.
    static Result<Manifest> read(int folder, const std::string& name, const std::string& shown, For purpose,
                                 std::stop_token stop = {});
    /// As it was when it was copied.
    static Manifest of(const TreeCopy& copy);

    Manifest(Manifest&&) noexcept = default;
    Manifest& operator=(Manifest&&) noexcept = default;

    /// Entries with the top itself.
    std::uint64_t entries() const;
    /// The same figures as summarize() gives of a scan.
    ContentSummary summary() const;
    /// Of each entry in the folder `name` of the top: for what lies in a trash folder.
    std::vector<std::pair<std::string, ContentSummary>> summariesIn(const std::string& name) const;
    /// Changed, naming the path, where this is not the same as `then`: the same entries, neither written to nor
    /// replaced nor changed in any way; of the top itself what a rename changes is left out.
    Result<Done> sameAs(const Manifest& then, const std::string& shown) const;
    /// Changed, naming it, where a file was changed in any way after that moment (nanoseconds since 1970); the top
    /// itself, which a rename changes, only where that is asked for.
    enum class Top { Not, Too };
    Result<Done> unchangedSince(std::int64_t moment, const std::string& shown, Top top = Top::Not) const;

    struct Removed {
        std::uint64_t entries = 0;     ///< that are gone
        std::optional<Error> surprise; ///< why it ended before all were; what is left is as it was
    };
    /// Removes what is listed and still is what it was, in the folder it was read from; `name` may be another by now.
    Removed remove(int folder, const std::string& name, const std::string& shown, std::stop_token stop = {}) const;
    /// Folders whose mode had to be widened to look into them get back the one they had.
    void restoreModes(int folder, const std::string& name) const;

private:
    Manifest();
    friend class ManifestReader;

    std::deque<ListedFolder> folders_; ///< the first holds the item; parents come before their folders
};

/// Now, as file times are given: nanoseconds since 1970.
std::int64_t momentNow();

} // namespace kurvo
