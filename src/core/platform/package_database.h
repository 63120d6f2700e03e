// SPDX-License-Identifier: GPL-3.0-or-later
// What the package manager knows: which packages are installed, and which files are theirs. Debian's is read as plain
// files (dpkg(1), deb-control(5): `status`, `info/*.list`, and apt's `extended_states`). rpm's database has a form that
// only its own program is sure of: rpm(8) is asked, `rpm --query --all --queryformat`.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"
#include "core/platform/tool_output.h"

namespace kurvo {

struct InstalledPackage {
    std::string name; ///< with ":arch" where the package manager keeps it so
    std::string version;
    std::string summary;
    std::uint64_t installedBytes = 0; ///< as the package says (Installed-Size)
    std::int64_t installed = 0;       ///< UTC seconds; when it was last unpacked
    bool automatic = false;           ///< pulled in by another one
    bool essential = false;
    bool neededByNone = false; ///< pulled in as a dependency, and nothing that is wanted depends on it any more
    std::uint32_t files = 0;   ///< paths it owns, folders left out
};

enum class PackageManager { Apt, Dnf, Zypper, Rpm };

/// Immutable once read; may be read from any thread. 200,000 paths take a quarter of a second and some 25 MiB.
class PackageDatabase {
public:
    /// `root`: of the system whose database it is, "/" or the mount point of a drive from another machine. NotFound
    /// where no such package manager is used; Damaged where its list cannot be understood. `rpm`: the program, empty
    /// for none.
    static Result<PackageDatabase> read(const std::string& root = "/", const std::string& rpm = findTool("rpm"));

    /// The same, kept for whoever asks next, and read again only where the package manager has written since. Any
    /// thread; who asks while another one reads waits for it.
    static Result<std::shared_ptr<const PackageDatabase>> current(const std::string& root = "/");

    PackageManager manager() const { return manager_; }
    /// The command that removes packages, with these names ("sudo apt remove NAMES"), to copy; and the one that removes
    /// kernels neither new nor in use.
    std::string removeCommand(const std::string& names) const;
    std::string oldKernelsCommand() const;

    const std::vector<InstalledPackage>& packages() const { return packages_; }
    /// Lists of files that were missing or could not be read: what they own is not known.
    std::uint32_t unreadable() const { return unreadable_; }
    std::size_t paths() const { return owned_.size(); }

    /// The package that owns this file, null where none does. A path below /usr is found under its old name as well.
    const InstalledPackage* owner(std::string_view path) const;
    /// Whether any package has a file at this path or below it; the first that is found.
    const InstalledPackage* ownerWithin(std::string_view folder) const;
    /// Files of one package.
    std::vector<std::string_view> pathsOf(const InstalledPackage& package) const;

private:
    struct Owned {
        std::string_view path; ///< within texts_
        std::uint32_t package = 0;
    };
    const InstalledPackage* ownerAt(std::string_view path) const;
    const InstalledPackage* ownerBelow(std::string_view folder) const;

    static Result<PackageDatabase> readDebian(const std::string& root);
    static Result<PackageDatabase> readRpm(const std::string& root, const std::string& rpm);
    void sortPaths();

    PackageManager manager_ = PackageManager::Apt;
    std::vector<InstalledPackage> packages_;
    std::vector<std::string> texts_;
    std::vector<Owned> owned_; ///< by path
    std::uint32_t unreadable_ = 0;
};

} // namespace kurvo
