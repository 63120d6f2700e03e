// SPDX-License-Identifier: GPL-3.0-or-later
// The core on a million files in memory.
#include <benchmark/benchmark.h>

#include <unistd.h>

#include "bench/big_tree.h"
#include "core/find/age_field.h"
#include "core/find/filter.h"
#include "core/find/largest.h"
#include "core/find/order.h"
#include "core/find/questions.h"
#include "core/layout/treemap.h"
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
BENCHMARK(families)->Unit(benchmark::kMillisecond);
BENCHMARK(snapshotWrite)->Unit(benchmark::kMillisecond);
BENCHMARK(snapshotRead)->Unit(benchmark::kMillisecond);

} // namespace

BENCHMARK_MAIN();
