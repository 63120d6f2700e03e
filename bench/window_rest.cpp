// SPDX-License-Identifier: GPL-3.0-or-later
// window_rest FOLDER [RESCANS]: the real window over a large folder. Prints how long it takes from the start of the
// program to a window that answers, the longest time in which the event loop did not answer in each stage, and the
// memory held: after the scan, after all stages, after that many rescans (15), and after the place was closed.
#include <QApplication>
#include <QElapsedTimer>
#include <QTest>
#include <QThreadPool>
#include <QTimer>

#include <unistd.h>

#include <fstream>

#include <fmt/format.h>

#include "app/services/async.h"
#include "app/shell/main_window.h"

using namespace kurvo::app;

namespace {

double residentMiB()
{
    std::ifstream in("/proc/self/statm");
    std::size_t all = 0, resident = 0;
    in >> all >> resident;
    return static_cast<double>(resident) * static_cast<double>(::sysconf(_SC_PAGESIZE)) / (1 << 20);
}

/// The longest time between two beats.
class Beat {
public:
    Beat()
    {
        timer_.setInterval(2);
        QObject::connect(&timer_, &QTimer::timeout, [this] {
            longest_ = std::max(longest_, since_.nsecsElapsed());
            since_.start();
        });
        since_.start();
        timer_.start();
    }
    double takeMs()
    {
        const double ms = static_cast<double>(std::exchange(longest_, 0)) / 1e6;
        since_.start();
        return ms;
    }

private:
    QTimer timer_;
    QElapsedTimer since_;
    qint64 longest_ = 0;
};

void settle(MainWindow& window)
{
    QTest::qWait(100);
    while (window.models().scans.runningScan() || !window.models().scans.scans().empty() ||
           QThreadPool::globalInstance()->activeThreadCount() > 0)
        QTest::qWait(20);
    QTest::qWait(2500); // what is let go of goes back to the system a moment later
}

} // namespace

int main(int argc, char** argv)
{
    QElapsedTimer start;
    start.start();
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM") && qEnvironmentVariableIsEmpty("DISPLAY"))
        qputenv("QT_QPA_PLATFORM", "offscreen");
    giveMemoryBack();
    QApplication application(argc, argv);
    if (argc < 2) {
        fmt::print(stderr, "usage: window_rest FOLDER [RESCANS]\n");
        return 2;
    }
    const std::string data = "/tmp/kurvo-bench-" + std::to_string(QCoreApplication::applicationPid());
    {
        MainWindow window(appFolders(true, data));
        window.resize(1280, 800);
        window.show();
        (void)QTest::qWaitForWindowExposed(&window);
        QCoreApplication::processEvents();
        fmt::print("start to a window that answers: {} ms; {:.0f} MiB\n", start.elapsed(), residentMiB());
        Beat beat;
        auto& models = window.models();
        beat.takeMs();
        models.scans.scanFolder(argv[1]);
        settle(window);
        fmt::print("scan: longest gap {:.0f} ms; {:.0f} MiB\n", beat.takeMs(), residentMiB());
        const std::pair<Stage, const char*> stages[] = {{Stage::Scan, "Scan"},
                                                        {Stage::Explore, "Explore"},
                                                        {Stage::Find, "Find"},
                                                        {Stage::Compare, "Compare"},
                                                        {Stage::Clear, "Clear"}};
        for (int round = 0; round < 2; ++round)
            for (const auto& [stage, name] : stages) {
                beat.takeMs();
                window.setStage(stage);
                QTest::qWait(1500);
                fmt::print("{}{}: longest gap {:.0f} ms\n", name, round == 0 ? "" : " again", beat.takeMs());
            }
        settle(window);
        fmt::print("after all stages: {:.0f} MiB\n", residentMiB());
        const int rescans = argc > 2 ? std::atoi(argv[2]) : 15;
        for (int i = 0; i < rescans; ++i) {
            models.scans.rescan(kurvo::rootNode);
            settle(window);
            if (i == 0 || i == 4)
                fmt::print("after {} rescans: {:.0f} MiB\n", i + 1, residentMiB());
        }
        fmt::print("after {} rescans: {:.0f} MiB, longest gap {:.0f} ms\n", rescans, residentMiB(), beat.takeMs());
        models.places.closePlace(0);
        settle(window);
        fmt::print("closed: {:.0f} MiB\n", residentMiB());
    }
    return std::system(("rm -rf " + data).c_str()) == 0 ? 0 : 1;
}
