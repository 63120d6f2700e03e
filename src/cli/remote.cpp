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
                         [&] {
                             return fmt::format("{}: {}, {}  {}", displayText(address.host),
                                                formatItems(progress.entries(), "entry", "entries"),
                                                sizeText(progress.diskBytes()),
                                                displayText(progress.currentFolder()).substr(0, 50));
                         });
    };
    run();
    if (out.sudo && !*scan && scan->error().kind == ErrorKind::NoPermission) {
        const auto password =
            askTerminal("Password for sudo on " + displayText(address.host) + ": ", true);
        if (password) {
            wish.password = [&password] { return password; };
            run();
        }
    }
    return std::move(*scan);
}

} // namespace kurvo::cli
