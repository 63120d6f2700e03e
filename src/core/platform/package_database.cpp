// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/package_database.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <charconv>
#include <mutex>
#include <unordered_map>
#include <unordered_set>

#include "core/base/text.h"
#include "core/platform/unique_fd.h"

namespace kurvo {
namespace {

struct Read {
    std::string text;
    std::int64_t modified = 0;
    int error = 0;
};

Read readWhole(const std::string& path)
{
    Read read;
    const UniqueFd fd(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
    struct stat s { };
    if (!fd || ::fstat(fd.get(), &s) != 0) {
        read.error = errno;
        return read;
    }
    constexpr off_t most = 512 << 20;
    if (!S_ISREG(s.st_mode) || s.st_size > most) {
        read.error = EINVAL;
        return read;
    }
    read.modified = s.st_mtim.tv_sec;
    read.text.resize(static_cast<std::size_t>(s.st_size));
    std::size_t at = 0;
    while (at < read.text.size()) {
        const auto got = ::read(fd.get(), read.text.data() + at, read.text.size() - at);
        if (got <= 0) {
            read.error = got < 0 ? errno : 0;
            break;
        }
        at += static_cast<std::size_t>(got);
    }
    read.text.resize(at);
    return read;
}

/// Calls `take(field, value)` for each line "Field: value", and `end()` after each paragraph. Further lines of a value,
/// which begin with a blank, are left out.
template <typename Take, typename End>
void forEachField(std::string_view text, const Take& take, const End& end)
{
    bool any = false;
    while (!text.empty()) {
        const auto length = std::min(text.find('\n'), text.size());
        const auto line = text.substr(0, length);
        text.remove_prefix(std::min(length + 1, text.size()));
        if (line.empty()) {
            if (any)
                end();
            any = false;
            continue;
        }
        any = true;
        const auto colon = line.find(':');
        if (line[0] == ' ' || line[0] == '\t' || colon == std::string_view::npos)
            continue;
        auto value = line.substr(colon + 1);
        value.remove_prefix(std::min(value.find_first_not_of(" \t"), value.size()));
        take(line.substr(0, colon), value);
    }
    if (any)
        end();
}

/// The names in a field such as "a (>= 1) | b, c:any", alternatives as well: any of them may be what is meant.
std::vector<std::string> namesOf(std::string_view field)
{
    std::vector<std::string> names;
    while (!field.empty()) {
        const auto end = std::min(field.find_first_of(",|"), field.size());
        auto one = field.substr(0, end);
        field.remove_prefix(std::min(end + 1, field.size()));
        one.remove_prefix(std::min(one.find_first_not_of(" \t"), one.size()));
        one = one.substr(0, one.find_first_of(" \t(:["));
        if (!one.empty())
            names.emplace_back(one);
    }
    return names;
}

/// What apt's autoremove goes by (apt-get(8)): from packages that were asked for, along all that they depend on,
/// recommend or suggest. Kernels are left alone, as apt does by rules of its own.
struct Wants {
    std::vector<std::string> names;    ///< depended on, recommended, suggested
    std::vector<std::string> provides; ///< beside its own name
    bool always = false;               ///< required, important, or a kernel
};

void markUnneeded(std::vector<InstalledPackage>& packages, const std::vector<Wants>& wants)
{
    std::unordered_map<std::string_view, std::vector<std::size_t>> byName;
    const auto bare = [](const std::string& name) { return std::string_view(name).substr(0, name.find(':')); };
    for (std::size_t i = 0; i < packages.size(); ++i) {
        byName[bare(packages[i].name)].push_back(i);
        for (const auto& provided : wants[i].provides)
            byName[provided].push_back(i);
    }
    std::vector<bool> needed(packages.size());
    std::vector<std::size_t> pending;
    const auto need = [&](std::size_t i) {
        if (!needed[i]) {
            needed[i] = true;
            pending.push_back(i);
        }
    };
    for (std::size_t i = 0; i < packages.size(); ++i)
        if (!packages[i].automatic || packages[i].essential || wants[i].always)
            need(i);
    while (!pending.empty()) {
        const auto i = pending.back();
        pending.pop_back();
        for (const auto& name : wants[i].names)
            if (const auto found = byName.find(name); found != byName.end())
                for (const auto other : found->second)
                    need(other);
    }
    for (std::size_t i = 0; i < packages.size(); ++i)
        packages[i].neededByNone = !needed[i];
}

std::string_view withoutUsr(std::string_view path)
{
    for (const auto* top : {"/usr/bin/", "/usr/sbin/", "/usr/lib"})
        if (path.starts_with(top))
            return path.substr(4);
    return {};
}

} // namespace

Result<PackageDatabase> PackageDatabase::read(const std::string& root, const std::string& rpm)
{
    auto debian = readDebian(root);
    if (debian || debian.error().kind != ErrorKind::NotFound || rpm.empty())
        return debian;
    auto other = readRpm(root, rpm);
    return other || other.error().kind != ErrorKind::NotFound ? std::move(other) : std::move(debian);
}

namespace {

/// What of a package manager's files changes with its packages; of those that are not there nothing.
std::vector<std::int64_t> stampOf(const std::string& root)
{
    std::vector<std::int64_t> stamp;
    for (const char* path : {"var/lib/dpkg/status", "var/lib/dpkg/info", "var/lib/apt/extended_states", "var/lib/rpm",
                             "var/lib/rpm/rpmdb.sqlite", "var/lib/rpm/rpmdb.sqlite-wal", "usr/lib/sysimage/rpm",
                             "usr/lib/sysimage/rpm/rpmdb.sqlite", "usr/lib/sysimage/rpm/rpmdb.sqlite-wal"}) {
        struct stat now { };
        if (::stat(joinPath(root, path).c_str(), &now) == 0)
            stamp.insert(stamp.end(),
                         {static_cast<std::int64_t>(now.st_ino), now.st_size, now.st_mtim.tv_sec, now.st_mtim.tv_nsec});
        else
            stamp.push_back(0);
    }
    return stamp;
}

} // namespace

Result<std::shared_ptr<const PackageDatabase>> PackageDatabase::current(const std::string& root)
{
    struct Kept {
        std::string root;
        std::vector<std::int64_t> stamp;
        std::shared_ptr<const PackageDatabase> database;
    };
    static std::mutex mutex;
    static Kept kept;
    const std::lock_guard lock(mutex);
    auto stamp = stampOf(root); // before it is read: what is written meanwhile makes it old
    if (kept.database && kept.root == root && kept.stamp == stamp)
        return kept.database;
    auto now = read(root);
    if (!now)
        return now.error();
    kept = {root, std::move(stamp), std::make_shared<const PackageDatabase>(std::move(*now))};
    return kept.database;
}

Result<PackageDatabase> PackageDatabase::readDebian(const std::string& root)
{
    const auto folder = joinPath(root, "var/lib/dpkg");
    const auto statusPath = joinPath(folder, "status");
    const auto status = readWhole(statusPath);
    if (status.error != 0)
        return status.error == ENOENT ? Error{ErrorKind::NotFound, statusPath, ENOENT,
                                              "There is no package manager here whose list can be read."}
                                      : systemError("read", statusPath, status.error);

    std::unordered_set<std::string> automatic;
    std::string name, arch, multiArch;
    bool isAutomatic = false;
    const auto states = readWhole(joinPath(root, "var/lib/apt/extended_states"));
    forEachField(
        states.text,
        [&](std::string_view field, std::string_view value) {
            if (field == "Package")
                name = value;
            else if (field == "Auto-Installed")
                isAutomatic = value == "1";
        },
        [&] {
            if (isAutomatic)
                automatic.insert(name);
            isAutomatic = false;
        });

    PackageDatabase db;
    InstalledPackage package;
    Wants want;
    std::vector<Wants> wants;
    bool installed = false;
    name.clear();
    forEachField(
        status.text,
        [&](std::string_view field, std::string_view value) {
            if (field == "Package")
                package.name = value;
            else if (field == "Version")
                package.version = value;
            else if (field == "Architecture")
                arch = value;
            else if (field == "Multi-Arch")
                multiArch = value;
            else if (field == "Status")
                installed = value.ends_with(" installed") || value.ends_with(" unpacked") ||
                            value.ends_with(" half-configured") || value.ends_with(" half-installed");
            else if (field == "Essential")
                package.essential = value == "yes";
            else if (field == "Depends" || field == "Pre-Depends" || field == "Recommends" || field == "Suggests")
                for (auto& each : namesOf(value))
                    want.names.push_back(std::move(each));
            else if (field == "Provides")
                want.provides = namesOf(value);
            else if (field == "Priority")
                want.always |= value == "required" || value == "important";
            else if (field == "Description")
                package.summary = value;
            else if (field == "Installed-Size") {
                std::uint64_t kib = 0;
                std::from_chars(value.data(), value.data() + value.size(), kib);
                package.installedBytes = std::min(kib, UINT64_MAX / 2048) * 1024;
            }
        },
        [&] {
            if (installed && !package.name.empty()) {
                package.automatic = automatic.contains(package.name);
                if (multiArch == "same")
                    package.name += ":" + arch;
                want.always |= package.name.starts_with("linux-image-") || package.name.starts_with("linux-headers-") ||
                               package.name.starts_with("linux-modules-");
                db.packages_.push_back(package);
                wants.push_back(std::move(want));
            }
            package = {};
            want = {};
            installed = false;
            arch.clear();
            multiArch.clear();
        });
    if (db.packages_.empty() && !status.text.empty())
        return Error{ErrorKind::Damaged, statusPath, 0,
                     "The list of installed packages (" + displayText(statusPath) + ") cannot be understood."};

    if (states.error == 0) // else nobody knows what was asked for
        markUnneeded(db.packages_, wants);
    db.texts_.reserve(db.packages_.size()); // views point into the texts: they must not move
    for (std::uint32_t i = 0; i < db.packages_.size(); ++i) {
        auto& owner = db.packages_[i];
        const auto bare = owner.name.substr(0, owner.name.find(':'));
        auto list = readWhole(joinPath(folder, "info/" + owner.name + ".list"));
        if (list.error == ENOENT && bare != owner.name)
            list = readWhole(joinPath(folder, "info/" + bare + ".list"));
        if (list.error != 0) {
            ++db.unreadable_;
            continue;
        }
        owner.installed = list.modified;
        std::string_view rest = db.texts_.emplace_back(std::move(list.text));
        while (!rest.empty()) {
            const auto length = std::min(rest.find('\n'), rest.size());
            const auto path = rest.substr(0, length);
            rest.remove_prefix(std::min(length + 1, rest.size()));
            // Folders come before what is in them; they are shared by many packages and belong to none.
            const bool isFolder = rest.size() > length && rest.substr(0, length) == path && rest[length] == '/';
            if (path.size() < 2 || path[0] != '/' || path == "/." || isFolder)
                continue;
            db.owned_.push_back({path, i});
            ++owner.files;
        }
    }
    db.sortPaths();
    return db;
}

Result<PackageDatabase> PackageDatabase::readRpm(const std::string& root, const std::string& rpm)
{
    std::string folder;
    for (const auto* known : {"usr/lib/sysimage/rpm", "var/lib/rpm"}) // where it is now, and where it was
        for (const auto* file : {"rpmdb.sqlite", "Packages.db", "Packages"})
            if (folder.empty() && ::access(joinPath(root, std::string(known) + "/" + file).c_str(), F_OK) == 0)
                folder = joinPath(root, known);
    if (folder.empty())
        return Error{ErrorKind::NotFound, root, ENOENT, "There is no package manager here whose list can be read."};
    // A line for each package, one for each of its files: "P NAME VERSION ARCH BYTES TIME SUMMARY", "MODE PATH".
    auto told = toolOutput({rpm, "--dbpath", folder, "--query", "--all", "--queryformat",
                            "P\\t%{NAME}\\t%{VERSION}-%{RELEASE}\\t%{ARCH}\\t%{SIZE}\\t%{INSTALLTIME}\\t%{SUMMARY}\\n"
                            "[%{FILEMODES:octal}\\t%{FILENAMES}\\n]"});
    if (!told)
        return told.error();
    PackageDatabase db;
    db.manager_ = !findTool("dnf").empty()      ? PackageManager::Dnf
                  : !findTool("zypper").empty() ? PackageManager::Zypper
                                                : PackageManager::Rpm;
    std::string_view rest = db.texts_.emplace_back(std::move(*told));
    const bool isEmpty = rest.empty();
    const auto number = [](std::string_view text, int base = 10) {
        std::uint64_t value = 0;
        std::from_chars(text.data(), text.data() + text.size(), value, base);
        return value;
    };
    while (!rest.empty()) {
        auto line = rest.substr(0, rest.find('\n'));
        rest.remove_prefix(std::min(line.size() + 1, rest.size()));
        const auto next = [&line] {
            const auto field = line.substr(0, line.find('\t'));
            line.remove_prefix(std::min(field.size() + 1, line.size()));
            return field;
        };
        const auto first = next();
        if (first == "P") {
            InstalledPackage package;
            package.name = next();
            package.version = next();
            next(); // its architecture
            package.installedBytes = number(next());
            package.installed = static_cast<std::int64_t>(number(next()));
            package.summary = line;
            if (!package.name.empty() && package.name != "gpg-pubkey") // a key, kept as if it were a package
                db.packages_.push_back(std::move(package));
        } else if (line.starts_with('/') && !db.packages_.empty() && !S_ISDIR(number(first, 8))) {
            db.owned_.push_back({line, static_cast<std::uint32_t>(db.packages_.size() - 1)});
            ++db.packages_.back().files;
        }
    }
    if (db.packages_.empty() && !isEmpty)
        return Error{ErrorKind::Damaged, folder, 0,
                     "The list of installed packages (" + displayText(folder) + ") cannot be understood."};
    if (db.packages_.empty())
        return Error{ErrorKind::NotFound, folder, ENOENT, "No package is installed here."};
    db.sortPaths();
    return db;
}

void PackageDatabase::sortPaths()
{
    std::sort(owned_.begin(), owned_.end(), [](const Owned& a, const Owned& b) { return a.path < b.path; });
}

std::string PackageDatabase::removeCommand(const std::string& names) const
{
    switch (manager_) {
    case PackageManager::Apt:
        return "sudo apt remove " + names;
    case PackageManager::Dnf:
        return "sudo dnf remove " + names;
    case PackageManager::Zypper:
        return "sudo zypper remove " + names;
    case PackageManager::Rpm:
        break;
    }
    return "sudo rpm --erase " + names;
}

std::string PackageDatabase::oldKernelsCommand() const
{
    switch (manager_) {
    case PackageManager::Apt:
        return "sudo apt autoremove --purge";
    case PackageManager::Dnf:
        return "sudo dnf remove --oldinstallonly";
    case PackageManager::Zypper:
        return "sudo zypper purge-kernels";
    case PackageManager::Rpm:
        break;
    }
    return {};
}

const InstalledPackage* PackageDatabase::ownerAt(std::string_view path) const
{
    const auto at = std::lower_bound(owned_.begin(), owned_.end(), path,
                                     [](const Owned& o, std::string_view p) { return o.path < p; });
    return at != owned_.end() && at->path == path ? &packages_[at->package] : nullptr;
}

const InstalledPackage* PackageDatabase::owner(std::string_view path) const
{
    // What has something below it is a folder, which may be shared by many.
    if (const auto* found = ownerAt(path))
        return ownerBelow(path) ? nullptr : found;
    const auto old = withoutUsr(path);
    return old.empty() || ownerBelow(old) ? nullptr : ownerAt(old);
}

const InstalledPackage* PackageDatabase::ownerBelow(std::string_view folder) const
{
    const auto below = std::string(folder) + (folder.ends_with('/') ? "" : "/");
    const auto at = std::lower_bound(owned_.begin(), owned_.end(), std::string_view(below),
                                     [](const Owned& o, std::string_view p) { return o.path < p; });
    return at != owned_.end() && at->path.starts_with(below) ? &packages_[at->package] : nullptr;
}

const InstalledPackage* PackageDatabase::ownerWithin(std::string_view folder) const
{
    if (const auto* found = owner(folder))
        return found;
    if (const auto* found = ownerBelow(folder))
        return found;
    const auto old = withoutUsr(folder);
    return old.empty() ? nullptr : ownerBelow(old);
}

std::vector<std::string_view> PackageDatabase::pathsOf(const InstalledPackage& package) const
{
    const auto index = static_cast<std::uint32_t>(&package - packages_.data());
    std::vector<std::string_view> paths;
    for (const auto& owned : owned_)
        if (owned.package == index)
            paths.push_back(owned.path);
    return paths;
}

} // namespace kurvo
