// SPDX-License-Identifier: GPL-3.0-or-later
// plan_bench [ITEMS [LINK_SETS]]: a made-up place with so many files to be planned and so many files with two links, in
// the real window with Clear open. For each thing that is done it prints the longest time in which the event loop did
// not answer, and the most that it computed in one go (median and range of several rounds): 16 ms is one frame.
#include <QApplication>
#include <QElapsedTimer>
#include <QTest>
#include <QTimer>

#include <ctime>

#include <algorithm>
#include <filesystem>
#include <functional>

#include <fmt/format.h>

#include "app/shell/main_window.h"

using namespace kurvo;
using namespace kurvo::app;

namespace {

std::shared_ptr<const FileTree> madeUp(const std::string& path, std::uint32_t items, std::uint32_t sets)
{
    auto store = std::make_shared<NodeStore>(path);
    NodeStore::NameWriter names(*store);
    std::vector<std::string> texts{"planned", "links"};
    std::vector<NewNode> top(2);
    for (std::size_t i = 0; i < 2; ++i) {
        top[i].name = texts[i];
        top[i].stat.kind = EntryKind::Folder;
        top[i].stat.inode = 10 + i;
    }
    const auto folders = store->append(rootNode, top, names).first;
    const auto fill = [&](NodeId folder, std::uint32_t count, std::uint32_t links) {
        std::vector<std::string> own(count);
        std::vector<NewNode> files(count);
        for (std::uint32_t i = 0; i < count; ++i) {
            own[i] = fmt::format("copy {:06}.wav", i);
            auto& s = files[i].stat;
            files[i].name = own[i];
            s.kind = EntryKind::File;
            s.inode = (links > 1 ? 1'000'000 + i / links : 100'000 + i);
            s.links = links;
            s.size = 40'000;
            s.blocks = 80;
            s.modified = 1'750'000'000;
        }
        store->append(folder, files, names);
    };
    fill(folders, items, 1);
    fill(folders + 1, sets * 2, 2);
    store->seal();
    return std::make_shared<FileTree>(std::move(store));
}

/// Times what happens until nothing is under way.
class Gaps {
public:
    explicit Gaps(Models& models) : models_(models)
    {
        beat_.setInterval(1);
        QObject::connect(&beat_, &QTimer::timeout, [this] { note(); });
        beat_.start();
    }
    void measure(const char* what, int rounds, const std::function<void(int)>& act)
    {
        std::vector<double> all, own;
        for (int i = 0; i < rounds; ++i) {
            settle();
            longest_ = mostWork_ = 0;
            since_.start();
            worked_ = ownTime();
            act(i);
            note();
            settle();
            all.push_back(static_cast<double>(longest_) / 1e6);
            own.push_back(static_cast<double>(mostWork_) / 1e6);
        }
        std::sort(all.begin(), all.end());
        std::sort(own.begin(), own.end());
        fmt::print("{:<32} {:7.1f} ms ({:.1f} to {:.1f}, {} rounds), work {:.1f} ms ({:.1f} to {:.1f})\n", what,
                   all[all.size() / 2], all.front(), all.back(), rounds, own[own.size() / 2], own.front(), own.back());
        std::fflush(stdout);
    }
    void settle()
    {
        do
            QTest::qWait(60);
        while (models_.scans.runningScan() || models_.runner.planJob() ||
               !models_.trees.isIdle(models_.places.place() ? models_.places.place()->id : 0));
    }

private:
    void note()
    {
        longest_ = std::max(longest_, since_.nsecsElapsed());
        since_.start();
        const auto worked = ownTime();
        mostWork_ = std::max(mostWork_, worked - worked_);
        worked_ = worked;
    }
    /// What this thread has computed, in ns.
    static qint64 ownTime()
    {
        timespec t{};
        ::clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
        return qint64(t.tv_sec) * 1'000'000'000 + t.tv_nsec;
    }
    Models& models_;
    QTimer beat_;
    QElapsedTimer since_;
    qint64 longest_ = 0, mostWork_ = 0, worked_ = 0;
};

} // namespace

int main(int argc, char** argv)
{
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM") && qEnvironmentVariableIsEmpty("DISPLAY"))
        qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    const auto items = static_cast<std::uint32_t>(argc > 1 ? std::atoi(argv[1]) : 20'000);
    const auto sets = static_cast<std::uint32_t>(argc > 2 ? std::atoi(argv[2]) : 5'000);
    const std::string data = "/tmp/kurvo-bench-" + std::to_string(QCoreApplication::applicationPid());
    const auto where = data + "-place";
    std::filesystem::create_directory(where);
    {
        MainWindow window(appFolders(false, data));
        window.resize(1280, 800);
        window.show();
        auto& m = window.models();
        Gaps gaps(m);
        m.scans.setScanner(
            [=](const std::string& path, const ScanOptions& options, std::stop_token stop, ScanProgress* progress) {
                auto result = scan(path, options, stop, progress);
                if (result && path == where)
                    result->tree = madeUp(path, items, sets);
                return result;
            });
        m.scans.scanFolder(where);
        gaps.settle();
        const auto place = [&]() -> const Place& { return *m.places.place(); };
        const auto in = [&](const char* folder) {
            return place().tree->sortedChildren(*place().tree->find(where + folder), Measure::Disk);
        };
        const auto linked = in("/links");
        window.setStage(Stage::Clear);
        gaps.measure("plan all of them", 1, [&](int) { m.plan.planAll(in("/planned")); });
        gaps.measure("plan the files with links", 1, [&](int) { m.plan.planAll(in("/links")); });
        gaps.measure("take one off", 21,
                     [&](int i) { m.plan.unplan(std::vector{linked[static_cast<std::size_t>(i)]}); });
        gaps.measure("plan one", 21, [&](int i) { m.plan.planTrash(linked[static_cast<std::size_t>(i)]); });
        for (int i = 0; i < 200; ++i)
            m.plan.planItem(linked[0], {i % 2 != 0 ? Action::Trash : Action::Delete, {}, false});
        gaps.measure("undo, with 200 states", 21, [&](int) { m.plan.undoPlanChange(); });
        gaps.measure("redo", 21, [&](int) { m.plan.redoPlanChange(); });
        gaps.measure("a rescan, with 200 states", 5, [&](int) { m.scans.rescanChanged(), m.scans.rescan(rootNode); });
        window.setStage(Stage::Explore);
        const auto planned = in("/planned");
        gaps.measure("select all", 5, [&](int i) {
            m.cursor.selectAll(planned[static_cast<std::size_t>(i)], {planned.begin(), planned.end()});
        });
        m.cursor.select(noNode);
        gaps.measure("an event of progress", 21, [&](int) { emit m.runner.planJobChanged(); });
    }
    [[maybe_unused]] const int ignored = std::system(("rm -rf " + data + " " + where).c_str());
    return 0;
}
