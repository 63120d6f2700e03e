// SPDX-License-Identifier: GPL-3.0-or-later
// picture_bench [FILES [PLACES]]: what the pictures of Explore cost on a million files: laid out and painted at
// 1200x700, what an event of the pointer costs in the real widget, a change of measure, colour or depth until it is on
// the screen, the table of types, and the descent of a folder with 200,000 children. Medians. With PLACES as many
// places of FILES / PLACES files each, looked at together.
#include <QApplication>
#include <QElapsedTimer>
#include <QMouseEvent>
#include <QScrollBar>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <functional>

#include <fmt/format.h>

#include "app/shell/main_window.h"
#include "bench/big_tree.h"
#include "core/explore/type_table.h"
#include "core/scan/join.h"

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

void until(const std::function<bool()>& there)
{
    while (!there())
        QApplication::processEvents(QEventLoop::WaitForMoreEvents);
}

void open(MainWindow& window, const std::string& file)
{
    window.models().snapshots.open(file);
    until([&] { return window.models().places.place() && window.models().places.place()->snapshotFile == file; });
    QApplication::processEvents();
    window.exploreStage()->picture()->grab();
}

/// Some time in which whatever goes on in the background comes to its end.
void settle()
{
    QElapsedTimer timer;
    timer.start();
    while (timer.elapsed() < 400)
        QApplication::processEvents(QEventLoop::AllEvents, 50);
}

} // namespace

int main(int argc, char** argv)
{
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    const auto files = argc > 1 ? static_cast<std::uint32_t>(std::atoi(argv[1])) : 1000000u;
    const auto places = argc > 2 ? static_cast<std::uint32_t>(std::atoi(argv[2])) : 1u;
    std::vector<std::shared_ptr<const FileTree>> trees;
    for (std::uint32_t i = 0; i < places; ++i)
        trees.push_back(bench::bigTree(files / places, "/big" + std::to_string(i)));
    auto tree = trees.front();
    if (places > 1)
        fmt::print("{} places together: {:.0f} ms\n", places, medianOf(3, [&] {
                       tree = joinTrees("together", {trees.begin(), trees.end()});
                   }));
    Place place;
    place.tree = tree;
    place.dominant = dominantFamilies(*tree);
    place.scheme = std::make_shared<Scheme>(tree, place.dominant);
    for (const auto kind : {PictureKind::Treemap, PictureKind::Sunburst}) {
        place.view.picture = kind;
        int cells = 0;
        const auto drawn = medianOf(21, [&] {
            const auto picture = layOutPicture(place, {1200, 700});
            cells = picture->size();
            QImage image(1200, 700, QImage::Format_RGB32);
            QPainter painter(&image);
            picture->paint(painter, CellColours(place, Measure::Disk));
        });
        const auto picture = layOutPicture(place, {1200, 700});
        double x = 0;
        const auto hits = medianOf(21, [&] {
            for (int i = 0; i < 1000; ++i) {
                x = std::fmod(x + 7.3, 1200);
                [[maybe_unused]] const volatile int at = picture->at({x, std::fmod(x * 3.1, 700)});
            }
        });
        fmt::print("{} of {} files laid out and painted at 1200x700: {:.1f} ms ({} cells); hit test {:.4f} ms\n",
                   kind == PictureKind::Treemap ? "treemap" : "sunburst", files, drawn, cells, hits / 1000);
    }
    fmt::print("table of types: {:.1f} ms\n", medianOf(11, [&] { typeTable(*tree, rootNode, Measure::Disk); }));

    // The same in the real window, through snapshot files.
    const std::string data = "/tmp/kurvo-bench-" + std::to_string(QCoreApplication::applicationPid());
    const auto fileOf = [&](std::size_t i) { return data + "/big" + std::to_string(i) + ".kurvo"; };
    for (std::size_t i = 0; i < trees.size(); ++i)
        if (!makeFolders(data) || !writeSnapshot(fileOf(i), {}, *trees[i]))
            return 3;
    const AppFolders folders = appFolders(true, data);
    {
        MainWindow window(folders);
        window.resize(1736, 830); // gives the picture about 1200 x 700
        window.show();
        for (std::size_t i = 0; i < trees.size(); ++i)
            open(window, fileOf(i));
        if (places > 1) {
            window.models().together.join(window.models().together.joinable());
            while (!window.models().places.place()->isTogether())
                QApplication::processEvents(QEventLoop::WaitForMoreEvents);
            settle();
        }
        auto* view = window.exploreStage()->picture();
        view->setMotion(false);
        auto& models = window.models();
        for (const auto kind : {PictureKind::Treemap, PictureKind::Sunburst}) {
            models.view.setPicture(kind);
            settle();
            view->grab();
            double x = 10;
            const auto hover = medianOf(400, [&] {
                x = x > view->width() - 10 ? 10 : x + 11.7;
                const QPointF at(x, 20 + std::fmod(x * 3.1, view->height() - 40.0));
                QMouseEvent move(QEvent::MouseMove, at, view->mapToGlobal(at), Qt::NoButton, Qt::NoButton,
                                 Qt::NoModifier);
                QApplication::sendEvent(view, &move);
                QApplication::processEvents(); // the repaint belongs to it
            });
            int turn = 0;
            const auto measure = medianOf(9, [&] {
                models.view.setMeasure(++turn % 2 != 0 ? Measure::Files : Measure::Disk);
                QApplication::processEvents();
            });
            settle();
            const auto depth = medianOf(9, [&] {
                models.view.setDepth(++turn % 2 != 0 ? 3 : 6);
                QApplication::processEvents();
            });
            settle();
            // Until the new colours are on the screen; they are worked out off the interface thread.
            const auto colour = medianOf(9, [&] {
                const auto by = ++turn % 2 != 0 ? ColourBy::Age : ColourBy::Hidden;
                models.view.setColour(by);
                until([&] { return models.places.place()->scheme->by() == by; });
                QApplication::processEvents();
            });
            models.view.setColour(ColourBy::Family);
            settle();
            fmt::print("{} {}x{} in the window: pointer event with repaint {:.2f} ms, measure {:.1f}, depth {:.1f}, "
                       "colour {:.1f} ms\n",
                       kind == PictureKind::Treemap ? "treemap" : "sunburst", view->width(), view->height(), hover,
                       measure, depth, colour);
        }
        // A folder with 200,000 equal children.
        if (!writeSnapshot(data + "/flat.kurvo", {}, *bench::flatTree(200000)))
            return 3;
        open(window, data + "/flat.kurvo");
        auto* descent = window.exploreStage()->descent();
        const auto node = models.places.place()->tree->find("/flat/many").value_or(rootNode);
        const auto opened = medianOf(7, [&] {
            models.cursor.setFocus(node);
            QApplication::processEvents();
            models.cursor.setFocus(rootNode);
        });
        models.cursor.setFocus(node);
        QApplication::processEvents();
        auto* list = descent->list();
        const auto rest = list->model()->index(list->model()->rowCount() - 1, 0);
        QElapsedTimer timer;
        timer.start();
        emit list->doubleClicked(rest);
        const auto blocked = static_cast<double>(timer.nsecsElapsed()) / 1e6;
        until([&] { return list->model()->rowCount() >= 200000; });
        const auto all = static_cast<double>(timer.nsecsElapsed()) / 1e6;
        list->scrollToTop();
        const auto scroll = medianOf(200, [&] {
            list->verticalScrollBar()->setValue(list->verticalScrollBar()->value() + 900);
            QApplication::processEvents();
        });
        fmt::print("descent of 200,000 children opens in {:.1f} ms; all listed after {:.0f} ms, of which the window "
                   "waits {:.1f}; a page scrolled {:.2f} ms\n",
                   opened, all, blocked, scroll);
    }
    [[maybe_unused]] const int ignored = std::system(("rm -r " + data).c_str());
    return 0;
}
