// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/move_dialog.h"

#include <QFile>

#include "app/dialogs/choose.h"
#include "app/services/async.h"
#include "app/style/words.h"
#include "core/base/patience.h"

namespace kurvo::app {

MoveDialog::MoveDialog(PlaceStore& places, std::size_t count, std::uint64_t bytes, const QString& lastFolder,
                       bool lastLink, QWidget* parent)
    : AskDialog("moveDialog", tr("Move to another drive"), parent), places_(places), bytes_(bytes),
      drives_(new QListWidget), folder_(new QLineEdit), room_(nullptr),
      link_(new QCheckBox(tr("Leave a link at the old path, so that programs still find it"))),
      plan_(new QPushButton(tr("Add to the plan")))
{
    addText(tr("Move %1, %2, to").arg(itemsText(count, "item"), sizeText(bytes)), "heading");
    drives_->setObjectName("moveDrives");
    drives_->setAccessibleName(tr("Other drives"));
    drives_->setFixedHeight(112);
    add(drives_);
    auto* line = new QWidget;
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(0, 0, 0, 0);
    auto* choose = new QPushButton(tr("Choose…"));
    choose->setAutoDefault(false);
    folder_->setObjectName("moveFolder");
    folder_->setPlaceholderText(tr("A folder on another drive"));
    row->addWidget(folder_, 1);
    row->addWidget(choose);
    add(line);
    room_ = addText(tr("Nothing is moved before you carry the plan out."), "second");
    room_->setObjectName("moveRoom");
    link_->setObjectName("moveLink");
    link_->setChecked(lastLink);
    add(link_);
    plan_->setObjectName("movePlan");
    plan_->setEnabled(false);
    addWays(tr("Cancel"), "moveCancel", plan_, false);
    connect(drives_, &QListWidget::currentItemChanged, this, [this](const QListWidgetItem* item) {
        if (item)
            folder_->setText(item->data(Qt::UserRole).toString());
    });
    connect(folder_, &QLineEdit::textChanged, this, &MoveDialog::look);
    connect(choose, &QPushButton::clicked, this, [this] {
        chooseFolder(this, tr("Move to"), folder_->text(),
                     [this](const std::string& chosen) { folder_->setText(QFile::decodeName(chosen.c_str())); });
    });
    runAsync(
        this,
        [place = places_.place()->info.place] {
            const auto mount = mountPointOf(place);
            const auto drives = readDrives();
            return std::pair(drives ? *drives : std::vector<Drive>(), mount ? *mount : std::string());
        },
        [this](const std::pair<std::vector<Drive>, std::string>& read) { showDrives(read.first, read.second); });
    folder_->setText(lastFolder);
    folder_->setFocus();
}

void MoveDialog::showDrives(const std::vector<Drive>& drives, const std::string& sourceMount)
{
    sourceMount_ = sourceMount;
    for (const auto& drive : drives) {
        if (drive.mountPoint == sourceMount || drive.readOnly || drive.kind == DeviceKind::Memory)
            continue;
        auto* item = new QListWidgetItem(tr("%1    %2 free of %3    %4")
                                             .arg(toText(drive.name), sizeText(drive.capacity.free),
                                                  sizeText(drive.capacity.total), toText(drive.mountPoint)));
        item->setData(Qt::UserRole, QFile::decodeName(drive.mountPoint.c_str()));
        if (drive.capacity.free < bytes_)
            item->setToolTip(tr("Not enough free space."));
        drives_->addItem(item);
    }
    if (drives_->count() == 0) {
        auto* item = new QListWidgetItem(tr("No other drive is there. Plug one in, or type a folder below."));
        item->setFlags(Qt::NoItemFlags);
        drives_->addItem(item);
    }
    look();
}

/// Whether the folder will do, as far as can be said before the check. Asks the disk elsewhere.
void MoveDialog::look()
{
    plan_->setEnabled(false);
    const auto request = ++request_;
    const auto typed = QFile::encodeName(folder_->text().trimmed()).toStdString();
    if (typed.empty())
        return room_->setText(tr("Nothing is moved before you carry the plan out."));
    struct Seen {
        std::string folder, mount, problem;
        Capacity capacity;
    };
    runAsync(
        this,
        [typed] {
            const auto asked = askWithin(std::chrono::seconds(5), [typed] {
                Seen seen;
                if (!typed.starts_with('/')) {
                    seen.problem = "Give the whole path, from the root.";
                    return seen;
                }
                const auto folder = canonicalPath(typed);
                if (!folder) {
                    seen.problem = folder.error().sentence;
                    return seen;
                }
                const auto opened = openFolder(*folder);
                const auto mount = mountPointOf(*folder);
                const auto capacity = readCapacity(*folder);
                if (!opened || !mount || !capacity) {
                    seen.problem = !opened  ? opened.error().sentence
                                   : !mount ? mount.error().sentence
                                            : capacity.error().sentence;
                    return seen;
                }
                return Seen{*folder, *mount, {}, *capacity};
            });
            Seen late;
            late.problem = "That drive does not answer.";
            return asked.value_or(late);
        },
        [this, request](const Seen& seen) {
            if (request != request_)
                return;
            if (!seen.problem.empty())
                return room_->setText(QString::fromStdString(seen.problem));
            if (seen.mount == sourceMount_)
                return room_->setText(tr("That folder is on the same drive: nothing would come free there."));
            destination_ = seen.folder;
            const auto left = seen.capacity.free > bytes_ ? seen.capacity.free - bytes_ : 0;
            room_->setText(left > 0 ? tr("%1 free there now, %2 afterwards. Nothing is moved before you carry the plan "
                                         "out.")
                                          .arg(sizeText(seen.capacity.free), sizeText(left))
                                    : tr("Only %1 is free there.").arg(sizeText(seen.capacity.free)));
            plan_->setEnabled(left > 0);
        });
}

} // namespace kurvo::app
