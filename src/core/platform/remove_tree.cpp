// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/remove_tree.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <string>
#include <vector>

#include "core/platform/entry_stat.h"
#include "core/platform/unique_fd.h"

namespace kurvo {
namespace {

/// A folder nested deeper than this is first renamed up into the item itself, so that open descriptors stay few and
/// nothing is left outside of it whenever this is ended.
constexpr int deepest = 64;

class Remover {
public:
    Remover(int top, std::stop_token stop, const std::function<void(std::uint64_t)>& onRemoved)
        : top_(top), stop_(std::move(stop)), onRemoved_(onRemoved)
    {
    }

    int run(const char* name)
    {
        EntryStat s;
        if (const int error = statEntry(top_, name, s, StatSync::Fresh); error != 0)
            return error;
        mountId_ = s.mountId;
        device_ = s.device;
        remove(top_, name, 0);
        return firstError_;
    }

private:
    void note(int error)
    {
        if (firstError_ == 0)
            firstError_ = error;
    }

    void remove(int parent, const char* name, int depth)
    {
        if (stop_.stop_requested()) {
            firstError_ = ECANCELED;
            return;
        }
        if (unlinkat(parent, name, 0) == 0)
            return counted();
        if (errno != EISDIR && errno != EPERM)
            return note(errno);
        const int unlinkError = errno;
        EntryStat s;
        if (const int error = statEntry(parent, name, s, StatSync::Fresh); error != 0)
            return note(error);
        if (s.kind != EntryKind::Folder)
            return note(unlinkError);
        if (s.mountId != mountId_ || (mountId_ == 0 && s.device != device_))
            return note(EBUSY);
        if (depth >= deepest) {
            auto lifted = ".kurvo-lifted-" + std::to_string(getpid()) + "-" + std::to_string(++liftedCount_);
            if (renameat(parent, name, item_, lifted.c_str()) != 0)
                return note(errno);
            lifted_.push_back(std::move(lifted));
            return;
        }
        removeFolder(parent, name, depth, s.mode);
    }

    void removeFolder(int parent, const char* name, int depth, std::uint32_t mode)
    {
        // A folder without write permission keeps its entries; it is ours and about to go.
        if ((mode & S_IRWXU) != S_IRWXU)
            fchmodat(parent, name, (mode | S_IRWXU) & 07777, 0);
        UniqueFd folder(openat(parent, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
        if (!folder)
            return note(errno);
        if (depth == 0)
            item_ = folder.get();
        std::vector<std::string> names;
        FolderReader reader;
        reader.start(folder.get());
        while (const char* entry = reader.next())
            names.emplace_back(entry);
        if (reader.error() != 0)
            note(reader.error());
        for (const auto& entry : names) {
            remove(folder.get(), entry.c_str(), depth + 1);
            if (firstError_ == ECANCELED)
                return;
        }
        while (depth == 0 && !lifted_.empty()) {
            const auto next = lifted_.back();
            lifted_.pop_back();
            remove(item_, next.c_str(), 1);
            if (firstError_ == ECANCELED)
                return;
        }
        if (unlinkat(parent, name, AT_REMOVEDIR) == 0)
            counted();
        else
            note(errno);
    }

    void counted()
    {
        ++removed_;
        if (onRemoved_)
            onRemoved_(removed_);
    }

    int top_;
    int item_ = -1; ///< the folder that is removed
    std::stop_token stop_;
    const std::function<void(std::uint64_t)>& onRemoved_;
    std::uint64_t mountId_ = 0;
    std::uint64_t device_ = 0;
    std::vector<std::string> lifted_;
    std::uint64_t liftedCount_ = 0;
    std::uint64_t removed_ = 0;
    int firstError_ = 0;
};

} // namespace

int removeTree(int parent, const char* name, std::stop_token stop, const std::function<void(std::uint64_t)>& onRemoved)
{
    return Remover(parent, std::move(stop), onRemoved).run(name);
}

} // namespace kurvo
