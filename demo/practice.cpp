// SPDX-License-Identifier: GPL-3.0-or-later
#include "demo/practice.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <vector>

#include <fmt/format.h>

#include "core/base/text.h"
#include "core/platform/folders.h"
#include "core/platform/unique_fd.h"
#include "demo/sketch.h"

namespace kurvo::demo {
namespace {

class Maker {
public:
    explicit Maker(std::string base) : base_(std::move(base)) { }

    /// A file of `size` bytes; beyond its first line it is allocated without being written, which takes no time.
    /// `copyOf`: what its first line names instead of its own path, so that copies have the same content.
    void file(const std::string& path, std::uint64_t size, std::int64_t modified, std::uint64_t sparseLength = 0,
              const std::string& copyOf = {})
    {
        if (failed_)
            return;
        const auto whole = joinPath(base_, path);
        if (auto made = makeFolders(std::string(parentPath(whole))); !made)
            return fail(made.error());
        UniqueFd fd(::open(whole.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644));
        if (!fd)
            return fail(systemError("write", whole, errno));
        const auto line = "Skerry Point practice data: " + (copyOf.empty() ? path : copyOf) + "\n";
        const auto head = std::min<std::uint64_t>(line.size(), size);
        if (::write(fd.get(), line.data(), head) != static_cast<ssize_t>(head))
            return fail(systemError("write", whole, errno));
        if (const int error = ::posix_fallocate(fd.get(), 0, static_cast<off_t>(size)); size > 0 && error != 0)
            return fail(systemError("write", whole, error));
        if (sparseLength > 0 && ::ftruncate(fd.get(), static_cast<off_t>(sparseLength)) != 0)
            return fail(systemError("write", whole, errno));
        const timespec times[2] = {{modified, 0}, {modified, 0}};
        ::futimens(fd.get(), times);
    }

    void link(const std::string& from, const std::string& to)
    {
        if (failed_)
            return;
        const auto source = joinPath(base_, from), target = joinPath(base_, to);
        if (auto made = makeFolders(std::string(parentPath(target))); !made)
            return fail(made.error());
        if (::link(source.c_str(), target.c_str()) != 0)
            fail(systemError("link", target, errno));
    }

    Result<Done> finish() const
    {
        if (failed_)
            return *failed_;
        return Done{};
    }

private:
    void fail(const Error& error) { failed_ = error; }

    std::string base_;
    std::optional<Error> failed_;
};

} // namespace

Result<Done> makePracticeFolder(const std::string& path)
{
    struct stat s { };
    if (::lstat(path.c_str(), &s) == 0)
        return systemError("make the practice folder", path, EEXIST);
    Maker make(path);
    // Out of sight: the map viewer's cache, with one sheet store that outweighs everything.
    make.file("warden/.cache/tide-maps/sheets.mbtiles", 84 * MiB, day(2026, 6, 28));
    for (int i = 0; i < 240; ++i)
        make.file(fmt::format("warden/.cache/tide-maps/z{}/x{:02}/y{:03}.png", 12 + i % 4, i % 9, i),
                  60 * KiB + chance(fmt::format("p:{}", i), 300 * KiB), day(2026, 1 + i % 6, 1 + i % 28));
    for (int i = 1; i <= 6; ++i) {
        const auto name = fmt::format("night-{:02}.flac", i);
        const auto size = 6 * MiB + chance(name, 4 * MiB);
        make.file("warden/Recordings/2025-autumn/" + name, size, day(2025, 9, i), 0, name);
        make.file("ringing/Recordings copy/2025-autumn/" + name, size, day(2025, 9, i), 0, name);
    }
    for (int i = 0; i < 120; ++i)
        make.file(fmt::format("warden/Nest camera/box-{:02}/still-{:03}.jpg", 1 + i % 4, i),
                  40 * KiB + chance(fmt::format("s:{}", i), 160 * KiB), day(2026, 4, 1 + i % 28));
    make.file("var/log/recorder.log", 24 * MiB, day(2026, 6, 30));
    make.file("var/log/recorder.log.1", 11 * MiB, day(2026, 5, 31));
    make.file("var/lib/recorder/ring.buf", 8 * MiB, day(2026, 6, 30), 2 * GiB);
    make.file("var/lib/dumps/core.recorder.4711", 18 * MiB, day(2026, 2, 11));
    make.file("guest/Downloads/field-guide.iso", 22 * MiB, day(2023, 5, 30));
    make.file("warden/Documents/season report.odt", 2 * MiB, day(2026, 5, 2));
    make.file("warden/Documents/.~lock.season report.odt#", 96, day(2026, 5, 2));
    make.file("warden/Documents/Brutvögel – Zählung.ods", 700 * KiB, day(2026, 3, 9));
    for (int d = 1; d <= 5; ++d)
        for (int i = 0; i < 8; ++i) {
            const auto name = fmt::format("file-{}.dat", i);
            if (d == 1 || i == 0)
                make.file(fmt::format("backups/2026-06-0{}/{}", d, name), 900 * KiB, day(2026, 6, d));
            else
                make.link("backups/2026-06-01/" + name, fmt::format("backups/2026-06-0{}/{}", d, name));
        }
    return make.finish();
}

} // namespace kurvo::demo
