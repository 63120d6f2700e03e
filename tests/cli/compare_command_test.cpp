// SPDX-License-Identifier: GPL-3.0-or-later
// kurvoctl compare, snapshot, history, forecast and export, as scripts use them.
#include <catch2/catch.hpp>

#include <sys/wait.h>

#include <filesystem>
#include <sstream>

#include <nlohmann/json.hpp>

#include "core/snapshot/catalogue.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;
using nlohmann::json;

namespace {

struct Said {
    int status = -1;
    std::string out, err;
    std::vector<json> lines() const
    {
        std::vector<json> all;
        std::istringstream in(out);
        for (std::string line; std::getline(in, line);)
            all.push_back(json::parse(line));
        return all;
    }
};

Said run(const TestFolder& t, const std::string& arguments)
{
    const auto command =
        std::string(KURVOCTL) + " " + arguments + " >'" + (t / "out") + "' 2>'" + (t / "err") + "' </dev/null";
    const int status = std::system(command.c_str());
    return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, readAll(t / "out"), readAll(t / "err")};
}

std::string quoted(const std::string& path)
{
    return "'" + path + "'";
}

} // namespace

TEST_CASE("compare says each change once, and the sum is the difference", "[cli][compare]")
{
    TestFolder t;
    t.file("place/grows.log", 8192);
    t.file("place/goes.iso", 40960);
    for (int i = 0; i < 10; ++i)
        t.file("place/Desktop/Season/" + std::to_string(i) + ".wav", 4096 * (i + 1));
    const auto place = quoted(t / "place"), before = quoted(t / "before.kurvo");
    REQUIRE(run(t, "scan " + place + " --save " + before).status == 0);
    t.file("place/grows.log", 20480, 1760000000);
    std::filesystem::remove(t / "place/goes.iso");
    t.folder("place/archive");
    std::filesystem::rename(t / "place/Desktop/Season", t / "place/archive/Season");
    t.file("place/new/one", 4096);

    const auto said = run(t, "compare " + before + " " + place + " --json");
    REQUIRE(said.status == 0);
    std::map<std::string, json> by;
    std::int64_t sum = 0;
    for (const auto& line : said.lines()) {
        by[line["change"].get<std::string>() + " " + line["path"].get<std::string>()] = line;
        sum += line["delta_disk_bytes"].get<std::int64_t>();
    }
    CHECK(by.at("grew " + (t / "place/grows.log"))["delta_disk_bytes"] == 12288);
    CHECK(by.at("vanished " + (t / "place/goes.iso"))["delta_disk_bytes"] == -40960);
    CHECK(by.at("moved " + (t / "place/archive/Season"))["from_path"] == t / "place/Desktop/Season");
    CHECK(by.count("appeared " + (t / "place/new")) == 1);
    const auto disk = [&](const std::string& source) {
        return run(t, "folders " + source + " --depth 0 --json").lines().front()["disk_bytes"].get<std::int64_t>();
    };
    CHECK(sum == disk(place) - disk(before));

    const auto each = run(t, "compare " + before + " " + place + " --json --entries");
    CHECK(each.out.find("/new/one\"") != std::string::npos);
    const auto grew = run(t, "compare " + before + " " + place + " --where 'change:grew delta>4K' --json").lines();
    REQUIRE(grew.size() == 1);
    CHECK(grew[0]["path"] == t / "place/grows.log");
    CHECK(run(t, "compare " + before + " " + place + " --where 'change:bigger'").status == 2);
    const auto text = run(t, "compare " + before + " " + place).out;
    CHECK(text.find("What explains") != std::string::npos);
    CHECK(text.find("from " + (t / "place/Desktop/Season")) != std::string::npos);
    CHECK(run(t, "compare " + before + " " + place + " --format csv").out.starts_with("change,delta_disk_bytes"));
    CHECK(run(t, "compare " + before + " " + place + " --format html").out.find("What changed in") != std::string::npos);
    CHECK(run(t, "compare " + quoted(t / "nothing.kurvo") + " " + place).status == 3);
    CHECK(run(t, "compare " + before + " " + before).out.find("Nothing changed") != std::string::npos);
}

TEST_CASE("snapshots: taken, listed, named, exported, imported, verified, pruned, removed", "[cli][snapshot]")
{
    TestFolder t;
    t.file("place/a", 4096);
    const auto in = "snapshot --in " + quoted(t / "kept") + " ";
    const auto first = run(t, in + "take " + quoted(t / "place"));
    REQUIRE(first.status == 0);
    t.file("place/b", 1 << 20);
    REQUIRE(run(t, in + "take --polite " + quoted(t / "place")).status == 0);
    auto listed = run(t, in + "list --json").lines();
    REQUIRE(listed.size() == 2);
    const auto file = std::filesystem::path(listed[1]["file"].get<std::string>()).filename().string();
    CHECK(run(t, in + "name " + file + " --name 'before the season' --note 'asked for'").status == 0);
    CHECK(run(t, in + "pin " + file).status == 0);
    listed = run(t, in + "list --json").lines();
    CHECK(listed[1]["name"] == "before the season");
    CHECK(listed[1]["pinned"] == true);
    CHECK(run(t, in + "verify").status == 0);
    CHECK(run(t, in + "export " + file + " -o " + quoted(t / "whole.kurvo")).status == 0);
    const auto other = "snapshot --in " + quoted(t / "other") + " ";
    CHECK(run(t, other + "import " + quoted(t / "whole.kurvo")).status == 0);
    CHECK(run(t, other + "import " + quoted(t / "whole.kurvo")).status == 3);
    writeAll(t / "kept/keeping.toml", "last = 0\nweeks = 0\nmonths = 0\n");
    CHECK(run(t, in + "prune --dry-run").out.empty()); // the newest stays, and the other is pinned
    CHECK(run(t, in + "unpin " + file).status == 0);
    CHECK(run(t, in + "prune --dry-run").out.empty()); // it still has a name
    CHECK(run(t, in + "name " + file + " --name '' --note ''").status == 0);
    CHECK(run(t, in + "prune").out.find("removed") != std::string::npos);
    CHECK(run(t, in + "list --json").lines().size() == 1);
    t.text("kept/broken.kurvo", "KURVOSNP and then nothing of use");
    CHECK(run(t, in + "verify").status == 1);
    CHECK(run(t, in + "remove broken.kurvo").status == 0);
    CHECK(run(t, in + "remove broken.kurvo").status == 3);
}

TEST_CASE("history and forecast from snapshots of four months", "[cli][history]")
{
    TestFolder t;
    for (int i = 0; i < 4; ++i) {
        SnapshotInfo info;
        info.mountPoint = "/";
        info.host = "skerry-desk";
        info.taken = 1767225600 + i * 30 * 86400;
        info.capacity = {200ull << 30, (100ull + 20ull * static_cast<unsigned>(i)) << 30, 0,
                         (100ull - 20ull * static_cast<unsigned>(i)) << 30};
        REQUIRE(addSnapshot(t / "kept", info,
                            *plant(folder("/", {folder("var", {file("log", (2ull + static_cast<unsigned>(i)) << 20)})}))));
    }
    const auto in = " --in " + quoted(t / "kept");
    const auto history = run(t, "history /var --json" + in).lines();
    REQUIRE(history.size() == 4);
    CHECK(history[0]["disk_bytes"] == 2 << 20);
    CHECK(history[3]["disk_bytes"] == 5 << 20);
    CHECK(run(t, "history /nowhere --json" + in).lines()[0]["disk_bytes"].is_null());
    const auto forecast = run(t, "forecast / --json" + in).lines();
    REQUIRE(forecast.size() == 1);
    CHECK(forecast[0]["clear"] == true);
    CHECK(std::abs(forecast[0]["full"].get<std::int64_t>() - (1767225600 + 150 * 86400)) < 2 * 86400);
    CHECK(run(t, "forecast /" + in).out.find("Full around 2026-0") != std::string::npos);
    CHECK(run(t, "history /var --in " + quoted(t / "empty")).status == 3);
}

TEST_CASE("export and import again", "[cli][snapshot]")
{
    TestFolder t;
    t.text("place/\xff name\n", "x");
    t.file("place/sub/file", 8192);
    const auto place = quoted(t / "place");
    for (const std::string format : {"jsonl", "csv"}) {
        REQUIRE(run(t, "export " + place + " --format " + format).status == 0);
        std::filesystem::copy_file(t / "out", t / ("list." + format));
        REQUIRE(run(t, "snapshot --in " + quoted(t / format) + " import " + quoted(t / ("list." + format))).status == 0);
        const auto kept = readCatalogue(t / format).entries;
        REQUIRE(kept.size() == 1);
        CHECK(readSnapshot(kept[0].path)->tree->find(t / "place/\xff name\n"));
    }
    CHECK(run(t, "export " + place + " --format html").out.find("The largest folders") != std::string::npos);
}
