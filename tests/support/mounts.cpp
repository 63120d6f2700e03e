// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/mounts.h"

#include <dirent.h>
#include <fcntl.h>
#include <linux/fuse.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <stdexcept>
#include <vector>

#include "support/test_tree.h"

namespace kurvo::test {
namespace {

void run(const std::string& command)
{
    if (std::system((command + " >/dev/null 2>&1").c_str()) != 0)
        throw std::runtime_error(command + " failed");
}

constexpr std::uint64_t rootInode = FUSE_ROOT_ID;
struct Child {
    const char* name;
    std::uint64_t inode;
    unsigned type;
};
constexpr Child children[] = {{"alpha", 2, DT_REG}, {"beta", 3, DT_REG}, {"hung", 4, DT_DIR}, {"zeta", 5, DT_REG}};

fuse_attr attributes(std::uint64_t inode)
{
    fuse_attr attr{};
    attr.ino = inode;
    attr.mode = inode == rootInode ? S_IFDIR | 0755u : S_IFREG | 0644u;
    attr.size = inode == rootInode ? 0 : 4096;
    attr.blocks = inode == rootInode ? 0 : 8;
    attr.nlink = 1;
    attr.blksize = 4096;
    return attr;
}

} // namespace

bool canLoopMount(const std::string& mkfs)
{
    return canMount() && std::system(("command -v " + mkfs + " >/dev/null 2>&1").c_str()) == 0 &&
           std::filesystem::exists("/dev/loop-control");
}

LoopMount::LoopMount(std::string path, const std::string& mkfs, unsigned megabytes)
    : path_(std::move(path)), image_(path_ + ".image")
{
    std::filesystem::create_directories(path_);
    if (::access("/dev/shm", W_OK) == 0) { // where nothing waits for a disk
        std::string name = "/dev/shm/kurvo-test-XXXXXX";
        ::close(::mkstemp(name.data()));
        image_ = name;
    }
    run("truncate -s " + std::to_string(megabytes) + "M '" + image_ + "'");
    run(mkfs + " '" + image_ + "' >/dev/null 2>&1");
    run("mount -o loop '" + image_ + "' '" + path_ + "'");
}

LoopMount::~LoopMount()
{
    ::umount2(path_.c_str(), MNT_DETACH);
    ::unlink(image_.c_str());
}

bool canStall()
{
    return canMount() && ::access("/dev/fuse", R_OK | W_OK) == 0;
}

StallingMount::StallingMount(std::string path)
    : path_(std::move(path)), device_(::open("/dev/fuse", O_RDWR | O_CLOEXEC))
{
    std::filesystem::create_directories(path_);
    const auto options =
        "fd=" + std::to_string(device_) + ",rootmode=40000,user_id=0,group_id=0,allow_other,default_permissions";
    if (device_ < 0 || ::mount("stalling", path_.c_str(), "fuse", MS_NOSUID | MS_NODEV, options.c_str()) != 0)
        throw std::runtime_error("the stalling filesystem cannot be mounted");
    server_ = std::thread([this] { serve(); });
}

StallingMount::~StallingMount()
{
    ::umount2(path_.c_str(), MNT_FORCE | MNT_DETACH); // aborts the connection: whoever waits is let go, the server too
    server_.join();
    ::close(device_);
}

void StallingMount::serve()
{
    std::vector<char> buffer(FUSE_MIN_READ_BUFFER + 65536);
    for (;;) {
        const auto n = ::read(device_, buffer.data(), buffer.size());
        if (n < 0 && errno == EINTR)
            continue;
        if (n < static_cast<ssize_t>(sizeof(fuse_in_header)))
            return; // unmounted
        fuse_in_header in;
        std::memcpy(&in, buffer.data(), sizeof in);
        if (silent_)
            continue;
        const char* argument = buffer.data() + sizeof in;
        std::vector<char> body;
        int error = 0;
        const auto put = [&body](const auto& value) {
            const auto* bytes = reinterpret_cast<const char*>(&value);
            body.insert(body.end(), bytes, bytes + sizeof value);
        };
        switch (in.opcode) {
        case FUSE_INIT: {
            fuse_init_out out{};
            out.major = FUSE_KERNEL_VERSION;
            out.minor = 31;
            out.max_write = 4096;
            out.flags = FUSE_PARALLEL_DIROPS; // one question that hangs does not hold up the others in its folder
            put(out);
            break;
        }
        case FUSE_LOOKUP: {
            const Child* found = nullptr;
            for (const auto& child : children)
                if (std::strcmp(child.name, argument) == 0)
                    found = &child;
            if (found && found->type == DT_DIR)
                continue; // never answered
            if (!found) {
                error = ENOENT;
                break;
            }
            fuse_entry_out out{};
            out.nodeid = found->inode;
            out.attr = attributes(found->inode);
            put(out);
            break;
        }
        case FUSE_GETATTR: {
            fuse_attr_out out{};
            out.attr = attributes(in.nodeid);
            put(out);
            break;
        }
        case FUSE_OPENDIR:
            put(fuse_open_out{});
            break;
        case FUSE_READDIR: {
            if (listingFails_) {
                error = EIO;
                break;
            }
            fuse_read_in request;
            std::memcpy(&request, argument, sizeof request);
            for (std::size_t i = request.offset; i < std::size(children); ++i) {
                fuse_dirent entry{};
                entry.ino = children[i].inode;
                entry.off = i + 1;
                entry.namelen = static_cast<std::uint32_t>(std::strlen(children[i].name));
                entry.type = children[i].type;
                const auto* bytes = reinterpret_cast<const char*>(&entry);
                body.insert(body.end(), bytes, bytes + FUSE_NAME_OFFSET);
                body.insert(body.end(), children[i].name, children[i].name + entry.namelen);
                body.resize(FUSE_DIRENT_ALIGN(body.size()));
            }
            break;
        }
        case FUSE_STATFS: {
            fuse_statfs_out out{};
            out.st.blocks = 1000;
            out.st.bfree = out.st.bavail = 500;
            out.st.bsize = out.st.frsize = 4096;
            put(out);
            break;
        }
        case FUSE_FORGET:
        case FUSE_BATCH_FORGET:
        case FUSE_INTERRUPT:
            continue; // want no answer
        case FUSE_RELEASEDIR:
            break;
        default:
            error = ENOSYS;
        }
        fuse_out_header out{static_cast<std::uint32_t>(sizeof(fuse_out_header) + body.size()), -error, in.unique};
        std::vector<char> answer(sizeof out);
        std::memcpy(answer.data(), &out, sizeof out);
        answer.insert(answer.end(), body.begin(), body.end());
        if (::write(device_, answer.data(), answer.size()) < 0 && errno == ENODEV)
            return;
    }
}

} // namespace kurvo::test
