// SPDX-License-Identifier: GPL-3.0-or-later
// The real main window over a folder of its own, driven by mouse and key.
#pragma once

#include <QCheckBox>
#include <QDialog>
#include <QPushButton>
#include <QRadioButton>
#include <QTest>
#include <QThreadPool>

#include <algorithm>
#include <functional>

#include "app/shell/main_window.h"
#include "support/test_tree.h"

namespace kurvo::test {

struct Window {
    TestFolder t;
    app::AppFolders folders;
    std::unique_ptr<app::MainWindow> window;

    explicit Window(bool demo = false)
    {
        folders.user = t.user();
        folders.data = t / "home/data/kurvo";
        folders.demo = demo;
        open();
    }

    void open()
    {
        window.reset();
        window = std::make_unique<app::MainWindow>(folders);
        window->resize(1280, 800);
        window->show();
        REQUIRE(QTest::qWaitForWindowExposed(window.get()));
        window->activateWindow();
    }

    /// After a dialog: keys are for the active window.
    void activate()
    {
        window->activateWindow();
        REQUIRE(QTest::qWaitForWindowActive(window.get()));
    }

    app::Models& models() { return window->models(); }
    const app::Place* place() { return models().places.place(); }
    NodeId node(const std::string& path) { return place()->tree->find(path).value_or(noNode); }
    std::string selected() { return place()->selection == noNode ? "" : place()->tree->path(place()->selection); }
    std::string focused() { return place()->tree->path(place()->focus); }
    template <typename W>
    W* child(const char* name)
    {
        // The one that is seen, where stages have their own.
        const auto all = window->findChildren<W*>(name);
        REQUIRE_FALSE(all.empty());
        const auto seen = std::find_if(all.begin(), all.end(), [](const W* one) { return one->isVisible(); });
        return seen == all.end() ? all.front() : *seen;
    }
    QString text(const char* label) { return child<QLabel>(label)->text(); }
    QString notice() { return window->findChild<app::NoticeBar*>()->text(); }
    QString pointerLine() { return child<app::PointerLine>("pointerLine")->text(); }

    static bool until(const std::function<bool()>& condition) { return QTest::qWaitFor(condition, 20000); }
    void settle()
    {
        REQUIRE(until([this] {
            const auto& places = models().places.places();
            return !models().scans.runningScan() && !models().runner.planJob() &&
                   std::all_of(places.begin(), places.end(),
                               [this](const auto& p) { return models().trees.isIdle(p->id); });
        }));
        // What was read is put in after the scan has ended; what hangs is not waited for.
        (void)QTest::qWaitFor([] { return QThreadPool::globalInstance()->activeThreadCount() == 0; }, 1000);
        QTest::qWait(30);
    }
    void click(const char* button)
    {
        // As a person would, it waits for the button to be there.
        (void)QTest::qWaitFor(
            [&] { return child<QPushButton>(button)->isVisible() && child<QPushButton>(button)->isEnabled(); }, 5000);
        auto* b = child<QPushButton>(button);
        REQUIRE(b->isVisible());
        REQUIRE(b->isEnabled());
        QTest::mouseClick(b, Qt::LeftButton);
    }
    void key(int key, Qt::KeyboardModifiers modifiers = Qt::NoModifier)
    {
        QTest::keyClick(window.get(), static_cast<Qt::Key>(key), modifiers);
    }
    /// Waits for a dialog of that name.
    template <typename D>
    D* dialog(const char* name)
    {
        D* found = nullptr;
        REQUIRE(until([&] { return (found = window->findChild<D*>(name)) != nullptr && found->isVisible(); }));
        return found;
    }
    bool closed(const char* name)
    {
        return until([&] { return window->findChild<QDialog*>(name) == nullptr; });
    }
    /// Chooses an entry of a button's menu.
    void choose(const char* button, const QString& entry)
    {
        for (auto* action : child<QPushButton>(button)->menu()->actions())
            if (action->text() == entry)
                return action->trigger();
        FAIL("no such entry");
    }
    /// Scans a folder and waits until it is shown.
    void scan(const std::string& path)
    {
        const auto before = place() ? place()->tree : nullptr;
        models().scans.scanFolder(path);
        settle();
        REQUIRE(place());
        REQUIRE(place()->tree != before);
    }
    /// Clicks into the picture where what is at the path is drawn.
    void clickTile(const std::string& path, bool twice = false)
    {
        auto* map = window->exploreStage()->picture();
        const bool drawn = until([&] { return !map->pointOf(node(path)).isNull(); }); // in a moment; ids may change
        INFO(path << ", node " << node(path) << " of " << place()->info.place << ", shown: " << focused() << ", cells "
                  << (map->picture() ? map->picture()->size() : -1) << ", visible " << map->isVisible());
        REQUIRE(drawn);
        const auto at = map->pointOf(node(path));
        QTest::mouseMove(map, at);
        if (twice)
            QTest::mouseDClick(map, Qt::LeftButton, {}, at);
        else
            QTest::mouseClick(map, Qt::LeftButton, {}, at);
    }
};

} // namespace kurvo::test
