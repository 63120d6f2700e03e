// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/explore/explore_stage.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/services/listen.h"
#include "app/style/empty_page.h"
#include "app/style/words.h"

namespace kurvo::app {

ExploreStage::ExploreStage(Models& models, QWidget* parent)
    : QWidget(parent), models_(models), state_(new QLabel), notRead_(new QPushButton), changed_(new QPushButton),
      stack_(new QStackedWidget),
      descent_(new DescentView(models_.places, models_.trees, models_.cursor, models_.view, models_.plan)),
      pictures_(new QStackedWidget),
      picture_(new PictureView(models_.places, models_.trees, models_.cursor, models_.view, models_.plan)),
      narrowed_(new QFrame), narrowedBy_(new QLabel),
      types_(new TypesView(models_.places, models_.trees, models_.cursor, models_.view)),
      roles_(new RolesView(models_.places, models_.trees, models_.cursor, models_.view, models_.knowledge)),
      legend_(new Legend(models_.places, models_.trees, models_.cursor, models_.view)), dossier_(new Dossier(models_)),
      leads_(new LeadPanel(models_.leads, models_.places, models_.plan, models_.notices, LeadPanel::Width::Narrow)),
      right_(new QStackedWidget),
      trail_(new Trail(models_.places, models_.trees, models_.cursor, models_.notices, models_.folders))
{
    auto* empty = new EmptyPage(tr("Scan a drive or a folder, or open a snapshot: what fills it will be drawn here."));
    connect(empty, &EmptyPage::scanRequested, this, &ExploreStage::scanRequested);

    auto* centre = new QWidget;
    auto* middle = new QVBoxLayout(centre);
    middle->setContentsMargins(12, 8, 12, 4);
    middle->setSpacing(6);
    auto* state = new QWidget;
    auto* bar = new QHBoxLayout(state);
    bar->setContentsMargins(0, 0, 0, 0);
    bar->setSpacing(6);
    state_->setProperty("role", "warning");
    state_->setObjectName("scanState");
    for (auto* link : {notRead_, changed_})
        link->setProperty("role", "link");
    notRead_->setObjectName("notRead");
    changed_->setObjectName("readChanged");
    changed_->setToolTip(tr("Rescans the folders that have changed since the scan"));
    connect(notRead_, &QPushButton::clicked, this, &ExploreStage::notReadRequested);
    connect(changed_, &QPushButton::clicked, this, &ExploreStage::rescanRequested);
    bar->addWidget(state_);
    bar->addWidget(notRead_);
    bar->addWidget(changed_);
    auto* choose = new PictureBar(models_.places, models_.cursor, models_.view, trail_, state);
    middle->addWidget(choose);
    auto* only = new QHBoxLayout(narrowed_);
    only->setContentsMargins(10, 4, 4, 4);
    narrowed_->setObjectName("narrowed");
    narrowed_->setProperty("role", "notice");
    narrowedBy_->setObjectName("narrowedBy");
    narrowedBy_->setWordWrap(true);
    narrowedBy_->setTextFormat(Qt::RichText);
    auto* all = new QPushButton(tr("Show all again"));
    all->setObjectName("showAll");
    all->setProperty("role", "link");
    connect(all, &QPushButton::clicked, &models_.trees, &TreeUpdater::showAll);
    only->addWidget(narrowedBy_, 1);
    only->addWidget(all);
    middle->addWidget(narrowed_);
    pictures_->addWidget(picture_);
    pictures_->addWidget(types_);
    pictures_->addWidget(roles_);
    middle->addWidget(pictures_, 1);
    middle->addWidget(legend_);
    right_->addWidget(dossier_);
    right_->addWidget(leads_);
    right_->setMinimumWidth(272);
    sides_ = new SidePanels({descent_, 262}, centre, {right_, 272}, 380);

    stack_->addWidget(empty);
    stack_->addWidget(sides_);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    outer->addWidget(stack_);
    connect(descent_, &DescentView::contextRequested, this, &ExploreStage::contextRequested);
    connect(leads_, &LeadPanel::contextRequested, this, &ExploreStage::contextRequested);
    connect(picture_, &PictureView::contextRequested, this, &ExploreStage::contextRequested);
    connect(choose, &PictureBar::takeAlongRequested, this, &ExploreStage::takeAlongRequested);
    listen(this, &ExploreStage::refresh, models_.places, &PlaceStore::placeChanged, models_.cursor,
           &Cursor::focusChanged, models_.trees, &TreeUpdater::treeChanged, models_.trees, &TreeUpdater::shownChanged,
           models_.view, &PlaceView::viewChanged);
    listen(this, &ExploreStage::refreshState, models_.scans, &ScanJobs::scansChanged, models_.places,
           &PlaceStore::changedFoldersChanged);
    listen(this, &ExploreStage::chooseRight, models_.leads, &LeadFinder::leadsChanged, models_.leads,
           &LeadFinder::chosenChanged, models_.cursor, &Cursor::selectionChanged, models_.cursor, &Cursor::focusChanged,
           models_.places, &PlaceStore::placeChanged);
    refresh();
}

/// Nothing is selected, and one is where one began: there is more to say than facts about the root.
void ExploreStage::chooseRight()
{
    const auto* place = models_.places.place();
    const auto* leads = models_.leads.leads();
    const bool nothing = place && place->selection == noNode && place->focus == rootNode;
    const bool wanted = leads && !leads->leads.empty() && (nothing || models_.leads.isSelectedByLead());
    right_->setCurrentWidget(wanted ? static_cast<QWidget*>(leads_) : dossier_);
}

std::vector<QWidget*> ExploreStage::panes()
{
    auto* shown = pictures_->currentWidget();
    return {descent_->list(),
            shown == types_   ? static_cast<QWidget*>(types_->list())
            : shown == roles_ ? static_cast<QWidget*>(roles_->list())
                              : picture_,
            legend_, right_->currentWidget()};
}

void ExploreStage::refreshState()
{
    const auto* place = models_.places.place();
    if (!place)
        return;
    const auto* job = models_.scans.scanOf(*place);
    state_->setVisible(place->isGrowing() || place->info.partial || job);
    state_->setText(job && job->pausedSinceMs != 0 ? tr("scan paused")
                    : place->isGrowing()           ? tr("still growing")
                    : job                          ? tr("reading again…")
                                                   : tr("partial"));
    const auto count = place->info.unreadable;
    notRead_->setVisible(!place->isGrowing() && count > 0);
    notRead_->setText(tr("%1 not read…").arg(countText(count)));
    changed_->setVisible(!place->changed.empty() && !job);
    changed_->setText(tr("%1 changed: rescan").arg(itemsText(place->changed.size(), "folder")));
}

void ExploreStage::refresh()
{
    const auto* place = models_.places.place();
    stack_->setCurrentIndex(place ? 1 : 0);
    if (!place)
        return;
    pictures_->setCurrentIndex(place->view.picture == PictureKind::Types   ? 1
                               : place->view.picture == PictureKind::Roles ? 2
                                                                           : 0);
    legend_->setVisible(!isTable(place->view.picture));
    narrowed_->setVisible(place->narrowing.has_value());
    if (place->narrowing) {
        const auto& found = place->narrowing->tree->sums(rootNode);
        narrowedBy_->setText(
            tr("Only what was found is shown: <b>%1</b>, %2, %3")
                .arg(place->narrowing->words.toHtmlEscaped(), itemsText(found.files, "file"), sizeText(found.disk)));
    }
    refreshState();
}

} // namespace kurvo::app
