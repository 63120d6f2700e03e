// SPDX-License-Identifier: GPL-3.0-or-later
// What the logbook says of runs later: the history, the proof, the report; older logbooks; the helper's requests.
#include <catch2/catch.hpp>

#include <sqlite3.h>
#include <unistd.h>

#include <algorithm>

#include <nlohmann/json.hpp>

#include "act_fixture.h"
#include "core/act/act_helper.h"
#include "core/act/run_history.h"
#include "core/base/figures.h"
#include "core/report/run_report.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

LoggedStep stepOf(Action action, StepState state, std::uint64_t disk, const std::string& path)
{
    LoggedStep step;
    step.action = action;
    step.state = state;
    step.disk = step.frees = disk;
    step.path = path;
    return step;
}

RunRecord someRun()
{
    RunRecord record;
    record.run = {7, 1782000000, 1782000060, "/home/warden", "skerry-desk", 10ull << 30, 12ull << 30, 0, {}};
    record.steps = {stepOf(Action::Delete, StepState::Done, 3ull << 30, "/home/warden/<dumps> & more"),
                    stepOf(Action::Trash, StepState::Done, 5ull << 30, "/home/warden/copy"),
                    stepOf(Action::Move, StepState::Failed, 1ull << 30, "/home/warden/\"quoted\",film")};
    record.steps[2].note = "/home/warden/film was written to.";
    return record;
}

} // namespace

TEST_CASE("the history knows what has left the trash since", "[act][logbook]")
{
    TestFolder t;
    Logbook logbook(t / "data/logbook.db");
    PlanFile plan;
    for (const auto* name : {"a", "b"}) {
        const auto planned = readPlannedItem(t.text(std::string("place/") + name, name), {});
        REQUIRE(planned);
        plan.items.push_back(*planned);
    }
    plan.place = t / "place";
    plan.written = currentTime();
    REQUIRE(runPlan(logbook, plan, {{t.user(), {}, nullptr}, {}, nullptr, {}}));
    auto history = readHistory(logbook);
    REQUIRE(history);
    REQUIRE(history->size() == 1);
    CHECK(history->front().canBeUndone());
    CHECK(history->front().bytesInTrash() == 2 * 4096);
    // Somebody empties half of it with another program.
    std::filesystem::remove(t / "home/data/Trash/files/a");
    std::filesystem::remove(t / "home/data/Trash/info/a.trashinfo");
    history = readHistory(logbook);
    REQUIRE(history);
    CHECK(history->front().bytesInTrash() == 4096);
    CHECK(history->front().count(StepState::Emptied) == 1);
    CHECK(logbook.steps(1)->front().state == StepState::Emptied); // and it stays known
    const auto undone = undoRun(logbook, 1, {}, {{t.user(), {}, nullptr}, {}, nullptr, {}});
    REQUIRE(undone);
    CHECK(undone->size() == 1);
    CHECK(readAll(t / "place/b") == "b");
}

TEST_CASE("the proof says where the rest is", "[act]")
{
    auto record = someRun();
    auto proof = proofOf(record, "ext4");
    CHECK(proof.cameFree == 2ll << 30);
    CHECK(proof.cleared == 8ull << 30);
    CHECK(proof.inTrash == 5ull << 30);
    CHECK(proof.unexplained == 1ull << 30); // 3 were deleted, 2 came
    REQUIRE(proof.sentences.size() == 2);
    CHECK(proof.sentences[0].find("in the trash") != std::string::npos);
    CHECK(proof.sentences[1].find("something else was written meanwhile") != std::string::npos);
    CHECK(proofOf(record, "btrfs").sentences[1].find("snapshots") != std::string::npos);
    record.steps[0].frees = 2ull << 30; // a further link keeps the third
    proof = proofOf(record, "ext4");
    CHECK(proof.unexplained == 0);
    CHECK(proof.otherLinks == 1ull << 30);
    CHECK(proof.sentences[1].find("hard links") != std::string::npos);
    record.run.freeAfter = record.run.freeBefore;
    record.steps[0].heldOpen = true;
    proof = proofOf(record, "ext4");
    CHECK(proof.heldOpen == 2ull << 30);
    CHECK(proof.unexplained == 0);
    record.steps[1].state = StepState::Undone;
    CHECK(proofOf(record, "ext4").inTrash == 0);
}

TEST_CASE("the report as page, table and object", "[report]")
{
    RunReport report;
    report.record = someRun();
    report.proof = proofOf(report.record, "ext4");
    report.drive = "Skerry system at /";
    report.capacity = 512ull << 30;
    report.largest = {{"/home/warden/tiles/\xff.mbtiles", 9ull << 30, 1780000000}};
    MarkBook book;
    book.marks["/home/warden/old"] = {"/home/warden/old", "ask", "Still needed?", 0};
    book.marks["/home/warden/keep"] = {"/home/warden/keep", "keep", "", 0};
    book.marks["/home/guest"] = {"/home/guest", "ask", "Whose?", 0};
    report.questions = questionsOf(book, "/home/warden");
    REQUIRE(report.questions.size() == 1);

    const auto html = reportHtml(report);
    for (const auto* words : {"10.0 GiB", "12.0 GiB", "2.00 GiB came free", "&lt;dumps&gt; &amp; more", "Still needed?",
                              "9.00 GiB", "held back", "skerry-desk", "5.00 GiB of it is in the trash"})
        CHECK(html.find(words) != std::string::npos);
    CHECK(html.find("<dumps>") == std::string::npos);
    CHECK(html.find("http") == std::string::npos); // nothing from outside
    CHECK(reportHtml(report, SizeUnits::Decimal).find("GB") != std::string::npos);

    const auto csv = reportCsv(report);
    CHECK(std::count(csv.begin(), csv.end(), '\n') == 4);
    CHECK(csv.find("7,1970-01-01T00:00:00Z,delete,done,3221225472,/home/warden/<dumps> & more,,") != std::string::npos);
    CHECK(csv.find("\"/home/warden/\"\"quoted\"\",film\"") != std::string::npos);

    auto text = reportJson(report);
    CHECK(text.find("\\udcff.mbtiles") != std::string::npos); // a byte that is no text is kept
    text.replace(text.find("\\udcff"), 6, "?");
    const auto json = nlohmann::json::parse(text);
    CHECK(json["came_free"] == 2ll << 30);
    CHECK(json["steps"].size() == 3);
    CHECK(json["questions"][0]["note"] == "Still needed?");
    CHECK(json["largest"][0]["disk_bytes"] == 9ull << 30);

    // Two pages at most, whatever was done: the largest, and how many more.
    for (int i = 0; i < 5000; ++i)
        report.record.steps.push_back(
            stepOf(Action::Trash, StepState::Done, 4096, "/home/warden/f" + std::to_string(i)));
    const auto large = reportHtml(report);
    CHECK(large.find("items</td>") == std::string::npos);
    CHECK(large.find("and 4,979 items more") != std::string::npos);
    CHECK(large.size() < 16000);
}

TEST_CASE("a logbook of the version before is taken over with all it holds", "[act][logbook]")
{
    TestFolder t;
    t.folder("data");
    sqlite3* old = nullptr;
    REQUIRE(sqlite3_open((t / "data/logbook.db").c_str(), &old) == SQLITE_OK);
    REQUIRE(
        sqlite3_exec(
            old,
            "CREATE TABLE run (id INTEGER PRIMARY KEY, began INTEGER NOT NULL, ended INTEGER NOT NULL, place BLOB NOT"
            " NULL, host TEXT NOT NULL, free_before INTEGER NOT NULL, free_after INTEGER NOT NULL);"
            "CREATE TABLE step (id INTEGER PRIMARY KEY, run INTEGER NOT NULL REFERENCES run(id), action TEXT NOT NULL,"
            " state TEXT NOT NULL, path BLOB NOT NULL, kind INTEGER NOT NULL, device INTEGER NOT NULL, inode INTEGER"
            " NOT NULL, size INTEGER NOT NULL, modified INTEGER NOT NULL, modified_ns INTEGER NOT NULL, disk INTEGER"
            " NOT NULL, target BLOB NOT NULL, leave_link INTEGER NOT NULL, token TEXT NOT NULL, copy_inode INTEGER NOT"
            " NULL, trash BLOB NOT NULL, trash_top BLOB NOT NULL, trash_name BLOB NOT NULL, trashed INTEGER NOT NULL,"
            " note TEXT NOT NULL, changed INTEGER NOT NULL);"
            "INSERT INTO run VALUES (1, 100, 200, '/place', 'skerry-desk', 5, 6);"
            "INSERT INTO step VALUES (1, 1, 'delete', 'done', '/place/old', 0, 1, 2, 3, 4, 5, 8192, '', 0, 'token', 0, "
            "'',"
            " '', '', 0, '', 150);"
            "PRAGMA user_version = 1;",
            nullptr, nullptr, nullptr) == SQLITE_OK);
    sqlite3_close(old);
    Logbook logbook(t / "data/logbook.db");
    const auto history = readHistory(logbook);
    INFO((history ? "" : history.error().sentence));
    REQUIRE(history);
    REQUIRE(history->size() == 1);
    CHECK(history->front().run.place == "/place");
    REQUIRE(history->front().steps.size() == 1);
    CHECK(history->front().steps[0].path == "/place/old");
    CHECK(history->front().steps[0].frees == 8192);
    std::vector<LoggedStep> more{stepOf(Action::Move, StepState::Planned, 1, "/place/new")};
    more.front().run = 1;
    REQUIRE(logbook.add(more));
    CHECK(logbook.steps(1)->size() == 2);
}
