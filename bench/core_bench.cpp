// SPDX-License-Identifier: GPL-3.0-or-later
// The core on a million files in memory.
#include <benchmark/benchmark.h>

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <fstream>

#include "bench/big_tree.h"
#include "core/advice/tree_advice.h"
#include "core/find/age_field.h"
#include "core/find/duplicates.h"
#include "core/find/filter.h"
#include "core/find/largest.h"
#include "core/find/order.h"
#include "core/find/questions.h"
#include "core/find/versions.h"
#include "core/layout/treemap.h"
#include "core/leads/leads.h"
#include "core/platform/package_database.h"
#include "core/platform/unique_fd.h"
#include "core/scan/scanner.h"
#include "core/snapshot/snapshot.h"

using namespace kurvo;

namespace {

constexpr std::int64_t now = 1750000000;

const FileTree& million()
{
    static const auto tree = bench::bigTree(1000000);
    return *tree;
}

const std::string& snapshotFile()
{
    static const std::string path = "/tmp/kurvo-bench-" + std::to_string(getpid()) + ".kurvo";
    return path;
}

void sums(benchmark::State& state)
{
    for (auto _ : state)
        benchmark::DoNotOptimize(FileTree(million().sharedStore()).disk(rootNode));
}

void layout(benchmark::State& state)
{
    for (auto _ : state)
        benchmark::DoNotOptimize(Treemap(million(), rootNode, {0, 0, 1200, 700}).tiles().size());
}

void hitTest(benchmark::State& state)
{
    const Treemap map(million(), rootNode, {0, 0, 1200, 700});
    double x = 0;
    for (auto _ : state) {
        x = x > 1190 ? 0 : x + 7.3;
        benchmark::DoNotOptimize(map.tileAt(x, x * 0.58));
    }
}

void largest1000(benchmark::State& state)
{
    for (auto _ : state)
        benchmark::DoNotOptimize(largestFiles(million(), 1000).size());
}

/// A filter of each kind of cost: a look at a number, at the name, at the whole path.
void filter(benchmark::State& state)
{
    static constexpr const char* lines[] = {"size>1M age>1y", "family:audio or is:hidden", "*.flac", "file-77",
                                            "path:*dir-4*"};
    const auto parsed = Filter::parse(lines[state.range(0)]);
    state.SetLabel(lines[state.range(0)]);
    for (auto _ : state)
        benchmark::DoNotOptimize(
            matchingFiles(million(), std::get<Filter>(parsed).bind(million(), {now, {}, {}})).size());
}

const std::vector<NodeId>& allFiles()
{
    static const auto files = matchingFiles(million(), Filter().bind(million(), {}));
    return files;
}

void sortList(benchmark::State& state)
{
    for (auto _ : state) {
        auto files = allFiles();
        sortFiles(million(), files, static_cast<FileOrder>(state.range(0)), true);
        benchmark::DoNotOptimize(files.data());
    }
}

void questions(benchmark::State& state)
{
    const auto tree = bench::bigTree(1000000);
    for (auto _ : state)
        benchmark::DoNotOptimize(Questions(tree, now).answers()[0].found);
}

void ageOfAll(benchmark::State& state)
{
    for (auto _ : state)
        benchmark::DoNotOptimize(ageField(million(), allFiles(), now).files);
}

void adviceOfAll(benchmark::State& state)
{
    for (auto _ : state)
        benchmark::DoNotOptimize(adviseTree(RuleBook::builtIn(), million()).levels.data());
}

/// With the advice known, and a catalogue of so many snapshots in which one in a hundred entries changes each time.
void leadsOfAll(benchmark::State& state)
{
    const auto folder = "/tmp/kurvo-bench-leads-" + std::to_string(getpid());
    LeadFacts facts{bench::bigTree(1000000), {}, std::make_shared<const RuleBook>(RuleBook::builtIn())};
    facts.info.place = "/big";
    facts.info.host = "bench";
    facts.info.taken = now;
    const auto snapshots = static_cast<std::int64_t>(state.range(0));
    for (std::int64_t i = 0; i < snapshots; ++i) {
        auto info = facts.info;
        info.taken = now - (snapshots - i) * 7 * 86400;
        if (!addSnapshot(folder, info, *facts.tree))
            return state.SkipWithError("no snapshot");
    }
    facts.earlier = snapshotsOf(readCatalogue(folder), facts.info);
    facts.advice = std::make_shared<const TreeAdvice>(adviseTree(*facts.book, *facts.tree));
    std::size_t found = 0;
    for (auto _ : state)
        found = findLeads(facts).leads.size();
    state.SetLabel(std::to_string(found) + " leads, " + std::to_string(facts.earlier.size()) + " snapshots");
    std::filesystem::remove_all(folder);
}

void versionsOfAll(benchmark::State& state)
{
    std::size_t found = 0;
    for (auto _ : state)
        found = findVersions(million(), {}).size();
    state.SetLabel(std::to_string(found) + " groups");
}

/// This machine's; the label says how many paths that are.
void packageDatabase(benchmark::State& state)
{
    std::size_t paths = 0;
    for (auto _ : state)
        if (const auto packages = PackageDatabase::read())
            paths = packages->paths();
    state.SetLabel(std::to_string(paths) + " paths");
}

/// Searching 512 MiB of files that are all there twice, against reading the same bytes once ("ratio": 1 is as quick).
void duplicates(benchmark::State& state)
{
    const auto folder = "/tmp/kurvo-bench-duplicates-" + std::to_string(getpid());
    std::filesystem::create_directories(folder);
    constexpr std::size_t size = 8 << 20, pairs = 32;
    std::vector<std::string> paths;
    for (std::size_t i = 0; i < 2 * pairs; ++i) {
        std::string content(size, static_cast<char>('a' + i / 2 % 26));
        content.replace(0, 8, std::to_string(10000000 + i / 2));
        paths.push_back(folder + "/" + std::to_string(i));
        std::ofstream(paths.back()) << content;
    }
    const auto seconds = [](const auto& work) {
        const auto begin = std::chrono::steady_clock::now();
        work();
        return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    };
    const auto readOnce = [&paths] {
        std::vector<char> buffer(1 << 17);
        for (const auto& path : paths) {
            const UniqueFd fd(::open(path.c_str(), O_RDONLY));
            while (::read(fd.get(), buffer.data(), buffer.size()) > 0)
                ;
        }
    };
    const auto tree = scan(folder)->tree;
    std::vector<double> ratios;
    for (auto _ : state) {
        const double reading = seconds(readOnce);
        const double searching = seconds([&] {
            DuplicateProgress progress;
            benchmark::DoNotOptimize(findDuplicates({tree}, {}, progress).groups.size());
        });
        ratios.push_back(reading / searching);
    }
    std::sort(ratios.begin(), ratios.end());
    state.counters["ratio"] = ratios[ratios.size() / 2];
    std::filesystem::remove_all(folder);
}

void families(benchmark::State& state)
{
    for (auto _ : state)
        benchmark::DoNotOptimize(familyMix(million(), rootNode).total);
}

void snapshotWrite(benchmark::State& state)
{
    for (auto _ : state)
        benchmark::DoNotOptimize(static_cast<bool>(writeSnapshot(snapshotFile(), {}, million())));
}

void snapshotRead(benchmark::State& state)
{
    if (!writeSnapshot(snapshotFile(), {}, million()))
        return state.SkipWithError("no snapshot");
    for (auto _ : state)
        benchmark::DoNotOptimize(static_cast<bool>(readSnapshot(snapshotFile())));
    ::unlink(snapshotFile().c_str());
}

BENCHMARK(sums)->Unit(benchmark::kMillisecond);
BENCHMARK(layout)->Unit(benchmark::kMillisecond);
BENCHMARK(hitTest)->Unit(benchmark::kMicrosecond);
BENCHMARK(largest1000)->Unit(benchmark::kMillisecond);
BENCHMARK(filter)->DenseRange(0, 4)->Unit(benchmark::kMillisecond);
BENCHMARK(sortList)->DenseRange(0, 6)->Unit(benchmark::kMillisecond);
BENCHMARK(questions)->Unit(benchmark::kMillisecond);
BENCHMARK(ageOfAll)->Unit(benchmark::kMillisecond);
BENCHMARK(adviceOfAll)->Unit(benchmark::kMillisecond);
BENCHMARK(leadsOfAll)->Arg(0)->Arg(50)->Unit(benchmark::kMillisecond);
BENCHMARK(versionsOfAll)->Unit(benchmark::kMillisecond);
BENCHMARK(packageDatabase)->Unit(benchmark::kMillisecond);
BENCHMARK(duplicates)->Unit(benchmark::kMillisecond)->Iterations(7);
BENCHMARK(families)->Unit(benchmark::kMillisecond);
BENCHMARK(snapshotWrite)->Unit(benchmark::kMillisecond);
BENCHMARK(snapshotRead)->Unit(benchmark::kMillisecond);

} // namespace

BENCHMARK_MAIN();
