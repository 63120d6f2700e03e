// SPDX-License-Identifier: GPL-3.0-or-later
// kurvo-random-hands SEED EVENTS: drives the real window at random by mouse, keys, wheel and drags, over the demo,
// while places are opened and closed, scanned again, planned and carried out, and files change below. It ends with 0
// when the window still answers; what a sanitizer finds ends it before. Nothing but a folder made for it is ever
// changed: the window has the demo's data only, dialogs that choose files or confirm are turned away, and a plan is
// carried out by this program itself and only where every item lies in the practice folder.
#include <QApplication>
#include <QDialog>
#include <QDrag>
#include <QFileDialog>
#include <QMenu>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>

#include <malloc.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <random>
#include <utility>

#include <fmt/format.h>

#include "app/services/async.h"
#include "app/shell/main_window.h"
#include "core/base/text.h"
#include "demo/demo_data.h"

using namespace kurvo;
using namespace kurvo::app;
namespace fs = std::filesystem;

namespace {

class Hands {
public:
    Hands(unsigned seed, const std::string& data)
        : random_(seed), window_(appFolders(true, data)), practice_(demo::demoFolders(data).practice),
          snapshots_(demo::demoFolders(data).snapshots)
    {
    }

    int run(unsigned events)
    {
        window_.resize(1280, 800);
        window_.show();
        window_.prepareDemo();
        if (!QTest::qWaitFor([this] { return window_.scanStage()->cards().size() >= 3; }, 120000))
            return 3;
        // What waits in a loop of its own (a drag, a menu) is let go of.
        QTimer watch;
        unsigned seen = 0;
        QObject::connect(&watch, &QTimer::timeout, &window_, [&] {
            if (std::exchange(seen, last_ + 1) != last_ + 1)
                return;
            QDrag::cancel();
            if (auto* popup = QApplication::activePopupWidget())
                popup->close();
            turnAwayDialogs();
        });
        watch.start(150);
        for (unsigned i = 0; i < events; ++i) {
            last_ = i;
            step();
            QTest::qWait(below(8) == 0 ? 15 : 0);
            turnAwayDialogs();
            if (!window_.isVisible())
                window_.show(); // it was closed by key
            if (events >= 5000 && (i + 1) % (events / 10) == 0)
                tellWhatIsHeld(i + 1);
        }
        // It still answers.
        for (const auto& scan : window_.models().scans.scans())
            window_.models().scans.pauseScan(scan.get(), false);
        if (window_.models().runner.planJob())
            window_.models().runner.pausePlanJob(false);
        window_.models().places.closePlace(0);
        window_.setStage(Stage::Scan);
        const bool idle = QTest::qWaitFor(
            [this] { return !window_.models().scans.runningScan() && !window_.models().runner.planJob(); }, 60000);
        fmt::print("{} events, {} places opened, {} rescans, {} runs, {} files changed\n", events, opened_, rescans_,
                   runs_, changed_);
        for (const auto& scan : window_.models().scans.scans())
            fmt::print("still scanning {}{}\n", scan->path, scan->pausedSinceMs != 0 ? ", paused" : "");
        if (const auto* job = window_.models().runner.planJob())
            fmt::print("still at a job of kind {}\n", static_cast<int>(job->kind));
        return idle && !window_.grab().isNull() ? 0 : 3;
    }

private:
    /// With no place open, so that what grows is what is not let go of.
    void tellWhatIsHeld(unsigned events)
    {
        auto& models = window_.models();
        models.scans.stopAll();
        if (models.runner.planJob())
            models.runner.pausePlanJob(false);
        (void)QTest::qWaitFor([&] { return models.scans.scans().empty() && !models.runner.planJob(); }, 20000);
        while (!window_.models().places.places().empty()) {
            const auto before = window_.models().places.places().size();
            window_.models().places.closePlace(0);
            if (window_.models().places.places().size() == before)
                break; // locked by a job
        }
        QTest::qWait(3000);
        std::ifstream in("/proc/self/statm");
        std::size_t all = 0, resident = 0;
        in >> all >> resident;
        const auto entries = [](const char* folder) {
            return std::distance(fs::directory_iterator(folder), fs::directory_iterator());
        };
        const auto heap = ::mallinfo2();
        fmt::print("{} events: {} MiB, of which {} in use on the heap, {} descriptors, {} threads\n", events,
                   resident * static_cast<std::size_t>(::sysconf(_SC_PAGESIZE)) >> 20,
                   (heap.uordblks + heap.hblkhd) >> 20, entries("/proc/self/fd"), entries("/proc/self/task"));
        std::fflush(stdout);
    }
    unsigned below(unsigned most) { return std::uniform_int_distribution<unsigned>(0, most - 1)(random_); }

    QWidget* target()
    {
        if (auto* popup = QApplication::activePopupWidget())
            return popup;
        if (auto* modal = QApplication::activeModalWidget())
            return modal;
        std::vector<QWidget*> all;
        for (auto* widget : window_.findChildren<QWidget*>())
            if (widget->isVisible() && widget->isEnabled() && widget->width() > 0 && widget->window() == &window_)
                all.push_back(widget);
        return all.empty() ? &window_ : all[below(static_cast<unsigned>(all.size()))];
    }
    QPoint pointIn(const QWidget* widget)
    {
        return {static_cast<int>(below(static_cast<unsigned>(std::max(1, widget->width())))),
                static_cast<int>(below(static_cast<unsigned>(std::max(1, widget->height()))))};
    }
    Qt::KeyboardModifiers modifiers()
    {
        const Qt::KeyboardModifiers all[] = {Qt::NoModifier, Qt::NoModifier, Qt::NoModifier, Qt::ShiftModifier,
                                             Qt::ControlModifier};
        return all[below(5)];
    }

    void step()
    {
        const auto kind = below(100);
        auto* widget = target();
        if (kind < 30) {
            QTest::mouseClick(widget, below(6) == 0 ? Qt::RightButton : Qt::LeftButton, modifiers(), pointIn(widget));
        } else if (kind < 35) {
            QTest::mouseDClick(widget, Qt::LeftButton, {}, pointIn(widget));
        } else if (kind < 45) {
            QTest::mouseMove(widget, pointIn(widget));
        } else if (kind < 49) {
            QTest::mousePress(widget, Qt::LeftButton, {}, pointIn(widget));
            QTest::mouseMove(widget, pointIn(widget));
            QTest::mouseRelease(widget, Qt::LeftButton, {}, pointIn(widget));
        } else if (kind < 53) {
            const auto at = pointIn(widget);
            QWheelEvent wheel(at, widget->mapToGlobal(QPointF(at)), {}, {0, below(2) == 0 ? 120 : -120}, Qt::NoButton,
                              modifiers(), Qt::NoScrollPhase, false);
            QApplication::sendEvent(widget, &wheel);
        } else if (kind < 82) {
            key();
        } else if (kind < 84) {
            window_.resize(static_cast<int>(800 + below(900)), static_cast<int>(560 + below(500)));
        } else if (kind < 88) {
            window_.setStage(static_cast<Stage>(below(5)));
        } else {
            work();
        }
    }

    void key()
    {
        static const int keys[] = {Qt::Key_Up,     Qt::Key_Down,    Qt::Key_Left, Qt::Key_Right,     Qt::Key_Tab,
                                   Qt::Key_Return, Qt::Key_Escape,  Qt::Key_Home, Qt::Key_End,       Qt::Key_PageDown,
                                   Qt::Key_Space,  Qt::Key_Delete,  Qt::Key_Menu, Qt::Key_Backspace, Qt::Key_F5,
                                   Qt::Key_F6,     Qt::Key_Backtab, Qt::Key_A,    Qt::Key_C,         Qt::Key_L,
                                   Qt::Key_H,      Qt::Key_W,       Qt::Key_X,    Qt::Key_Z,         Qt::Key_Slash,
                                   Qt::Key_1,      Qt::Key_2,       Qt::Key_3,    Qt::Key_4,         Qt::Key_5};
        auto* focus =
            QApplication::activePopupWidget() ? QApplication::activePopupWidget() : QApplication::focusWidget();
        QTest::keyClick(focus ? focus : &window_, static_cast<Qt::Key>(keys[below(std::size(keys))]), modifiers());
    }

    /// What comes from elsewhere, or takes more than a click.
    void work()
    {
        auto& models = window_.models();
        const auto* place = models.places.place();
        switch (below(9)) {
        case 0: {
            std::vector<std::string> files;
            for (const auto& entry : fs::directory_iterator(snapshots_))
                if (entry.path().string().ends_with(snapshotSuffix))
                    files.push_back(entry.path());
            if (!files.empty() && models.places.places().size() < 5) {
                models.snapshots.open(files[below(static_cast<unsigned>(files.size()))]);
                ++opened_;
            }
            return;
        }
        case 1:
            if (fs::exists(practice_) && models.scans.scans().size() < 3) {
                models.scans.scanFolder(practice_, "Practice folder");
                ++opened_;
            }
            return;
        case 2:
            if (!models.places.places().empty())
                models.places.closePlace(below(static_cast<unsigned>(models.places.places().size())));
            return;
        case 3:
            if (place)
                models.scans.rescan(rootNode), ++rescans_;
            return;
        case 4:
        case 5:
            return change();
        case 6:
            if (place && !place->isGrowing() && place->tree->extent().nodes > 1)
                models.plan.planTrash(1 + below(static_cast<unsigned>(place->tree->extent().nodes) - 1));
            return;
        case 7:
            if (place && mayCarryOut(*place))
                models.runner.carryOutPlan(place->plan.countForGood()), ++runs_;
            return;
        default:
            if (!models.logbook.history().empty() && !models.runner.planJob())
                models.runner.takeBack(models.logbook.history().front().run.id);
        }
    }
    bool mayCarryOut(const Place& place) const
    {
        return !place.fromSnapshot && !place.isGrowing() && !place.plan.empty() &&
               std::all_of(place.plan.items().begin(), place.plan.items().end(), [this](const PlanItem& item) {
                   return isAtOrBelow(item.path, practice_) && item.path != practice_ && item.action == Action::Trash;
               });
    }
    /// Files come, grow and go, as if by other programs.
    void change()
    {
        if (!fs::exists(practice_))
            return;
        std::error_code error;
        const auto folder = practice_ + "/changing/" + std::to_string(below(4));
        fs::create_directories(folder, error);
        const auto file = folder + "/" + std::to_string(below(20));
        if (below(3) == 0)
            fs::remove(file, error);
        else
            std::ofstream(file, std::ios::app) << std::string(below(200000), 'x');
        ++changed_;
    }

    void turnAwayDialogs()
    {
        for (auto* widget : QApplication::topLevelWidgets()) {
            auto* dialog = qobject_cast<QDialog*>(widget);
            const auto* modal = QApplication::activeModalWidget();
            if (!dialog || !dialog->isVisible() || (modal && modal != dialog))
                continue; // nobody gets at one below another
            const auto name = dialog->objectName();
            const bool dangerous = qobject_cast<QFileDialog*>(dialog) || dialog->inherits("QAbstractPrintDialog") ||
                                   name.contains("onfirm") || name.contains("rash") || name.contains("move") ||
                                   name.contains("uard");
            if (dangerous || below(6) == 0)
                dialog->reject();
        }
    }

    std::mt19937 random_;
    MainWindow window_;
    std::string practice_, snapshots_;
    unsigned last_ = 0, opened_ = 0, rescans_ = 0, runs_ = 0, changed_ = 0;
};

} // namespace

int main(int argc, char** argv)
{
    if (argc != 3) {
        fmt::print(stderr, "kurvo-random-hands SEED EVENTS\n");
        return 2;
    }
    QTemporaryDir home;
    // Trash, settings and logbook of its own; no desktop to open anything with.
    for (const auto* name : {"HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_RUNTIME_DIR"})
        qputenv(name, home.path().toUtf8());
    qputenv("DBUS_SESSION_BUS_ADDRESS", "disabled:");
    qputenv("PATH", "/nowhere");
    giveMemoryBack();
    if (!qEnvironmentVariableIsSet("QT_QPA_PLATFORM"))
        qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    QApplication::setQuitOnLastWindowClosed(false);
    return Hands(static_cast<unsigned>(std::stoul(argv[1])), home.path().toStdString() + "/kurvo")
        .run(static_cast<unsigned>(std::stoul(argv[2])));
}
