// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/remote/ssh_scan.h"

#include <fcntl.h>
#include <poll.h>
#include <sys/stat.h>
#include <sys/utsname.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <sstream>
#include <thread>

#include "core/base/text.h"
#include "core/platform/file_facts.h"
#include "core/rights/ask_helper.h"
#include "core/rights/helper_process.h"
#include "core/rights/serve.h"

namespace kurvo {
namespace {

constexpr std::size_t mostBefore = std::size_t{256} << 10; ///< of what a shell prints when one logs in
constexpr std::size_t largestScanner = std::size_t{4} << 20;

/// For sh(1), in one line, without a single quote: the login shell over there may be any.
std::string lineFor(const RemoteWish& wish)
{
    const std::string version = std::to_string(remoteProtocol);
    // sudo asks on standard error, and only where somebody answers.
    const std::string as = !wish.rights ? "" : wish.password ? "sudo -S -p KURVOPASS: " : "sudo -n ";
    return "LC_ALL=C; export LC_ALL; umask 077; "
           "if kurvoctl serve --speaks " +
           version + " >/dev/null 2>&1; then echo KURVOHAS; exec " + as +
           "kurvoctl serve; fi; "
           "echo KURVONEEDS $(uname -m) $(uname -s); read n || exit 9; w=room; "
           "for d in \"$TMPDIR\" /tmp /var/tmp \"$XDG_RUNTIME_DIR\" /dev/shm \"$HOME\"; do "
           "[ -n \"$d\" ] && [ -d \"$d\" ] || continue; "
           "p=$(mktemp -d \"$d/kurvo-scan.XXXXXX\" 2>/dev/null) || continue; "
           "if echo \"#!/bin/sh\" >\"$p/t\" 2>/dev/null && chmod 700 \"$p/t\"; then "
           "if \"$p/t\" 2>/dev/null; then rm -f \"$p/t\"; w=; break; else w=exec; fi; fi; rm -rf \"$p\"; done; "
           "if [ -n \"$w\" ]; then echo KURVONO $w; exit 9; fi; "
           "z() { rm -rf \"$p\"; }; trap z EXIT; trap \"exit 9\" HUP INT TERM; "
           "echo KURVOSEND; head -c \"$n\" >\"$p/packed\" 2>/dev/null; "
           "if [ \"$(wc -c <\"$p/packed\")\" -eq \"$n\" ] && gzip -dc <\"$p/packed\" >\"$p/kurvo-scan\"; "
           "then :; else echo KURVONO room; exit 9; fi; "
           "rm -f \"$p/packed\"; chmod 700 \"$p/kurvo-scan\"; echo KURVOREADY; " +
           as + "\"$p/kurvo-scan\" --remove-itself serve";
}

Error lost(const RemoteAddress& address)
{
    return {ErrorKind::Damaged, address.text(), 0,
            "The connection to " + displayText(address.host) +
                " ended before its answer did. What ssh said stands above; nothing was changed there."};
}

std::string byHand(const RemoteAddress& address)
{
    const auto path = address.path.empty() ? std::string(".") : address.path;
    return " Where kurvoctl can be run there by hand, this brings its snapshot here: ssh " + address.login() +
           " kurvoctl export " + displayText(shellQuoted(path)) + " | kurvoctl snapshot import -";
}

/// The words of the other side, a byte at a time: what follows them is not ours to read.
Result<std::string> nextWord(int fd, const RemoteAddress& address, const std::stop_token& stop, std::size_t& read)
{
    std::string line;
    for (;;) {
        if (stop.stop_requested())
            return Error{ErrorKind::Cancelled, address.text(), 0, "It was stopped before the scan had begun."};
        pollfd wait{fd, POLLIN, 0};
        if (::poll(&wait, 1, 100) <= 0)
            continue;
        char c = 0;
        const auto n = ::read(fd, &c, 1);
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0)
            return lost(address);
        if (++read > mostBefore)
            return Error{ErrorKind::WrongFormat, address.text(), 0,
                         displayText(address.host) + " sent something else than an answer. Nothing of it was used."};
        if (c == '\r')
            continue;
        if (c != '\n') {
            line += c;
            continue;
        }
        // A banner may have no line end of its own.
        if (const auto at = line.find("KURVO"); at != line.npos)
            return line.substr(at);
        line.clear();
    }
}

class Connection {
public:
    Connection(const RemoteAddress& address, const RemoteWish& wish) : address_(address), wish_(wish) { }

    Result<Done> open()
    {
        auto command = wish_.ssh.empty() ? usualSsh() : wish_.ssh;
        // A connection that has silently gone ends after two minutes.
        command.insert(command.end(),
                       {"-T", "-e", "none", "-o", "ServerAliveInterval=30", "-o", "ServerAliveCountMax=4"});
        if (!wish_.asks)
            command.insert(command.end(), {"-o", "BatchMode=yes"});
        if (address_.port != 0)
            command.insert(command.end(), {"-p", std::to_string(address_.port)});
        command.insert(command.end(), {"--", address_.login(), "exec /bin/sh -c '" + lineFor(wish_) + "'"});
        auto started = HelperProcess::start(command, wish_.said);
        if (!started)
            return Error{
                ErrorKind::Unsupported, {}, 0, "There is no ssh on this machine; it comes with openssh-client."};
        process_ = std::move(*started);
        return Done{};
    }

    /// Until what scans there is ready for its request.
    Result<Done> makeReady(const std::stop_token& stop, bool& sent)
    {
        for (std::size_t read = 0;;) {
            const auto word = nextWord(process_.from.get(), address_, stop, read);
            if (!word)
                return word.error();
            if (word->starts_with("KURVOHAS") || word->starts_with("KURVOREADY"))
                return givePassword();
            if (word->starts_with("KURVONO "))
                return cannotRun(*word);
            if (word->starts_with("KURVOSEND")) {
                sent = sendTo(process_.to.get(), scanner_);
                // Where it could not be taken in, the next word says why.
            }
            if (word->starts_with("KURVONEEDS "))
                if (const auto agreed = offerScanner(*word); !agreed)
                    return agreed;
        }
    }

    Result<Done> send(std::string_view bytes)
    {
        return sendTo(process_.to.get(), bytes) ? Result<Done>(Done{}) : Result<Done>(lost(address_));
    }
    int from() const { return process_.from.get(); }
    int to() const { return process_.to.get(); }
    void hangUp()
    {
        process_.to.reset();
        process_.from.reset();
    }
    /// What became of ssh, which is given a moment and then ended.
    void close()
    {
        hangUp();
        ::kill(process_.pid, SIGHUP);
        (void)process_.wait();
    }

private:
    Result<Done> offerScanner(const std::string& word)
    {
        std::istringstream words(word.substr(11));
        std::string processor, system;
        words >> processor >> system;
        utsname here{};
        ::uname(&here);
        const auto unsupported = [&](const std::string& sentence) {
            return Error{ErrorKind::Unsupported, address_.text(), 0, sentence + byHand(address_)};
        };
        const auto host = displayText(address_.host);
        if (system != "Linux")
            return unsupported(host + " runs " + displayText(system) + ", and Kurvo scans Linux.");
        if (processor != here.machine)
            return unsupported(host + " has no kurvoctl, and the scanner here is for " + here.machine + ", not for " +
                               displayText(processor) + ".");
        const auto file = wish_.scanner.empty() ? ownScanner() : wish_.scanner;
        const auto bytes = file.empty() ? Result<std::string>(Error{}) : readBeginning(file, largestScanner);
        if (!bytes)
            return unsupported(host + " has no kurvoctl, or one of another version, and there is no scanner here that "
                                      "could be sent.");
        if (!wish_.maySend || !wish_.maySend(address_.host))
            return unsupported(host + " has no kurvoctl, or one of another version, and no scanner was sent.");
        scanner_ = *bytes;
        return send(std::to_string(scanner_.size()) + "\n");
    }

    Result<Done> cannotRun(const std::string& word) const
    {
        const auto host = displayText(address_.host);
        return Error{word.ends_with("exec") ? ErrorKind::Unsupported : ErrorKind::NoSpace, address_.text(), 0,
                     (word.ends_with("exec")
                          ? "Nothing may be run on " + host + " from any folder that can be written to."
                          : "There is no room on " + host + " for the scanner.") +
                         byHand(address_)};
    }

    Result<Done> givePassword()
    {
        if (!wish_.rights || !wish_.password)
            return Done{};
        const auto password = wish_.password();
        if (!password)
            return Error{ErrorKind::NoPermission, address_.text(), 0,
                         "No password was given. Nothing was read on " + displayText(address_.host) + "."};
        return send(*password + "\n");
    }

    const RemoteAddress& address_;
    const RemoteWish& wish_;
    HelperProcess process_;
    std::string scanner_;
};

} // namespace

std::vector<std::string> usualSsh()
{
    const char* set = std::getenv("KURVO_SSH");
    std::vector<std::string> words;
    std::istringstream in(set ? set : "");
    for (std::string word; in >> word;)
        words.push_back(word);
    if (words.empty())
        words.emplace_back("ssh");
    return words;
}

std::string ownScanner()
{
    char path[4096];
    const auto n = ::readlink("/proc/self/exe", path, sizeof path);
    if (n <= 0 || n == sizeof path)
        return {};
    const auto folder = std::string(parentPath(std::string_view(path, static_cast<std::size_t>(n))));
    for (const char* at : {"kurvo-scan.gz", "libexec/kurvo-scan.gz", "../lib/kurvo/kurvo-scan.gz",
                           "../scanner/kurvo-scan.gz", "../src/scanner/kurvo-scan.gz"})
        if (const auto file = joinPath(folder, at); ::access(file.c_str(), R_OK) == 0)
            return file;
    return {};
}

Result<int> runOverSsh(const RemoteAddress& address, const std::string& line, std::string_view input,
                       const std::function<void(const std::string&)>& printed)
{
    auto command = usualSsh();
    command.insert(command.end(), {"-T", "-e", "none"});
    if (address.port != 0)
        command.insert(command.end(), {"-p", std::to_string(address.port)});
    command.insert(command.end(), {"--", address.login(), "exec /bin/sh -c '" + line + "'"});
    auto process = HelperProcess::start(command);
    if (!process)
        return Error{ErrorKind::Unsupported, {}, 0, "There is no ssh on this machine; it comes with openssh-client."};
    std::thread sender([&] {
        (void)sendTo(process->to.get(), input);
        process->to.reset();
    });
    std::string text;
    char bytes[4096];
    for (;;) {
        const auto n = ::read(process->from.get(), bytes, sizeof bytes);
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0)
            break;
        text.append(bytes, static_cast<std::size_t>(n));
        for (auto end = text.find('\n'); end != text.npos; end = text.find('\n')) {
            printed(displayText(text.substr(0, end)));
            text.erase(0, end + 1);
        }
    }
    if (!text.empty())
        printed(displayText(text));
    sender.join();
    int status = 0;
    while (::waitpid(process->pid, &status, 0) < 0 && errno == EINTR) { }
    return WIFEXITED(status) ? WEXITSTATUS(status) : 255;
}

std::string lastLineOf(int fd)
{
    std::string text(1 << 14, '\0');
    const auto size = ::lseek(fd, 0, SEEK_END);
    const auto from = std::max<off_t>(0, size - static_cast<off_t>(text.size()));
    const auto n = ::pread(fd, text.data(), text.size(), from);
    text.resize(n > 0 ? static_cast<std::size_t>(n) : 0);
    while (!text.empty() && (text.back() == '\n' || text.back() == '\r'))
        text.pop_back();
    const auto line = text.rfind('\n');
    return displayText(line == text.npos ? text : text.substr(line + 1));
}

std::uint64_t scannerBytes()
{
    struct stat s { };
    return ::stat(ownScanner().c_str(), &s) == 0 ? static_cast<std::uint64_t>(s.st_size) : 0;
}

Result<RemoteScan> scanOverSsh(const RemoteAddress& address, const RemoteWish& wish, std::stop_token stop,
                               ScanProgress* progress)
{
    const auto begin = std::chrono::steady_clock::now();
    Connection connection(address, wish);
    if (const auto opened = connection.open(); !opened)
        return opened.error();
    RemoteScan scan;
    HelperRequest request;
    request.withFacts = true;
    request.paths = {address.path};
    request.exclude = wish.scan.exclude;
    request.crossMounts = wish.scan.crossMounts;
    request.threads = wish.scan.threads;
    if (const auto ready = connection.makeReady(stop, scan.sent); !ready) {
        connection.close();
        return ready.error();
    }
    // Where it cannot be taken in any more, what was sent back says why.
    (void)connection.send(encodeRequest(request));
    // A stop is told to the other side, which then sends what it has.
    Listening how;
    how.onProgress = [&, told = false](const HelperProgress& heard) mutable {
        if (progress) {
            progress->hear(heard.entries, heard.diskBytes, heard.folder, heard.rows);
            progress->hearAhead(heard.ahead);
        }
        if (heard.about && wish.onPlace && !std::exchange(told, true))
            wish.onPlace(*heard.about);
    };
    how.stop = std::move(stop);
    how.orders = connection.to();
    how.held = progress;
    how.received = &scan.received;
    auto answer = readAnswer(connection.from(), request, how);
    connection.close();
    if (!answer) {
        if (answer.error().kind == ErrorKind::Damaged)
            return wish.rights && scan.received == 0
                       ? Error{ErrorKind::NoPermission, address.text(), 0,
                               "sudo on " + displayText(address.host) + " gave no rights. What it said stands above."}
                       : lost(address);
        return answer.error();
    }
    if (answer->size() != 1)
        return Error{ErrorKind::WrongFormat, address.text(), 0,
                     displayText(address.host) + " sent something that is no answer. Nothing of it was used."};
    auto& read = answer->front();
    if (!read.tree)
        return Error{ErrorKind::NotFound, address.text(), 0, displayText(address.host) + ": " + read.problem};
    scan.info = std::move(read.info);
    scan.info.notRead = read.unreadableList;
    scan.result.tree = std::move(read.tree);
    scan.result.unreadable = read.unreadable;
    scan.result.unreadableList = std::move(read.unreadableList);
    scan.result.stopped = scan.info.partial;
    scan.result.driveGone = read.driveGone;
    scan.result.outOfMemory = read.outOfMemory;
    scan.result.started = scan.info.taken;
    scan.result.methodReason = "It was read over SSH.";
    scan.result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    return scan;
}

} // namespace kurvo
