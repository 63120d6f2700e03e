// SPDX-License-Identifier: GPL-3.0-or-later
// Scans and what comes beside them: growth against the snapshot before, failures, plans that are worked on, snapshots.
#include <catch2/catch.hpp>

#include <filesystem>
#include <thread>

#include "app/models_fixture.h"
#include "core/snapshot/catalogue.h"
#include "support/mounts.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// Scans as usual, but does not come back before it may.
struct SlowScan {
    std::shared_ptr<std::atomic<bool>> mayEnd = std::make_shared<std::atomic<bool>>(false);
    std::optional<Error> fails = {};
    bool throws = false;

    app::ScanJobs::Scanner scanner() const
    {
        return [*this](const std::string& path, const ScanOptions& options, std::stop_token stop,
                       ScanProgress* progress) -> Result<ScanResult> {
            auto result = scan(path, options, stop, progress);
            while (!*mayEnd && !stop.stop_requested())
                std::this_thread::sleep_for(std::chrono::milliseconds(5));
            if (throws)
                throw std::bad_alloc();
            if (fails)
                return *fails;
            return result;
        };
    }
};

} // namespace

TEST_CASE("growth against the snapshot before is known of a place that grew, and survives a rescan", "[model][scan]")
{
    ModelsOf w;
    const auto p = w.t / "place";
    w.t.file("place/a", 10000);
    w.scan(p);
    w.models.places.closePlace(0);
    w.t.file("place/b", 50000);
    QTest::qWait(1100); // of another second
    SlowScan slow;
    w.models.scans.setScanner(slow.scanner());
    w.models.scans.scanFolder(p);
    REQUIRE(ModelsOf::until([&] { return w.place() && w.place()->isGrowing(); }));
    *slow.mayEnd = true;
    w.settle();
    REQUIRE(ModelsOf::until([&] { return w.place()->earlier != nullptr; }));
    const auto grown = [&] {
        return w.place()->earlier->growth(*w.place()->tree, w.node(p + "/b"), Measure::Apparent);
    };
    CHECK(grown() == 50000);
    w.t.file("place/c", 7000);
    w.models.scans.rescan(rootNode);
    w.settle();
    REQUIRE(w.place()->earlier);
    CHECK(&w.place()->earlier->now().store() == &w.place()->tree->store());
    CHECK(grown() == 50000);
}

TEST_CASE("a scan that fails leaves no place behind that grows for ever", "[model][scan]")
{
    ModelsOf w;
    w.t.file("place/a", 10000);
    SlowScan slow;
    SECTION("with a reason")
    {
        slow.fails = Error{ErrorKind::System, "/place", EIO, "The drive is gone."};
    }
    SECTION("without memory")
    {
        slow.throws = true;
    }
    w.models.scans.setScanner(slow.scanner());
    w.models.scans.scanFolder(w.t / "place");
    REQUIRE(ModelsOf::until([&] { return w.place() && w.place()->isGrowing(); }));
    *slow.mayEnd = true;
    w.settle();
    CHECK(w.models.places.places().empty());
    CHECK_FALSE(w.models.scans.runningScan());
    CHECK((w.heard("The drive is gone.") || w.heard("not enough memory")));
}

TEST_CASE("what could not be read is told with its reason", "[model][scan]")
{
    ModelsOf w;
    w.t.file("place/a", 1000);
    const auto scanWith = [&](std::vector<Unreadable> missing) {
        w.said.clear();
        w.models.scans.setScanner([missing](const std::string& path, const ScanOptions& options, std::stop_token stop,
                                            ScanProgress* progress) -> Result<ScanResult> {
            auto result = scan(path, options, stop, progress);
            result->unreadable = missing.size();
            result->unreadableList = missing;
            return result;
        });
        w.scan(w.t / "place");
    };
    scanWith({{"/drive/locked", EACCES}});
    CHECK(w.heard("/drive/locked could not be read with your permissions."));
    scanWith({{"/drive/bad", EIO}});
    CHECK(w.heard("Could not read /drive/bad: the device reported a read or write error. What is in it is missing"));
    CHECK_FALSE(w.heard("permissions"));
    scanWith({{"/drive/a", EACCES}, {"/drive/bad", EIO}, {"/drive/worse", EIO}});
    CHECK(
        w.heard("3 entries could not be read and are missing from all figures. The first: Could not read /drive/bad:"));
    scanWith({{"/drive/a", EACCES}, {"/drive/b", EPERM}});
    CHECK(w.heard("2 entries could not be read with your permissions, /drive/a among them."));
}

TEST_CASE("a scan that ends while the plan is worked on waits for it, and its place is there once", "[model][scan]")
{
    ModelsOf w;
    const auto p = w.t / "place";
    w.t.file("place/a", 10000);
    w.t.file("place/b", 20000);
    w.scan(p);
    w.models.plan.planTrash(w.node(p + "/a"));
    SlowScan slow;
    w.models.scans.setScanner(slow.scanner());
    w.models.scans.scanFolder(p);
    const auto before = w.place()->tree;
    w.models.runner.carryOutPlan();
    w.models.runner.pausePlanJob(true);
    *slow.mayEnd = true;
    REQUIRE(ModelsOf::until([&] { return !w.models.scans.runningScan(); }));
    QTest::qWait(50);
    CHECK(w.models.places.places().size() == 1);
    CHECK(w.place()->tree == before);
    w.models.runner.pausePlanJob(false);
    w.settle();
    CHECK(w.models.places.places().size() == 1);
    CHECK(w.place()->tree->sharedStore() != before->sharedStore());
    CHECK(w.place()->plan.empty());
    w.agrees();
}

TEST_CASE("two saves of one scan are one snapshot", "[model][scan]")
{
    ModelsOf w;
    w.t.file("place/a", 10000);
    w.scan(w.t / "place");
    const auto snapshots = [&] {
        const auto names = namesIn(w.models.folders.snapshots());
        return std::count_if(names.begin(), names.end(), [](const auto& n) { return n.ends_with(snapshotSuffix); });
    };
    REQUIRE(ModelsOf::until([&] { return snapshots() == 1; }));
    w.models.places.closePlace(0);
    QTest::qWait(1100);
    // What is read with rights comes in before the scan itself is saved.
    const auto saves = QObject::connect(&w.models.places, &app::PlaceStore::opened, &w.models.places,
                                        [&](std::uint64_t id) { w.models.snapshots.save(id); });
    QThreadPool::globalInstance()->setMaxThreadCount(
        1); // one save after the other, neither knowing of the other's file
    w.scan(w.t / "place");
    QObject::disconnect(saves);
    w.settle();
    QTest::qWait(100);
    QThreadPool::globalInstance()->setMaxThreadCount(QThread::idealThreadCount());
    CHECK(snapshots() == 2);
    CHECK(exists(w.place()->snapshotFile));
}

TEST_CASE("a scan with rights is paused, goes on and is stopped as any other", "[model][scan][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    ModelsOf w;
    const LoopMount mount(w.t / "drive", "mkfs.ext4 -q -F", 8);
    // A helper that has begun, and notes what it is told.
    const auto orders = w.t / "orders";
    w.models.rights.setHelperCommand({"sh", "-c", "printf KURVOANS; exec 3>&1; exec cat >'" + orders + "'"});
    w.models.scans.scanFolder(mount.path(), {}, {}, true);
    const auto* job = w.models.scans.runningScan();
    REQUIRE(job);
    const auto endsWith = [](std::string text, const std::string& end) {
        while (text.ends_with('\0'))
            text.pop_back();
        return text.ends_with(end);
    };
    const auto isTold = [&](const char* order) {
        return ModelsOf::until([&] { return std::filesystem::exists(orders) && endsWith(readAll(orders), order); });
    };
    REQUIRE(isTold("end"));
    CHECK(job->atHelper);
    w.models.scans.pauseScan(job, true);
    CHECK(isTold("pause\n"));
    w.models.scans.pauseScan(job, false);
    CHECK(isTold("go\n"));
    w.models.scans.stopScan(job);
    CHECK(isTold("stop\n"));
    w.settle(); // it does not obey, and is given up
    CHECK(w.heard("stopped"));
    CHECK(w.place() == nullptr);
}
