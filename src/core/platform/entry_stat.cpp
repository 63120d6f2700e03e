// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/entry_stat.h"

#include <dirent.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cerrno>
#include <cstddef>
#include <cstring>

namespace kurvo {

EntryKind entryKindOf(std::uint32_t mode)
{
    switch (mode & S_IFMT) {
    case S_IFDIR:
        return EntryKind::Folder;
    case S_IFLNK:
        return EntryKind::SymbolicLink;
    case S_IFIFO:
        return EntryKind::Fifo;
    case S_IFSOCK:
        return EntryKind::Socket;
    case S_IFBLK:
        return EntryKind::BlockDevice;
    case S_IFCHR:
        return EntryKind::CharacterDevice;
    default:
        return EntryKind::File;
    }
}

namespace {

/// linux_dirent64, as getdents64(2) lays it out.
struct RawEntry {
    std::uint64_t inode;
    std::int64_t offset;
    unsigned short length;
    unsigned char type;
    char name[1];
};

} // namespace

namespace {

int statWith(int dir, const char* name, int flags, EntryStat& out)
{
    struct statx s;
    if (statx(dir, name, flags, STATX_BASIC_STATS | STATX_MNT_ID, &s) != 0)
        return errno;
    out.kind = entryKindOf(s.stx_mode);
    out.mode = s.stx_mode;
    out.uid = s.stx_uid;
    out.gid = s.stx_gid;
    out.links = s.stx_nlink;
    out.inode = s.stx_ino;
    out.device = (std::uint64_t{s.stx_dev_major} << 32) | s.stx_dev_minor;
    out.mountId = (s.stx_mask & STATX_MNT_ID) != 0 ? s.stx_mnt_id : 0;
    out.size = s.stx_size;
    out.blocks = s.stx_blocks;
    out.modified = s.stx_mtime.tv_sec;
    out.modifiedNs = s.stx_mtime.tv_nsec;
    out.changed = s.stx_ctime.tv_sec;
    out.changedNs = s.stx_ctime.tv_nsec;
    out.fixed = (s.stx_attributes & (STATX_ATTR_IMMUTABLE | STATX_ATTR_APPEND)) != 0;
    return 0;
}

} // namespace

int statEntry(int dir, const char* name, EntryStat& out, StatSync sync)
{
    int flags = AT_SYMLINK_NOFOLLOW | AT_NO_AUTOMOUNT;
    flags |= sync == StatSync::Cached ? AT_STATX_DONT_SYNC : AT_STATX_SYNC_AS_STAT;
    if (name[0] == '\0')
        flags |= AT_EMPTY_PATH;
    return statWith(dir, name, flags, out);
}

int statFollowed(int dir, const char* name, EntryStat& out)
{
    return statWith(dir, name, AT_STATX_DONT_SYNC | AT_NO_AUTOMOUNT, out);
}

FolderEntry FolderReader::nextEntry()
{
    error_ = 0;
    for (;;) {
        if (at_ >= end_) {
            const long n = syscall(SYS_getdents64, dir_, buffer_.data(), buffer_.size());
            if (n <= 0) {
                error_ = n < 0 ? errno : 0;
                at_ = end_ = 0;
                return {};
            }
            at_ = 0;
            end_ = static_cast<std::size_t>(n);
        }
        char* record = buffer_.data() + at_;
        unsigned short length = 0;
        std::memcpy(&length, record + offsetof(RawEntry, length), sizeof length);
        at_ += length;
        const char* name = record + offsetof(RawEntry, name);
        if (name[0] == '.' && (name[1] == '\0' || (name[1] == '.' && name[2] == '\0')))
            continue;
        FolderEntry entry{name, 0, record[offsetof(RawEntry, type)] == DT_DIR};
        std::memcpy(&entry.inode, record, sizeof entry.inode);
        return entry;
    }
}

} // namespace kurvo
