// SPDX-License-Identifier: GPL-3.0-or-later
// Which scans wait for each other.
#include <catch2/catch.hpp>

#include <sys/stat.h>
#include <sys/sysmacros.h>

#include <atomic>
#include <filesystem>
#include <thread>

#include "core/scan/disk_turns.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("a disk that seeks is found by its partitions, and through what is mapped on them", "[scan][turns]")
{
    const TestFolder t;
    struct stat s { };
    REQUIRE(::stat(t.path().c_str(), &s) == 0);
    const auto number = std::to_string(::major(s.st_dev)) + ":" + std::to_string(::minor(s.st_dev));
    const auto sys = t / "sys";
    t.text("sys/devices/sda/queue/rotational", "1\n");
    t.text("sys/devices/sda/sda2/partition", "2\n");
    t.text("sys/devices/nvme0n1/queue/rotational", "0\n");
    t.text("sys/devices/dm-0/queue/rotational", "1\n");
    t.folder("sys/dev/block");
    const auto is = [&](const std::string& device) {
        std::filesystem::remove(sys + "/dev/block/" + number);
        t.symlink("../../devices/" + device, "sys/dev/block/" + number);
        return seekingDiskOf(t.path(), sys);
    };
    CHECK(is("sda/sda2") == "sda");
    CHECK(is("sda") == "sda");
    CHECK(is("nvme0n1").empty());
    t.folder("sys/devices/dm-0/slaves");
    t.symlink("../../sda/sda2", "sys/devices/dm-0/slaves/sda2");
    CHECK(is("dm-0") == "sda"); // encrypted, say
    t.symlink("../../nvme0n1", "sys/devices/dm-0/slaves/nvme0n1");
    CHECK(is("dm-0").empty()); // of two
    CHECK(is("nowhere").empty());
    CHECK(seekingDiskOf(t / "nowhere", sys).empty());
}

TEST_CASE("one disk that seeks is read by one scan at a time, others side by side", "[scan][turns]")
{
    DiskTurns turns;
    std::atomic<int> at{0}, most{0}, waited{0};
    std::vector<std::thread> scans;
    for (int i = 0; i < 4; ++i)
        scans.emplace_back([&] {
            const auto turn = turns.take("sda", {}, [&] { ++waited; });
            most = std::max<int>(most, ++at);
            std::this_thread::sleep_for(std::chrono::milliseconds(20));
            --at;
        });
    {
        const auto other = turns.take("sdb", {});
        const auto none = turns.take("", {}), again = turns.take("", {});
    }
    for (auto& scan : scans)
        scan.join();
    CHECK(most == 1);
    CHECK(waited > 0);
    // Who is stopped waits no longer.
    auto held = turns.take("sda", {});
    std::stop_source stop;
    std::thread waiting([&] { const auto turn = turns.take("sda", stop.get_token()); });
    stop.request_stop();
    waiting.join();
    held = {};
    const auto free = turns.take("sda", {});
}
