// SPDX-License-Identifier: GPL-3.0-or-later
// window_gap FOLDER [HELPER...]: scans the folder in the real window, with Explore open and growing, and prints how
// long the scan took, when the first picture with something in it was painted, and the longest time in which the event
// loop did not answer: from the start of the scan until two seconds after its end, in which the finished tree is shown
// and its snapshot saved. With a command for a helper it is a scan with administrator rights.
#include <QApplication>
#include <QElapsedTimer>
#include <QPaintEvent>
#include <QTest>
#include <QTimer>

#include <fmt/format.h>

#include "app/pictures/picture_view.h"
#include "app/shell/main_window.h"

using namespace kurvo::app;

namespace {

/// Notes when a picture with something in it is painted for the first time.
class FirstPicture : public QObject {
public:
    explicit FirstPicture(MainWindow& window) : window_(window) { since_.start(); }
    qint64 milliseconds = -1;

protected:
    bool eventFilter(QObject* what, QEvent* event) override
    {
        const auto* place = window_.models().places.place();
        if (milliseconds < 0 && event->type() == QEvent::Paint && qobject_cast<PictureView*>(what) && place &&
            place->tree->sums(kurvo::rootNode).files > 0)
            milliseconds = since_.elapsed();
        return false;
    }

private:
    MainWindow& window_;
    QElapsedTimer since_;
};

} // namespace

int main(int argc, char** argv)
{
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM") && qEnvironmentVariableIsEmpty("DISPLAY"))
        qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    if (argc < 2) {
        fmt::print(stderr, "usage: window_gap FOLDER [HELPER...]\n");
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
        window.models().rights.setHelperCommand({argv + 2, argv + argc});
        FirstPicture first(window);
        application.installEventFilter(&first);
        window.models().scans.scanFolder(argv[1], {}, {}, argc > 2);
        int looks = 0;
        QObject::connect(&window.models().trees, &TreeUpdater::treeChanged, [&] { ++looks; });
        while (!window.models().places.place())
            QApplication::processEvents(QEventLoop::WaitForMoreEvents);
        // As a click does, in an event of its own.
        QTimer::singleShot(0, &window, [&] { window.setStage(Stage::Explore); });
        while (window.models().scans.runningScan())
            QApplication::processEvents(QEventLoop::WaitForMoreEvents);
        const auto ended = whole.elapsed();
        QTest::qWait(2000);
        fmt::print(
            "scan {:.3f} s{}, first picture after {} ms, finished tree shown after {} ms, {} looks; longest gap of the "
            "event loop {:.1f} ms\n",
            window.models().places.place()->info.seconds,
            window.models().places.place()->account ? " from the tables" : "", first.milliseconds, ended, looks,
            static_cast<double>(longest) / 1e6);
    }
    [[maybe_unused]] const int ignored = std::system(("rm -rf " + data).c_str());
    return 0;
}
