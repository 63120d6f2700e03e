// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/clear/run_view.h"

#include <QHeaderView>
#include <QVBoxLayout>

#include <algorithm>

#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/base/text.h"

namespace kurvo::app {
namespace {

QString outcomeText(const LoggedStep& step)
{
    switch (step.state) {
    case StepState::Done:
        switch (step.action) {
        case Action::Trash:
            return QObject::tr("in the trash");
        case Action::Delete:
            return QObject::tr("deleted for good");
        case Action::Move:
            return step.leaveLink ? QObject::tr("moved, link left") : QObject::tr("moved");
        case Action::EmptyTrash:
            return QObject::tr("trash emptied");
        }
        break;
    case StepState::Emptied:
        return QObject::tr("gone from the trash");
    case StepState::Undone:
        return step.note == undoingNote ? QObject::tr("moved back") : QObject::tr("undone");
    case StepState::Failed:
        return QObject::tr("held back");
    case StepState::Planned:
        return QObject::tr("not begun");
    default:
        break;
    }
    return QObject::tr("under way, waits");
}

QString noteText(const LoggedStep& step)
{
    auto note = step.note == undoingNote ? QString() : withoutPath(step.note, step.path);
    if (!step.target.empty())
        note =
            QObject::tr("to %1").arg(toText(step.target)) + (note.isEmpty() ? QString() : QStringLiteral(" · ") + note);
    return note;
}

} // namespace

QString runText(const RunRecord& record)
{
    std::uint64_t cleared = 0, back = 0;
    std::size_t count = 0, backCount = 0, waiting = 0;
    for (const auto& step : record.steps) {
        if (step.state == StepState::Done || step.state == StepState::Emptied) {
            ++count;
            cleared += step.disk;
        } else if (step.state == StepState::Undone) {
            ++backCount;
            back += step.disk;
        }
        waiting += step.isUnderWay() ? 1 : 0;
    }
    QStringList parts;
    if (count > 0)
        parts << QObject::tr("%1, %2 cleared").arg(itemsText(count, "item"), sizeText(cleared));
    if (backCount > 0)
        parts << (record.isUndoing() ? QObject::tr("%1 moved back") : QObject::tr("%1 undone"))
                     .arg(itemsText(backCount, "item"));
    if (waiting > 0)
        parts << QObject::tr("%1 waiting").arg(itemsText(waiting, "item"));
    return parts.isEmpty() ? QObject::tr("nothing was done") : parts.join(QStringLiteral("; "));
}

RunView::RunView(PlaceStore& places, PlanRunner& runner, LogbookModel& logbookModel, QWidget* parent)
    : QWidget(parent), places_(places), runner_(runner), logbookModel_(logbookModel), title_(new QLabel),
      when_(new QLabel), free_(new QLabel), proof_(new QLabel), steps_(new QTreeWidget),
      back_(new QPushButton(tr("Back to the plan"))), undo_(new QPushButton(tr("Undo all"))),
      undoChosen_(new QPushButton(tr("Undo selected"))), undoWithRights_(new QPushButton(tr("As administrator…"))),
      empty_(new QPushButton(tr("Empty the trash…"))), report_(new QPushButton(tr("Save the report…")))
{
    setObjectName("runView");
    title_->setProperty("role", "title");
    title_->setObjectName("runTitle");
    when_->setProperty("role", "second");
    free_->setProperty("role", "big");
    free_->setObjectName("runFree");
    proof_->setObjectName("proof");
    proof_->setProperty("role", "second");
    proof_->setWordWrap(true);
    steps_->setObjectName("runSteps");
    steps_->setAccessibleName(tr("Steps of this run"));
    steps_->setRootIsDecorated(false);
    steps_->setUniformRowHeights(true);
    steps_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    steps_->setHeaderLabels({tr("what"), tr("on disk"), tr("outcome"), tr("note")});
    steps_->setTextElideMode(Qt::ElideMiddle);
    steps_->header()->setStretchLastSection(false);
    steps_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    steps_->header()->setSectionResizeMode(3, QHeaderView::Stretch);
    steps_->headerItem()->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
    steps_->setColumnWidth(1, 84);
    steps_->setColumnWidth(2, 134);
    back_->setObjectName("backToPlan");
    undo_->setObjectName("undoRun");
    undoChosen_->setObjectName("undoSteps");
    undoWithRights_->setObjectName("undoWithRights");
    undoWithRights_->setToolTip(tr("Undoes what is left of this run with administrator rights"));
    empty_->setObjectName("emptyFromRun");
    report_->setObjectName("saveReport");

    title_->setWordWrap(true);
    when_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    auto* figures = new QHBoxLayout;
    figures->addWidget(free_);
    figures->addStretch();
    figures->addWidget(when_);
    auto* buttons = new QHBoxLayout;
    buttons->addWidget(back_);
    buttons->addStretch();
    for (auto* button : {undoWithRights_, undoChosen_, undo_, empty_, report_})
        buttons->addWidget(button);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(title_);
    layout->addLayout(figures);
    layout->addWidget(proof_);
    layout->addSpacing(4);
    layout->addLayout(buttons); // above the list: notices lie over its end
    layout->addWidget(steps_, 1);

    connect(back_, &QPushButton::clicked, this, &RunView::backRequested);
    connect(undo_, &QPushButton::clicked, this, [this] { runner_.takeBack(run_); });
    connect(undoChosen_, &QPushButton::clicked, this, [this] {
        if (const auto chosen = chosenSteps(); !chosen.empty())
            runner_.takeBack(run_, chosen);
    });
    connect(undoWithRights_, &QPushButton::clicked, this, [this] { runner_.takeBack(run_, {}, true); });
    connect(empty_, &QPushButton::clicked, this, &RunView::emptyTrashRequested);
    connect(report_, &QPushButton::clicked, this, [this] { emit reportRequested(run_); });
    connect(steps_, &QTreeWidget::itemSelectionChanged, this, &RunView::updateButtons);
    connect(&logbookModel_, &LogbookModel::historyChanged, this, &RunView::refresh);
    connect(&runner_, &PlanRunner::planJobChanged, this, &RunView::updateButtons);
}

void RunView::show(std::int64_t run)
{
    run_ = run;
    refresh();
}

void RunView::refresh()
{
    const auto* record = logbookModel_.recordOf(run_);
    if (!record)
        return;
    title_->setText(runText(*record));
    when_->setText(tr("run %1 · %2\n%3")
                       .arg(run_)
                       .arg(whenText(record->run.began), cutMiddle(toText(record->run.place), fontOf(13), 260)));
    const auto proof = proofOf(*record, places_.place() && places_.place()->info.place == record->run.place
                                            ? places_.place()->info.filesystem
                                            : std::string());
    free_->setTextFormat(Qt::RichText);
    free_->setText(record->run.ended == 0 ? tr("It was interrupted")
                                          : tr("%1 <span style='color:%3'>→ %2 free</span>")
                                                .arg(sizeText(record->run.freeBefore), sizeText(record->run.freeAfter),
                                                     theme().accent.name()));
    QStringList lines;
    if (proof.cameFree > 0)
        lines << tr("%1 came free.").arg(sizeText(static_cast<std::uint64_t>(proof.cameFree)));
    else if (proof.cleared > 0)
        lines << tr("Nothing came free yet.");
    for (const auto& sentence : proof.sentences)
        lines << QString::fromStdString(sentence);
    proof_->setText(lines.join(QLatin1Char(' ')));
    proof_->setVisible(!lines.isEmpty());

    steps_->clear();
    QList<QTreeWidgetItem*> rows;
    for (const auto& step : record->steps) {
        // Below the place the rest of the path says enough; the whole is one hover away.
        const auto inside =
            record->run.place.size() > 1 && step.path != record->run.place && isAtOrBelow(step.path, record->run.place);
        const auto shown = inside ? step.path.substr(record->run.place.size() + 1) : step.path;
        auto* row = new QTreeWidgetItem({toText(shown), sizeText(step.disk), outcomeText(step), noteText(step)});
        row->setData(0, Qt::UserRole, static_cast<qlonglong>(step.id));
        row->setData(0, Qt::UserRole + 1, step.state == StepState::Done && !isForGood(step.action));
        row->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
        row->setToolTip(0, toText(step.path));
        row->setToolTip(3, noteText(step));
        if (step.state == StepState::Failed || step.isUnderWay())
            row->setForeground(2, theme().warning);
        rows << row;
    }
    steps_->addTopLevelItems(rows);
    updateButtons();
}

std::vector<std::int64_t> RunView::chosenSteps() const
{
    std::vector<std::int64_t> steps;
    for (const auto* row : steps_->selectedItems())
        if (row->data(0, Qt::UserRole + 1).toBool())
            steps.push_back(row->data(0, Qt::UserRole).toLongLong());
    return steps;
}

void RunView::updateButtons()
{
    const auto* record = logbookModel_.recordOf(run_);
    const bool busy = runner_.planJob() != nullptr;
    undo_->setEnabled(record && record->canBeUndone() && !busy);
    undoChosen_->setEnabled(!chosenSteps().empty() && !busy);
    undoWithRights_->setVisible(record && runner_.undoNeedsRights() == run_ && record->canBeUndone());
    undoWithRights_->setEnabled(!busy);
    empty_->setVisible(record && record->bytesInTrash() > 0);
    empty_->setEnabled(!busy);
    report_->setEnabled(record != nullptr);
}

} // namespace kurvo::app
