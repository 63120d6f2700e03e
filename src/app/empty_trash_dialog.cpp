// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/empty_trash_dialog.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/words.h"

namespace kurvo::app {

EmptyTrashDialog::EmptyTrashDialog(const Place& place, std::vector<TrashedItem> everything, std::uint64_t bytes,
                                   QWidget* parent)
    : QDialog(parent), everything_(std::move(everything)), onlyOurs_(new QRadioButton), all_(new QRadioButton)
{
    setWindowTitle(tr("Empty the trash"));
    setObjectName("emptyTrashDialog");
    std::uint64_t ourBytes = 0;
    for (const auto& run : place.runs)
        for (const auto& item : run.items)
            if (item.state == ClearedItem::State::InTrash) {
                ours_.push_back(item.trashed);
                ourBytes += item.item.disk;
            }
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(20, 18, 20, 16);
    layout->setSpacing(10);
    auto* title = new QLabel(tr("Remove from the trash for good?"));
    title->setProperty("role", "heading");
    layout->addWidget(title);
    onlyOurs_->setText(
        tr("Only what was put there from this place: %1, %2").arg(itemsText(ours_.size(), "item"), sizeText(ourBytes)));
    onlyOurs_->setObjectName("onlyOurs");
    QString oldest;
    if (!everything_.empty() && everything_.front().deleted > 0)
        oldest = tr(", the oldest from %1").arg(whenText(everything_.front().deleted));
    all_->setText(tr("Everything in the trash of this drive: %1, %2%3")
                      .arg(itemsText(everything_.size(), "item"), sizeText(bytes), oldest));
    all_->setObjectName("everything");
    onlyOurs_->setEnabled(!ours_.empty());
    all_->setEnabled(!everything_.empty());
    (ours_.empty() ? all_ : onlyOurs_)->setChecked(true);
    layout->addWidget(onlyOurs_);
    layout->addWidget(all_);
    auto* warning = new QLabel(tr("This cannot be undone. Undo works only while things are in the trash."));
    warning->setProperty("role", "warning");
    layout->addWidget(warning);
    auto* buttons = new QHBoxLayout;
    auto* keep = new QPushButton(tr("Keep everything"));
    keep->setObjectName("keep");
    auto* remove = new QPushButton(tr("Remove for good"));
    remove->setObjectName("remove");
    remove->setProperty("role", "danger");
    remove->setAutoDefault(false);
    remove->setEnabled(!ours_.empty() || !everything_.empty());
    keep->setDefault(true);
    buttons->addStretch();
    buttons->addWidget(keep);
    buttons->addWidget(remove);
    layout->addSpacing(6);
    layout->addLayout(buttons);
    connect(keep, &QPushButton::clicked, this, &QDialog::reject);
    connect(remove, &QPushButton::clicked, this, &QDialog::accept);
    keep->setFocus();
}

std::vector<TrashedItem> EmptyTrashDialog::chosen() const
{
    return all_->isChecked() ? everything_ : ours_;
}

} // namespace kurvo::app
