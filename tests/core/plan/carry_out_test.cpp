// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <set>

#include "core/plan/carry_out.h"
#include "core/scan/scanner.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// A scanned place with a plan; the user's trash lies beside it.
struct Scene {
    TestFolder t;
    UserFolders user = t.user();
    std::shared_ptr<const FileTree> tree;
    Plan plan;

    void scanPlace() { tree = scan(t / "place")->tree; }
    void planItem(const std::string& name) { REQUIRE(plan.add(*tree, *tree->find(t / ("place/" + name)), {user, {}})); }
    const PlanItem& item(std::size_t i = 0) const { return plan.items()[i]; }
    std::vector<StepResult> run(std::stop_token stop = {})
    {
        return carryOut(plan.items(), *tree, user, stop, [](const StepProgress&) {});
    }
};

} // namespace

TEST_CASE("what is unchanged passes its check", "[plan][check]")
{
    Scene s;
    s.t.file("place/file", 5000);
    s.t.file("place/folder/deep/x", 100);
    s.t.symlink("nowhere", "place/link");
    s.scanPlace();
    for (const auto* name : {"file", "folder", "link"})
        s.planItem(name);
    for (const auto& item : s.plan.items()) {
        INFO(item.path);
        CHECK(checkItem(item, *s.tree));
        CHECK(checkForTrash(item, *s.tree, s.user));
    }
}

TEST_CASE("each way of changing is found and said", "[plan][check]")
{
    Scene s;
    const auto file = s.t.text("place/file", "content");
    s.t.text("place/folder/sub/a", "a");
    s.t.text("place/folder/b", "b");
    s.scanPlace();
    s.planItem("file");
    s.planItem("folder");
    const auto& planned = s.item(0).kind == EntryKind::File ? s.item(0) : s.item(1);
    const auto& folder = s.item(0).kind == EntryKind::File ? s.item(1) : s.item(0);
    const auto says = [&](const PlanItem& item, const std::string& words, ErrorKind kind = ErrorKind::Changed) {
        const auto checked = checkItem(item, *s.tree);
        REQUIRE_FALSE(checked);
        INFO(checked.error().sentence);
        CHECK(checked.error().kind == kind);
        CHECK(checked.error().sentence.find(words) != std::string::npos);
        CHECK(checked.error().sentence.find(item.path) != std::string::npos);
    };
    SECTION("written to, longer")
    {
        writeAll(file, "content and more");
        says(planned, "another size");
    }
    SECTION("written to, same length, within the same second")
    {
        setModified(file, planned.modified, (planned.modifiedNs + 1) % 1000000000);
        says(planned, "written to");
    }
    SECTION("replaced by another of the same size and time")
    {
        writeAll(s.t / "place/other", "content");
        setModified(s.t / "place/other", planned.modified, planned.modifiedNs);
        std::filesystem::rename(s.t / "place/other", file);
        says(planned, "replaced");
    }
    SECTION("gone")
    {
        std::filesystem::remove(file);
        says(planned, "no longer there", ErrorKind::NotFound);
    }
    SECTION("its folder swapped for a link")
    {
        std::filesystem::rename(s.t / "place", s.t / "elsewhere");
        s.t.symlink("elsewhere", "place");
        const auto checked = checkItem(planned, *s.tree);
        REQUIRE_FALSE(checked);
        CHECK(checked.error().sentence.find("symbolic link") != std::string::npos);
    }
    SECTION("something new deep inside a folder")
    {
        writeAll(s.t / "place/folder/sub/new", "n");
        says(folder, "gained 1 entry");
    }
    SECTION("something gone from a folder")
    {
        std::filesystem::remove(s.t / "place/folder/b");
        says(folder, "lost 1 entry");
    }
    SECTION("a file inside a folder written to")
    {
        writeAll(s.t / "place/folder/sub/a", "A");
        says(folder, "written to");
    }
}

TEST_CASE("carrying out puts the items into the trash and undo brings them back", "[plan]")
{
    Scene s;
    s.t.text("place/keep", "keep");
    s.t.text("place/file", "one");
    s.t.text("place/folder/inside/two", "two");
    const auto before = recount(s.t / "place");
    s.scanPlace();
    s.planItem("file");
    s.planItem("folder");
    std::vector<StepProgress> seen;
    const auto results =
        carryOut(s.plan.items(), *s.tree, s.user, {}, [&seen](const StepProgress& p) { seen.push_back(p); });
    REQUIRE(results.size() == 2);
    REQUIRE((results[0].outcome && results[1].outcome));
    CHECK(namesIn(s.t / "place") == std::vector<std::string>{"keep"});
    REQUIRE(seen.size() == 3);
    CHECK(seen.front().done == 0);
    CHECK(seen.back().done == 2);
    CHECK(seen.back().bytesDone == seen.back().bytesOf);

    std::vector<TrashedItem> trashed;
    for (const auto& r : results)
        trashed.push_back(*r.outcome);
    for (const auto& undone : takeBack(trashed, [](const StepProgress&) {}))
        CHECK(undone.outcome);
    const auto after = recount(s.t / "place");
    CHECK(after.files == before.files);
    CHECK(after.folders.size() == before.folders.size());
    CHECK(readAll(s.t / "place/folder/inside/two") == "two");
}

TEST_CASE("what changed is left alone and the rest still goes", "[plan]")
{
    Scene s;
    s.t.text("place/changed", "before");
    s.t.text("place/same", "same");
    s.scanPlace();
    s.planItem("changed");
    s.planItem("same");
    writeAll(s.t / "place/changed", "after the scan");
    const auto results = s.run();
    std::size_t done = 0;
    for (const auto& r : results)
        done += r.outcome ? 1 : 0;
    CHECK(done == 1);
    CHECK(readAll(s.t / "place/changed") == "after the scan");
    CHECK_FALSE(exists(s.t / "place/same"));
}

TEST_CASE("a folder still passes after one of its children was trashed by the plan", "[plan]")
{
    Scene s;
    s.t.text("place/folder/a", "a");
    s.t.text("place/folder/b", "b");
    s.scanPlace();
    s.planItem("folder/a");
    REQUIRE(s.run()[0].outcome);
    const auto without = std::make_shared<FileTree>(s.tree->sharedStore(), std::vector<NodeId>{s.item().node});
    Plan second;
    REQUIRE(second.add(*without, *without->find(s.t / "place/folder"), {s.user, {}}));
    CHECK(checkItem(second.items()[0], *without));
}

TEST_CASE("stopping leaves what was not reached on the disk", "[plan]")
{
    Scene s;
    for (int i = 0; i < 5; ++i)
        s.t.file("place/file-" + std::to_string(i), 1000);
    s.scanPlace();
    for (int i = 0; i < 5; ++i)
        s.planItem("file-" + std::to_string(i));
    std::stop_source stop;
    const auto results = carryOut(s.plan.items(), *s.tree, s.user, stop.get_token(), [&stop](const StepProgress& p) {
        if (p.done == 2)
            stop.request_stop();
    });
    REQUIRE(results.size() == 5);
    CHECK((results[0].outcome && results[1].outcome));
    for (std::size_t i = 2; i < 5; ++i) {
        REQUIRE_FALSE(results[i].outcome);
        CHECK(results[i].outcome.error().kind == ErrorKind::Cancelled);
    }
    CHECK(namesIn(s.t / "place").size() == 3);
}

TEST_CASE("undo says what stands in the way and brings the others back", "[plan]")
{
    Scene s;
    s.t.text("place/a", "a");
    s.t.text("place/b", "b");
    s.scanPlace();
    s.planItem("a");
    s.planItem("b");
    std::vector<TrashedItem> trashed;
    for (const auto& r : s.run())
        trashed.push_back(*r.outcome);
    writeAll(s.t / "place/a", "newer");
    std::size_t back = 0;
    for (const auto& undone : takeBack(trashed, [](const StepProgress&) {})) {
        back += undone.outcome ? 1 : 0;
        if (!undone.outcome)
            CHECK(undone.outcome.error().sentence.find("something newer") != std::string::npos);
    }
    CHECK(back == 1);
    CHECK(readAll(s.t / "place/a") == "newer");
    CHECK(readAll(s.t / "place/b") == "b");
}

TEST_CASE("without permission nothing is moved and the reason is given", "[plan]")
{
    Scene s;
    s.t.text("place/locked/file", "x");
    s.scanPlace();
    s.planItem("locked/file");
    REQUIRE(::chmod((s.t / "place/locked").c_str(), 0555) == 0);
    REQUIRE(::chmod((s.t / "home").c_str(), 0777) == 0);
    auto user = s.user;
    user.uid = 65534;
    const auto status = asNobody([&] {
        const auto results = carryOut(s.plan.items(), *s.tree, user, {}, [](const StepProgress&) {});
        return !results[0].outcome && results[0].outcome.error().kind == ErrorKind::NoPermission &&
               exists(s.t / "place/locked/file") && namesIn(user.data + "/Trash/info").empty();
    });
    CHECK(status == (geteuid() == 0 ? 0 : status));
    CHECK(readAll(s.t / "place/locked/file") == "x");
    REQUIRE(::chmod((s.t / "place/locked").c_str(), 0755) == 0);
}

TEST_CASE("nothing outside the plan is ever touched", "[plan][property]")
{
    for (unsigned seed = 1; seed <= 12; ++seed) {
        Scene s;
        for (unsigned i = 0; i < 40; ++i)
            s.t.text("place/d" + std::to_string(i % 5) + "/e" + std::to_string(i % 3) + "/f" + std::to_string(i),
                     std::string(i * 13 * seed % 999, 'x'));
        s.scanPlace();
        std::set<std::string> planned;
        for (NodeId n = 1; n < s.tree->store().size(); ++n)
            if ((n * 2654435761u + seed * 40503u) % 11 == 0 && s.plan.add(*s.tree, n, {s.user, {}}))
                planned.insert(s.tree->path(n));
        auto expected = recount(s.t / "place");
        for (const auto& r : s.run())
            CHECK(r.outcome);
        std::erase_if(expected.files, [&](const Recount::File& f) {
            return std::any_of(s.plan.items().begin(), s.plan.items().end(),
                               [&](const PlanItem& i) { return f.path == i.path || f.path.starts_with(i.path + "/"); });
        });
        CHECK(recount(s.t / "place").files == expected.files);
    }
}

TEST_CASE("a folder with another filesystem mounted inside is left alone", "[plan][mount]")
{
    if (!canMount()) {
        WARN("needs root to mount; skipped");
        return;
    }
    Scene s;
    s.t.text("place/folder/file", "x");
    s.t.folder("place/folder/inner");
    s.scanPlace();
    s.planItem("folder");
    const TmpfsMount inner(s.t / "place/folder/inner");
    const auto results = s.run();
    REQUIRE_FALSE(results[0].outcome);
    CHECK(results[0].outcome.error().sentence.find("mounted inside it") != std::string::npos);
    CHECK(exists(s.t / "place/folder/file"));
}
