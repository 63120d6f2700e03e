// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/gauge.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QVBoxLayout>

#include <algorithm>

#include "app/services/listen.h"
#include "app/style/mnemonics.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {

Gauge::Gauge(PlaceStore& places, TreeUpdater& trees, PlanModel& planModel, QWidget* parent)
    : QFrame(parent), places_(places), trees_(trees), planModel_(planModel), place_(new QPushButton),
      facts_(new CutLabel(11)), bar_(new GaugeBar), free_(new QLabel), note_(new QLabel),
      emptyTrash_(new QPushButton(tr("empty trash…")))
{
    setProperty("role", "panel");
    setObjectName("gauge");
    setFixedHeight(68);

    auto* left = new QVBoxLayout;
    place_->setProperty("role", "place");
    place_->setObjectName("place");
    place_->setMenu(new QMenu(place_));
    connect(place_->menu(), &QMenu::aboutToShow, this, &Gauge::fillPlaceMenu);
    facts_->setContentsMargins(1, 0, 0, 0);
    left->setSpacing(0);
    left->addStretch();
    left->addWidget(place_, 0, Qt::AlignLeft);
    left->addWidget(facts_);
    left->addStretch();
    auto* leftBox = new QWidget;
    leftBox->setLayout(left);
    leftBox->setFixedWidth(262);
    left->setContentsMargins(14, 0, 0, 0);

    auto* right = new QVBoxLayout;
    right->setContentsMargins(0, 8, 18, 8);
    right->setSpacing(0);
    free_->setProperty("role", "title");
    free_->setObjectName("free");
    free_->setTextFormat(Qt::RichText);
    free_->setAlignment(Qt::AlignRight);
    note_->setProperty("role", "small");
    note_->setObjectName("freeNote");
    note_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    emptyTrash_->setProperty("role", "link");
    emptyTrash_->setObjectName("emptyTrash");
    emptyTrash_->setFont(fontOf(11));
    auto* noteLine = new QHBoxLayout;
    noteLine->setSpacing(2);
    noteLine->addStretch();
    noteLine->addWidget(note_);
    noteLine->addWidget(emptyTrash_);
    right->addStretch();
    right->addWidget(free_);
    right->addLayout(noteLine);
    right->addStretch();

    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(18);
    layout->addWidget(leftBox);
    auto* middle = new QVBoxLayout;
    middle->addStretch();
    middle->addWidget(bar_);
    middle->addStretch();
    layout->addLayout(middle, 1);
    layout->addLayout(right);

    connect(emptyTrash_, &QPushButton::clicked, this, &Gauge::emptyTrashRequested);
    connect(bar_, &GaugeBar::explainRequested, this, &Gauge::ledgerRequested);
    listen(this, &Gauge::update, planModel_, &PlanModel::destinationsChanged, places_, &PlaceStore::placeChanged,
           trees_, &TreeUpdater::treeChanged, planModel_, &PlanModel::planChanged, places_,
           &PlaceStore::capacityChanged);
    update();
}

void Gauge::fillPlaceMenu()
{
    auto* menu = place_->menu();
    menu->clear();
    const auto& places = places_.places();
    for (std::size_t i = 0; i < places.size(); ++i) {
        const auto& info = places[i]->info;
        const auto when = places[i]->isGrowing() ? tr("being scanned")
                          : info.partial         ? tr("%1, partial").arg(whenText(info.taken))
                                                 : whenText(info.taken);
        auto* action =
            menu->addAction(asRead(toText(info.placeName)) + "   " + when, [this, i] { places_.showPlace(i); });
        action->setCheckable(true);
        action->setChecked(places[i].get() == places_.place());
    }
    if (places.empty()) {
        menu->addAction(tr("No place is open"))->setEnabled(false);
        return;
    }
    menu->addSeparator();
    menu->addAction(tr("Close %1").arg(asRead(toText(places_.place()->info.placeName))), [this] {
        for (std::size_t i = 0; i < places_.places().size(); ++i)
            if (places_.places()[i].get() == places_.place())
                return places_.closePlace(i);
    });
}

void Gauge::update()
{
    const auto* place = places_.place();
    emptyTrash_->setVisible(place && place->bytesInTrash() > 0);
    bar_->setVisible(place != nullptr);
    if (!place) {
        place_->setText(tr("No place open"));
        facts_->setText(tr("Scan a drive or a folder"));
        bar_->setSegments({});
        free_->clear();
        note_->clear();
        return;
    }
    const auto& info = place->info;
    const auto name = cutMiddle(toText(info.placeName), fontOf(15, QFont::DemiBold), 200);
    place_->setText(asRead(name) + QStringLiteral("  ▾"));
    QStringList facts;
    if (!place->isTogether())
        facts << QString();
    if (!info.filesystem.empty() && place->wholeDrive)
        facts << toText(info.filesystem);
    facts << (place->isGrowing()    ? tr("being scanned")
              : place->isTogether() ? tr("%n place(s) together", nullptr, static_cast<int>(place->parts.size()))
              : place->fromSnapshot ? tr("snapshot of %1").arg(whenText(info.taken))
                                    : tr("scanned %1").arg(whenText(info.taken)));
    bar_->setExplains(place->hasLedger());
    if (info.partial && !place->isGrowing())
        facts << tr("partial");
    facts_->setText(place->isTogether() ? QString() : toText(info.place), facts.join(QStringLiteral(" · ")));
    bar_->setSegments(gaugeSegments(*place));

    const auto trash = place->bytesInTrash() - place->bytesOfTrashPlanned();
    const auto onlyEmptied = trash + place->plan.plannedBytes(Action::Trash);
    const auto& c = place->capacity;
    const auto accent = theme().accent.name();
    if (place->freeAfter() > c.free)
        free_->setText(tr("%1 free <span style='color:%3'>→ %2</span>")
                           .arg(sizeText(c.free), sizeText(place->freeAfter()), accent));
    else
        free_->setText(c.total > 0 ? tr("%1 free").arg(sizeText(c.free)) : QString());
    QStringList coming;
    for (const auto& destination : place->destinations)
        if (destination.capacity.total > 0)
            coming << tr("%1 %2 → %3")
                          .arg(toText(destination.name), sizeText(destination.capacity.free),
                               sizeText(destination.capacity.free -
                                        std::min(destination.capacity.free, destination.coming)));
    // Of several drives each has its own.
    QStringList each;
    for (const auto& part : place->parts) {
        const auto after = place->freeAfter(part);
        each << (after > part.capacity.free
                     ? tr("%1: %2 → %3 free").arg(part.name, sizeText(part.capacity.free), sizeText(after))
                     : tr("%1: %2 free of %3")
                           .arg(part.name, sizeText(part.capacity.free), sizeText(part.capacity.total)));
    }
    free_->setToolTip(each.join(QLatin1Char('\n')));
    note_->setToolTip((coming + each).join(QLatin1Char('\n')));
    if (!coming.isEmpty())
        note_->setText(coming.size() == 1 ? coming.first() : tr("after the plan, on %1 drives").arg(coming.size() + 1));
    else if (trash > 0)
        note_->setText(tr("%1 in the trash, not free yet ·").arg(sizeText(trash)));
    else if (place->freeAfter() > c.free)
        note_->setText(onlyEmptied > 0 ? tr("after the plan, once the trash is emptied") : tr("after the plan"));
    else
        note_->setText(c.total > 0 ? tr("of %1").arg(sizeText(c.total)) : QString());
}

} // namespace kurvo::app
