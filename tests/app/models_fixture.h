// SPDX-License-Identifier: GPL-3.0-or-later
// All models of a window, over a folder of their own, without one.
#pragma once

#include <QStringList>
#include <QTest>

#include <algorithm>
#include <functional>

#include "app/jobs/models.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

namespace kurvo::test {

struct ModelsOf {
    TestFolder t;
    app::Models models;
    QStringList said; ///< all sentences, in their order

    ModelsOf() : models(foldersIn(t))
    {
        QObject::connect(&models.notices, &app::Notices::message, &models.notices,
                         [this](const QString& sentence) { said << sentence; });
        models.runner.recover();
        settle();
    }

    static app::AppFolders foldersIn(const TestFolder& t)
    {
        app::AppFolders folders;
        folders.user = t.user();
        folders.data = t / "home/data/kurvo";
        folders.system = t / "system"; // without packages, unless a test has some
        return folders;
    }

    const app::Place* place() const { return models.places.place(); }
    NodeId node(const std::string& path) const { return place()->tree->find(path).value_or(noNode); }
    bool heard(const char* words) const { return said.join('\n').contains(QLatin1String(words)); }
    static bool until(const std::function<bool()>& condition) { return QTest::qWaitFor(condition, 20000); }
    bool isIdle() const
    {
        const auto& open = models.places.places();
        return !models.scans.runningScan() && !models.runner.planJob() &&
               std::all_of(open.begin(), open.end(), [this](const auto& p) { return models.trees.isIdle(p->id); });
    }
    void settle()
    {
        do { // what ends may begin something else
            REQUIRE(until([this] { return isIdle(); }));
            (void)QTest::qWaitFor([] { return QThreadPool::globalInstance()->activeThreadCount() == 0; }, 1000);
            QTest::qWait(10);
        } while (!isIdle());
    }
    void scan(const std::string& path)
    {
        models.scans.scanFolder(path);
        settle();
        REQUIRE(place());
    }
    /// The scan that runs is held up, once there is one.
    const app::ScanJob* hold()
    {
        const auto* job = models.scans.runningScan();
        REQUIRE(job);
        models.scans.pauseScan(job, true);
        return job;
    }
    /// What the tree shows is what is on the disk, and all that hangs on it is of this tree.
    void agrees()
    {
        const auto fresh = kurvo::scan(place()->info.place);
        REQUIRE(fresh);
        CHECK(describe(*place()->tree) == describe(*fresh->tree));
        for (const auto& item : place()->plan.items())
            if (item.node != noNode)
                CHECK(place()->tree->path(item.node) == item.path);
    }
};

} // namespace kurvo::test
