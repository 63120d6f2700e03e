// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/find/held_open_page.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QHeaderView>

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/platform/open_files.h"

namespace kurvo::app {

HeldOpenPage::HeldOpenPage(PlaceStore& places, Notices& notices, QWidget* parent)
    : TablePage(
          tr("These files were deleted, but a program has them open: their space comes free when it closes them."),
          {tr("was"), tr("on disk"), tr("program"), tr("pid"), tr("user"), tr("held by"), tr("how to free it")},
          parent),
      places_(places), notices_(notices)
{
    setObjectName("heldOpenPage");
    const int widths[] = {0, 90, 120, 70, 90, 90, 250};
    for (int i = 1; i < 7; ++i)
        table()->setColumnWidth(i, widths[i]);
    table()->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    auto* again = addButton(tr("Look again"), "lookAgain");
    connect(again, &QPushButton::clicked, this, &HeldOpenPage::refresh);
    auto* copy = addButton(tr("Copy the command"), "copyRestart");
    copy->setEnabled(false);
    const auto commands = [this] {
        QStringList lines;
        for (const auto& command : chosen())
            if (!command.toString().isEmpty() && !lines.contains(command.toString()))
                lines << command.toString();
        return lines.join(QLatin1Char('\n'));
    };
    connect(copy, &QPushButton::clicked, this, [this, commands] {
        QGuiApplication::clipboard()->setText(commands());
        notices_.say(tr("Copied: %1").arg(commands()));
    });
    connect(table(), &QTableWidget::itemSelectionChanged, copy,
            [copy, commands] { copy->setEnabled(!commands().isEmpty()); });
}

void HeldOpenPage::refresh()
{
    const auto* place = places_.place();
    if (!place)
        return;
    if (!places_.isThisMachine(*place)) {
        setFigures(tr("only for this machine"));
        return showEmpty(tr("What programs hold open can only be seen on the machine itself. This is a scan of %1.")
                             .arg(toText(place->info.host)));
    }
    setSettled(false);
    const auto request = ++request_;
    struct Row {
        NamelessFile file;
        std::string user;
    };
    struct Found {
        std::vector<Row> rows;
        NamelessFiles files;
        std::string problem;
    };
    runAsync(
        this,
        [mount = place->info.mountPoint] {
            Found found;
            auto read = readNamelessFiles(mount);
            if (!read) {
                found.problem = read.error().sentence;
                return found;
            }
            for (const auto& file : read->files)
                found.rows.push_back({file, userName(file.uid)});
            found.files = std::move(*read);
            return found;
        },
        [this, request](const Found& found) {
            if (request != request_)
                return;
            setSettled(true);
            const auto hidden = found.files.notLookedInto > 0
                                    ? tr("%n program(s) of other users could not be examined; the ledger with "
                                         "administrator rights can.",
                                         nullptr, static_cast<int>(found.files.notLookedInto))
                                    : QString();
            if (!found.problem.empty())
                return showEmpty(QString::fromStdString(found.problem));
            setFigures(found.rows.empty()
                           ? tr("none")
                           : tr("%1, %2").arg(itemsText(found.rows.size(), "file"), sizeText(found.files.disk())));
            if (found.rows.empty())
                return showEmpty(QStringList({tr("No program holds a deleted file of this drive open."), hidden})
                                     .join(' ')
                                     .trimmed());
            beginRows(static_cast<int>(found.rows.size()));
            int row = 0;
            for (const auto& [file, user] : found.rows)
                setRow(row++,
                       {{toText(file.path), {}, false},
                        {sizeText(file.disk), static_cast<qlonglong>(file.disk), true},
                        {toText(file.program), {}, false},
                        {QString::number(file.pid), static_cast<qlonglong>(file.pid), false},
                        {toText(user), {}, false},
                        {itemsText(file.holders, "process", "processes"), static_cast<qlonglong>(file.holders), false},
                        {file.restart.empty() ? tr("quit the program") : toText(file.restart), {}, false}},
                       toText(file.restart), toText(file.path));
            endRows(1, Qt::DescendingOrder);
            setSums(tr("%1, %2, free once their programs end. %3")
                        .arg(itemsText(found.rows.size(), "file"), sizeText(found.files.disk()), hidden));
        });
}

} // namespace kurvo::app
