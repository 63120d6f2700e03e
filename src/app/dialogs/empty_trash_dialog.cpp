// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/empty_trash_dialog.h"

#include <algorithm>

#include "app/style/words.h"

namespace kurvo::app {

EmptyTrashDialog::EmptyTrashDialog(const Place& place, const std::vector<TrashedItem>& everything, std::uint64_t bytes,
                                   QWidget* parent)
    : AskDialog("emptyTrashDialog", tr("Empty the trash"), parent), onlyOurs_(new QRadioButton), all_(new QRadioButton)
{
    for (const auto& record : place.runs)
        for (const auto& step : record->steps)
            if (step.action == Action::Trash && step.state == StepState::Done)
                ours_.push_back(step.trashed);
    for (const auto& item : everything)
        if (std::find(folders_.begin(), folders_.end(), item.folder) == folders_.end())
            folders_.push_back(item.folder);
    addText(tr("Plan to empty the trash"), "heading");
    onlyOurs_->setText(tr("Only what was put there from this place: %1, %2")
                           .arg(itemsText(ours_.size(), "item"), sizeText(place.bytesInTrash())));
    onlyOurs_->setObjectName("onlyOurs");
    const bool dated = !everything.empty() && everything.front().deleted > 0;
    all_->setText(
        (dated ? tr("Everything in the trash of this drive: %1, %2, the oldest from %3")
                     .arg(itemsText(everything.size(), "item"), sizeText(bytes), whenText(everything.front().deleted))
               : tr("Everything in the trash of this drive: %1, %2")
                     .arg(itemsText(everything.size(), "item"), sizeText(bytes))));
    all_->setObjectName("everything");
    onlyOurs_->setEnabled(!ours_.empty());
    all_->setEnabled(!everything.empty());
    (ours_.empty() ? all_ : onlyOurs_)->setChecked(true);
    add(onlyOurs_);
    add(all_);
    addText(tr("Nothing is removed yet: it goes onto the plan. Carried out, it cannot be undone."), "second");
    auto* remove = new QPushButton(tr("Add to the plan"));
    remove->setObjectName("remove");
    remove->setEnabled(!ours_.empty() || !everything.empty());
    addWays(tr("Keep everything"), "keep", remove, false);
}

} // namespace kurvo::app
