// SPDX-License-Identifier: GPL-3.0-or-later
// Snapshots in a database, by a real PostgreSQL of Debian's.
#include <catch2/catch.hpp>

#include <grp.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <cstdlib>
#include <fstream>
#include <regex>

#include "cli/run_kurvoctl.h"
#include "core/snapshot/snapshot.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

const std::string programs = "/usr/lib/postgresql/15/bin/";

/// A server of its own, as a user who is not root, on a socket of its own.
class PostgresServer {
public:
    PostgresServer()
    {
        ::chmod(t_.path().c_str(), 0755);
        t_.folder("server");
        if (::geteuid() == 0)
            (void)!::chown((t_ / "server").c_str(), nobody, nobody);
        run("'" + programs + "initdb' -D '" + (t_ / "server/data") + "' -U kurvo -A trust -E UTF8 --no-sync");
        start();
    }
    ~PostgresServer() { stop(); }
    void start()
    {
        pid_ = ::fork();
        if (pid_ == 0) {
            leaveRoot();
            quiet();
            ::execl((programs + "postgres").c_str(), "postgres", "-D", (t_ / "server/data").c_str(), "-k",
                    (t_ / "server").c_str(), "-c", "listen_addresses=", "-c", "fsync=off", nullptr);
            ::_exit(9);
        }
        for (int i = 0; i < 400 && psql("SELECT 1") != "1\n"; ++i)
            ::usleep(50'000);
    }
    void stop()
    {
        if (pid_ > 0) {
            ::kill(pid_, SIGINT);
            ::waitpid(pid_, nullptr, 0);
        }
        pid_ = -1;
    }
    std::string url() const { return "'host=" + (t_ / "server") + " user=kurvo dbname=postgres'"; }
    /// What a statement answers, a line a row; "" where it failed.
    std::string psql(const std::string& sql) const
    {
        writeAll(t_ / "query", sql);
        (void)!std::system(("'" + programs + "psql' -X -h '" + (t_ / "server") +
                            "' -U kurvo -d postgres -v ON_ERROR_STOP=1 -At -f '" + (t_ / "query") + "' >'" +
                            (t_ / "out") + "' 2>'" + (t_ / "err") + "'")
                               .c_str());
        return readAll(t_ / "out");
    }
    std::string problem() const { return readAll(t_ / "err"); }

private:
    static constexpr unsigned nobody = 65534;
    static void leaveRoot()
    {
        if (::geteuid() == 0 && (::setgroups(0, nullptr) != 0 || ::setgid(nobody) != 0 || ::setuid(nobody) != 0))
            ::_exit(9);
    }
    void quiet() const
    {
        (void)!std::freopen((t_ / "server/log").c_str(), "a", stderr);
        (void)!std::freopen((t_ / "server/log").c_str(), "a", stdout);
    }
    void run(const std::string& command) const
    {
        const pid_t child = ::fork();
        if (child == 0) {
            leaveRoot();
            quiet();
            ::execl("/bin/sh", "sh", "-c", command.c_str(), nullptr);
            ::_exit(9);
        }
        ::waitpid(child, nullptr, 0);
    }
    TestFolder t_;
    pid_t pid_ = -1;
};

bool hasServer()
{
    return exists(programs + "postgres");
}

/// The SQL blocks of a page.
std::vector<std::string> queriesIn(const std::string& page)
{
    std::vector<std::string> all;
    for (auto at = page.find("```sql\n"); at != page.npos; at = page.find("```sql\n", at + 1))
        all.push_back(page.substr(at + 7, page.find("```", at + 7) - at - 7));
    return all;
}

/// A snapshot of one folder that says it was taken on that machine, so many days ago, with so much used.
void snapshotOf(const std::string& folder, const std::string& file, const std::string& machine, int daysAgo,
                std::uint64_t used)
{
    auto result = scan(folder);
    REQUIRE(result);
    auto info = describeScan(*result);
    info.host = machine;
    info.place = info.mountPoint = folder;
    info.taken -= daysAgo * day;
    info.capacity = {1000 << 20, used, 0, (std::uint64_t{1000} << 20) - used};
    REQUIRE(writeSnapshot(file, info, *result->tree));
}

} // namespace

TEST_CASE("snapshots of many machines in a database answer what is asked of a fleet", "[cli][fleet]")
{
    if (!hasServer())
        return;
    const PostgresServer server;
    const TestFolder t;
    t.file("place/films/long.mkv", 3'000'000);
    t.file("place/same.iso", 2'000'000);
    t.file("place/home/warden/.cache/tiles/a", 100'000);
    t.file("place/odd/bad\xff\xfe tab\there\nline \\ back", 4096);
    t.link("place/films/long.mkv", "place/again.mkv");
    constexpr std::uint64_t mebi = 1 << 20;
    int number = 0;
    std::string files;
    const auto keep = [&](const std::string& machine, int daysAgo, std::uint64_t used) {
        const auto file = t / ("s" + std::to_string(number++) + ".kurvo");
        snapshotOf(t / "place", file, machine, daysAgo, used);
        files += " '" + file + "'";
    };
    keep("desk", 40, 700 * mebi);
    keep("desk", 20, 800 * mebi);
    t.file("place/home/warden/.cache/tiles/b", 900'000);
    keep("desk", 2, 950 * mebi);
    keep("bench", 1, 100 * mebi);
    keep("o'brien\"s", 30, 100 * mebi);
    const auto written = kurvoctl("export" + files + " --to " + server.url());
    INFO(written.err);
    REQUIRE(written.status == 0);
    const auto rows = server.psql("SELECT count(*) FROM kurvo.entry");
    CHECK(server.psql("SELECT count(*) FROM kurvo.snapshot") == "5\n");
    // Each snapshot's own sum is the scan's.
    CHECK(server.psql(
              "SELECT count(*) FROM kurvo.snapshot s WHERE s.disk <> (SELECT sum(e.disk) FROM kurvo.entry e WHERE "
              "e.machine = s.machine AND e.snapshot = s.id)") == "0\n");
    CHECK(server.psql("SELECT count(*) FROM kurvo.entry WHERE path LIKE '%bad%ff%fe%' OR path LIKE '%bad%FF%FE%'") ==
          "5\n");
    CHECK(server.psql("SELECT count(DISTINCT tableoid) FROM kurvo.entry").size() > 1);
    // Again: nothing changes.
    const auto again = kurvoctl("export" + files + " --to " + server.url());
    CHECK(again.status == 0);
    CHECK(again.out.find("there already") != std::string::npos);
    CHECK(server.psql("SELECT count(*) FROM kurvo.entry") == rows);
    // What stands in the documentation can be asked, and answers.
    const auto queries = queriesIn(readAll(KURVO_SOURCE "/docs/fleet.md"));
    REQUIRE(queries.size() == 12);
    std::vector<std::string> answers;
    for (const auto& query : queries) {
        INFO(query);
        answers.push_back(server.psql(query));
        CHECK(server.problem().empty());
    }
    CHECK(answers[0].starts_with("desk|"));
    CHECK(answers[1].find("/films|") != std::string::npos);
    CHECK(answers[2].find("long.mkv|3000000|3|") != std::string::npos);
    CHECK(answers[4].starts_with("desk|"));
    CHECK(std::regex_search(answers[5], std::regex("^[a-z]+\\|[0-9]+\\|[0-9]+\n")));
    CHECK(answers[9].starts_with("o'brien\"s|"));
}

TEST_CASE("a database that is away in the middle costs one snapshot, and the next export goes on", "[cli][fleet]")
{
    if (!hasServer())
        return;
    PostgresServer server;
    const TestFolder t;
    for (int i = 0; i < 3000; ++i)
        t.file("place/d" + std::to_string(i % 50) + "/f" + std::to_string(i), 0);
    snapshotOf(t / "place", t / "a.kurvo", "desk", 3, 1);
    snapshotOf(t / "place", t / "b.kurvo", "desk", 2, 1);
    const auto both = "export '" + (t / "a.kurvo") + "' '" + (t / "b.kurvo") + "' --to " + server.url();
    REQUIRE(kurvoctl("export '" + (t / "a.kurvo") + "' --to " + server.url()).status == 0);
    // Somebody makes it fail in the middle of the rows.
    server.psql("ALTER TABLE kurvo.entry ADD CONSTRAINT odd CHECK (path NOT LIKE '%/f2999') NOT VALID");
    const auto failed = kurvoctl(both);
    CHECK(failed.status == 3);
    CHECK(failed.err.find("odd") != std::string::npos);
    CHECK(server.psql("SELECT count(*) FROM kurvo.snapshot") == "1\n");
    server.psql("ALTER TABLE kurvo.entry DROP CONSTRAINT odd");
    server.stop();
    const auto away = kurvoctl(both);
    CHECK(away.status == 3);
    CHECK(away.err.find("could not be reached") != std::string::npos);
    server.start();
    CHECK(kurvoctl(both).status == 0);
    CHECK(server.psql("SELECT count(*) FROM kurvo.snapshot") == "2\n");
    CHECK(server.psql("SELECT count(DISTINCT snapshot), count(*) FROM kurvo.entry") == "2|6102\n");
    CHECK(kurvoctl("export '" + (t / "a.kurvo") + "' --to nothing").status == 2);
    CHECK(kurvoctl("export '" + (t / "a.kurvo") + "' '" + (t / "b.kurvo") + "'").status == 2);
    CHECK(kurvoctl("export '" + (t / "none.kurvo") + "' --to " + server.url()).status == 3);
}
