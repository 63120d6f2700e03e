// SPDX-License-Identifier: GPL-3.0-or-later
// window_gap FOLDER: scans the folder in the real window, with Explore open and growing, and prints how long the scan
// took and the longest time in which the event loop did not answer: from the start of the scan until two seconds after
// its end, in which the finished tree is shown and its snapshot saved.
#include <QApplication>
#include <QElapsedTimer>
#include <QTest>
#include <QTimer>

#include <fmt/format.h>

#include "app/shell/main_window.h"

using namespace kurvo::app;

int main(int argc, char** argv)
{
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM") && qEnvironmentVariableIsEmpty("DISPLAY"))
        qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    if (argc != 2) {
        fmt::print(stderr, "usage: window_gap FOLDER\n");
        return 2;
    }
    const std::string data = "/tmp/kurvo-bench-" + std::to_string(QCoreApplication::applicationPid());
    {
        MainWindow window(appFolders(true, data));
        window.resize(1280, 800);
        window.show();
        QTest::qWait(500);
        QElapsedTimer since, whole;
        qint64 longest = 0;
        QTimer beat;
        beat.setInterval(3);
        QObject::connect(&beat, &QTimer::timeout,
                         [&] { longest = std::max(longest, since.nsecsElapsed()), since.start(); });
        since.start();
        whole.start();
        beat.start();
        window.models().scans.scanFolder(argv[1]);
        int looks = 0;
        QObject::connect(&window.models().trees, &TreeUpdater::treeChanged, [&] { ++looks; });
        while (!window.models().places.place())
            QApplication::processEvents(QEventLoop::WaitForMoreEvents);
        window.setStage(Stage::Explore);
        while (window.models().scans.runningScan())
            QApplication::processEvents(QEventLoop::WaitForMoreEvents);
        const auto ended = whole.elapsed();
        QTest::qWait(2000);
        fmt::print(
            "scan {:.3f} s, finished tree shown after {} ms, {} looks; longest gap of the event loop {:.1f} ms\n",
            window.models().places.place()->info.seconds, ended, looks, static_cast<double>(longest) / 1e6);
    }
    [[maybe_unused]] const int ignored = std::system(("rm -rf " + data).c_str());
    return 0;
}
