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
      legend_(new Legend(models_.places, models_.trees, models_.cursor, models_.view)), dossier_(new Dossier(models_)),
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
    auto* all = new QPushButton(tr("Show all again"));
    all->setObjectName("showAll");
    all->setProperty("role", "link");
    connect(all, &QPushButton::clicked, &models_.trees, &TreeUpdater::showAll);
    only->addWidget(narrowedBy_, 1);
    only->addWidget(all);
    middle->addWidget(narrowed_);
    pictures_->addWidget(picture_);
    pictures_->addWidget(types_);
    middle->addWidget(pictures_, 1);
    middle->addWidget(legend_);
    sides_ = new SidePanels({descent_, 262}, centre, {dossier_, 272}, 380);

    stack_->addWidget(empty);
    stack_->addWidget(sides_);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    outer->addWidget(stack_);
    connect(descent_, &DescentView::contextRequested, this, &ExploreStage::contextRequested);
    connect(picture_, &PictureView::contextRequested, this, &ExploreStage::contextRequested);
    connect(choose, &PictureBar::takeAlongRequested, this, &ExploreStage::takeAlongRequested);
    listen(this, &ExploreStage::refresh, models_.places, &PlaceStore::placeChanged, models_.cursor,
           &Cursor::focusChanged, models_.trees, &TreeUpdater::treeChanged, models_.trees, &TreeUpdater::shownChanged,
           models_.view, &PlaceView::viewChanged);
    listen(this, &ExploreStage::refreshState, models_.scans, &ScanJobs::scansChanged, models_.places,
           &PlaceStore::changedFoldersChanged);
    refresh();
}

std::vector<QWidget*> ExploreStage::panes()
{
    return {descent_->list(), pictures_->currentIndex() == 1 ? static_cast<QWidget*>(types_->list()) : picture_,
            legend_, dossier_};
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
    const bool types = place->view.picture == PictureKind::Types;
    pictures_->setCurrentIndex(types ? 1 : 0);
    legend_->setVisible(!types);
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
