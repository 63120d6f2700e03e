// SPDX-License-Identifier: GPL-3.0-or-later
// What the kernel says of one directory entry, and the reading of directories: statx(2) and getdents64(2) without
// following links. These two calls are where a scan spends its time, so both are thin.
#pragma once

#include <cstdint>
#include <string_view>
#include <vector>

namespace kurvo {

enum class EntryKind : std::uint8_t { File, Folder, SymbolicLink, Fifo, Socket, BlockDevice, CharacterDevice };

/// By the type bits of a mode (st_mode); a file for those that mean nothing.
EntryKind entryKindOf(std::uint32_t mode);

struct EntryStat {
    EntryKind kind = EntryKind::File;
    std::uint32_t mode = 0;
    std::uint32_t uid = 0;
    std::uint32_t gid = 0;
    std::uint32_t links = 0;
    std::uint64_t inode = 0;
    std::uint64_t device = 0;  ///< major << 32 | minor of the filesystem
    std::uint64_t mountId = 0; ///< stx_mnt_id; 0 on kernels before 5.8, where st_dev has to do
    std::uint64_t size = 0;    ///< st_size
    std::uint64_t blocks = 0;  ///< allocated, in units of 512 bytes
    std::int64_t modified = 0; ///< UTC seconds
    std::uint32_t modifiedNs = 0;
    std::int64_t changed = 0; ///< st_ctime, UTC seconds: what nobody can set back
    std::uint32_t changedNs = 0;
    bool fixed = false; ///< immutable or append-only (chattr(1) +i, +a): not even root removes it

    /// True when both are the same object, whatever has been written to it since: device, inode and kind.
    bool sameObject(const EntryStat& other) const
    {
        return inode == other.inode && device == other.device && kind == other.kind;
    }
    /// The same object, and neither written to nor replaced since; what a rename changes is left out.
    bool sameContent(const EntryStat& other) const
    {
        return sameObject(other) && (kind == EntryKind::Folder || (size == other.size && modified == other.modified &&
                                                                   modifiedNs == other.modifiedNs));
    }
    /// Nothing at all happened to it since, not even a change of its mode.
    bool untouched(const EntryStat& other) const
    {
        return sameContent(other) && changed == other.changed && changedNs == other.changedNs;
    }
};

enum class StatSync {
    Cached, ///< what the kernel holds is good enough (network filesystems may lag): for scanning
    Fresh   ///< ask the filesystem: for deciding whether to act
};

/// statx on `name` in the open folder `dir`; never follows a link and never triggers an automount. With an empty name
/// it describes `dir` itself. Returns 0 or errno.
int statEntry(int dir, const char* name, EntryStat& out, StatSync sync = StatSync::Cached);

/// The same for what a link leads to, here for those of /proc that stand for open files. Returns 0 or errno.
int statFollowed(int dir, const char* name, EntryStat& out);

/// One name in a folder, as the folder itself has it.
struct FolderEntry {
    const char* name = nullptr;
    std::uint64_t inode = 0;
    bool isFolder = false; ///< as far as the filesystem says so there; false where it does not
};

/// Reads the entries of one open folder, a 64 KiB buffer at a time. One reader per thread, used again for each folder.
class FolderReader {
public:
    FolderReader() : buffer_(1 << 16) { }

    /// Starts on `dir`, which stays owned by the caller and must be at its beginning.
    void start(int dir)
    {
        dir_ = dir;
        at_ = end_ = 0;
    }

    /// The next entry except "." and "..", or one with a null name at the end or on an error (then `error()` is the
    /// errno). The name is good until the next call.
    FolderEntry nextEntry();
    const char* next() { return nextEntry().name; }
    int error() const { return error_; }

private:
    std::vector<char> buffer_;
    int dir_ = -1;
    std::size_t at_ = 0;
    std::size_t end_ = 0;
    int error_ = 0;
};

} // namespace kurvo
