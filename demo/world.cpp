// SPDX-License-Identifier: GPL-3.0-or-later
#include "demo/world.h"

#include <algorithm>

#include <fmt/format.h>

#include "core/base/text.h"
#include "core/ledger/ledger.h"
#include "demo/sketch.h"

namespace kurvo::demo {
namespace {

constexpr std::uint32_t warden = 1000, ringing = 1001, guest = 1002;

std::int64_t monthEnd(int month)
{
    return month == 1 ? day(2026, 2, 28, 18)
                      : day(2026, month + 1, month == 0 || month == 2 || month == 4 ? 31 : 30, 18);
}

std::int64_t someTimeIn(int month, const std::string& key)
{
    return monthEnd(month) - static_cast<std::int64_t>(chance("time:" + key, 27 * 86400));
}

/// Between half and one and a half times `typical`.
std::uint64_t around(std::uint64_t typical, const std::string& key)
{
    return typical / 2 + chance("size:" + key, typical);
}

/// The map viewer keeps every sheet it ever fetched, out of sight: grows every month.
void tileCache(Sketch& s, int month)
{
    const std::string base = "/home/warden/.cache/tide-maps";
    static constexpr int perMonth[] = {15000, 16500, 17500, 18500, 20500, 22000};
    int number = 0;
    for (int m = 0; m <= month; ++m)
        for (int i = 0; i < perMonth[m]; ++i, ++number) {
            const auto pick = chance(fmt::format("zoom:{}", number), 100);
            const int zoom = pick < 38 ? 15 : pick < 72 ? 14 : pick < 90 ? 13 : 12;
            const auto column = chance(fmt::format("column:{}", number), static_cast<std::uint64_t>(zoom - 9) * 8);
            const auto folder = s.folder(fmt::format("{}/z{}/x{:02}", base, zoom, column + 1), warden);
            const auto name = fmt::format("y{:05}.png", number);
            s.file(folder, name, around(840 * KiB, name), someTimeIn(m, name), warden);
        }
    s.file(s.folder(base, warden), "index.sqlite", (month + 1) * 190 * MiB, monthEnd(month) - 3600, warden);
}

/// Nest-camera stills in the hundred thousands, and a few long clips.
void nestCamera(Sketch& s, int month)
{
    for (int box = 1; box <= 12; ++box)
        for (int m = 0; m <= month; ++m) {
            const auto folder =
                s.folder(fmt::format("/home/warden/Nest camera/box-{:02}/2026-{:02}", box, m + 1), warden);
            const int stills = m < 2 ? 500 : 1900 + static_cast<int>(chance(fmt::format("box:{}:{}", box, m), 400));
            for (int i = 0; i < stills; ++i) {
                const auto name = fmt::format("still-{:02}-{}-{:05}.jpg", box, m + 1, i);
                s.file(folder, name, around(230 * KiB, name), someTimeIn(m, name), warden);
            }
            if (m >= 2 && box % 3 == 1) {
                const auto clip = fmt::format("clip-{:02}-{}.mp4", box, m + 1);
                s.file(folder, clip, around(740 * MiB, clip), someTimeIn(m, clip), warden);
            }
        }
}

/// `identity` keeps what is copied apart from what is moved: copies have inodes of their own, and the same sizes.
void season(Sketch& s, const std::string& path, const std::string& key, int count, std::uint64_t typical,
            std::int64_t when, std::uint32_t uid)
{
    const auto folder = s.folder(path, uid, when);
    for (int i = 1; i <= count; ++i) {
        const auto name = fmt::format("{}-{:03}.flac", i % 3 == 0 ? "dawn" : "night", i);
        s.file(folder, name, around(typical, key + name), when + i * 86400 / 2, uid);
    }
    s.file(folder, "notes.txt", around(40 * KiB, key), when, uid);
}

void recordings(Sketch& s, int month)
{
    season(s, "/home/warden/Recordings/2025-autumn", "autumn", 64, 380 * MiB, day(2025, 9, 3), warden);
    season(s, "/home/warden/Recordings/2025-spring", "spring25", 34, 300 * MiB, day(2025, 3, 20), warden);
    if (month >= 2)
        season(s, "/home/warden/Recordings/2026-spring", "spring26", 14 * (month - 1), 400 * MiB, day(2026, 3, 18),
               warden);
    const auto calibration = s.folder("/home/warden/Recordings/calibration", warden);
    for (int i = 1; i <= 12; ++i) {
        const auto name = fmt::format("tone-{:02}.wav", i);
        s.file(calibration, name, around(620 * MiB, name), day(2025, 8, i), warden);
    }
    s.file(s.folder("/home/warden/Recordings"), "loop-long.wav", 6 * GiB, day(2025, 11, 2), warden);
    // The same autumn, copied twice.
    season(s, "/home/ringing/Recordings copy/2025-autumn", "autumn", 64, 380 * MiB, day(2025, 9, 3), ringing);
    if (month >= 1)
        season(s, "/home/ringing/to sort/autumn backup", "autumn", 64, 380 * MiB, day(2025, 9, 3), ringing);
}

/// A folder that moved in April: same files, same inodes, another account.
void gullSurvey(Sketch& s, int month)
{
    const std::string before = "/home/warden/Desktop/Gull survey", after = "/home/ringing/Surveys/Gull survey";
    const auto folder = month < 3 ? s.folder(before, warden) : s.folder(after, ringing);
    s.entry(folder).stat.inode = 777001;
    for (int i = 0; i < 1400; ++i) {
        const auto name = fmt::format("plot-{:04}.tif", i);
        s.file(folder, name, around(5 * MiB, name), day(2025, 5, 1 + i % 28), month < 3 ? warden : ringing,
               before + "/" + name);
    }
}

void wardenHome(Sketch& s, int month)
{
    tileCache(s, month);
    nestCamera(s, month);
    recordings(s, month);
    gullSurvey(s, month);
    const auto thumbnails = s.folder("/home/warden/.cache/thumbnails/large", warden);
    for (int i = 0; i < 9000 + month * 1500; ++i) {
        const auto name = fmt::format("{:016x}.png", chance(fmt::format("thumb:{}", i), UINT64_MAX));
        s.file(thumbnails, name, around(48 * KiB, name), someTimeIn(std::min(month, i / 3000), name), warden);
    }
    for (int i = 0; i < 4200; ++i) {
        const auto name = fmt::format("{:08x}", chance(fmt::format("page:{}", i), UINT32_MAX));
        s.file(s.folder(fmt::format("/home/warden/.cache/pages/{:x}", i % 16), warden), name, around(900 * KiB, name),
               someTimeIn(std::min(month, i / 900), name), warden);
    }
    const auto documents = s.folder("/home/warden/Documents", warden);
    for (int i = 0; i < 900; ++i) {
        const auto name = fmt::format("report-{:03}.{}", i, i % 3 == 0 ? "odt" : i % 3 == 1 ? "pdf" : "ods");
        s.file(documents, name, around(3 * MiB, name), day(2024, 1 + i % 12, 1 + i % 28), warden);
        if (i % 75 == 0)
            s.file(documents, fmt::format(".~lock.report-{:03}.odt#", i), 110, day(2025, 6, 1 + i % 28), warden);
    }
    const auto desktop = s.folder("/home/warden/Desktop", warden);
    s.file(desktop, "season-film.mov", 4200 * MiB, day(2025, 12, 1), warden);
    s.file(desktop, "maps.zip", 3900 * MiB, day(2025, 10, 9), warden);
    s.file(s.folder("/home/warden/.local/share/mail", warden), "archive.mbox", 2200 * MiB + month * 90ull * MiB,
           monthEnd(month), warden);
    // Cleared out in March: two installers and a stick's image.
    if (month < 2)
        for (int i = 1; i <= 9; ++i) {
            const auto name = fmt::format("stick-image-{}.img", i);
            s.file(s.folder("/home/warden/Downloads", warden), name, around(5200 * MiB, name), day(2025, 12, i),
                   warden);
        }
    // Thrown away in May, and still there.
    if (month >= 4) {
        const auto bin = s.folder("/home/warden/.local/share/Trash/files/rejected takes", warden, day(2026, 5, 12));
        for (int i = 1; i <= 16; ++i) {
            const auto name = fmt::format("take-{:02}.wav", i);
            s.file(bin, name, around(300 * MiB, "rejected" + name), day(2025, 10, i), warden);
        }
        s.file(s.folder("/home/warden/.local/share/Trash/info", warden), "rejected takes.trashinfo", 96,
               day(2026, 5, 12), warden);
    }
    s.file(s.folder("/home/warden/Downloads", warden), "tide-tables.pdf", 18 * MiB, day(2026, 1, 4), warden);
}

void otherHomes(Sketch& s, int month)
{
    const auto images = s.folder("/home/ringing/machines", ringing);
    s.file(images, "old-database.qcow2", 31 * GiB, day(2024, 11, 4), ringing);
    const auto rings = s.folder("/home/ringing/Ringing", ringing);
    s.file(rings, "rings.sqlite", 1400 * MiB + month * 60ull * MiB, monthEnd(month), ringing);
    for (int i = 0; i < 2600; ++i) {
        const auto name = fmt::format("sheet-{:04}.pdf", i);
        s.file(rings, name, around(700 * KiB, name), day(2023, 1 + i % 12, 1 + i % 28), ringing);
    }
    // Every version of the plotter, side by side.
    const auto tools = s.folder("/home/ringing/tools", ringing);
    for (int i = 0; i <= month; ++i)
        s.file(tools, fmt::format("plotter-5.{}.0-x86_64.AppImage", i * 2),
               240 * MiB + static_cast<std::uint64_t>(i) * 9 * MiB, day(2025, 2 + i * 2, 11), ringing);
    s.file(rings, "season plan.odt", 3 * MiB, day(2026, 1, 9), ringing);
    s.file(rings, "season plan (2).odt", 3 * MiB, day(2026, 1, 20), ringing);
    // An account nobody uses: nothing changed for years.
    const auto downloads = s.folder("/home/guest/Downloads", guest, day(2023, 6, 2));
    s.file(downloads, "field-guide.iso", 5 * GiB, day(2023, 5, 30), guest);
    for (int i = 1; i <= 7; ++i) {
        const auto name = fmt::format("lecture-{}.mkv", i);
        s.file(downloads, name, around(1900 * MiB, name), day(2023, 4, i), guest);
    }
    s.file(s.folder("/home/guest/.cache/player", guest, day(2023, 6, 2)), "buffer.tmp", 2600 * MiB, day(2023, 6, 2),
           guest);
}

void logsAndState(Sketch& s, int month)
{
    static constexpr std::uint64_t runaway[] = {1200, 2100, 4300, 8200, 13900, 22400};
    const auto log = s.folder("/var/log");
    s.file(log, "recorder.log", runaway[month] * MiB, monthEnd(month));
    s.file(log, "recorder.log.1", (month >= 4 ? 13100 : 900) * MiB, monthEnd(std::max(0, month - 1)));
    for (int i = 1; i < 40; ++i)
        s.file(log, fmt::format("syslog.{}.gz", i), around(9 * MiB, fmt::format("syslog:{}", i)),
               monthEnd(month) - i * 86400);
    const auto journal = s.folder("/var/log/journal/4f1c");
    for (int i = 0; i < 30; ++i)
        s.file(journal, fmt::format("system-{:02}.journal", i), 128 * MiB, monthEnd(month) - i * 3 * 86400);
    // The recorder's ring buffer: 200 GiB long, mostly holes.
    s.file(s.folder("/var/lib/recorder"), "ring.buf", 200 * GiB, monthEnd(month)).stat.blocks = 11 * GiB / 512;
    // And the hour to come: its blocks are kept ahead, and a minute of it is written.
    s.file(s.folder("/var/lib/recorder"), "next-hour.wav", 11 * MiB, monthEnd(month)).stat.blocks = 660 * MiB / 512;
    const auto dumps = s.folder("/var/lib/dumps");
    for (int i = 0; i <= month; ++i)
        s.file(dumps, fmt::format("core.recorder.{}", 4711 + i * 97), around(2700 * MiB, fmt::format("dump:{}", i)),
               someTimeIn(i, "dump"));
    const auto packages = s.folder("/var/cache/packages");
    for (int i = 0; i < 900 + month * 60; ++i) {
        const auto name = fmt::format("package-{:04}.deb", i);
        s.file(packages, name, around(3 * MiB, name), someTimeIn(std::min(month, i / 200), name));
    }
    static constexpr const char* closed[] = {"keys",       "private", "sessions", "mail-queue",
                                             "print-jobs", "tokens",  "audit"};
    for (const auto* name : closed)
        s.entry(s.folder(fmt::format("/var/lib/{}", name))).flags = FlagUnreadable;
    for (int i = 0; i < 7; ++i)
        s.entry(s.folder(fmt::format("/var/spool/jobs/{}", i))).flags = FlagUnreadable;
}

/// Daily backups in which an unchanged file is a hard link to the day before's.
void backups(Sketch& s, int month)
{
    constexpr int days = 14;
    const int last = month == 1 ? 28 : 30;
    for (int d = 0; d < days; ++d) {
        const auto folder = s.folder(fmt::format("/var/backups/desk/2026-{:02}-{:02}", month + 1, last - days + d + 1));
        for (int i = 0; i < 850; ++i) {
            const bool changes = i % 40 == 0; // these differ every day
            const auto key = changes ? fmt::format("backup:{}:{}:{}", i, month, d) : fmt::format("backup:{}", i);
            auto& f =
                s.file(folder, fmt::format("file-{:04}.dat", i), around(5 * MiB, key),
                       changes ? monthEnd(month) - (days - d) * 86400 : day(2025, 1 + i % 12, 1 + i % 28), warden, key);
            f.stat.links = changes ? 1 : days;
        }
    }
}

void systemFiles(Sketch& s, int month)
{
    static constexpr const char* shares[] = {"doc", "icons", "locale", "fonts", "man", "help"};
    for (int package = 0; package < 1150; ++package) {
        for (int i = 0; i < 18; ++i) {
            const auto folder = s.folder(fmt::format("/usr/share/{}/p{:04}", shares[(package + i) % 6], package));
            const auto name = fmt::format("item-{:02}.{}", i,
                                          i % 4 == 0   ? "png"
                                          : i % 4 == 1 ? "mo"
                                          : i % 4 == 2 ? "gz"
                                                       : "html");
            s.file(folder, name, around(90 * KiB, fmt::format("{}:{}", package, i)),
                   day(2025, 1 + package % 12, 1 + i));
        }
        const auto lib = fmt::format("libp{:04}.so.{}", package, package % 7);
        s.file(s.folder("/usr/lib/x86_64-linux-gnu"), lib, around(3 * MiB, lib), day(2025, 1 + package % 12, 3));
        const auto program = fmt::format("tool-{:04}", package);
        s.file(s.folder("/usr/bin"), program, around(500 * KiB, program), day(2025, 1 + package % 12, 3));
    }
    // Old kernels that nothing removes.
    for (int k = 0; k <= 3 + month; ++k) {
        const auto version = fmt::format("6.1.0-{}-amd64", 13 + k);
        s.file(s.folder("/boot"), "vmlinuz-" + version, 8 * MiB, day(2025, 4 + k % 9, 2));
        s.file(s.folder("/boot"), "initrd.img-" + version, 41 * MiB, day(2025, 4 + k % 9, 2));
        for (int i = 0; i < 700; ++i) {
            const auto name = fmt::format("driver-{:03}.ko", i);
            s.file(s.folder(fmt::format("/usr/lib/modules/{}/kernel/group-{:02}", version, i % 20)), name,
                   around(560 * KiB, name), day(2025, 4 + k % 9, 2));
        }
    }
    for (int i = 0; i < 400; ++i)
        s.file(s.folder("/etc/conf.d"), fmt::format("unit-{:03}.conf", i), 2 * KiB, day(2025, 2, 1));
    const auto opt = s.folder("/opt/plotter");
    for (int i = 0; i < 1200; ++i) {
        const auto name = fmt::format("asset-{:04}.pak", i);
        s.file(opt, name, around(7 * MiB, name), day(2025, 7, 1 + i % 28));
    }
    s.file(0, "swapfile", 8 * GiB, day(2025, 2, 1));
}

SnapshotInfo describe(const FileTree& tree, const std::string& name, const std::string& mountPoint, std::int64_t taken,
                      std::uint64_t total, std::uint64_t unseen)
{
    SnapshotInfo info;
    info.placeName = name;
    info.host = "skerry-desk";
    info.filesystem = "ext4";
    info.mountPoint = mountPoint;
    info.place = mountPoint;
    info.taken = taken;
    info.seconds = 1.4;
    info.sample = true;
    info.owners = {{0, "root"}, {warden, "warden"}, {ringing, "ringing"}, {guest, "guest"}};
    info.unreadable = tree.sums(rootNode).unreadable;
    info.capacity.total = total;
    info.capacity.used = tree.disk(rootNode) + unseen;
    info.capacity.reserved = total / 92;
    const auto occupied = info.capacity.used + info.capacity.reserved;
    info.capacity.free = total > occupied ? total - occupied : 0;
    // What is used and was not seen: mostly a deleted recording that the plotter still holds open.
    const auto structures = total / 200;
    const auto held = unseen > structures ? (unseen - structures) / 5 * 4 : 0;
    info.ledger = {{ledgerPartName(LedgerPart::Seen), tree.disk(rootNode)},
                   {ledgerPartName(LedgerPart::Nameless), held},
                   {ledgerPartName(LedgerPart::Structures), std::min(unseen, structures)},
                   {ledgerPartName(LedgerPart::Unexplained), unseen - held - std::min(unseen, structures)}};
    return info;
}

} // namespace

Snapshot systemDrive(int month)
{
    Sketch sketch;
    wardenHome(sketch, month);
    otherHomes(sketch, month);
    logsAndState(sketch, month);
    backups(sketch, month);
    systemFiles(sketch, month);
    auto tree = std::make_shared<FileTree>(sketch.build());
    auto info = describe(*tree, "Skerry system", "/", monthEnd(month), 512'110'190'592, 11 * GiB);
    return {info, tree};
}

Snapshot archiveDrive(int month)
{
    // Plugged in every other month: what it is brought then.
    const int lastYear = month < 3 ? 2022 : month < 5 ? 2023 : 2024;
    const std::string mountPoint = "/media/warden/skerry-archive";
    Sketch sketch(mountPoint);
    for (int year = 2016; year <= lastYear; ++year) {
        season(sketch, fmt::format("/Recordings/{}-spring", year), fmt::format("{}s", year), 90, 420 * MiB,
               day(year, 3, 20), warden);
        season(sketch, fmt::format("/Recordings/{}-autumn", year), fmt::format("{}a", year), 110, 400 * MiB,
               day(year, 9, 3), warden);
        for (int i = 0; i < 1500; ++i) {
            const auto name = fmt::format("still-{}-{:05}.jpg", year, i);
            sketch.file(sketch.folder(fmt::format("/Nest camera/{}", year), warden), name, around(2 * MiB, name),
                        day(year, 6, 1 + i % 28), warden);
        }
    }
    auto tree = std::make_shared<FileTree>(sketch.build());
    auto info = describe(*tree, "skerry-archive", mountPoint, monthEnd(month) - 3600, 2'000'398'934'016, 1 * GiB);
    return {info, tree};
}

} // namespace kurvo::demo
