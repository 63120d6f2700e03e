// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rights/reading_helper.h"

#include <fcntl.h>
#include <poll.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <mutex>
#include <thread>

#include "core/base/figures.h"
#include "core/base/locks.h"
#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/direct/direct_access.h"
#include "core/ledger/ledger.h"
#include "core/platform/folders.h"
#include "core/platform/unique_fd.h"
#include "core/rights/helper_process.h"
#include "core/snapshot/header.h"
#include "core/snapshot/row_stream.h"
#include "core/snapshot/snapshot.h"

namespace kurvo {
namespace {

constexpr std::string_view requestMagic = "kurvo-request 2";
constexpr std::string_view answerMagic = "KURVOANS";
constexpr std::size_t largestRequest = std::size_t{16} << 20;
constexpr std::size_t mostPaths = 20000;
constexpr std::uint32_t largestFrame = 4u << 20;

enum class Frame : std::uint32_t { Progress = 1, Rows, Unreadable, Scanned, Failed, End, Account, Flags, About };

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
    explicit Sender(int fd) : fd_(fd) { raw(answerMagic); }
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
    /// All that is complete, unless `enough` says to look again first.
    void send(const std::shared_ptr<const NodeStore>& store, const std::function<bool()>& enough = {})
    {
        if (!store)
            return;
        if (!packer_ || packer_->store() != store)
            packer_.emplace(store); // the scan has begun, or began anew
        for (auto packet = packer_->rows(); !packet.empty(); packet = packer_->rows()) {
            out_.send(Frame::Rows, packet);
            if (out_.error() != 0 || (enough && enough()))
                return;
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
    out.send(Frame::Scanned, payload);
}

/// The fields of an account in the order in which they are sent.
template <typename Account>
auto fieldsOf(Account& a)
{
    return std::array{&a.named,           &a.namedInodes, &a.orphans,        &a.orphanInodes,
                      &a.attributeInodes, &a.reserved,    &a.reservedInodes, &a.journal,
                      &a.layout,          &a.twice,       &a.total};
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
    for (const auto* field : fieldsOf(*account))
        putU64(payload, *field);
    return payload;
}

Error rubbish()
{
    return {ErrorKind::WrongFormat, {}, 0, "The helper sent something that is no answer. Nothing of it was used."};
}

/// Takes an answer apart.
class Receiver {
public:
    Receiver(const HelperRequest& request, const std::function<void(const HelperProgress&)>& onProgress)
        : request_(request), onProgress_(onProgress)
    {
    }
    bool atEnd() const { return end_; }
    std::vector<ReadFolder> take() { return std::move(scans_); }

    Result<Done> frame(Frame kind, std::string_view payload)
    {
        switch (kind) {
        case Frame::Progress:
            if (payload.size() < 16)
                return rubbish();
            if (onProgress_)
                onProgress_(
                    {getU64(payload, 0), getU64(payload, 8), std::string(payload.substr(16)), rows_.store(), about_});
            return Done{};
        case Frame::Rows:
            return rows_.rows(payload);
        case Frame::Flags:
            return rows_.flags(payload);
        case Frame::About:
            return about(payload);
        case Frame::Unreadable:
            if (payload.size() < 5 || unreadable_.size() > mostPaths)
                return rubbish();
            unreadable_.push_back({std::string(payload.substr(4)), static_cast<int>(getU32(payload, 0))});
            return Done{};
        case Frame::Scanned:
            return payload.size() == 12 ? scanned(getU32(payload, 0), getU64(payload, 4)) : rubbish();
        case Frame::Failed: {
            if (payload.size() < 4 || getU32(payload, 0) >= request_.paths.size())
                return rubbish();
            ReadFolder scan;
            scan.path = request_.paths[getU32(payload, 0)];
            scan.problem = displayText(payload.substr(4));
            scans_.push_back(std::move(scan));
            return Done{};
        }
        case Frame::Account:
            return addAccount(payload);
        case Frame::End:
            end_ = true;
            return Done{};
        }
        return rubbish();
    }

private:
    Result<Done> about(std::string_view payload)
    {
        auto header = decodeHeader(payload, {});
        if (!header)
            return rubbish();
        about_ = std::make_shared<const SnapshotInfo>(std::move(header->info));
        return Done{};
    }
    Result<Done> addAccount(std::string_view payload)
    {
        DriveAccount account;
        const auto fields = fieldsOf(account);
        if (payload.size() != 4 + 8 * fields.size() || scans_.empty() || getU32(payload, 0) >= request_.paths.size() ||
            scans_.back().path != request_.paths[getU32(payload, 0)])
            return rubbish();
        for (std::size_t i = 0; i < fields.size(); ++i) {
            *fields[i] = getU64(payload, 4 + 8 * i);
            if (*fields[i] >> 60 != 0)
                return rubbish();
        }
        scans_.back().account = account;
        return Done{};
    }
    Result<Done> scanned(std::uint32_t number, std::uint64_t unreadable)
    {
        if (number >= request_.paths.size() || !about_)
            return rubbish();
        const auto tree = rows_.finish();
        // The other machine says where a folder is that was named from its home.
        if (!tree || (request_.withFacts ? !(*tree)->name(rootNode).starts_with('/')
                                         : (*tree)->name(rootNode) != request_.paths[number]))
            return rubbish();
        ReadFolder scan;
        scan.path = (*tree)->name(rootNode);
        scan.info = *std::exchange(about_, nullptr);
        scan.info.place = scan.path;
        scan.tree = *tree;
        scan.unreadable = unreadable;
        scan.unreadableList = std::move(unreadable_);
        unreadable_.clear();
        std::erase_if(scan.unreadableList, [&](const Unreadable& u) { return !isAtOrBelow(u.path, scan.path); });
        scans_.push_back(std::move(scan));
        return Done{};
    }

    const HelperRequest& request_;
    const std::function<void(const HelperProgress&)>& onProgress_;
    std::vector<ReadFolder> scans_;
    std::vector<Unreadable> unreadable_;
    RowTaker rows_;
    std::shared_ptr<const SnapshotInfo> about_;
    bool end_ = false;
};

} // namespace

std::string encodeRequest(const HelperRequest& request)
{
    std::string bytes(requestMagic);
    bytes += '\0';
    if (request.withFacts)
        bytes.append("with-facts") += '\0';
    for (const auto& path : request.paths)
        (bytes += request.withFacts ? "place " : "path ").append(path) += '\0';
    for (const auto& glob : request.exclude)
        (bytes += "leave-out ").append(glob) += '\0';
    if (request.onlyTables)
        bytes.append("only-tables") += '\0';
    if (request.crossMounts)
        bytes.append("cross-mounts") += '\0';
    if (request.threads > 0)
        bytes.append("threads " + std::to_string(request.threads)) += '\0';
    return bytes.append("end") += '\0';
}

Result<HelperRequest> decodeRequest(std::string_view bytes)
{
    const Error wrong{ErrorKind::WrongFormat, {}, 0, "What came on standard input is not a request of Kurvo's."};
    HelperRequest request;
    for (bool first = true;; first = false) {
        const auto end = bytes.find('\0');
        if (end == std::string_view::npos)
            return wrong;
        const auto text = bytes.substr(0, end);
        bytes.remove_prefix(end + 1);
        if (first) {
            if (text != requestMagic)
                return wrong;
        } else if (text == "end") {
            return bytes.empty() && !request.paths.empty() && (!request.withFacts || request.paths.size() == 1)
                       ? Result<HelperRequest>(std::move(request))
                       : wrong;
        } else if (text.starts_with("path /") && request.paths.size() < mostPaths) {
            request.paths.emplace_back(text.substr(5));
        } else if (text.starts_with("leave-out ") && request.exclude.size() < mostPaths) {
            request.exclude.emplace_back(text.substr(10));
        } else if (text == "only-tables") {
            request.onlyTables = true;
        } else if (text == "with-facts") {
            request.withFacts = true;
        } else if (request.withFacts && text.starts_with("place ") && request.paths.empty()) {
            request.paths.emplace_back(text.substr(6));
        } else if (text == "cross-mounts") {
            request.crossMounts = true;
        } else if (text.starts_with("threads ") && text.size() <= 11) {
            request.threads = static_cast<unsigned>(std::atoi(std::string(text.substr(8)).c_str()));
        } else {
            return wrong;
        }
    }
}

namespace {

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

/// What the asking side says while the scan runs.
class Orders {
public:
    explicit Orders(int in) : in_(in) { }
    /// "stop" came, or the connection is gone.
    bool isStopped(ScanProgress& progress)
    {
        char bytes[64];
        for (pollfd wait{in_, POLLIN, 0}; !stopped_ && ::poll(&wait, 1, 0) > 0;) {
            const auto n = ::read(in_, bytes, sizeof bytes);
            if (n < 0)
                break;
            stopped_ |= n == 0;
            for (const char c : std::string_view(bytes, static_cast<std::size_t>(n))) {
                if (c != '\n') {
                    if (line_.size() < sizeof bytes)
                        line_ += c;
                    continue;
                }
                stopped_ |= line_ == "stop";
                if (line_ == "pause" || line_ == "go")
                    progress.setPaused(line_ == "pause");
                line_.clear();
            }
        }
        return stopped_;
    }

private:
    int in_;
    std::string line_;
    bool stopped_ = false;
};

} // namespace

Result<Done> serveRequest(int in, int out, std::shared_ptr<const OpenDevices> devices)
{
    std::string bytes;
    char buffer[1 << 14];
    // The asking side keeps the pipe open, so the end mark decides, not the end of the stream.
    const std::string_view endMark("\0end\0", 5);
    while (!bytes.ends_with(endMark)) {
        const auto n = ::read(in, buffer, sizeof buffer);
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0 || bytes.size() > largestRequest)
            break;
        bytes.append(buffer, static_cast<std::size_t>(n));
    }
    const auto request = decodeRequest(bytes);
    if (!request)
        return request.error();

    Sender sender(out);
    ScanOptions options;
    options.exclude = request->exclude;
    options.devices = std::move(devices);
    options.method = request->onlyTables ? ScanMethod::Tables : ScanMethod::Best;
    options.crossMounts = request->crossMounts;
    options.threads = std::min(request->threads, 256u);
    std::uint64_t entries = 0, disk = 0;
    for (std::uint32_t i = 0; i < request->paths.size() && sender.error() == 0; ++i) {
        ScanProgress progress;
        std::stop_source stop;
        RowSender rows(sender);
        Orders orders(in);
        if (request->withFacts)
            sendAboutBefore(sender, placeOf(*request, i));
        const auto look = [&] {
            if (sender.error() != 0 || (request->withFacts && orders.isStopped(progress)))
                stop.request_stop(); // nobody listens any more, or what was found is enough
            return false;
        };
        std::jthread reporter([&](std::stop_token done) {
            std::mutex mutex;
            std::condition_variable_any tick;
            std::unique_lock lock(mutex);
            while (!tick.wait_for(lock, done, std::chrono::milliseconds(50), [] { return false; }) &&
                   !done.stop_requested()) {
                std::string payload;
                putU64(payload, entries + progress.entries());
                putU64(payload, disk + progress.diskBytes());
                rows.send(progress.store(), look);
                sender.send(Frame::Progress, payload + progress.currentFolder());
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

Result<std::vector<ReadFolder>> readAnswer(int fd, const HelperRequest& request,
                                           const std::function<void(const HelperProgress&)>& onProgress,
                                           std::stop_token stop, std::uint64_t* received)
{
    Receiver receiver(request, onProgress);
    std::string bytes;
    std::size_t at = 0;
    std::vector<char> buffer(1 << 16);
    bool begun = false;
    while (!receiver.atEnd()) {
        if (stop.stop_requested())
            return Error{ErrorKind::Cancelled, {}, 0, "Reading with administrator rights was stopped."};
        pollfd wait{fd, POLLIN, 0};
        if (::poll(&wait, 1, 100) <= 0)
            continue;
        const auto n = ::read(fd, buffer.data(), buffer.size());
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0) {
            if (bytes.empty() && !begun)
                return Error{ErrorKind::Damaged, {}, 0, "The helper ended without an answer."};
            return Error{
                ErrorKind::Damaged, {}, 0, "The helper ended in the middle of its answer. Nothing was changed."};
        }
        bytes.append(buffer.data(), static_cast<std::size_t>(n));
        if (received)
            *received += static_cast<std::uint64_t>(n);
        if (!begun) {
            if (bytes.size() < answerMagic.size() && answerMagic.starts_with(bytes))
                continue;
            if (!bytes.starts_with(answerMagic))
                return rubbish();
            begun = true;
            at = answerMagic.size();
        }
        while (!receiver.atEnd() && bytes.size() - at >= 8) {
            const auto length = getU32(bytes, at + 4);
            if (length > largestFrame)
                return rubbish();
            if (bytes.size() - at - 8 < length)
                break;
            if (auto taken = receiver.frame(static_cast<Frame>(getU32(bytes, at)),
                                            std::string_view(bytes).substr(at + 8, length));
                !taken)
                return taken.error();
            at += 8 + length;
        }
        bytes.erase(0, at);
        at = 0;
    }
    return receiver.take();
}

Result<std::vector<ReadFolder>> runHelper(const std::vector<std::string>& command, const HelperRequest& request,
                                          const std::function<void(const HelperProgress&)>& onProgress,
                                          std::stop_token stop)
{
    auto started = HelperProcess::start(command);
    if (!started)
        return started.error();
    auto process = std::move(*started);
    // A request can be larger than a pipe holds, and the helper may be gone before it has read it.
    std::thread sender([bytes = encodeRequest(request), to = std::move(process.to)] { (void)sendTo(to.get(), bytes); });
    auto answer = readAnswer(process.from.get(), request, onProgress, stop);
    process.from.reset(); // a helper that goes on finds nobody listening and ends
    if (!answer)
        ::kill(process.pid, SIGTERM); // works only where it still runs as this user (before rights were given)
    if (stop.stop_requested()) {
        // It may wait for a password for ever: a thread of its own sees to its end.
        std::thread([process = std::move(process), sender = std::move(sender)]() mutable {
            sender.join();
            (void)process.wait();
        }).detach();
        return answer;
    }
    sender.join();
    const auto ended = process.wait();
    if (!answer && !ended && ended.error().kind != ErrorKind::Damaged)
        return ended.error();
    return answer;
}

Result<ScanResult> scanByHelper(const std::vector<std::string>& command, const std::string& path,
                                const ScanOptions& options, std::stop_token stop, ScanProgress* progress)
{
    const auto begin = std::chrono::steady_clock::now();
    const auto real = canonicalPath(path);
    if (!real)
        return real.error();
    ScanResult result;
    result.started = currentTime();
    HelperRequest request;
    request.paths = {*real};
    request.exclude = options.exclude;
    request.onlyTables = true;
    auto answer = runHelper(
        command, request,
        [progress](const HelperProgress& heard) {
            if (progress)
                progress->hear(heard.entries, heard.diskBytes, heard.folder, heard.rows);
        },
        stop);
    if (!answer)
        return answer.error();
    if (answer->size() != 1)
        return rubbish();
    auto& read = answer->front();
    if (!read.tree)
        return Error{ErrorKind::WrongFormat, *real, 0, read.problem};
    result.tree = std::move(read.tree);
    result.unreadable = read.unreadable;
    result.unreadableList = std::move(read.unreadableList);
    result.direct = true;
    result.account = read.account;
    result.methodReason = "The drive's own tables were read.";
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    return result;
}

} // namespace kurvo
