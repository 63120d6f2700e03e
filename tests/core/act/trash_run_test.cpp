// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <set>

#include "core/act/plan_run.h"
#include "core/base/figures.h"
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
    Logbook logbook{t / "data/logbook.db"};

    void scanPlace() { tree = scan(t / "place")->tree; }
    void planItem(const std::string& name) { REQUIRE(plan.add(*tree, *tree->find(t / ("place/" + name)), {user, {}})); }
    const PlanItem& item(std::size_t i = 0) const { return plan.items()[i]; }
    RunOptions options(std::stop_token stop = {}) const { return {{user, {}}, stop, nullptr, {}}; }
    PlanFile file() const
    {
        auto file = planFileOf(plan, *tree);
        file.place = t / "place";
        file.written = currentTime();
        return file;
    }
    ItemFinding check(std::size_t i) const { return checkPlan(file(), {user, {}}, {}, {})[i]; }
    RunResult run(const RunOptions& how)
    {
        auto result = runPlan(logbook, file(), how);
        INFO((result ? "" : result.error().sentence));
        REQUIRE(result);
        return std::move(*result);
    }
    RunResult run() { return run(options()); }
    std::vector<UndoneStep> takeBack(const RunResult& result)
    {
        auto undone = undoRun(logbook, result.run.id, {}, options());
        REQUIRE(undone);
        return std::move(*undone);
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
    for (std::size_t i = 0; i < s.plan.items().size(); ++i) {
        INFO(s.item(i).path);
        CHECK_FALSE(s.check(i).blocked);
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
    const auto says = [&](const PlanItem& item, const std::string& words) {
        const auto checked = s.check(item.path == s.item(0).path ? 0 : 1);
        INFO(checked.sentence);
        CHECK(checked.blocked);
        CHECK(checked.sentence.find(words) != std::string::npos);
        CHECK(checked.sentence.find(item.path) != std::string::npos);
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
        says(planned, "no longer there");
    }
    SECTION("its folder swapped for a link")
    {
        std::filesystem::rename(s.t / "place", s.t / "elsewhere");
        s.t.symlink("elsewhere", "place");
        CHECK(s.check(0).sentence.find("symbolic link") != std::string::npos);
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
    std::vector<RunProgress> seen;
    auto how = s.options();
    how.onProgress = [&seen](const RunProgress& p) { seen.push_back(p); };
    const auto result = s.run(how);
    CHECK(result.done() == 2);
    CHECK(namesIn(s.t / "place") == std::vector<std::string>{"keep"});
    REQUIRE(seen.size() == 3);
    CHECK(seen.front().done == 0);
    CHECK(seen.back().done == 2);
    CHECK(seen.back().bytesDone == seen.back().bytesOf);
    for (const auto& undone : s.takeBack(result))
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
    CHECK(s.run().done() == 1);
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
    REQUIRE(s.run().done() == 1);
    const auto without = std::make_shared<FileTree>(s.tree->sharedStore(), std::vector<NodeId>{s.item().node});
    s.tree = without;
    s.plan.clear();
    s.planItem("folder");
    CHECK_FALSE(s.check(0).blocked);
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
    auto how = s.options(stop.get_token());
    how.onProgress = [&stop](const RunProgress& p) {
        if (p.done == 1)
            stop.request_stop(); // heard of before the third
    };
    const auto result = s.run(how);
    REQUIRE(result.steps.size() == 5);
    CHECK(result.done() == 1);
    for (std::size_t i = 1; i < 5; ++i) {
        CHECK(result.steps[i].state == StepState::Failed);
        CHECK(result.steps[i].note.find("still on the plan") != std::string::npos);
    }
    CHECK(namesIn(s.t / "place").size() == 4);
}

TEST_CASE("undo says what stands in the way and brings the others back", "[plan]")
{
    Scene s;
    s.t.text("place/a", "a");
    s.t.text("place/b", "b");
    s.scanPlace();
    s.planItem("a");
    s.planItem("b");
    const auto result = s.run();
    writeAll(s.t / "place/a", "newer");
    std::size_t back = 0;
    for (const auto& undone : s.takeBack(result)) {
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
    s.user = user;
    const auto status = asNobody([&] {
        const auto finding = s.check(0);
        return finding.blocked && finding.needsRights && exists(s.t / "place/locked/file") &&
               namesIn(user.data + "/Trash/info").empty();
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
        CHECK(s.run().done() == s.plan.items().size());
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
    const auto result = s.run();
    CHECK(result.done() == 0);
    CHECK(result.steps[0].note.find("mounted inside it") != std::string::npos);
    CHECK(exists(s.t / "place/folder/file"));
}
