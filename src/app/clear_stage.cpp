// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clear_stage.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollArea>

#include <algorithm>

#include "app/plan_list.h"
#include "app/theme.h"
#include "app/words.h"

namespace kurvo::app {
namespace {

/// Names of the columns, where PlanRow draws them.
class Columns : public QWidget {
public:
    Columns() { setFixedHeight(24); }

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        painter.setFont(fontOf(11));
        painter.setPen(theme().textSecond);
        const int size = PlanRow::sizeColumn(width());
        painter.drawText(QRect(12, 0, 200, height()), Qt::AlignVCenter, QObject::tr("to the trash"));
        painter.drawText(QRect(size - 110, 0, 110, height()), Qt::AlignVCenter | Qt::AlignRight,
                         QObject::tr("on disk"));
        painter.drawText(QRect(PlanRow::checkColumn(width()), 0, 200, height()), Qt::AlignVCenter,
                         QObject::tr("check"));
        painter.setPen(theme().line);
        painter.drawLine(0, height() - 1, width(), height() - 1);
    }
};

} // namespace

ClearStage::ClearStage(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), model_(new PlanModel(this)), title_(new QLabel), checked_(new QLabel),
      stack_(new QStackedWidget), list_(new QListView), emptyText_(new QLabel), driveName_(new QLabel),
      before_(new QLabel), after_(new QLabel), afterNote_(new QLabel), bar_(new GaugeBar), carryOut_(new QPushButton),
      check_(new QPushButton(tr("Check again"))), jobCard_(new QFrame), jobText_(new QLabel), jobBar_(new QProgressBar),
      stop_(new QPushButton(tr("Stop after this item"))), runsBox_(new QWidget), runs_(new QVBoxLayout)
{
    title_->setProperty("role", "title");
    title_->setObjectName("planTitle");
    checked_->setProperty("role", "second");
    checked_->setObjectName("planChecked");
    list_->setObjectName("plan");
    list_->setAccessibleName(tr("Planned items"));
    list_->setModel(model_);
    list_->setItemDelegate(new PlanRow(this));
    list_->setMouseTracking(true);
    list_->setUniformItemSizes(true);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->installEventFilter(this);
    list_->viewport()->installEventFilter(this);

    auto* left = new QVBoxLayout;
    left->setContentsMargins(22, 16, 22, 16);
    auto* head = new QHBoxLayout;
    head->addWidget(title_);
    head->addStretch();
    head->addWidget(checked_);
    left->addLayout(head);
    auto* planned = new QWidget;
    auto* plannedLayout = new QVBoxLayout(planned);
    plannedLayout->setContentsMargins(0, 0, 0, 0);
    plannedLayout->setSpacing(0);
    plannedLayout->addWidget(new Columns);
    plannedLayout->addWidget(list_);
    auto* empty = new QWidget;
    auto* emptyLayout = new QVBoxLayout(empty);
    emptyLayout->setContentsMargins(0, 6, 0, 0);
    emptyText_->setWordWrap(true);
    emptyText_->setProperty("role", "second");
    auto* explore = new QPushButton(tr("Go to Explore"));
    connect(explore, &QPushButton::clicked, this, &ClearStage::exploreRequested);
    emptyLayout->addWidget(emptyText_);
    emptyLayout->addSpacing(8);
    emptyLayout->addWidget(explore, 0, Qt::AlignLeft);
    emptyLayout->addStretch();
    stack_->addWidget(planned);
    stack_->addWidget(empty);
    left->addWidget(stack_, 1);

    auto* card = new QFrame;
    card->setProperty("role", "card");
    auto* cardLayout = new QVBoxLayout(card);
    cardLayout->setContentsMargins(16, 14, 16, 14);
    cardLayout->setSpacing(4);
    driveName_->setProperty("role", "small");
    before_->setProperty("role", "second");
    after_->setProperty("role", "big");
    after_->setObjectName("freeAfter");
    afterNote_->setProperty("role", "small");
    afterNote_->setWordWrap(true);
    for (auto* widget : std::initializer_list<QWidget*>{driveName_, after_, afterNote_, bar_, before_})
        cardLayout->addWidget(widget);
    bar_->setMaximumHeight(28);

    carryOut_->setProperty("role", "primary");
    carryOut_->setObjectName("carryOut");
    carryOut_->setMinimumHeight(42);
    check_->setObjectName("check");
    jobCard_->setProperty("role", "card");
    auto* jobLayout = new QVBoxLayout(jobCard_);
    jobText_->setWordWrap(true);
    jobBar_->setTextVisible(false);
    jobBar_->setFixedHeight(8);
    stop_->setObjectName("stopPlan");
    jobLayout->addWidget(jobText_);
    jobLayout->addWidget(jobBar_);
    jobLayout->addWidget(stop_);

    auto* runsTitle = new QLabel(tr("Done in this session"));
    runsTitle->setProperty("role", "small");
    auto* runsLayout = new QVBoxLayout(runsBox_);
    runsLayout->setContentsMargins(0, 0, 0, 0);
    runsLayout->addWidget(runsTitle);
    runsLayout->addLayout(runs_);
    auto* right = new QVBoxLayout;
    right->setContentsMargins(0, 18, 20, 16);
    right->setSpacing(10);
    right->addWidget(card);
    right->addWidget(carryOut_);
    right->addWidget(check_);
    right->addWidget(jobCard_);
    right->addSpacing(8);
    right->addWidget(runsBox_);
    right->addStretch();
    auto* rightBox = new QWidget;
    rightBox->setLayout(right);
    rightBox->setFixedWidth(300);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addLayout(left, 1);
    layout->addWidget(rightBox);

    setFocusPolicy(Qt::StrongFocus);
    connect(carryOut_, &QPushButton::clicked, this, [this] {
        setFocus(); // the button is about to be disabled and must not pass the focus on to anything
        session_.carryOutPlan();
    });
    connect(check_, &QPushButton::clicked, &session_, &Session::checkPlan);
    connect(stop_, &QPushButton::clicked, &session_, &Session::stopPlanJob);
    connect(list_->selectionModel(), &QItemSelectionModel::currentChanged, this, [this](const QModelIndex& index) {
        if (index.isValid())
            session_.select(model_->nodeAt(index.row()));
    });
    connect(list_, &QListView::doubleClicked, this, [this](const QModelIndex& index) {
        session_.reveal(model_->nodeAt(index.row()));
        emit exploreRequested();
    });
    for (const auto signal :
         {&Session::placeChanged, &Session::planChanged, &Session::capacityChanged, &Session::treeChanged})
        connect(&session_, signal, this, &ClearStage::refresh);
    connect(&session_, &Session::planChanged, this, &ClearStage::checkWhatIsNew, Qt::QueuedConnection);
    connect(&session_, &Session::planJobChanged, this, &ClearStage::refreshJob);
    refresh();
    refreshJob();
}

void ClearStage::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    checkWhatIsNew();
}

/// What is on the plan is checked without being asked for, as far as it was not yet.
void ClearStage::checkWhatIsNew()
{
    const auto* place = session_.place();
    if (!place || !isVisible() || session_.planJob())
        return;
    const auto& items = place->plan.items();
    if (std::any_of(items.begin(), items.end(), [place](const PlanItem& i) { return !place->findingFor(i.node); }))
        session_.checkPlan();
}

void ClearStage::refresh()
{
    const auto* place = session_.place();
    const int row = list_->currentIndex().row();
    model_->show(place);
    if (row >= 0 && model_->rowCount() > 0)
        list_->setCurrentIndex(model_->index(std::min(row, model_->rowCount() - 1)));
    const bool any = place && !place->plan.empty();
    stack_->setCurrentIndex(any ? 0 : 1);
    std::size_t ready = 0, held = 0;
    if (any)
        for (const auto& item : place->plan.items())
            if (const auto* finding = place->findingFor(item.node))
                ++(finding->ready ? ready : held);
    if (any) {
        title_->setText(tr("%1 planned, %2")
                            .arg(itemsText(place->plan.items().size(), "item"), sizeText(place->plan.plannedBytes())));
        QStringList states;
        if (ready > 0)
            states << tr("%1 ready").arg(ready);
        if (held > 0)
            states << tr("%1 held back").arg(held);
        checked_->setText(states.join(QStringLiteral(", ")));
        carryOut_->setText(tr("Put %1 into the trash").arg(itemsText(place->plan.items().size() - held, "item")));
    } else {
        const bool done = place && !place->runs.empty();
        title_->setText(done ? tr("Nothing more is planned") : tr("Nothing is planned"));
        checked_->clear();
        carryOut_->setText(tr("Put into the trash"));
        emptyText_->setText(
            !place ? tr("Scan a drive or a folder first. What you then put on the plan in Explore will be listed here.")
            : place->bytesInTrash() > 0
                ? tr("What was put into the trash stands on the right. Undo takes it back; its space is free once the "
                     "trash is emptied.")
                : tr("Select something in Explore and press Delete to put it on the plan. Nothing happens to it until "
                     "you carry the plan out here."));
    }
    driveName_->setText(
        place ? (place->info.mountPoint.empty() ? tr("drive") : tr("drive at %1").arg(toText(place->info.mountPoint)))
              : tr("No drive"));
    if (place) {
        const auto coming = place->bytesToCome() + place->bytesInTrash();
        after_->setText(sizeText(place->capacity.free + coming));
        before_->setText(tr("%1 free now").arg(sizeText(place->capacity.free)));
        QString note = coming > 0 ? tr("free after the plan, once the trash is emptied")
                                  : tr("free; nothing planned would change it");
        if (place->plan.plannedBytes() > place->plan.freedBytes(*place->tree))
            note += tr(". %1 of the plan has further hard links elsewhere and frees nothing")
                        .arg(sizeText(place->plan.plannedBytes() - place->plan.freedBytes(*place->tree)));
        afterNote_->setText(note);
        bar_->setSegments(gaugeSegments(*place));
    } else {
        after_->setText(QStringLiteral("–"));
        before_->clear();
        afterNote_->clear();
        bar_->setSegments({});
    }
    const bool busy = session_.planJob() != nullptr;
    carryOut_->setEnabled(any && !busy && held < (place ? place->plan.items().size() : 0));
    check_->setEnabled(any && !busy);
    refreshRuns();
}

void ClearStage::refreshJob()
{
    const auto* job = session_.planJob();
    jobCard_->setVisible(job != nullptr);
    if (!job)
        return refresh();
    carryOut_->setEnabled(false);
    check_->setEnabled(false);
    QString doing;
    switch (job->kind) {
    case PlanJob::Kind::Check:
        doing = tr("Checking");
        break;
    case PlanJob::Kind::CarryOut:
        doing = tr("Putting into the trash");
        break;
    case PlanJob::Kind::TakeBack:
        doing = tr("Taking back");
        break;
    case PlanJob::Kind::EmptyTrash:
        doing = tr("Removing from the trash");
        break;
    }
    const auto& p = job->progress;
    jobText_->setText(
        tr("%1: %2 of %3\n%4").arg(doing).arg(p.done).arg(p.of).arg(cutMiddle(toText(p.path), fontOf(13), 240)));
    jobBar_->setRange(0, static_cast<int>(std::max<std::size_t>(1, p.of)));
    jobBar_->setValue(static_cast<int>(p.done));
    stop_->setEnabled(job->kind != PlanJob::Kind::TakeBack && !job->stop.stop_requested());
}

void ClearStage::refreshRuns()
{
    while (auto* item = runs_->takeAt(0)) {
        if (auto* widget = item->widget())
            widget->deleteLater();
        delete item;
    }
    const auto* place = session_.place();
    runsBox_->setVisible(place && !place->runs.empty());
    if (!place)
        return;
    using State = ClearedItem::State;
    for (std::size_t i = place->runs.size(); i-- > 0;) {
        const auto& run = place->runs[i];
        auto* line = new QWidget;
        auto* layout = new QHBoxLayout(line);
        layout->setContentsMargins(0, 2, 0, 2);
        QStringList parts;
        if (run.countIn(State::InTrash) > 0)
            parts << tr("%1, %2 in the trash")
                         .arg(itemsText(run.countIn(State::InTrash), "item"), sizeText(run.bytesIn(State::InTrash)));
        if (run.countIn(State::Gone) > 0)
            parts << tr("%1, %2 gone for good")
                         .arg(itemsText(run.countIn(State::Gone), "item"), sizeText(run.bytesIn(State::Gone)));
        if (run.countIn(State::TakenBack) > 0)
            parts << tr("%1 taken back").arg(itemsText(run.countIn(State::TakenBack), "item"));
        auto* text = new QLabel(QStringLiteral("%1 · %2").arg(whenText(run.time), parts.join(QStringLiteral("; "))));
        text->setObjectName("run");
        text->setWordWrap(true);
        layout->addWidget(text, 1);
        if (run.countIn(State::InTrash) > 0) {
            auto* undo = new QPushButton(tr("undo"));
            undo->setProperty("role", "link");
            undo->setObjectName("undoRun");
            undo->setToolTip(tr("Puts them back to where they were"));
            undo->setEnabled(!session_.planJob());
            connect(undo, &QPushButton::clicked, this, [this, i] { session_.takeBack(i); });
            layout->addWidget(undo, 0, Qt::AlignTop);
        }
        runs_->addWidget(line);
    }
    if (place->bytesInTrash() > 0) {
        auto* empty = new QPushButton(tr("Empty trash…"));
        empty->setEnabled(!session_.planJob());
        connect(empty, &QPushButton::clicked, this, &ClearStage::emptyTrashRequested);
        runs_->addWidget(empty);
    }
}

bool ClearStage::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == list_->viewport() && event->type() == QEvent::MouseButtonRelease) {
        const auto at = static_cast<QMouseEvent*>(event)->position().toPoint();
        const auto index = list_->indexAt(at);
        if (index.isValid() && PlanRow::removeMark(list_->visualRect(index)).contains(at)) {
            session_.unplan(model_->nodeAt(index.row()));
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

} // namespace kurvo::app
