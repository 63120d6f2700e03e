// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rights/ask_helper.h"

#include <poll.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <thread>
#include <utility>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/folders.h"
#include "core/platform/unique_fd.h"
#include "core/rights/helper_process.h"
#include "core/snapshot/header.h"
#include "core/snapshot/row_stream.h"

namespace kurvo {
namespace {

Error rubbish()
{
    return {ErrorKind::WrongFormat, {}, 0, "The helper sent something that is no answer. Nothing of it was used."};
}

/// Takes an answer apart.
class Receiver {
public:
    Receiver(const HelperRequest& request, const Listening& how) : request_(request), onProgress_(how.onProgress) { }
    bool atEnd() const { return end_; }
    std::vector<ReadFolder> take() { return std::move(scans_); }

    Result<Done> frame(answer::Frame kind, std::string_view payload)
    {
        using answer::Frame;
        switch (kind) {
        case Frame::Progress:
            if (payload.size() < 16)
                return rubbish();
            if (onProgress_)
                onProgress_({getU64(payload, 0), getU64(payload, 8), ahead_, std::string(payload.substr(16)),
                             rows_.store(), about_});
            return Done{};
        case Frame::Rows:
            return rows_.rows(payload);
        case Frame::Flags:
            return rows_.flags(payload);
        case Frame::About:
            return about(payload);
        case Frame::Unreadable:
            if (payload.size() < 5 || unreadable_.size() > answer::mostUnreadable)
                return rubbish();
            unreadable_.push_back({std::string(payload.substr(4)), static_cast<int>(getU32(payload, 0))});
            return Done{};
        case Frame::Scanned:
            return payload.size() == 16 ? scanned(payload) : rubbish();
        case Frame::Failed: {
            if (payload.size() < 4 || getU32(payload, 0) >= request_.paths.size())
                return rubbish();
            ReadFolder scan;
            scan.path = request_.paths[getU32(payload, 0)];
            scan.problem = displayText(payload.substr(4));
            scans_.push_back(std::move(scan));
            return Done{};
        }
        case Frame::Ahead:
            if (payload.size() != 16)
                return rubbish();
            ahead_ = {getU64(payload, 0), getU64(payload, 8)};
            return Done{};
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
        const auto fields = answer::fieldsOf(account);
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
    Result<Done> scanned(std::string_view payload)
    {
        const auto number = getU32(payload, 0), endedBy = getU32(payload, 12);
        if (number >= request_.paths.size() || !about_ ||
            endedBy > static_cast<std::uint32_t>(answer::EndedBy::NoMemory))
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
        scan.unreadable = getU64(payload, 4);
        scan.driveGone = endedBy == static_cast<std::uint32_t>(answer::EndedBy::LostDrive);
        scan.outOfMemory = endedBy == static_cast<std::uint32_t>(answer::EndedBy::NoMemory);
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
    AheadBytes ahead_;
    bool end_ = false;
};

/// Tells the other side what this one wants, as long as its answer comes.
class OrderGiver {
public:
    explicit OrderGiver(const Listening& how) : how_(how) { }
    /// False where there is nothing to wait for any more. `begun`: the other side has read its request, and listens.
    bool goesOn(bool begun)
    {
        const auto now = std::chrono::steady_clock::now();
        if (how_.stop.stop_requested() && !told_) {
            if (how_.orders < 0 || !begun)
                return false;
            (void)sendTo(how_.orders, "stop\n");
            told_ = true;
            until_ = now + how_.patience;
        }
        if (told_)
            return now < until_;
        if (how_.orders >= 0 && begun && how_.held && how_.held->isPaused() != paused_) {
            paused_ = !paused_;
            (void)sendTo(how_.orders, paused_ ? "pause\n" : "go\n");
        }
        return true;
    }

private:
    const Listening& how_;
    bool paused_ = false, told_ = false;
    std::chrono::steady_clock::time_point until_;
};

} // namespace

Result<std::vector<ReadFolder>> readAnswer(int fd, const HelperRequest& request, const Listening& how)
{
    Receiver receiver(request, how);
    OrderGiver orders(how);
    std::string bytes;
    std::size_t at = 0;
    std::vector<char> buffer(1 << 16);
    bool begun = false;
    while (!receiver.atEnd()) {
        if (!orders.goesOn(begun))
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
        if (how.received)
            *how.received += static_cast<std::uint64_t>(n);
        if (!begun) {
            if (bytes.size() < answer::magic.size() && answer::magic.starts_with(bytes))
                continue;
            if (!bytes.starts_with(answer::magic))
                return rubbish();
            begun = true;
            at = answer::magic.size();
        }
        while (!receiver.atEnd() && bytes.size() - at >= 8) {
            const auto length = getU32(bytes, at + 4);
            if (length > answer::largestFrame)
                return rubbish();
            if (bytes.size() - at - 8 < length)
                break;
            if (auto taken = receiver.frame(static_cast<answer::Frame>(getU32(bytes, at)),
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
                                          Listening how, bool obeys)
{
    auto started = HelperProcess::start(command);
    if (!started)
        return started.error();
    auto process = std::move(*started);
    how.orders = obeys ? process.to.get() : -1;
    // A request can be larger than a pipe holds, and the helper may be gone before it has read it.
    const auto to = std::make_shared<UniqueFd>(std::move(process.to));
    std::thread sender([bytes = encodeRequest(request), to, obeys] {
        (void)sendTo(to->get(), bytes);
        if (!obeys)
            to->reset();
    });
    auto answer = readAnswer(process.from.get(), request, how);
    process.from.reset(); // a helper that goes on finds nobody listening and ends
    if (!answer)
        ::kill(process.pid, SIGTERM); // works only where it still runs as this user (before rights were given)
    if (!answer && how.stop.stop_requested()) {
        // It may wait for a password for ever: a thread of its own sees to its end.
        std::thread([process = std::move(process), sender = std::move(sender), to]() mutable {
            sender.join();
            to->reset();
            (void)process.wait();
        }).detach();
        return answer;
    }
    sender.join();
    to->reset();
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
    Listening how;
    how.onProgress = [progress](const HelperProgress& heard) {
        if (!progress)
            return;
        progress->hear(heard.entries, heard.diskBytes, heard.folder, heard.rows);
        progress->hearAhead(heard.ahead);
    };
    how.stop = std::move(stop);
    how.held = progress;
    how.patience = std::chrono::seconds(5);
    auto answer = runHelper(command, request, how, true);
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
    result.stopped = read.info.partial;
    result.driveGone = read.driveGone;
    result.outOfMemory = read.outOfMemory;
    result.direct = true;
    result.account = read.account;
    result.methodReason = "The drive's own tables were read.";
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    return result;
}

} // namespace kurvo
