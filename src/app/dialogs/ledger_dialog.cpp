// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/ledger_dialog.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QPointer>
#include <QVBoxLayout>

#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

GaugeBar::Fill fillOf(LedgerPart part)
{
    switch (part) {
    case LedgerPart::Seen:
        return GaugeBar::Fill::Seen;
    case LedgerPart::InTrash:
        return GaugeBar::Fill::Trash;
    case LedgerPart::Nameless:
    case LedgerPart::Beneath:
    case LedgerPart::Structures:
        return GaugeBar::Fill::Known;
    default:
        return GaugeBar::Fill::NotSeen;
    }
}

} // namespace

LedgerDialog::LedgerDialog(PlaceStore& places, TreeUpdater& trees, RightsReader& rights, QWidget* parent)
    : QDialog(parent), places_(places), trees_(trees), rights_(rights), title_(new QLabel), text_(new QLabel),
      bar_(new GaugeBar), list_(new QTreeWidget), inodes_(new QLabel),
      notRead_(new QPushButton(tr("Unreadable items…"))), again_(new QPushButton(tr("Refresh"))),
      copy_(new QPushButton(tr("Copy the command")))
{
    setWindowTitle(tr("Ledger"));
    setObjectName("ledgerDialog");
    resize(960, 560);
    title_->setProperty("role", "title");
    title_->setObjectName("ledgerTitle");
    text_->setProperty("role", "second");
    text_->setWordWrap(true);
    list_->setObjectName("ledgerList");
    list_->setAccessibleName(tr("Lines of the ledger"));
    list_->setColumnCount(3);
    list_->setHeaderLabels({tr("Part of what is used"), tr("On disk"), tr("How it is known")});
    list_->setTextElideMode(Qt::ElideMiddle);
    list_->header()->setStretchLastSection(true);
    list_->setColumnWidth(0, 260);
    list_->setColumnWidth(1, 90);
    list_->headerItem()->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
    inodes_->setProperty("role", "second");
    inodes_->setObjectName("ledgerInodes");
    inodes_->setWordWrap(true);
    notRead_->setObjectName("ledgerNotRead");
    again_->setObjectName("ledgerAgain");
    auto* close = new QPushButton(tr("Close"));
    close->setDefault(true);

    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(20, 16, 20, 16);
    layout->setSpacing(10);
    layout->addWidget(title_);
    layout->addWidget(text_);
    layout->addWidget(bar_);
    layout->addWidget(list_, 1);
    layout->addWidget(inodes_);
    auto* buttons = new QHBoxLayout;
    buttons->addWidget(notRead_);
    buttons->addWidget(copy_);
    buttons->addStretch();
    buttons->addWidget(again_);
    buttons->addWidget(close);
    layout->addLayout(buttons);
    copy_->setObjectName("ledgerCopy");
    copy_->setEnabled(false);
    connect(list_, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
        copy_->setEnabled(item && !item->data(0, Qt::UserRole).toString().isEmpty());
    });
    connect(copy_, &QPushButton::clicked, this, [this] {
        if (const auto* item = list_->currentItem())
            QGuiApplication::clipboard()->setText(item->data(0, Qt::UserRole).toString());
    });
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
    connect(again_, &QPushButton::clicked, this, &LedgerDialog::write);
    connect(notRead_, &QPushButton::clicked, this, &LedgerDialog::notReadRequested);
    connect(&places_, &PlaceStore::placeChanged, this, &QDialog::reject);
    connect(&trees_, &TreeUpdater::treeChanged, this, &LedgerDialog::write);
    write();
}

void LedgerDialog::write()
{
    const auto* place = places_.place();
    if (!place || place->isGrowing())
        return;
    title_->setText(tr("Ledger of %1").arg(toText(place->wholeDrive ? place->info.placeName : place->info.mountPoint)));
    text_->setText(tr("Adding up what the drive says against what was seen…"));
    again_->setEnabled(false);
    again_->setVisible(!place->fromSnapshot);
    notRead_->setVisible(place->info.unreadable > 0);
    rights_.writeLedger([self = QPointer(this)](const Result<Ledger>& ledger) {
        if (self)
            self->fill(ledger);
    });
}

void LedgerDialog::fill(const Result<Ledger>& ledger)
{
    again_->setEnabled(true);
    list_->clear();
    inodes_->clear();
    if (!ledger) {
        bar_->hide();
        text_->setText(QString::fromStdString(ledger.error().sentence));
        return;
    }
    const auto& c = ledger->capacity;
    const auto used = sizeText(c.used), total = sizeText(c.total), open = sizeText(ledger->unexplained);
    const auto* place = places_.place();
    text_->setText(place && place->fromSnapshot
                       ? tr("%1: %2 of %3 was used. Of that, %4 was not explained.")
                             .arg(whenText(place->info.taken), used, total, open)
                       : tr("%1 of %2 is used. Of that, %3 is not explained.").arg(used, total, open));
    std::vector<GaugeBar::Segment> segments;
    const auto bold = [](QTreeWidgetItem* item) {
        for (int column = 0; column < 2; ++column)
            item->setFont(column, fontOf(13, QFont::DemiBold));
    };
    const auto add = [this](const QString& title, const std::optional<std::uint64_t>& bytes, const QString& evidence,
                            QTreeWidgetItem* above = nullptr) {
        auto* item = above ? new QTreeWidgetItem(above) : new QTreeWidgetItem(list_);
        item->setText(0, title);
        item->setText(1, bytes ? sizeText(*bytes) : above ? QString() : tr("not known"));
        item->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
        item->setText(2, evidence);
        item->setToolTip(0, title);
        item->setToolTip(2, evidence);
        return item;
    };
    for (const auto& line : ledger->lines) {
        auto* item = add(QString::fromStdString(line.title), line.bytes, QString::fromStdString(line.evidence));
        bold(item);
        for (const auto& part : line.items)
            add(toText(part.path), part.bytes, toText(part.note), item);
        // A line whose amount is not known is part of the remainder; what is small opens by itself.
        item->setExpanded(!line.items.empty() && line.items.size() <= 6);
        if (line.bytes && *line.bytes > 0)
            segments.push_back(
                {fillOf(line.part), *line.bytes,
                 QStringLiteral("%1 %2").arg(QString::fromStdString(line.title).toLower(), sizeText(*line.bytes))});
    }
    if (!ledger->outside.empty()) {
        auto* beside = add(tr("Beside what is used"), std::nullopt,
                           tr("Space that could be this drive's; each line has a command to copy."));
        beside->setText(1, {});
        bold(beside);
        for (const auto& line : ledger->outside) {
            auto* item = add(QString::fromStdString(line.title), line.bytes, toText(line.evidence), beside);
            item->setData(0, Qt::UserRole, QString::fromStdString(line.command));
            if (!line.command.empty())
                item->setToolTip(2, QStringLiteral("%1\n$ %2").arg(toText(line.evidence), toText(line.command)));
        }
        beside->setExpanded(true);
    }
    segments.push_back({GaugeBar::Fill::Reserved, c.reserved, tr("reserved %1").arg(sizeText(c.reserved))});
    segments.push_back({GaugeBar::Fill::Free, c.free, tr("free %1").arg(sizeText(c.free))});
    bar_->setSegments(std::move(segments));
    bar_->show();
    if (ledger->inodes) {
        const auto missing = ledger->inodes->missing();
        const auto inUse = countText(ledger->inodes->used);
        inodes_->setText(
            missing == 0
                ? tr("A second check: the filesystem counts %1 inodes in use, and all of them were found.").arg(inUse)
            : missing > 0 ? tr("A second check: the filesystem counts %1 inodes in use; %2 of them were not found.")
                                .arg(inUse, countText(static_cast<std::uint64_t>(missing)))
                          : tr("A second check: the filesystem counts %1 inodes in use; %2 more were found, as "
                               "entries changed meanwhile.")
                                .arg(inUse, countText(static_cast<std::uint64_t>(-missing))));
    }
}

} // namespace kurvo::app
