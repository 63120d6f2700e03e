// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rights/reading_helper.h"

#include <fcntl.h>
#include <poll.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <functional>
#include <mutex>
#include <optional>
#include <thread>

#include "core/base/figures.h"
#include "core/base/locks.h"
#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/ledger/ledger.h"
#include "core/platform/folders.h"
#include "core/rights/reading_protocol.h"
#include "core/scan/scanner.h"
#include "core/snapshot/header.h"
#include "core/snapshot/row_stream.h"
#include "core/snapshot/snapshot.h"

namespace kurvo {
namespace {

using answer::Frame;

constexpr std::size_t largestRequest = std::size_t{16} << 20;

bool writeAll(int fd, std::string_view bytes)
{
    while (!bytes.empty()) {
        const auto n = ::write(fd, bytes.data(), bytes.size());
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0)
            return false;
        bytes.remove_prefix(static_cast<std::size_t>(n));
    }
    return true;
}

/// Sends frames; several threads may.
class Sender {
public:
    explicit Sender(int fd) : fd_(fd) { raw(answer::magic); }
    void send(Frame kind, std::string_view payload)
    {
        std::string head;
        putU32(head, static_cast<std::uint32_t>(kind));
        putU32(head, static_cast<std::uint32_t>(payload.size()));
        const Lock lock(mutex_);
        raw(head);
        raw(payload);
    }
    int error() const { return error_; }

private:
    void raw(std::string_view bytes) KURVO_REQUIRES(mutex_)
    {
        if (error_ == 0 && !writeAll(fd_, bytes))
            error_ = errno != 0 ? errno : EIO;
    }
    int fd_;
    Mutex mutex_; ///< of what is written: a frame is whole
    std::atomic<int> error_{0};
};

/// What was put into the answer beside the entries.
SnapshotInfo infoOf(const ScanResult& result, const HelperRequest& request)
{
    SnapshotInfo info;
    if (request.withFacts) {
        info = describeScan(result);
        info.crossMounts = request.crossMounts;
        info.exclude = request.exclude;
        if (info.place == info.mountPoint)
            info.ledger = ledgerFigures(
                {result.tree.get(), result.unreadableList, result.unreadable, result.stopped, true, request.exclude, 0},
                info.mountPoint, info.capacity);
        info.notRead.clear(); // they are sent by themselves
        return info;
    }
    info.taken = result.started;
    info.unreadable = result.unreadable;
    info.partial = result.stopped;
    return info;
}

void sendAbout(Sender& out, SnapshotInfo info)
{
    SnapshotHeader header;
    header.info = std::move(info);
    out.send(Frame::About, encodeHeader(header));
}

/// What is known of a place before it is scanned: its drive may not answer.
void sendAboutBefore(Sender& out, const std::string& path)
{
    const auto info = askWithin(std::chrono::seconds(5), [path] {
        const auto real = canonicalPath(path);
        return real ? describePlace(*real) : SnapshotInfo();
    });
    if (info && !info->place.empty())
        sendAbout(out, *info);
}

/// Sends the rows of a scan while it runs. One thread at a time.
class RowSender {
public:
    explicit RowSender(Sender& out) : out_(out) { }
    /// All that is complete; `between` is called after each packet.
    void send(const std::shared_ptr<const NodeStore>& store, const std::function<void()>& between = {})
    {
        if (!store)
            return;
        if (!packer_ || packer_->store() != store)
            packer_.emplace(store); // the scan has begun, or began anew
        for (auto packet = packer_->rows(); !packet.empty(); packet = packer_->rows()) {
            out_.send(Frame::Rows, packet);
            if (out_.error() != 0)
                return;
            if (between)
                between();
        }
    }
    void end(const std::shared_ptr<const NodeStore>& store)
    {
        send(store);
        for (auto packet = packer_->flags(); !packet.empty(); packet = packer_->flags())
            out_.send(Frame::Flags, packet);
    }

private:
    Sender& out_;
    std::optional<RowPacker> packer_;
};

void sendEnd(Sender& out, std::uint32_t number, const ScanResult& result, const HelperRequest& request)
{
    for (const auto& entry : result.unreadableList) {
        std::string payload;
        putU32(payload, static_cast<std::uint32_t>(entry.sysError));
        out.send(Frame::Unreadable, payload + entry.path);
    }
    sendAbout(out, infoOf(result, request));
    std::string payload;
    putU32(payload, number);
    putU64(payload, result.unreadable);
    const auto endedBy = result.driveGone     ? answer::EndedBy::LostDrive
                         : result.outOfMemory ? answer::EndedBy::NoMemory
                                              : answer::EndedBy::Itself; // or as it was asked to
    putU32(payload, static_cast<std::uint32_t>(endedBy));
    out.send(Frame::Scanned, payload);
}

/// What the tables have in all, of the drive that holds this folder; empty where that is not known.
std::string accountPayload(std::uint32_t number, const std::string& path, const OpenDevices* devices,
                           const std::stop_token& stop)
{
    EntryStat root;
    if (statEntry(AT_FDCWD, path.c_str(), root) != 0)
        return {};
    const auto tables = openTables(root.device, devices);
    if (!tables || (*tables)->hasClusters())
        return {};
    const auto account = accountOf(**tables, stop);
    if (!account || account->notRead > 0)
        return {};
    std::string payload;
    putU32(payload, number);
    for (const auto* field : answer::fieldsOf(*account))
        putU64(payload, *field);
    return payload;
}

/// A place on this machine, as it was named from another one: from the home folder where it is no whole path.
std::string placeOf(const HelperRequest& request, std::uint32_t number)
{
    auto path = request.paths[number];
    if (!request.withFacts || path.starts_with('/'))
        return path;
    if (path == "~" || path.starts_with("~/"))
        path.erase(0, 2);
    const auto home = userFolders().home;
    return path.empty() ? home : joinPath(home, path);
}

/// What the asking side says while the scan runs. One thread at a time.
class Orders {
public:
    /// `connected`: the end of the stream means "stop", too; else it means that nothing more will be said. `first`:
    /// what came with the request.
    Orders(int in, bool connected, std::string_view first) : in_(in), connected_(connected)
    {
        for (const char c : first)
            take(c);
    }
    /// Passes on what came; true once it was "stop".
    bool isStopped(ScanProgress& progress)
    {
        char bytes[64];
        for (pollfd wait{in_, POLLIN, 0}; !over_ && !stopped_ && ::poll(&wait, 1, 0) > 0;) {
            const auto n = ::read(in_, bytes, sizeof bytes);
            if (n < 0 && errno == EINTR)
                continue;
            over_ = n <= 0;
            for (const char c : std::string_view(bytes, n > 0 ? static_cast<std::size_t>(n) : 0))
                take(c);
        }
        stopped_ |= over_ && connected_;
        paused_ &= !over_;
        if (!stopped_ && progress.isPaused() != paused_) // what is stopped while it is held does not go on before
            progress.setPaused(paused_);
        return stopped_;
    }

private:
    void take(char c)
    {
        constexpr std::size_t longest = 64;
        if (c != '\n') {
            if (line_.size() < longest)
                line_ += c;
            return;
        }
        stopped_ |= line_ == "stop";
        if (line_ == "pause" || line_ == "go")
            paused_ = line_ == "pause";
        line_.clear();
    }

    int in_;
    bool connected_;
    std::string line_;
    bool over_ = false, paused_ = false, stopped_ = false;
};

} // namespace

Result<Done> serveRequest(int in, int out, std::shared_ptr<const OpenDevices> devices)
{
    std::string bytes;
    std::size_t looked = 0;
    char buffer[1 << 14];
    // The asking side keeps the pipe open, so the end mark decides, not the end of the stream.
    const std::string_view endMark("\0end\0", 5);
    auto end = bytes.npos;
    while ((end = bytes.find(endMark, looked)) == bytes.npos) {
        looked = bytes.size() < endMark.size() ? 0 : bytes.size() - endMark.size() + 1;
        const auto n = ::read(in, buffer, sizeof buffer);
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0 || bytes.size() > largestRequest)
            break;
        bytes.append(buffer, static_cast<std::size_t>(n));
    }
    const auto whole = std::min(bytes.size(), end == bytes.npos ? end : end + endMark.size());
    const auto request = decodeRequest(std::string_view(bytes).substr(0, whole));
    if (!request)
        return request.error();

    Sender sender(out);
    ScanOptions options;
    options.exclude = request->exclude;
    options.devices = std::move(devices);
    options.method = request->onlyTables ? ScanMethod::Tables : ScanMethod::Best;
    options.crossMounts = request->crossMounts;
    options.threads = std::min(request->threads, 256u);
    Orders orders(in, request->withFacts, std::string_view(bytes).substr(whole));
    std::uint64_t entries = 0, disk = 0;
    bool stopped = false;
    for (std::uint32_t i = 0; i < request->paths.size() && sender.error() == 0 && !stopped; ++i) {
        ScanProgress progress;
        std::stop_source stop;
        RowSender rows(sender);
        if (request->withFacts)
            sendAboutBefore(sender, placeOf(*request, i));
        auto told = std::chrono::steady_clock::now();
        const auto tell = [&] {
            told = std::chrono::steady_clock::now();
            if (const auto ahead = progress.ahead(); ahead.of > 0) {
                std::string payload;
                putU64(payload, ahead.done);
                putU64(payload, ahead.of);
                sender.send(Frame::Ahead, payload);
            }
            std::string payload;
            putU64(payload, entries + progress.entries());
            putU64(payload, disk + progress.diskBytes());
            sender.send(Frame::Progress, payload + progress.currentFolder());
        };
        constexpr std::chrono::milliseconds interval{50};
        // Between packets as well: a scan may find rows as fast as they are sent.
        const auto look = [&] {
            stopped |= orders.isStopped(progress);
            if (stopped || sender.error() != 0)
                stop.request_stop(); // what was found is enough, or nobody listens any more
            if (std::chrono::steady_clock::now() - told >= interval)
                tell();
        };
        look(); // it may be held before it has begun
        std::jthread reporter([&](std::stop_token done) {
            std::mutex mutex;
            std::condition_variable_any tick;
            std::unique_lock lock(mutex);
            while (!tick.wait_for(lock, done, interval, [] { return false; }) && !done.stop_requested()) {
                rows.send(progress.store(), look);
                look();
            }
        });
        auto result = scan(placeOf(*request, i), options, stop.get_token(), &progress);
        std::string account;
        if (result && request->onlyTables && !result->stopped)
            account = accountPayload(i, request->paths[i], options.devices.get(), stop.get_token());
        reporter.request_stop();
        reporter.join();
        entries += progress.entries();
        disk += progress.diskBytes();
        // A link in the path would give another place than was asked for.
        if (result && (request->withFacts || result->tree->name(rootNode) == request->paths[i])) {
            rows.end(result->tree->sharedStore());
            sendEnd(sender, i, *result, *request);
            if (!account.empty())
                sender.send(Frame::Account, account);
            continue;
        }
        std::string payload;
        putU32(payload, i);
        sender.send(Frame::Failed, payload + (result ? displayText(request->paths[i]) + " has become a link, or lies "
                                                                                        "below one."
                                                     : result.error().sentence));
    }
    sender.send(Frame::End, {});
    if (sender.error() != 0)
        return systemError("send the answer", {}, sender.error());
    return Done{};
}

} // namespace kurvo
