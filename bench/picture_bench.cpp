// SPDX-License-Identifier: GPL-3.0-or-later
// picture_bench [FILES]: the treemap of a million files laid out and painted at 1200x700, and what an event of the
// pointer costs in the real widget. Medians.
#include <QApplication>
#include <QElapsedTimer>
#include <QMouseEvent>

#include <algorithm>
#include <cstdlib>
#include <functional>

#include <fmt/format.h>

#include "app/main_window.h"
#include "bench/big_tree.h"

using namespace kurvo;
using namespace kurvo::app;

namespace {

double medianOf(int runs, const std::function<void()>& work)
{
    std::vector<double> times;
    for (int i = 0; i < runs; ++i) {
        QElapsedTimer timer;
        timer.start();
        work();
        times.push_back(static_cast<double>(timer.nsecsElapsed()) / 1e6);
    }
    std::sort(times.begin(), times.end());
    return times[times.size() / 2];
}

} // namespace

int main(int argc, char** argv)
{
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    const auto files = argc > 1 ? static_cast<std::uint32_t>(std::atoi(argv[1])) : 1000000u;
    const auto tree = bench::bigTree(files);
    const auto dominant = dominantFamilies(*tree);
    const Plan plan;
    std::size_t tiles = 0;
    const auto drawn = medianOf(21, [&] {
        const Treemap map(*tree, rootNode, {0, 0, 1200, 700});
        tiles = map.tiles().size();
        QImage image(1200, 700, QImage::Format_RGB32);
        QPainter painter(&image);
        TreemapPainter(*tree, *dominant, plan, Measure::Disk).paint(painter, map);
    });
    fmt::print("lay out and paint {} files at 1200x700: {:.1f} ms ({} tiles)\n", files, drawn, tiles);

    // The same tree in the real window, through a snapshot file; the pointer crosses the treemap.
    const std::string data = "/tmp/kurvo-bench-" + std::to_string(QCoreApplication::applicationPid());
    if (!makeFolders(data) || !writeSnapshot(data + "/big.kurvo", {}, *tree))
        return 3;
    AppFolders folders = appFolders(true, data);
    MainWindow window(folders);
    window.resize(1736, 800); // gives the treemap about 1200 x 700
    window.show();
    window.session().openSnapshot(data + "/big.kurvo");
    while (!window.session().place())
        QApplication::processEvents(QEventLoop::WaitForMoreEvents);
    QApplication::processEvents();
    auto* map = window.exploreStage()->treemap();
    map->grab();
    double x = 10;
    const auto hover = medianOf(400, [&] {
        x = x > map->width() - 10 ? 10 : x + 11.7;
        const QPointF at(x, 20 + std::fmod(x * 3.1, map->height() - 40.0));
        QMouseEvent move(QEvent::MouseMove, at, map->mapToGlobal(at), Qt::NoButton, Qt::NoButton, Qt::NoModifier);
        QApplication::sendEvent(map, &move);
        QApplication::processEvents(); // the repaint belongs to it
    });
    fmt::print("pointer event with its repaint, treemap {}x{}: {:.2f} ms\n", map->width(), map->height(), hover);
    [[maybe_unused]] const int ignored = std::system(("rm -r " + data).c_str());
    return 0;
}
