// SPDX-License-Identifier: GPL-3.0-or-later
// window_gap FOLDER: scans the folder in the real window and prints the longest time in which its event loop did not
// answer, from the start of the scan until the treemap is drawn and for two seconds after, while the snapshot is saved.
#include <QApplication>
#include <QElapsedTimer>
#include <QTest>
#include <QTimer>

#include <fmt/format.h>

#include "app/main_window.h"

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
        beat.setInterval(1);
        QObject::connect(&beat, &QTimer::timeout,
                         [&] { longest = std::max(longest, since.nsecsElapsed()), since.start(); });
        since.start();
        whole.start();
        beat.start();
        window.session().scanFolder(argv[1]);
        while (!window.session().place())
            QApplication::processEvents(QEventLoop::WaitForMoreEvents);
        const auto shown = whole.elapsed();
        QTest::qWait(2000);
        fmt::print("shown after {} ms; longest gap of the event loop {:.1f} ms\n", shown,
                   static_cast<double>(longest) / 1e6);
    }
    [[maybe_unused]] const int ignored = std::system(("rm -rf " + data).c_str());
    return 0;
}
