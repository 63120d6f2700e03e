// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/tell_upkeep.h"

#include <QCoreApplication>
#include <QProcess>
#include <QTimer>

#include "app/services/app_folders.h"
#include "app/services/desktop.h"
#include "app/style/words.h"
#include "core/upkeep/run.h"

namespace kurvo::app {
namespace {

/// All of them, the newest first. What could not be taken back is said.
QString takeBack(const AppFolders& folders, const std::vector<UpkeepNews>& news)
{
    Logbook logbook(joinPath(folders.data, "logbook.db"));
    QStringList problems;
    int back = 0;
    for (auto one = news.rbegin(); one != news.rend(); ++one) {
        if (one->run == 0)
            continue;
        const auto undone = undoRun(logbook, one->run, {}, {{folders.user, folders.data, nullptr}, {}, nullptr});
        if (!undone) {
            problems << QString::fromStdString(undone.error().sentence);
            continue;
        }
        for (const auto& step : *undone)
            if (step.outcome)
                ++back;
            else
                problems << QString::fromStdString(step.outcome.error().sentence);
    }
    const auto done = QObject::tr("%n item(s) back in place.", nullptr, back);
    return problems.isEmpty() ? done : done + QLatin1Char(' ') + problems.front();
}

} // namespace

int tellUpkeep(int argc, char** argv)
{
    const QCoreApplication application(argc, argv);
    QCoreApplication::setApplicationName("kurvo");
    const auto folders = appFolders(false);
    const auto file = joinPath(folders.data, "upkeep.json");
    const auto news = readUpkeepBook(file).news;
    if (news.empty())
        return 0;
    QStringList lines;
    bool undoable = false;
    for (const auto& one : news) {
        lines << QObject::tr("%1: %2").arg(toText(one.rule), QString::fromStdString(one.sentence));
        undoable |= one.run != 0;
    }
    Desktop desktop;
    if (!desktop.hasBus())
        return 1; // the window tells it when it starts
    QObject::connect(&desktop, &Desktop::notificationClosed, &application, &QCoreApplication::quit);
    QObject::connect(&desktop, &Desktop::notificationChosen, &application, [] {
        QProcess::startDetached(QCoreApplication::applicationFilePath(), {});
        QCoreApplication::quit();
    });
    QObject::connect(&desktop, &Desktop::undoChosen, &application, [&] {
        desktop.notify(QObject::tr("Upkeep"), takeBack(folders, news));
        QTimer::singleShot(1000, &application, &QCoreApplication::quit);
    });
    QObject::connect(&desktop, &Desktop::notificationShown, &application, [&] { // what nobody saw is told by the window
        (void)static_cast<bool>(changeUpkeepBook(file, [&news](UpkeepBook& book) {
            book.news.erase(book.news.begin(),
                            book.news.begin() + static_cast<std::ptrdiff_t>(std::min(news.size(), book.news.size())));
        }));
    });
    desktop.notify(QObject::tr("Upkeep"), lines.join(QLatin1Char('\n')),
                   undoable ? QObject::tr("Undo") : QString());
    constexpr int patience = 10 * 60 * 1000;
    QTimer::singleShot(patience, &application, &QCoreApplication::quit);
    return QCoreApplication::exec();
}

} // namespace kurvo::app
