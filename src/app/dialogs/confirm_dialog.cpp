// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/confirm_dialog.h"

#include <QCheckBox>
#include <QHeaderView>
#include <QTreeWidget>

#include <algorithm>

#include "app/style/hold_button.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {

ConfirmDialog::ConfirmDialog(For reason, const PlanState& items, QWidget* parent, const QString& digest)
    : AskDialog("confirmDialog", reason == For::Rights ? tr("Administrator rights") : tr("Delete for good"), parent)
{
    std::uint64_t bytes = 0;
    for (const auto& item : PlanItems(items))
        if (isForGood(item.action)) {
            ++forGood_;
            bytes += item.disk;
        }
    const auto counted = tr("%1, %2").arg(itemsText(forGood_, "item"), sizeText(bytes));
    if (reason == For::Rights)
        addText(tr("%1 with administrator rights?").arg(itemsText(items.size(), "item")), "heading");
    else
        addText(tr("Delete %1, for good?").arg(counted), "heading");
    auto* list = new QTreeWidget;
    list->setObjectName("confirmList");
    list->setRootIsDecorated(false);
    list->setColumnCount(3);
    list->setHeaderLabels({tr("what"), tr("on disk"), tr("happens")});
    list->setSelectionMode(QAbstractItemView::NoSelection);
    list->setFocusPolicy(Qt::NoFocus);
    for (const auto& item : PlanItems(items)) {
        if (reason == For::ForGood && !isForGood(item.action))
            continue;
        auto* row = new QTreeWidgetItem({toText(item.path), sizeText(item.disk), intentText(item)});
        row->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
        row->setToolTip(0, toText(item.path));
        list->addTopLevelItem(row);
    }
    list->setTextElideMode(Qt::ElideMiddle);
    list->header()->setStretchLastSection(false);
    list->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    list->headerItem()->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
    list->setColumnWidth(1, 84);
    list->setColumnWidth(2, 150);
    list->setMinimumWidth(620);
    list->setFixedHeight(std::min(240, 34 + 24 * list->topLevelItemCount()));
    add(list);
    if (reason == For::Rights) {
        addText(tr("These are changed as administrator once your password was given, and nothing else is. The logbook "
                   "has each step, as always."),
                "second");
        addText(tr("Digest of this list: %1. The command that the password is asked for shows one that begins with it.")
                    .arg(digest),
                "second");
    }
    if (forGood_ == 0) {
        auto* go = new QPushButton(tr("Resume"));
        go->setObjectName("confirm");
        addWays(tr("Cancel"), "notNow", go, false);
        return;
    }
    addText(tr("Neither Kurvo nor the trash can bring this back."), "warning");
    auto* known = new QCheckBox(tr("Yes, delete %1, for good").arg(counted));
    known->setObjectName("confirmCount");
    add(known);
    auto* hold = new HoldButton(tr("Hold to delete %1").arg(itemsText(forGood_, "item")));
    hold->setObjectName("confirm");
    connect(known, &QCheckBox::toggled, hold, [hold, count = forGood_](bool ticked) {
        hold->setUnlocked(ticked);
        hold->setText(ticked ? tr("Delete %1").arg(itemsText(count, "item"))
                             : tr("Hold to delete %1").arg(itemsText(count, "item")));
    });
    addWays(tr("Cancel"), "notNow", hold);
}

} // namespace kurvo::app
