// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/remote.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <termios.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <chrono>
#include <csignal>
#include <thread>

#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "core/base/locks.h"
#include "core/base/text.h"
#include "core/plan/plan_file.h"

namespace kurvo::cli {
namespace {

termios terminalBefore;
int quietTerminal = -1; ///< on which nothing is shown of what is typed

/// Whoever is ended while a password is typed leaves a terminal that shows again what is typed.
void showAgainAndEnd(int signal)
{
    ::tcsetattr(quietTerminal, TCSANOW, &terminalBefore);
    ::signal(signal, SIG_DFL);
    ::raise(signal);
}

/// One line from the terminal, whatever standard input is; nothing where there is no terminal.
std::optional<std::string> askTerminal(const std::string& question, bool hidden)
{
    UniqueFd terminal(::open("/dev/tty", O_RDWR | O_CLOEXEC | O_NOCTTY));
    if (!terminal)
        return std::nullopt;
    ::tcgetattr(terminal.get(), &terminalBefore);
    auto quiet = terminalBefore;
    quiet.c_lflag &= ~static_cast<tcflag_t>(ECHO);
    (void)!::write(terminal.get(), question.data(), question.size());
    constexpr std::array ending{SIGTERM, SIGHUP, SIGQUIT};
    std::array<sighandler_t, ending.size()> handlers{};
    if (hidden) {
        quietTerminal = terminal.get();
        std::transform(ending.begin(), ending.end(), handlers.begin(),
                       [](int signal) { return ::signal(signal, showAgainAndEnd); });
        ::tcsetattr(terminal.get(), TCSAFLUSH, &quiet);
    }
    std::string line;
    char c = 0;
    while (::read(terminal.get(), &c, 1) == 1 && c != '\n')
        line += c;
    if (hidden) {
        ::tcsetattr(terminal.get(), TCSAFLUSH, &terminalBefore);
        for (std::size_t i = 0; i < ending.size(); ++i)
            ::signal(ending[i], handlers[i]);
        (void)!::write(terminal.get(), "\n", 1);
    }
    return line;
}

} // namespace

std::optional<RemoteAddress> remoteAddress(const std::string& argument)
{
    struct stat s { };
    auto address = parseAddress(argument);
    if (address && !argument.starts_with("ssh://") && ::lstat(argument.c_str(), &s) == 0)
        return std::nullopt;
    return address;
}

int runThere(const std::string& on, const std::string& command, const std::string& planFile)
{
    auto address = parseAddress(on.starts_with("ssh://") ? on : on + ":");
    if (!address || !address->path.empty())
        address = parseAddress(on);
    if (!address || !address->path.empty()) {
        complain("--on takes a machine such as warden@desk or ssh://desk:2222, not \"" + displayText(on) + "\".");
        return ExitUsage;
    }
    std::string line = "command -v kurvoctl >/dev/null || exit 127; exec kurvoctl " + command;
    std::string plan;
    if (!planFile.empty()) {
        const auto known = readPlanFile(planFile);
        if (!known) {
            complain(known.error().sentence);
            return ExitFailed;
        }
        plan = encodePlan(*known);
        line = "command -v kurvoctl >/dev/null || exit 127; umask 077; f=$(mktemp) || exit 3; cat >\"$f\"; "
               "kurvoctl " +
               command + " \"$f\"; s=$?; rm -f \"$f\"; exit $s";
    }
    const auto status =
        runOverSsh(*address, line, plan, [](const std::string& printed) { fmt::print("{}\n", printed); });
    if (!status) {
        complain(status.error().sentence);
        return ExitFailed;
    }
    if (*status == 127)
        complain("There is no kurvoctl on " + displayText(address->host) + ": a plan is carried out by its own.");
    else if (*status == 255)
        complain(
            "The connection to " + displayText(address->host) +
            " failed or was lost. What was begun there is in its logbook: \"kurvoctl logbook recover\" there ends it.");
    return *status <= ExitFailed ? *status : static_cast<int>(ExitFailed);
}

namespace {

/// A scan over SSH on a thread of its own, which asks on the terminal what has to be asked.
class RemoteJob {
public:
    explicit RemoteJob(const RemoteAddress& address) : address_(address)
    {
        const auto& out = output();
        wish_.scan = out.scan;
        wish_.rights = out.sudo;
        wish_.maySend = [this](const std::string& host) { return maySend(host); };
        wish_.onPlace = [this](const SnapshotInfo& info) {
            const Lock lock(mutex_);
            about_ = info;
        };
    }

    /// Until it is over or, where that is enough, there are entries to look at.
    void run(bool onlyUntilBegun)
    {
        scanFor(onlyUntilBegun);
        if (!over_ || *scan_ || !wish_.rights || scan_->error().kind != ErrorKind::NoPermission)
            return;
        // Where sudo needs no password it is asked for none; so it was tried without first.
        if (auto password = askTerminal("Password for sudo on " + displayText(address_.host) + ": ", true)) {
            wish_.password = [password] { return password; };
            scanFor(onlyUntilBegun);
        }
    }
    bool isOver() const { return over_; }
    SnapshotInfo about() const
    {
        const Lock lock(mutex_);
        return about_;
    }
    const std::shared_ptr<ScanProgress>& progress() const { return progress_; }
    /// Waits for its end.
    Result<RemoteScan> end(const std::stop_token& stop)
    {
        const std::stop_callback asked(stop, [this] { stop_.request_stop(); });
        if (thread_.joinable())
            thread_.join();
        return std::move(*scan_);
    }

private:
    bool maySend(const std::string& host) const
    {
        if (output().sendScanner)
            return true;
        const auto answer = askTerminal(
            fmt::format("{} has no kurvoctl that fits. Send a scanner of {} there, which runs once and removes itself? "
                        "[y/N] ",
                        displayText(host), sizeText(scannerBytes())),
            false);
        if (!answer)
            complain("No scanner was sent to " + displayText(address_.host) +
                     ": there is no terminal to ask on. --send-scanner agrees to it.");
        return answer && (*answer == "y" || *answer == "Y" || *answer == "yes");
    }

    void scanFor(bool onlyUntilBegun)
    {
        const auto line = [this] { // nothing while ssh, sudo or this asks
            return progress_->entries() == 0 ? std::string()
                                             : fmt::format("{}: {}, {}  {}", displayText(address_.host),
                                                           formatItems(progress_->entries(), "entry", "entries"),
                                                           sizeText(progress_->diskBytes()),
                                                           displayText(progress_->currentFolder()).substr(0, 50));
        };
        over_ = false;
        // It is started where SIGINT is kept from it, and so from ssh: a stop brings what was found.
        runInterruptible(
            [&](const std::stop_token& stop) {
                thread_ = std::thread([this] {
                    scan_.emplace(scanOverSsh(address_, wish_, stop_.get_token(), progress_.get()));
                    over_ = true;
                });
                while (!over_ && !(onlyUntilBegun && progress_->store())) {
                    if (stop.stop_requested())
                        stop_.request_stop();
                    std::this_thread::sleep_for(std::chrono::milliseconds(10));
                }
                if (over_)
                    thread_.join();
            },
            line);
    }

    const RemoteAddress address_;
    RemoteWish wish_;
    std::shared_ptr<ScanProgress> progress_ = std::make_shared<ScanProgress>();
    std::stop_source stop_;
    std::thread thread_;
    std::optional<Result<RemoteScan>> scan_; ///< read once over_
    std::atomic<bool> over_{false};
    mutable Mutex mutex_;
    SnapshotInfo about_ KURVO_GUARDED_BY(mutex_);
};

} // namespace

Result<RemoteScan> scanRemoteWithProgress(const RemoteAddress& address)
{
    RemoteJob job(address);
    job.run(false);
    return job.end({});
}

std::optional<terminal::BegunScan> beginRemoteScan(const RemoteAddress& address)
{
    const auto job = std::make_shared<RemoteJob>(address);
    job->run(true);
    terminal::BegunScan begun;
    begun.source = address.text();
    begun.progress = job->progress();
    begun.about = job->about();
    begun.end = [job](const std::stop_token& stop) -> Result<Snapshot> {
        auto scan = job->end(stop);
        if (!scan)
            return scan.error();
        return Snapshot{std::move(scan->info), std::move(scan->result.tree)};
    };
    if (!job->isOver())
        return begun;
    auto whole = begun.end({});
    if (!whole) {
        complain(whole.error().sentence);
        return std::nullopt;
    }
    begun.about = whole->info;
    begun.end = [whole = std::move(*whole)](const std::stop_token&) { return Result<Snapshot>(whole); };
    return begun;
}

} // namespace kurvo::cli
