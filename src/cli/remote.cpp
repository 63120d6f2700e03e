// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/remote.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <termios.h>
#include <unistd.h>

#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "core/base/text.h"
#include "core/plan/plan_file.h"

namespace kurvo::cli {
namespace {

/// One line from the terminal, whatever standard input is; nothing where there is no terminal.
std::optional<std::string> askTerminal(const std::string& question, bool hidden)
{
    UniqueFd terminal(::open("/dev/tty", O_RDWR | O_CLOEXEC | O_NOCTTY));
    if (!terminal)
        return std::nullopt;
    termios before{};
    ::tcgetattr(terminal.get(), &before);
    auto quiet = before;
    quiet.c_lflag &= ~static_cast<tcflag_t>(ECHO);
    (void)!::write(terminal.get(), question.data(), question.size());
    if (hidden)
        ::tcsetattr(terminal.get(), TCSAFLUSH, &quiet);
    std::string line;
    char c = 0;
    while (::read(terminal.get(), &c, 1) == 1 && c != '\n')
        line += c;
    if (hidden) {
        ::tcsetattr(terminal.get(), TCSAFLUSH, &before);
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

Result<RemoteScan> scanRemoteWithProgress(const RemoteAddress& address)
{
    const auto& out = output();
    RemoteWish wish;
    wish.scan = out.scan;
    wish.rights = out.sudo;
    wish.maySend = [&out, &address](const std::string& host) {
        if (out.sendScanner)
            return true;
        const auto answer = askTerminal(
            fmt::format("{} has no kurvoctl that fits. Send a scanner of {} there, which runs once and removes itself? "
                        "[y/N] ",
                        displayText(host), sizeText(scannerBytes())),
            false);
        if (!answer)
            complain("No scanner was sent to " + displayText(address.host) +
                     ": there is no terminal to ask on. --send-scanner agrees to it.");
        return answer && (*answer == "y" || *answer == "Y" || *answer == "yes");
    };
    // Where sudo needs no password it is asked for none; so it is tried without first.
    std::optional<Result<RemoteScan>> scan;
    ScanProgress progress;
    const auto run = [&] {
        runInterruptible([&](std::stop_token stop) { scan.emplace(scanOverSsh(address, wish, stop, &progress)); },
                         [&] { // nothing while ssh, sudo or this asks
                             return progress.entries() == 0
                                        ? std::string()
                                        : fmt::format("{}: {}, {}  {}", displayText(address.host),
                                                      formatItems(progress.entries(), "entry", "entries"),
                                                      sizeText(progress.diskBytes()),
                                                      displayText(progress.currentFolder()).substr(0, 50));
                         });
    };
    run();
    if (out.sudo && !*scan && scan->error().kind == ErrorKind::NoPermission) {
        const auto password = askTerminal("Password for sudo on " + displayText(address.host) + ": ", true);
        if (password) {
            wish.password = [&password] { return password; };
            run();
        }
    }
    return std::move(*scan);
}

} // namespace kurvo::cli
