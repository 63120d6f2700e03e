// SPDX-License-Identifier: GPL-3.0-or-later
// Several versions of one thing: files or folders side by side whose names differ only in a version number, a date, or
// a mark that says copy. Precision comes first: what could be a series (photographs, tracks, invoices, years) is none.
//
//   numbers   name-1.2.3.deb, toolchain-12.1/, thesis_v2.odt; one number alone counts only after a "v"
//   dates     backup-2026-05-01.tar.gz; only of archives, dumps and images, and where the name says backup
//   copies    report (2).odt, report (copy).odt, "Copy of report.odt", site.conf.old; the original has to be there
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/advice/tree_advice.h"
#include "core/tree/file_tree.h"

namespace kurvo {

enum class VersionMark : std::uint8_t { Number, Date, Copy };

struct VersionGroup {
    VersionMark mark = VersionMark::Number;
    std::string name;          ///< what they share: "plotter.deb"; bytes
    NodeId folder = noNode;    ///< that they lie in
    std::vector<NodeId> items; ///< the newest first: by number or date, copies by when they were changed
    std::uint64_t older = 0;   ///< bytes on disk of all but the first
};

struct VersionOptions {
    std::uint64_t smallest = 1 << 20; ///< bytes that all but the newest hold; groups with less are left out
    std::shared_ptr<const TreeAdvice> advice =
        {}; ///< where it is given, caches, the trash and what is installed are left out
    std::function<bool(const std::string& path)> isPackaged = {}; ///< a file of an installed package: left out
};

/// The groups that hold most first. About 0.1 s for a million entries; not for the interface thread.
std::vector<VersionGroup> findVersions(const FileTree& tree, const VersionOptions& options);

/// How a name is taken apart: what is left of it without its mark, and the mark. For tests and for findVersions().
struct VersionedName {
    VersionMark mark = VersionMark::Number;
    std::string shared;  ///< the same for all versions
    std::string version; ///< "1.4.0", "2026-05-01"; empty for a copy
};
/// Nothing for a name without a mark. A name with a copy's mark may have none of its own: then `shared` is the name of
/// the original.
std::optional<VersionedName> versionedName(std::string_view name, bool isFolder);

/// Which of a group may go: all but the newest `keep`, of these the ones not changed for `age` seconds, and not opened
/// for `unopened` seconds (0: whenever), as `openedAt` says (UTC seconds; nothing where it is not known).
std::vector<NodeId> versionsToRemove(const VersionGroup& group, const FileTree& tree, std::size_t keep,
                                     std::int64_t now, std::int64_t age = 0, std::int64_t unopened = 0,
                                     const std::function<std::optional<std::int64_t>(NodeId)>& openedAt = {});

} // namespace kurvo
