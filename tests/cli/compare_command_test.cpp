// SPDX-License-Identifier: GPL-3.0-or-later
// kurvoctl compare, snapshot, history, forecast and export, as scripts use them.
#include <catch2/catch.hpp>

#include <filesystem>

#include <nlohmann/json.hpp>

#include "cli/run_kurvoctl.h"
#include "core/snapshot/catalogue.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;
using nlohmann::json;

TEST_CASE("compare says each change once, and the sum is the difference", "[cli][compare]")
{
    TestFolder t;
    t.file("place/grows.log", 8192);
    t.file("place/goes.iso", 40960);
    for (int i = 0; i < 10; ++i)
        t.file("place/Desktop/Season/" + std::to_string(i) + ".wav", 4096 * (i + 1));
    const auto place = quoted(t / "place"), before = quoted(t / "before.kurvo");
    REQUIRE(kurvoctl("scan " + place + " --save " + before).status == 0);
    t.file("place/grows.log", 20480, 1760000000);
    std::filesystem::remove(t / "place/goes.iso");
    t.folder("place/archive");
    std::filesystem::rename(t / "place/Desktop/Season", t / "place/archive/Season");
    t.file("place/new/one", 4096);

    const auto said = kurvoctl("compare " + before + " " + place + " --json");
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
        return kurvoctl("folders " + source + " --depth 0 --json").lines().front()["disk_bytes"].get<std::int64_t>();
    };
    CHECK(sum == disk(place) - disk(before));

    const auto each = kurvoctl("compare " + before + " " + place + " --json --entries");
    CHECK(each.out.find("/new/one\"") != std::string::npos);
    const auto grew = kurvoctl("compare " + before + " " + place + " --where 'change:grew delta>4K' --json").lines();
    REQUIRE(grew.size() == 1);
    CHECK(grew[0]["path"] == t / "place/grows.log");
    CHECK(kurvoctl("compare " + before + " " + place + " --where 'change:bigger'").status == 2);
    const auto text = kurvoctl("compare " + before + " " + place).out;
    CHECK(text.find("What explains") != std::string::npos);
    CHECK(text.find("from " + (t / "place/Desktop/Season")) != std::string::npos);
    CHECK(kurvoctl("compare " + before + " " + place + " --format csv").out.starts_with("change,delta_disk_bytes"));
    CHECK(kurvoctl("compare " + before + " " + place + " --format html").out.find("What changed in") !=
          std::string::npos);
    CHECK(kurvoctl("compare " + quoted(t / "nothing.kurvo") + " " + place).status == 3);
    CHECK(kurvoctl("compare " + before + " " + before).out.find("Nothing changed") != std::string::npos);
}

TEST_CASE("snapshots: taken, listed, named, exported, imported, verified, pruned, removed", "[cli][snapshot]")
{
    TestFolder t;
    t.file("place/a", 4096);
    const auto in = "snapshot --in " + quoted(t / "kept") + " ";
    const auto first = kurvoctl(in + "take " + quoted(t / "place"));
    REQUIRE(first.status == 0);
    t.file("place/b", 1 << 20);
    REQUIRE(kurvoctl(in + "take --polite " + quoted(t / "place")).status == 0);
    auto listed = kurvoctl(in + "list --json").lines();
    REQUIRE(listed.size() == 2);
    const auto file = std::filesystem::path(listed[1]["file"].get<std::string>()).filename().string();
    CHECK(kurvoctl(in + "name " + file + " --name 'before the season' --note 'asked for'").status == 0);
    CHECK(kurvoctl(in + "pin " + file).status == 0);
    listed = kurvoctl(in + "list --json").lines();
    CHECK(listed[1]["name"] == "before the season");
    CHECK(listed[1]["pinned"] == true);
    CHECK(kurvoctl(in + "verify").status == 0);
    CHECK(kurvoctl(in + "export " + file + " -o " + quoted(t / "whole.kurvo")).status == 0);
    const auto other = "snapshot --in " + quoted(t / "other") + " ";
    CHECK(kurvoctl(other + "import " + quoted(t / "whole.kurvo")).status == 0);
    CHECK(kurvoctl(other + "import " + quoted(t / "whole.kurvo")).status == 3);
    writeAll(t / "kept/keeping.toml", "last = 0\nweeks = 0\nmonths = 0\n");
    CHECK(kurvoctl(in + "prune --dry-run").out.empty()); // the newest stays, and the other is pinned
    CHECK(kurvoctl(in + "unpin " + file).status == 0);
    CHECK(kurvoctl(in + "prune --dry-run").out.empty()); // it still has a name
    CHECK(kurvoctl(in + "name " + file + " --name '' --note ''").status == 0);
    CHECK(kurvoctl(in + "prune").out.find("removed") != std::string::npos);
    CHECK(kurvoctl(in + "list --json").lines().size() == 1);
    t.text("kept/broken.kurvo", "KURVOSNP and then nothing of use");
    CHECK(kurvoctl(in + "verify").status == 1);
    CHECK(kurvoctl(in + "remove broken.kurvo").status == 0);
    CHECK(kurvoctl(in + "remove broken.kurvo").status == 3);
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
        REQUIRE(
            addSnapshot(t / "kept", info,
                        *plant(folder("/", {folder("var", {file("log", (2ull + static_cast<unsigned>(i)) << 20)})}))));
    }
    const auto in = " --in " + quoted(t / "kept");
    const auto history = kurvoctl("history /var --json" + in).lines();
    REQUIRE(history.size() == 4);
    CHECK(history[0]["disk_bytes"] == 2 << 20);
    CHECK(history[3]["disk_bytes"] == 5 << 20);
    CHECK(kurvoctl("history /nowhere --json" + in).lines()[0]["disk_bytes"].is_null());
    const auto forecast = kurvoctl("forecast / --json" + in).lines();
    REQUIRE(forecast.size() == 1);
    CHECK(forecast[0]["clear"] == true);
    CHECK(std::abs(forecast[0]["full"].get<std::int64_t>() - (1767225600 + 150 * 86400)) < 2 * 86400);
    CHECK(kurvoctl("forecast /" + in).out.find("Full around 2026-0") != std::string::npos);
    CHECK(kurvoctl("history /var --in " + quoted(t / "empty")).status == 3);
}

TEST_CASE("export and import again", "[cli][snapshot]")
{
    TestFolder t;
    t.text("place/\xff name\n", "x");
    t.file("place/sub/file", 8192);
    const auto place = quoted(t / "place");
    for (const std::string format : {"jsonl", "csv"}) {
        const auto said = kurvoctl("export " + place + " --format " + format);
        REQUIRE(said.status == 0);
        writeAll(t / ("list." + format), said.out);
        REQUIRE(kurvoctl("snapshot --in " + quoted(t / format) + " import " + quoted(t / ("list." + format))).status ==
                0);
        const auto kept = readCatalogue(t / format).entries;
        REQUIRE(kept.size() == 1);
        CHECK(readSnapshot(kept[0].path)->tree->find(t / "place/\xff name\n"));
    }
    CHECK(kurvoctl("export " + place + " --format html").out.find("The largest folders") != std::string::npos);
}
