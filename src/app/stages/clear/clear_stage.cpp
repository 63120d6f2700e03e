// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/clear/clear_stage.h"

#include <QHBoxLayout>
#include <QMouseEvent>

#include <QScrollArea>
#include <utility>

#include <algorithm>

#include "app/dialogs/confirm_dialog.h"
#include "app/services/listen.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

enum Page { PlanPage, EmptyPage, RunPage };

QPushButton* wideButton(const QString& text, const char* name)
{
    auto* button = new QPushButton(text);
    button->setObjectName(name);
    return button;
}

} // namespace

ClearStage::ClearStage(Models& models, QWidget* parent)
    : QWidget(parent), models_(models), model_(new PlanRows(models.places, models.knowledge, this)), title_(new QLabel),
      checked_(new QLabel), head_(new QWidget), stack_(new QStackedWidget), columns_(new PlanColumns),
      list_(new QListView), emptyText_(new QLabel), run_(new RunView(models_.places, models_.runner, models_.logbook)),
      driveName_(new QLabel), before_(new QLabel), after_(new QLabel), afterNote_(new QLabel), bar_(new GaugeBar),
      destinations_(new QLabel), carryOut_(wideButton({}, "carryOut")), rights_(wideButton({}, "carryOutWithRights")),
      check_(wideButton(tr("Check again"), "check")), save_(wideButton(tr("Save the plan for review…"), "savePlan")),
      job_(new JobCard(models_.runner)), logbookTitle_(new QLabel(tr("Logbook"))), logbook_(new QVBoxLayout)
{
    title_->setProperty("role", "title");
    title_->setObjectName("planTitle");
    checked_->setProperty("role", "second");
    checked_->setObjectName("planChecked");
    auto* left = new QVBoxLayout;
    left->setContentsMargins(22, 16, 22, 16);
    auto* head = new QHBoxLayout(head_);
    head->setContentsMargins(0, 0, 0, 0);
    head->addWidget(title_);
    head->addStretch();
    head->addWidget(checked_);
    left->addWidget(head_);
    stack_->addWidget(makePlanPage());
    stack_->addWidget(makeEmptyPage());
    stack_->addWidget(run_);
    left->addWidget(stack_, 1);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addLayout(left, 1);
    side_ = makeSide();
    layout->addWidget(side_);

    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Clear"));
    connect(run_, &RunView::backRequested, this, &ClearStage::showPlan);
    connect(run_, &RunView::emptyTrashRequested, this, &ClearStage::emptyTrashRequested);
    connect(run_, &RunView::reportRequested, this, &ClearStage::reportRequested);
    listen(this, &ClearStage::refresh, models_.places, &PlaceStore::placeChanged, models_.plan, &PlanModel::planChanged,
           models_.trees, &TreeUpdater::treeChanged, models_.view, &PlaceView::marksChanged);
    listen(this, &ClearStage::refreshFigures, models_.places, &PlaceStore::capacityChanged, models_.plan,
           &PlanModel::destinationsChanged);
    // After the change was drawn.
    checkNext_.setSingleShot(true);
    checkNext_.setInterval(0);
    connect(&models_.plan, &PlanModel::planChanged, &checkNext_, qOverload<>(&QTimer::start));
    connect(&checkNext_, &QTimer::timeout, this, &ClearStage::checkWhatIsNew);
    connect(&models_.runner, &PlanRunner::planJobChanged, this, &ClearStage::refreshButtons);
    connect(&models_.logbook, &LogbookModel::historyChanged, this, &ClearStage::refreshLogbook);
    connect(&models_.runner, &PlanRunner::runEnded, this, [this](std::int64_t run) {
        if (models_.places.place() && models_.places.place()->plan.empty())
            showRun(run); // nothing is left to do but to look at the result
    });
    refresh();
    refreshLogbook();
}

void ClearStage::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    constexpr int narrow = 860;
    auto* head = static_cast<QBoxLayout*>(head_->layout());
    head->setDirection(width() < narrow ? QBoxLayout::TopToBottom : QBoxLayout::LeftToRight);
    head->setSpacing(width() < narrow ? 0 : 6);
    side_->setFixedWidth(width() < narrow ? 264 : 300);
}

QWidget* ClearStage::makePlanPage()
{
    list_->setObjectName("plan");
    list_->setAccessibleName(tr("Planned items"));
    list_->setModel(model_);
    list_->setItemDelegate(new PlanRow(this));
    list_->setUniformItemSizes(true);
    list_->setMouseTracking(true);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->viewport()->installEventFilter(this);
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(columns_);
    layout->addWidget(list_);
    connect(columns_, &PlanColumns::sortChosen, this, [this](PlanSort sort) {
        model_->setSort(sort);
        refresh();
    });
    connect(list_->selectionModel(), &QItemSelectionModel::currentChanged, this, [this](const QModelIndex& index) {
        if (const auto* item = model_->itemAt(index.row()); item && item->node != noNode)
            models_.cursor.select(item->node);
    });
    connect(list_, &QListView::doubleClicked, this, [this](const QModelIndex& index) {
        const auto* item = model_->itemAt(index.row());
        if (!item || item->node == noNode)
            return;
        models_.cursor.reveal(item->node);
        emit exploreRequested();
    });
    return page;
}

QWidget* ClearStage::makeEmptyPage()
{
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 6, 0, 0);
    emptyText_->setWordWrap(true);
    emptyText_->setProperty("role", "second");
    auto* explore = new QPushButton(tr("Go to Explore"));
    connect(explore, &QPushButton::clicked, this, &ClearStage::exploreRequested);
    layout->addWidget(emptyText_);
    layout->addSpacing(8);
    layout->addWidget(explore, 0, Qt::AlignLeft);
    layout->addStretch();
    return page;
}

QWidget* ClearStage::makeSide()
{
    auto* card = new QFrame;
    card->setProperty("role", "card");
    auto* cardLayout = new QVBoxLayout(card);
    cardLayout->setContentsMargins(16, 12, 16, 12);
    cardLayout->setSpacing(3);
    driveName_->setProperty("role", "small");
    before_->setProperty("role", "second");
    after_->setProperty("role", "big");
    after_->setObjectName("freeAfter");
    afterNote_->setProperty("role", "small");
    afterNote_->setObjectName("freeAfterNote");
    afterNote_->setWordWrap(true);
    destinations_->setObjectName("destinations");
    destinations_->setWordWrap(true);
    bar_->setMaximumHeight(28);
    for (auto* widget : std::initializer_list<QWidget*>{driveName_, after_, afterNote_, bar_, before_, destinations_})
        cardLayout->addWidget(widget);
    carryOut_->setProperty("role", "primary");
    carryOut_->setMinimumHeight(42);
    logbookTitle_->setProperty("role", "small");

    auto* side = new QVBoxLayout;
    side->setContentsMargins(0, 18, 20, 12);
    side->setSpacing(8);
    for (auto* widget : std::initializer_list<QWidget*>{card, carryOut_, rights_, check_, save_, job_})
        side->addWidget(widget);
    side->addSpacing(4);
    side->addWidget(logbookTitle_);
    auto* lines = new QWidget;
    lines->setObjectName("logbookLines");
    auto* linesLayout = new QVBoxLayout(lines);
    linesLayout->setContentsMargins(0, 0, 0, 0);
    linesLayout->addLayout(logbook_);
    linesLayout->addStretch();
    logbook_->setSpacing(0);
    auto* area = new QScrollArea;
    area->setWidget(lines);
    area->setWidgetResizable(true);
    area->setFrameShape(QFrame::NoFrame);
    area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    area->setFocusPolicy(Qt::NoFocus);
    side->addWidget(area, 1);
    auto* box = new QWidget;
    box->setLayout(side);
    box->setMinimumWidth(264);
    box->setMaximumWidth(300);

    connect(carryOut_, &QPushButton::clicked, this, &ClearStage::carryOut);
    connect(rights_, &QPushButton::clicked, this, &ClearStage::carryOutWithRights);
    connect(check_, &QPushButton::clicked, this, [this] { models_.runner.checkPlan(); });
    connect(save_, &QPushButton::clicked, this, &ClearStage::savePlanRequested);
    return box;
}

void ClearStage::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    if (stack_->currentIndex() == RunPage && models_.places.place() && !models_.places.place()->plan.empty()) {
        stack_->setCurrentIndex(PlanPage); // something was planned since that run was looked at
        refresh();
    }
    checkWhatIsNew();
}

/// What is on the plan is checked without being asked for, as far as it was not yet.
void ClearStage::checkWhatIsNew()
{
    const auto* place = models_.places.place();
    if (!place || !isVisible() || models_.runner.planJob())
        return;
    if (place->unchecked() > 0)
        models_.runner.checkPlan(PlanRunner::Check::New);
}

void ClearStage::showRun(std::int64_t run)
{
    run_->show(run);
    stack_->setCurrentIndex(RunPage);
    head_->setVisible(false);
    run_->steps()->setFocus();
}

void ClearStage::showPlan()
{
    stack_->setCurrentIndex(PlanPage); // refresh() leaves a run that is looked at alone
    refresh();
    list_->setFocus();
}

/// What goes for good is asked for once, for all of it; everything else can be taken back.
void ClearStage::carryOut()
{
    const auto* place = models_.places.place();
    if (!place)
        return;
    setFocus(); // the button is about to be disabled and must not pass the focus on to anything
    if (place->plan.countForGood() == 0)
        return models_.runner.carryOutPlan();
    auto* dialog = new ConfirmDialog(ConfirmDialog::For::ForGood, *place->plan.state(), this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, dialog] { models_.runner.carryOutPlan(dialog->forGood()); });
    dialog->open();
}

void ClearStage::carryOutWithRights()
{
    if (std::exchange(preparing_, true))
        return;
    const bool begun = models_.runner.prepareRights([this](const ActRequest& request) {
        preparing_ = false;
        PlanState items;
        for (const auto& planned : request.plan.items)
            items.push_back(std::make_shared<PlanItem>(planned.item));
        auto* dialog = new ConfirmDialog(ConfirmDialog::For::Rights, items, this,
                                         QString::fromStdString(shownDigest(requestDigest(encodeActRequest(request)))));
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        connect(dialog, &QDialog::accepted, this, [this, request] { models_.runner.carryOutWithRights(request); });
        dialog->open();
    });
    if (!begun) // else it is ready later, or was at once
        preparing_ = false;
}

void ClearStage::refresh()
{
    const auto* place = models_.places.place();
    const auto* current = model_->itemAt(list_->currentIndex().row());
    const auto path = current ? current->path : std::string();
    const int row = list_->currentIndex().row();
    if (model_->show() && row >= 0 && model_->rowCount() > 0) {
        const int again = path.empty() ? -1 : model_->rowOf(path);
        int next = again >= 0 ? again : std::min(row, model_->rowCount() - 1);
        while (next >= 0 && next < model_->rowCount() - 1 && !model_->itemAt(next))
            ++next;
        list_->setCurrentIndex(model_->index(next));
    }
    const bool any = place && !place->plan.empty();
    if (stack_->currentIndex() != RunPage) {
        stack_->setCurrentIndex(any ? PlanPage : EmptyPage);
        head_->setVisible(true);
    }
    if (any) {
        title_->setText(tr("%1 planned, %2")
                            .arg(itemsText(place->plan.items().size(), "item"), sizeText(place->plan.plannedBytes())));
        QStringList states;
        if (place->checkedAt > 0)
            states << tr("checked %1").arg(whenText(place->checkedAt));
        if (const auto ready = place->findings.ready())
            states << tr("%1 ready").arg(ready);
        if (const auto held = place->findings.held())
            states << tr("%1 held back").arg(held);
        checked_->setText(states.join(QStringLiteral(" · ")));
    } else {
        const bool done = place && !place->runs.empty();
        title_->setText(done ? tr("Nothing more is planned") : tr("Nothing is planned"));
        checked_->clear();
        emptyText_->setText(
            !place
                ? tr("Scan a drive or a folder first. What you then put on the plan in Explore or Find will be listed "
                     "here.")
            : place->bytesInTrash() > 0
                ? tr("What was put into the trash stands in the logbook on the right. There it can be undone; "
                     "its space is free once the trash is emptied.")
                : tr("Select something in Explore or Find. Delete plans it for the trash, Shift+Delete to be deleted "
                     "for "
                     "good, M to be moved to another drive. Nothing happens to it until you carry the plan out here."));
    }
    refreshFigures();
    refreshButtons();
}

void ClearStage::refreshFigures()
{
    const auto* place = models_.places.place();
    driveName_->setText(
        place ? (place->info.mountPoint.empty() ? tr("drive") : tr("drive at %1").arg(toText(place->info.mountPoint)))
              : tr("No drive"));
    destinations_->setVisible(place && !place->destinations.empty());
    if (!place) {
        after_->setText(QStringLiteral("–"));
        before_->clear();
        afterNote_->clear();
        bar_->setSegments({});
        return;
    }
    after_->setText(sizeText(place->freeAfter()));
    before_->setText(tr("%1 free now").arg(sizeText(place->capacity.free)));
    const auto onlyEmptied =
        place->plan.plannedBytes(Action::Trash) + place->bytesInTrash() - place->bytesOfTrashPlanned();
    QStringList note{place->freeAfter() == place->capacity.free ? tr("free; nothing planned would change it")
                     : onlyEmptied > 0
                         ? tr("free after the plan; %1 of it only once the trash is emptied").arg(sizeText(onlyEmptied))
                         : tr("free after the plan")};
    const auto& free = place->totals.free;
    if (free.links > 0)
        note << tr("%1 of the plan has further hard links elsewhere and frees nothing").arg(sizeText(free.links));
    if (free.shared > 0)
        note << tr("%1 is shared with other files or kept by a filesystem snapshot, and stays in use")
                    .arg(sizeText(free.shared));
    if (free.compressed > 0)
        note << tr("%1 is saved by compression already").arg(sizeText(free.compressed));
    if (free.heldOpen > 0)
        note << tr("%1 is open in programs and comes free when they end").arg(sizeText(free.heldOpen));
    if (free.isSampled())
        note << tr("%1 could not be looked at, or not yet: taken to be like the others")
                    .arg(itemsText(free.files - free.looked, "file"));
    afterNote_->setText(note.join(QStringLiteral(". ")));
    bar_->setSegments(gaugeSegments(*place));
    QStringList lines;
    for (const auto& destination : place->destinations) {
        const auto& c = destination.capacity;
        lines << (c.total == 0 ? tr("%1: not there now").arg(toText(destination.name))
                               : tr("%1: %2 → %3")
                                     .arg(toText(destination.name), sizeText(c.free),
                                          sizeText(c.free - std::min(c.free, destination.coming))));
    }
    destinations_->setText(lines.join(QLatin1Char('\n')));
}

void ClearStage::refreshButtons()
{
    const auto* place = models_.places.place();
    const bool busy = models_.runner.planJob() != nullptr;
    const auto planned = place ? place->plan.items().size() : 0;
    const auto held = place ? place->findings.held() : 0;
    const auto rights = (place ? place->findings.needRights() : 0);
    carryOut_->setText(planned > held ? tr("Carry out %1").arg(itemsText(planned - held, "item")) : tr("Carry out"));
    carryOut_->setEnabled(planned > held && !busy && !place->isGrowing());
    rights_->setVisible(rights > 0);
    rights_->setText(tr("%1 with administrator rights…").arg(itemsText(rights, "item")));
    rights_->setEnabled(!busy);
    check_->setEnabled(planned > 0 && !busy);
    save_->setEnabled(planned > 0);
}

/// The newest runs of all places; a click shows one.
void ClearStage::refreshLogbook()
{
    while (auto* item = logbook_->takeAt(0)) {
        if (auto* widget = item->widget())
            widget->deleteLater();
        delete item;
    }
    constexpr std::size_t most = 100;
    const auto& history = models_.logbook.history();
    logbookTitle_->setText(history.empty() ? tr("The logbook is empty: each run will be listed here") : tr("Logbook"));
    logbookTitle_->setWordWrap(true);
    for (std::size_t i = 0; i < std::min(history.size(), most); ++i) {
        const auto& record = history[i];
        auto* line = new QPushButton;
        line->setProperty("role", "link");
        line->setObjectName("run");
        line->setText(
            cutMiddle(QStringLiteral("%1 · %2").arg(whenText(record.run.began), runText(record)), fontOf(13), 262));
        line->setToolTip(QStringLiteral("%1\n%2").arg(toText(record.run.place), runText(record)));
        connect(line, &QPushButton::clicked, this, [this, run = record.run.id] { showRun(run); });
        logbook_->addWidget(line);
    }
}

bool ClearStage::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == list_->viewport() && event->type() == QEvent::MouseButtonRelease) {
        const auto at = static_cast<QMouseEvent*>(event)->position().toPoint();
        const auto index = list_->indexAt(at);
        if (const auto* item = model_->itemAt(index.row());
            index.isValid() && item && PlanRow::removeMark(list_->visualRect(index)).contains(at)) {
            models_.plan.unplan(std::string(item->path));
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

} // namespace kurvo::app
