// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/find/trash_page.h"

#include <QHeaderView>

#include <algorithm>
#include <set>

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/platform/drives.h"

namespace kurvo::app {

TrashPage::TrashPage(PlanRunner& runner, const AppFolders& folders, QWidget* parent)
    : TablePage(
          tr("What lies in your trash on any drive still takes its space until it is removed for good. Ask before "
             "you empty somebody's trash: some keep things there."),
          {tr("was at"), tr("on disk"), tr("deleted"), tr("drive")}, parent),
      runner_(runner), folders_(folders), back_(addButton(tr("Put back"), "putBack")),
      remove_(addButton(tr("Plan to remove for good"), "removeForGood")),
      all_(addButton(tr("Plan to empty all"), "emptyAll"))
{
    setObjectName("trashPage");
    const int widths[] = {0, 90, 120, 150};
    for (int i = 1; i < 4; ++i)
        table()->setColumnWidth(i, widths[i]);
    table()->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    const auto update = [this] {
        const bool some = !table()->selectionModel()->selectedRows().isEmpty() && !runner_.planJob();
        back_->setEnabled(some);
        remove_->setEnabled(some);
        all_->setEnabled(!rows_.empty() && !runner_.planJob());
    };
    connect(table(), &QTableWidget::itemSelectionChanged, this, update);
    connect(back_, &QPushButton::clicked, this, [this] { runner_.restoreTrashed(chosenItems()); });
    const auto planned = [this] { emit planRequested(); };
    connect(remove_, &QPushButton::clicked, this, [this, planned] { runner_.planRemoval(chosenItems(), planned); });
    connect(all_, &QPushButton::clicked, this, [this, planned] {
        std::vector<TrashFolder> all;
        for (const auto& row : rows_)
            if (std::find(all.begin(), all.end(), row.item.folder) == all.end())
                all.push_back(row.item.folder);
        runner_.planEmptying(all, planned);
    });
    connect(&runner_, &PlanRunner::planJobChanged, this, [this, update] {
        update();
        if (!runner_.planJob() && isVisible())
            refresh();
    });
    update();
}

std::vector<TrashedItem> TrashPage::chosenItems() const
{
    std::vector<TrashedItem> items;
    for (const auto& index : chosen())
        items.push_back(rows_[static_cast<std::size_t>(index.toInt())].item);
    return items;
}

void TrashPage::refresh()
{
    setSettled(false);
    const auto request = ++request_;
    runAsync(
        this,
        [user = folders_.user] {
            std::vector<Row> rows;
            std::set<std::string> seen;
            std::vector<std::pair<std::string, std::string>> places{{user.home, "home"}};
            if (const auto drives = readDrives())
                for (const auto& drive : *drives)
                    places.emplace_back(drive.mountPoint, drive.name);
            for (const auto& [path, name] : places)
                for (const auto& folder : existingTrashFolders(path, user)) {
                    if (!seen.insert(folder.path).second)
                        continue;
                    const auto items = listTrash(folder);
                    const auto files = scan(folder.path + "/files");
                    if (!items)
                        continue;
                    for (const auto& item : *items) {
                        const auto node = files ? files->tree->findChild(rootNode, item.name) : std::nullopt;
                        rows.push_back({item, node ? files->tree->disk(*node) : 0, name});
                    }
                }
            return rows;
        },
        [this, request](const std::vector<Row>& rows) {
            if (request == request_)
                fill(rows);
        });
}

void TrashPage::fill(const std::vector<Row>& rows)
{
    setSettled(true);
    rows_ = rows;
    all_->setEnabled(!rows.empty() && !runner_.planJob());
    std::uint64_t sum = 0;
    for (const auto& row : rows)
        sum += row.disk;
    setFigures(rows.empty() ? tr("empty") : tr("%1, %2").arg(itemsText(rows.size(), "item"), sizeText(sum)));
    if (rows.empty())
        return showEmpty(tr("Your trash is empty on all drives that are mounted."));
    beginRows(static_cast<int>(rows.size()));
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const auto& item = rows[i].item;
        const auto path = item.originalPath.empty() ? tr("%1 (from where is not known)").arg(toText(item.name))
                                                    : toText(item.originalPath);
        setRow(
            static_cast<int>(i),
            {{path, {}, false},
             {sizeText(rows[i].disk), static_cast<qlonglong>(rows[i].disk), true},
             {item.deleted > 0 ? whenText(item.deleted) : tr("not known"), static_cast<qlonglong>(item.deleted), false},
             {toText(rows[i].drive), {}, false}},
            static_cast<int>(i));
    }
    endRows(2, Qt::AscendingOrder); // oldest first
    setSums(tr("%1, %2").arg(itemsText(rows.size(), "item"), sizeText(sum)));
}

} // namespace kurvo::app
