// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/not_read_dialog.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>

#include <algorithm>

#include "app/services/listen.h"
#include "app/style/words.h"
#include "core/base/text.h"

namespace kurvo::app {

NotReadDialog::NotReadDialog(PlaceStore& places, TreeUpdater& trees, RightsReader& rights, QWidget* parent)
    : QDialog(parent), places_(places), trees_(trees), rights_(rights), title_(new QLabel), text_(new QLabel),
      list_(new QTreeWidget), terminal_(new QWidget), command_(new QLineEdit), status_(new QLabel),
      read_(new QPushButton(tr("Read them with administrator rights"))), stop_(new QPushButton(tr("Stop")))
{
    setWindowTitle(tr("Could not be read"));
    setObjectName("notReadDialog");
    resize(720, 480);
    title_->setProperty("role", "title");
    text_->setProperty("role", "second");
    text_->setWordWrap(true);
    list_->setObjectName("notReadList");
    list_->setAccessibleName(tr("Folders and entries that could not be read"));
    list_->setColumnCount(2);
    list_->setHeaderLabels({tr("Path"), tr("Reason")});
    list_->setRootIsDecorated(false);
    list_->setUniformRowHeights(true);
    list_->setTextElideMode(Qt::ElideMiddle);
    list_->header()->setStretchLastSection(false);
    list_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    list_->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    auto* terminalText = new QLabel(tr("Nobody here can be asked for administrator rights. Run this in a terminal; "
                                       "what it finds is added as soon as it has finished:"));
    terminalText->setWordWrap(true);
    command_->setReadOnly(true);
    command_->setObjectName("terminalCommand");
    command_->setAccessibleName(tr("Command for a terminal"));
    auto* copy = new QPushButton(tr("Copy"));
    connect(copy, &QPushButton::clicked, this, [this] { QGuiApplication::clipboard()->setText(command_->text()); });
    auto* terminalLayout = new QVBoxLayout(terminal_);
    terminalLayout->setContentsMargins(0, 0, 0, 0);
    auto* commandLine = new QHBoxLayout;
    commandLine->addWidget(command_, 1);
    commandLine->addWidget(copy);
    terminalLayout->addWidget(terminalText);
    terminalLayout->addLayout(commandLine);
    terminal_->hide();
    status_->setProperty("role", "second");
    status_->setObjectName("rightsStatus");
    status_->setMinimumWidth(1); // a long folder must not widen the dialog
    read_->setProperty("role", "primary");
    read_->setObjectName("readWithRights");
    stop_->setObjectName("stopRights");
    auto* close = new QPushButton(tr("Close"));
    close->setObjectName("closeNotRead");

    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(20, 16, 20, 16);
    layout->setSpacing(10);
    layout->addWidget(title_);
    layout->addWidget(text_);
    layout->addWidget(list_, 1);
    layout->addWidget(terminal_);
    layout->addStretch();
    auto* buttons = new QHBoxLayout;
    buttons->addWidget(status_, 1);
    buttons->addWidget(stop_);
    buttons->addWidget(read_);
    buttons->addWidget(close);
    layout->addLayout(buttons);
    connect(read_, &QPushButton::clicked, &rights_, &RightsReader::readWithRights);
    connect(stop_, &QPushButton::clicked, &rights_, &RightsReader::stopReadingWithRights);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
    connect(&rights_, &RightsReader::rightsChanged, this, &NotReadDialog::showJob);
    connect(&rights_, &RightsReader::terminalNeeded, this, &NotReadDialog::showTerminal);
    listen(this, &NotReadDialog::fill, places_, &PlaceStore::placeChanged, trees_, &TreeUpdater::treeChanged, rights_,
           &RightsReader::readingEnded);
    fill();
    showJob();
}

void NotReadDialog::fill()
{
    const auto* place = places_.place();
    list_->clear();
    if (!place)
        return reject();
    struct Row {
        QString path;
        QString reason;
    };
    std::vector<Row> rows;
    for (const auto& u : place->unreadable)
        rows.push_back({toText(u.path), QString::fromStdString(systemErrorText(u.sysError))});
    if (place->unreadable.empty() && place->fromSnapshot) {
        const auto& tree = *place->tree;
        tree.forEachBelow(rootNode, [&](NodeId node) {
            if (tree.store().has(node, FlagUnreadable) && rows.size() < 1000)
                rows.push_back({toText(tree.path(node)), tr("not read when it was scanned")});
        });
    }
    QList<QTreeWidgetItem*> items;
    for (const auto& row : rows) {
        auto* item = new QTreeWidgetItem({row.path, row.reason});
        item->setToolTip(0, row.path);
        items << item;
    }
    list_->addTopLevelItems(items);
    list_->setVisible(!items.isEmpty());
    const auto count = std::max<std::uint64_t>(place->info.unreadable, rows.size());
    title_->setText(count == 0   ? tr("Everything was read")
                    : count == 1 ? tr("One folder or entry could not be read")
                                 : tr("%1 folders and entries could not be read").arg(countText(count)));
    text_->setText(count == 0 ? (place->readWithRights ? tr("What needed administrator rights was read with them.")
                                                       : tr("Nothing is missing from the figures of this place."))
                              : tr("What is in them is missing from all figures, and is drawn dotted."));
    showJob();
}

void NotReadDialog::showJob()
{
    const auto* place = places_.place();
    const auto* job = rights_.rightsJob();
    const bool ours = job && place && job->placeId == place->id;
    stop_->setVisible(ours);
    read_->setEnabled(place && !job && !place->fromSnapshot && !place->isGrowing() && list_->topLevelItemCount() > 0);
    read_->setToolTip(place && place->fromSnapshot ? tr("This is a snapshot from a file.") : QString());
    if (!job)
        terminal_->hide();
    if (!ours)
        status_->clear();
    else if (terminal_->isVisible())
        status_->setText(tr("Waiting for the command in the terminal…"));
    else if (job->progress.entries == 0)
        status_->setText(tr("Waiting for your password…"));
    else
        status_->setText(tr("%1, %2 · %3")
                             .arg(itemsText(job->progress.entries, "entry", "entries"),
                                  sizeText(job->progress.diskBytes), toText(job->progress.folder)));
}

void NotReadDialog::showTerminal(const QString& command)
{
    command_->setText(command);
    command_->setCursorPosition(0);
    terminal_->show();
    showJob();
}

} // namespace kurvo::app
