// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/scan/earlier_list.h"

#include <QPushButton>
#include <QScrollArea>

#include <algorithm>

#include "app/style/mnemonics.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {

EarlierList::EarlierList(QWidget* parent) : QWidget(parent), links_(new QVBoxLayout), note_(new QLabel)
{
    auto* title = new QLabel(tr("Recent snapshots"));
    title->setProperty("role", "small");
    note_->setProperty("role", "second");
    note_->setWordWrap(true);
    links_->setSpacing(2);
    auto* box = new QWidget;
    auto* outer = new QVBoxLayout(box);
    outer->setContentsMargins(0, 0, 0, 0);
    outer->addLayout(links_);
    outer->addStretch();
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(box);
    scroll->setAccessibleName(title->text());
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addWidget(title);
    layout->addWidget(note_);
    layout->addWidget(scroll, 1);
}

void EarlierList::show(const Catalogue& catalogue)
{
    while (auto* item = links_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    constexpr std::size_t most = 40;
    for (std::size_t i = 0; i < std::min(most, catalogue.entries.size()); ++i) {
        const auto& entry = catalogue.entries[i];
        const auto when =
            entry.info.partial ? tr("%1, partial").arg(whenText(entry.info.taken)) : whenText(entry.info.taken);
        const auto font = fontOf(13);
        const auto name =
            cutMiddle(toText(entry.info.placeName), font, 250 - QFontMetrics(font).horizontalAdvance(when));
        auto* link = new QPushButton(QStringLiteral("%1   %2").arg(asRead(name), when));
        link->setProperty("role", "link");
        link->setObjectName("earlier");
        link->setToolTip(tr("%1, %2 in %3")
                             .arg(toText(entry.info.place), sizeText(entry.info.diskBytes),
                                  itemsText(entry.info.entries, "entry", "entries")));
        connect(link, &QPushButton::clicked, this, [this, path = entry.path] { emit openWanted(path); });
        links_->addWidget(link);
    }
    QStringList notes;
    if (catalogue.entries.empty())
        notes << tr("Every finished scan is kept here as a snapshot and can be opened again.");
    if (catalogue.entries.size() > most)
        notes << tr("The newest %1 of %2; open older ones as files.")
                     .arg(countText(most), countText(catalogue.entries.size()));
    if (!catalogue.damaged.empty())
        notes << tr("%1 cannot be read and left out: %2")
                     .arg(itemsText(catalogue.damaged.size(), "file"),
                          QString::fromStdString(catalogue.damaged[0].sentence));
    note_->setText(notes.join(QLatin1Char('\n')));
    note_->setVisible(!notes.isEmpty());
}

} // namespace kurvo::app
