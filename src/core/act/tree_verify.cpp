// SPDX-License-Identifier: GPL-3.0-or-later
// The part of tree_copy.h that proves: a copy against what was read, a source against what it was, two trees against
// each other.
#include <fcntl.h>

#include <algorithm>
#include <condition_variable>
#include <deque>
#include <mutex>
#include <optional>
#include <thread>

#include "core/act/tree_content.h"
#include "core/act/tree_walk.h"
#include "core/base/locks.h"

namespace kurvo {
namespace {

/// Reads the data of a file, from the disk where it can; what lies between must be zero.
class Reader {
public:
    Reader(std::stop_token stop, const BytesReport& onBytes)
        : stop_(std::move(stop)), onBytes_(onBytes), buffer_(bufferSize)
    {
    }

    Result<ContentHash> hash(int parent, const std::string& name, const std::vector<std::uint64_t>& data,
                             std::uint64_t size, const std::string& shown)
    {
        auto fd = open(parent, name);
        return fd ? hash(fd.get(), data, size, shown) : Result<ContentHash>(systemError("read", shown, errno));
    }
    static UniqueFd open(int parent, const std::string& name)
    {
        return UniqueFd(::openat(parent, name.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC));
    }
    Result<ContentHash> hash(int fd, const std::vector<std::uint64_t>& data, std::uint64_t size,
                             const std::string& shown)
    {
        ::posix_fadvise(fd, 0, 0, POSIX_FADV_DONTNEED); // what was written is read from the drive, not from memory
        if (size > bufferSize)
            ::posix_fadvise(fd, 0, 0, POSIX_FADV_SEQUENTIAL);
        Hasher hasher;
        std::uint64_t last = 0;
        const auto read = forEachPiece(data, size, [&](std::uint64_t begin, std::uint64_t end) -> Result<Done> {
            if (auto zero = piece(fd, last, begin, nullptr, shown); !zero)
                return zero;
            last = end;
            return piece(fd, begin, end, &hasher, shown);
        });
        if (!read)
            return read.error();
        if (auto zero = piece(fd, last, size, nullptr, shown); !zero)
            return zero.error();
        return hasher.hash();
    }

private:
    /// With a hasher it takes what is read; without one there should be nothing but zeros, and holes are passed over.
    Result<Done> piece(int fd, std::uint64_t at, std::uint64_t end, Hasher* hasher, const std::string& shown)
    {
        while (at < end) {
            if (stop_.stop_requested())
                return cancelled(shown);
            if (!hasher) {
                const auto data = ::lseek(fd, static_cast<off_t>(at), SEEK_DATA);
                if (data < 0 && errno == ENXIO)
                    return Done{};
                if (data >= 0)
                    at = static_cast<std::uint64_t>(data);
                if (at >= end)
                    return Done{};
            }
            const auto want = std::min<std::uint64_t>(buffer_.size(), end - at);
            const auto got = ::pread(fd, buffer_.data(), want, static_cast<off_t>(at));
            if (got < 0 && errno == EINTR)
                continue;
            if (got < 0)
                return systemError("read", shown, errno);
            if (got == 0)
                return unlike(shown);
            const auto size = static_cast<std::size_t>(got);
            if (hasher)
                hasher->add(buffer_.data(), size);
            else if (std::any_of(buffer_.begin(), buffer_.begin() + got, [](char c) { return c != 0; }))
                return unlike(shown);
            at += size;
            if (onBytes_ && hasher)
                onBytes_(size);
        }
        return Done{};
    }

    std::stop_token stop_;
    const BytesReport& onBytes_;
    std::vector<char> buffer_;
};

} // namespace

namespace {

/// Files that are read back by several threads, while one walks on. Few files are read at once.
class ReadBack {
public:
    ReadBack(std::size_t files, const std::stop_token& stop, const BytesReport& onBytes)
        : reader_(stop, onBytes), report_([this, &onBytes](std::uint64_t bytes) {
              const std::lock_guard lock(reporting_);
              if (onBytes)
                  onBytes(bytes);
          })
    {
        constexpr std::size_t worthAThread = 32;
        for (std::size_t i = 0; files > worthAThread && i < sideBySide(); ++i)
            threads_.emplace_back([this, stop](std::stop_token over) { work(over, stop); });
    }
    ~ReadBack() { (void)end(); }

    /// An error of this file or of one before it.
    Result<Done> check(int parent, const std::string& name, const CopiedEntry& entry, const std::string& shown)
    {
        auto fd = Reader::open(parent, name);
        if (!fd)
            return systemError("read", shown, errno);
        if (threads_.empty())
            return compare(reader_, fd.get(), entry, shown);
        constexpr std::size_t mostWaiting = 64;
        Lock lock(mutex_);
        while (waiting_.size() >= mostWaiting && !problem_)
            taken_.wait(lock.forWaiting());
        if (problem_)
            return *problem_;
        waiting_.push_back({std::move(fd), &entry, shown});
        given_.notify_one();
        return Done{};
    }
    Result<Done> end()
    {
        for (auto& thread : threads_)
            thread.request_stop(); // once nothing waits any more
        given_.notify_all();
        threads_.clear();
        const Lock lock(mutex_);
        return problem_ ? Result<Done>(*problem_) : Done{};
    }

private:
    struct Waiting {
        UniqueFd fd;
        const CopiedEntry* entry;
        std::string shown;
    };

    static Result<Done> compare(Reader& reader, int fd, const CopiedEntry& entry, const std::string& shown)
    {
        const auto hash = reader.hash(fd, entry.data, entry.stat.size, shown);
        if (!hash)
            return hash.error();
        return *hash == entry.hash ? Result<Done>(Done{}) : unlike(shown);
    }
    void work(const std::stop_token& over, const std::stop_token& stop)
    {
        Reader reader(stop, report_);
        for (;;) {
            Lock lock(mutex_);
            given_.wait(lock.forWaiting(), over, [this]() KURVO_REQUIRES(mutex_) { return !waiting_.empty(); });
            if (waiting_.empty())
                return;
            const auto next = std::move(waiting_.front());
            waiting_.pop_front();
            const bool skip = problem_.has_value();
            lock.unlock();
            taken_.notify_one();
            if (skip)
                continue;
            if (const auto same = compare(reader, next.fd.get(), *next.entry, next.shown); !same) {
                lock.lock();
                if (!problem_)
                    problem_ = same.error();
                taken_.notify_one();
            }
        }
    }

    Reader reader_;
    std::mutex reporting_;
    BytesReport report_;
    Mutex mutex_;
    std::condition_variable_any given_, taken_;
    std::deque<Waiting> waiting_ KURVO_GUARDED_BY(mutex_);
    std::optional<Error> problem_ KURVO_GUARDED_BY(mutex_);
    std::vector<std::jthread> threads_;
};

} // namespace

Result<Done> verifyCopy(const TreeCopy& copy, int to, const std::string& newName, const std::string& shownTo,
                        std::stop_token stop, const BytesReport& onBytes)
{
    ReadBack files(copy.entries.size(), stop, onBytes);
    std::size_t next = 0;
    const auto walked = walkTree(
        to, newName, shownTo,
        [&](int parent, const std::string& name, const EntryStat& stat, const std::string& shown) -> Result<Done> {
            if (stop.stop_requested())
                return cancelled(shown);
            if (next == copy.entries.size())
                return unlike(shown);
            const auto& entry = copy.entries[next++];
            if (stat.kind != entry.stat.kind || (next > 1 && name != entry.name))
                return unlike(shown);
            if (stat.kind == EntryKind::SymbolicLink) {
                std::string target;
                if (const int error = readLink(parent, name.c_str(), target); error != 0)
                    return systemError("read", shown, error);
                return hashOf(target) == entry.hash ? Result<Done>(Done{}) : unlike(shown);
            }
            if (stat.kind != EntryKind::File)
                return Done{};
            if (stat.size != entry.stat.size)
                return unlike(shown);
            if (entry.linkedAgain)
                return Done{};
            return files.check(parent, name, entry, shown);
        });
    if (!walked)
        return walked;
    if (auto read = files.end(); !read)
        return read;
    return next == copy.entries.size() ? Result<Done>(Done{}) : unlike(shownTo);
}

namespace {

/// Every entry of one tree against the entry of the same name in another.
class Comparison {
public:
    Comparison(std::string shownA, std::string shownB, std::stop_token stop, Compare compare)
        : topA_(shownA), a_(std::move(shownA)), b_(std::move(shownB)), compare_(compare), reader_(stop, nobody_)
    {
    }

    struct Level {
        WalkFolder a, b;
    };

    Result<Done> entry(int folderA, const std::string& nameA, int folderB, const std::string& nameB,
                       Level* above = nullptr, int level = 0)
    {
        EntryStat a, b;
        if (const int error = statEntry(folderA, nameA.c_str(), a, StatSync::Fresh); error != 0)
            return systemError("read", a_.text(), error);
        if (const int error = statEntry(folderB, nameB.c_str(), b, StatSync::Fresh); error != 0)
            return error == ENOENT ? different() : systemError("read", b_.text(), error);
        if (a.kind != b.kind)
            return different();
        if (a.kind == EntryKind::SymbolicLink) {
            std::string targetA, targetB;
            if (const int error = readLink(folderA, nameA.c_str(), targetA); error != 0)
                return systemError("read", a_.text(), error);
            if (const int error = readLink(folderB, nameB.c_str(), targetB); error != 0)
                return systemError("read", b_.text(), error);
            return targetA == targetB ? Result<Done>(Done{}) : different();
        }
        if (a.kind == EntryKind::File) {
            if (a.size != b.size)
                return different();
            const auto hashA = reader_.hash(folderA, nameA, {}, a.size, a_.text());
            if (!hashA)
                return hashA.error();
            const auto hashB = reader_.hash(folderB, nameB, {}, b.size, b_.text());
            if (!hashB)
                return hashB.error();
            return *hashA == *hashB ? Result<Done>(Done{}) : different();
        }
        return a.kind == EntryKind::Folder ? folder(folderA, nameA, folderB, nameB, above, level)
                                           : Result<Done>(Done{});
    }

private:
    Error different() const
    {
        return {ErrorKind::Changed, b_.text(), 0,
                displayText(b_.text()) + " differs from what is at " + displayText(topA_) + "."};
    }

    Result<Done> folder(int folderA, const std::string& nameA, int folderB, const std::string& nameB, Level* above,
                        int level)
    {
        if (level >= mostLevels)
            return tooDeep(a_.text());
        Level own;
        std::vector<std::string> namesA, namesB;
        if (int error = own.a.open(folderA, nameA.c_str()); error != 0 || (error = own.a.list(namesA)) != 0)
            return systemError("read", a_.text(), error);
        if (int error = own.b.open(folderB, nameB.c_str()); error != 0 || (error = own.b.list(namesB)) != 0)
            return systemError("read", b_.text(), error);
        if (compare_ == Compare::Whole ? namesA != namesB
                                       : !std::includes(namesB.begin(), namesB.end(), namesA.begin(), namesA.end()))
            return different();
        if (above && level > mostOpen) {
            above->a.close();
            above->b.close();
        }
        for (const auto& name : namesA) {
            a_.down(name);
            b_.down(name);
            if (auto same = entry(own.a.fd(), name, own.b.fd(), name, &own, level + 1); !same)
                return same;
            a_.up();
            b_.up();
        }
        if (above && level > mostOpen) {
            if (const int error = above->a.reopen(own.a.fd()); error != 0)
                return systemError("read", a_.text(), error);
            if (const int error = above->b.reopen(own.b.fd()); error != 0)
                return systemError("read", b_.text(), error);
        }
        return Done{};
    }

    std::string topA_;
    ShownPath a_, b_;
    Compare compare_;
    BytesReport nobody_;
    Reader reader_;
};

} // namespace

Result<Done> compareTrees(int a, const std::string& nameA, const std::string& shownA, int b, const std::string& nameB,
                          const std::string& shownB, std::stop_token stop, Compare compare)
{
    return Comparison(shownA, shownB, std::move(stop), compare).entry(a, nameA, b, nameB);
}

} // namespace kurvo
