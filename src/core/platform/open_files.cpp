// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/open_files.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <climits>
#include <fstream>
#include <map>

#include "core/base/text.h"
#include "core/platform/entry_stat.h"
#include "core/platform/running_system.h"
#include "core/platform/unique_fd.h"

namespace kurvo {
namespace {

constexpr std::string_view deletedMark = " (deleted)";

UniqueFd openFolderAt(int at, const char* name)
{
    return UniqueFd(::openat(at, name, O_RDONLY | O_DIRECTORY | O_CLOEXEC));
}

std::string linkTarget(int dir, const char* name)
{
    char target[PATH_MAX];
    const auto n = ::readlinkat(dir, name, target, sizeof target);
    return n > 0 ? std::string(target, static_cast<std::size_t>(n)) : std::string();
}

/// The beginning of a file of /proc/PID.
std::string textOf(int process, const char* name)
{
    char text[4096];
    UniqueFd file(::openat(process, name, O_RDONLY | O_CLOEXEC));
    const auto n = file ? ::read(file.get(), text, sizeof text) : 0;
    return {text, n > 0 ? static_cast<std::size_t>(n) : 0};
}

std::string programOf(int process)
{
    auto program = textOf(process, "comm");
    while (program.ends_with('\n'))
        program.pop_back();
    return program;
}

/// Calls `visit(process folder, pid)` for each process that can be opened.
template <typename Visit>
int forEachProcess(const Visit& visit)
{
    const auto proc = openFolderAt(AT_FDCWD, "/proc");
    if (!proc)
        return errno;
    FolderReader reader;
    reader.start(proc.get());
    while (const char* name = reader.next()) {
        if (!std::isdigit(static_cast<unsigned char>(name[0])))
            continue;
        if (const auto process = openFolderAt(proc.get(), name)) // else it has ended
            visit(process.get(), static_cast<pid_t>(std::atoi(name)));
    }
    return 0;
}

/// The device is the filesystem's; a subvolume has another number but the same mount.
struct Filesystem {
    std::uint64_t device = 0;
    std::uint64_t mountId = 0;
    bool holds(const EntryStat& stat) const
    {
        return stat.device == device || (mountId != 0 && stat.mountId == mountId);
    }
};

class Collector {
public:
    explicit Collector(Filesystem filesystem) : filesystem_(filesystem) { }

    /// `links`: /proc/PID/fd or /proc/PID/map_files. False when it may not be read.
    bool look(int process, const char* links, pid_t pid)
    {
        const auto folder = openFolderAt(process, links);
        if (!folder)
            return errno != EACCES && errno != EPERM;
        FolderReader reader;
        reader.start(folder.get());
        while (const char* name = reader.next()) {
            const auto target = linkTarget(folder.get(), name);
            if (!target.ends_with(deletedMark) || !target.starts_with('/'))
                continue;
            EntryStat stat;
            if (statFollowed(folder.get(), name, stat) != 0 || stat.kind != EntryKind::File || stat.links != 0 ||
                !filesystem_.holds(stat))
                continue;
            auto& file = files_[{stat.device, stat.inode}];
            if (file.pid == 0) {
                file.path = target.substr(0, target.size() - deletedMark.size());
                file.inode = stat.inode;
                file.disk = stat.blocks * 512;
                file.pid = pid;
                file.program = programOf(process);
                file.restart = restartCommand(textOf(process, "cgroup"));
                EntryStat owner;
                if (statEntry(process, "", owner) == 0)
                    file.uid = owner.uid;
            } else if (lastPid_[{stat.device, stat.inode}] != pid) {
                ++file.holders;
            }
            lastPid_[{stat.device, stat.inode}] = pid;
        }
        return true;
    }

    std::vector<NamelessFile> take()
    {
        std::vector<NamelessFile> out;
        for (auto& [key, file] : files_)
            out.push_back(std::move(file));
        std::sort(out.begin(), out.end(), [](const NamelessFile& a, const NamelessFile& b) {
            return a.disk != b.disk ? a.disk > b.disk : a.path < b.path;
        });
        return out;
    }

private:
    Filesystem filesystem_;
    std::map<std::pair<std::uint64_t, std::uint64_t>, NamelessFile> files_;
    std::map<std::pair<std::uint64_t, std::uint64_t>, pid_t> lastPid_;
};

} // namespace

std::uint64_t NamelessFiles::disk() const
{
    std::uint64_t sum = 0;
    for (const auto& file : files)
        sum += file.disk;
    return sum;
}

Result<NamelessFiles> readNamelessFiles(const std::string& mountPoint)
{
    EntryStat top;
    if (const int error = statEntry(AT_FDCWD, mountPoint.c_str(), top); error != 0)
        return systemError("look at", mountPoint, error);
    Collector collector({top.device, top.mountId});
    NamelessFiles found;
    const int error = forEachProcess([&](int process, pid_t pid) {
        if (!collector.look(process, "fd", pid))
            ++found.notLookedInto;
        else
            collector.look(process, "map_files", pid); // needs more rights than fd; its absence says nothing
    });
    if (error != 0)
        return systemError("read", "/proc", error);
    found.files = collector.take();
    return found;
}

Result<OpenPaths> OpenPaths::read()
{
    OpenPaths open;
    const pid_t self = ::getpid();
    const int error = forEachProcess([&](int process, pid_t pid) {
        if (pid == self)
            return;
        Holder program;
        const auto look = [&](int folder, const char* name) {
            const auto target = linkTarget(folder, name);
            if (!target.starts_with('/'))
                return;
            if (program.program.empty())
                program.program = programOf(process);
            open.paths_[target].push_back(open.programs_.size());
        };
        look(process, "exe");
        look(process, "cwd");
        for (const auto* links : {"fd", "map_files"}) {
            const auto folder = openFolderAt(process, links);
            if (!folder) {
                if (links[0] == 'f' && (errno == EACCES || errno == EPERM))
                    ++open.notLookedInto_;
                continue;
            }
            FolderReader reader;
            reader.start(folder.get());
            while (const char* name = reader.next())
                look(folder.get(), name);
        }
        program.pid = pid;
        open.programs_.push_back(std::move(program));
    });
    if (error != 0)
        return systemError("read", "/proc", error);
    return open;
}

Holders OpenPaths::holdersOf(const std::string& path) const
{
    std::map<std::size_t, Holder> found;
    const auto add = [&](const auto& entry) {
        for (const auto index : entry.second) {
            const auto& program = programs_[index];
            if (program.program == "kurvo-preview") // our own look at it
                continue;
            auto& holder = found.try_emplace(index, Holder{program.program, program.pid, entry.first, 0}).first->second;
            ++holder.files;
        }
    };
    if (const auto itself = paths_.find(path); itself != paths_.end())
        add(*itself);
    const auto below = path.ends_with('/') ? path : path + '/';
    for (auto at = paths_.lower_bound(below); at != paths_.end() && at->first.starts_with(below); ++at)
        add(*at);
    Holders all;
    all.notLookedInto = notLookedInto_;
    for (auto& [index, holder] : found)
        all.holders.push_back(std::move(holder));
    std::sort(all.holders.begin(), all.holders.end(), [](const Holder& a, const Holder& b) { return a.pid < b.pid; });
    return all;
}

Holders OpenPathsMeanwhile::holdersOf(const std::string& path)
{
    const auto now = std::chrono::steady_clock::now();
    if (!last_ || now - read_ > std::chrono::seconds(1)) {
        auto open = OpenPaths::read();
        last_ = open ? std::move(*open) : OpenPaths();
        read_ = now;
    }
    return last_->holdersOf(path);
}

} // namespace kurvo
