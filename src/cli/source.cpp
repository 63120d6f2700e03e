// SPDX-License-Identifier: GPL-3.0-or-later
#include <sys/stat.h>
#include <sys/statfs.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdio>
#include <optional>
#include <thread>

#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "cli/remote.h"
#include "core/base/figures.h"
#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/platform/folders.h"
#include "core/scan/join.h"
#include "core/snapshot/together.h"

namespace kurvo::cli {

void complain(const std::string& sentence)
{
    fmt::print(stderr, "kurvoctl: {}\n", sentence);
}

int failed(const Error& error)
{
    complain(error.sentence);
    return ExitFailed;
}

bool answers(const std::string& path)
{
    const auto answer = askWithin(output().scan.patience, [path] {
        struct stat s { };
        struct statfs about { };
        const bool there = ::stat(path.c_str(), &s) == 0;
        return there ? ::statfs(path.c_str(), &about) == 0 : ::lstat(path.c_str(), &s) == 0;
    });
    if (answer)
        return true;
    complain(displayText(path) + " does not answer: its drive or server may be gone. Nothing was done with it.");
    return false;
}

void runInterruptible(const std::function<void(std::stop_token)>& work, const std::function<std::string()>& line)
{
    // SIGINT is taken by this watcher alone, so that no system call of the work is disturbed.
    sigset_t interrupt, before;
    sigemptyset(&interrupt);
    sigaddset(&interrupt, SIGINT);
    pthread_sigmask(SIG_BLOCK, &interrupt, &before);
    std::stop_source stop;
    const bool terminal = isatty(STDERR_FILENO) == 1 && output().progress && !output().quiet;
    std::jthread watcher([&](std::stop_token done) {
        const timespec tick{0, 200'000'000};
        for (int ticks = 0; !done.stop_requested(); ++ticks) {
            if (sigtimedwait(&interrupt, nullptr, &tick) == SIGINT && !done.stop_requested())
                stop.request_stop();
            if (terminal && ticks >= 4 && !done.stop_requested())
                if (const auto text = line(); !text.empty())
                    fmt::print(stderr, "\r\033[K{}", text);
        }
    });
    work(stop.get_token());
    watcher.request_stop();
    pthread_kill(watcher.native_handle(), SIGINT); // do not wait for its tick to end
    watcher.join();
    pthread_sigmask(SIG_SETMASK, &before, nullptr);
    if (terminal)
        fmt::print(stderr, "\r\033[K");
}

Result<ScanResult> scanWithProgress(const std::string& path, const ScanOptions& options)
{
    ScanProgress progress;
    std::optional<Result<ScanResult>> result;
    runInterruptible(
        [&](std::stop_token stop) { result.emplace(scan(path, options, stop, &progress)); },
        [&] {
            if (const auto ahead = progress.ahead(); progress.entries() == 0 && ahead.of > 0)
                return fmt::format("the drive's own tables: {} of {}", sizeText(ahead.done), sizeText(ahead.of));
            return fmt::format("{}, {}  {}", formatItems(progress.entries(), "entry", "entries"),
                               sizeText(progress.diskBytes()), displayText(progress.currentFolder()).substr(0, 60));
        });
    return std::move(*result);
}

int Source::finish() const
{
    if (info.unreadable > 0)
        complain(formatItems(info.unreadable, "entry", "entries") + " could not be read and " +
                 (info.unreadable == 1 ? "is" : "are") + " missing from these figures.");
    if (info.partial)
        complain("The scan was stopped before its end; these figures are partial.");
    return info.unreadable > 0 || info.partial ? ExitIncomplete : ExitDone;
}

Result<Source> loadSource(const std::string& source)
{
    if (const auto address = remoteAddress(source)) {
        auto scan = scanRemoteWithProgress(*address);
        if (!scan)
            return scan.error();
        return Source{std::move(scan->result.tree), std::move(scan->info), true};
    }
    if (!answers(source))
        return Error{ErrorKind::System, source, ETIMEDOUT, displayText(source) + " was not read."};
    struct stat s { };
    const bool folder = ::stat(source.c_str(), &s) == 0 && S_ISDIR(s.st_mode);
    if (!folder && source.ends_with(snapshotSuffix)) {
        auto snapshot = readSnapshot(source);
        if (!snapshot)
            return snapshot.error();
        return Source{snapshot->tree, std::move(snapshot->info), false};
    }
    auto result = scanWithProgress(source, output().scan);
    if (!result)
        return result.error();
    auto info = describeScan(*result);
    info.crossMounts = output().scan.crossMounts;
    info.exclude = output().scan.exclude;
    return Source{std::move(result->tree), std::move(info), false};
}

Result<Source> loadTogether(const std::vector<std::string>& sources)
{
    if (sources.size() == 1)
        return loadSource(sources.front());
    std::vector<PlaceRoot> roots;
    std::vector<SnapshotInfo> infos;
    Source all;
    for (const auto& source : sources) {
        auto one = loadSource(source);
        if (!one)
            return one.error();
        if (!infos.empty() && !isOfOneMachine(infos.front(), one->info))
            return Error{ErrorKind::Unsupported, source, 0,
                         displayText(source) + " is of another machine. Places of one machine go together."};
        all.remote |= one->remote;
        roots.emplace_back(std::move(one->tree));
        infos.push_back(std::move(one->info));
    }
    all.info = addedUp(infos, namesOf(infos));
    all.tree = joinTrees(all.info.placeName, roots);
    all.info.place = all.tree->path(rootNode);
    return all;
}

std::vector<std::vector<std::string>> apartOr(bool together, const std::vector<std::string>& sources)
{
    std::vector<std::vector<std::string>> groups;
    if (together)
        groups.push_back(sources);
    else
        for (const auto& source : sources)
            groups.push_back({source});
    return groups;
}

} // namespace kurvo::cli
