// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/upkeep_dialog.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QPointer>
#include <QVBoxLayout>

#include "app/dialogs/ask_dialog.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

enum Column { On, Rule, Last, Says, Columns };

QString titleOf(const UpkeepRule& rule)
{
    return rule.title.empty() ? QString::fromStdString(rule.name) : toText(rule.title);
}

/// Before something is carried out by hand.
class CarryOutDialog : public AskDialog {
public:
    CarryOutDialog(const UpkeepRule& rule, const UpkeepLook& look, QWidget* parent)
        : AskDialog("upkeepRun", tr("Carry out a rule"), parent)
    {
        addText(titleOf(rule), "heading");
        addText(QString::fromStdString(describeRule(rule)), "second");
        addText(QString::fromStdString(look.sentence));
        if (look.verdict == UpkeepVerdict::Asks)
            addText(tr("It stops here by itself, and goes on only when somebody says so."), "warning");
        auto* go =
            new QPushButton(look.verdict == UpkeepVerdict::Asks ? tr("Carry it out all the same") : tr("Carry it out"));
        go->setObjectName("carryOutRule");
        addWays(tr("Leave everything as it is"), "leaveRule", go, rule.action == UpkeepAction::Delete);
    }
};

} // namespace

UpkeepDialog::UpkeepDialog(UpkeepModel& upkeep, QWidget* parent)
    : QDialog(parent), upkeep_(upkeep), table_(new QTableWidget(0, Columns)), timer_(new QLabel), problems_(new QLabel),
      says_(new QLabel), looked_(new QLabel), items_(new UpkeepItems),
      look_(new QPushButton(tr("What it would do now"))), run_(new QPushButton(tr("Carry it out now…"))),
      switch_(new QPushButton), edit_(new QPushButton(tr("Change…"))), undo_(new QPushButton(tr("Undo its last run"))),
      remove_(new QPushButton(tr("Remove")))
{
    setObjectName("upkeepDialog");
    setWindowTitle(tr("Upkeep"));
    resize(900, 600);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(20, 18, 20, 16);
    layout->setSpacing(10);
    auto* title = new QLabel(tr("Rules that keep a drive from filling again"));
    title->setProperty("role", "heading");
    timer_->setObjectName("upkeepTimer");
    timer_->setProperty("role", "second");
    problems_->setObjectName("upkeepProblems");
    problems_->setProperty("role", "warning");
    for (auto* label : {timer_, problems_, says_, looked_}) {
        label->setWordWrap(true);
        label->setTextFormat(Qt::PlainText);
    }
    table_->setObjectName("upkeepRules");
    table_->setAccessibleName(tr("Rules"));
    table_->setHorizontalHeaderLabels({tr("state"), tr("rule"), tr("did last"), tr("says")});
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->horizontalHeader()->setSectionResizeMode(Rule, QHeaderView::Stretch);
    table_->setColumnWidth(On, 90);
    table_->setColumnWidth(Last, 200);
    table_->setColumnWidth(Says, 200);
    table_->verticalHeader()->hide();
    table_->setShowGrid(false);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setTabKeyNavigation(false);
    says_->setObjectName("ruleText");
    looked_->setObjectName("ruleLooked");
    looked_->setProperty("role", "second");
    auto* buttons = new QHBoxLayout;
    const std::pair<QPushButton*, const char*> names[] = {{look_, "lookAtRule"},   {run_, "runRule"},
                                                          {switch_, "switchRule"}, {edit_, "changeRule"},
                                                          {undo_, "undoRule"},     {remove_, "removeRule"}};
    for (const auto& [button, name] : names) {
        button->setObjectName(QString::fromLatin1(name));
        button->setAutoDefault(false);
        buttons->addWidget(button);
    }
    buttons->addStretch();
    auto* close = new QPushButton(tr("Close"));
    close->setObjectName("closeUpkeep");
    close->setAutoDefault(false);
    buttons->addWidget(close);
    layout->addWidget(title);
    layout->addWidget(timer_);
    layout->addWidget(problems_);
    layout->addWidget(table_, 3);
    layout->addWidget(says_);
    layout->addWidget(looked_);
    layout->addWidget(items_, 2);
    layout->addLayout(buttons);
    items_->setVisible(false);

    connect(look_, &QPushButton::clicked, this, &UpkeepDialog::look);
    connect(run_, &QPushButton::clicked, this, &UpkeepDialog::carryOut);
    connect(switch_, &QPushButton::clicked, this, &UpkeepDialog::switchCurrent);
    connect(edit_, &QPushButton::clicked, this, [this] { edit(RuleDialog::Begin::Form); });
    connect(undo_, &QPushButton::clicked, this, [this] {
        if (const auto* record = undoable())
            emit undoWanted(record->run.id);
        accept();
    });
    connect(remove_, &QPushButton::clicked, this, &UpkeepDialog::removeCurrent);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int row, int, int, int) {
        const auto* known = upkeep_.known();
        if (!known || row < 0 || row >= static_cast<int>(known->rules.size()))
            return;
        if (std::exchange(chosen_, known->rules[static_cast<std::size_t>(row)].name) != chosen_)
            outcome_ = nullptr;
        showCurrent();
    });
    connect(table_, &QTableWidget::cellDoubleClicked, this, [this] { edit(RuleDialog::Begin::Form); });
    connect(&upkeep_, &UpkeepModel::changed, this, &UpkeepDialog::showRules);
    timer_->setText(tr("Reading the rules…"));
    problems_->hide();
    showCurrent();
    upkeep_.read();
}

const UpkeepRule* UpkeepDialog::current() const
{
    const auto* known = upkeep_.known();
    const int row = table_->currentRow();
    return known && row >= 0 && row < static_cast<int>(known->rules.size())
               ? &known->rules[static_cast<std::size_t>(row)]
               : nullptr;
}

const RunRecord* UpkeepDialog::undoable() const
{
    const auto* rule = current();
    if (!rule)
        return nullptr;
    for (const auto& record : upkeep_.known()->runs)
        if (record.run.rule == rule->name && record.canBeUndone())
            return &record;
    return nullptr;
}

void UpkeepDialog::showRules()
{
    const auto* known = upkeep_.known();
    if (!known)
        return;
    const auto wanted = chosen_;
    table_->setRowCount(static_cast<int>(known->rules.size()));
    int chosen = 0;
    for (int row = 0; row < table_->rowCount(); ++row) {
        const auto& rule = known->rules[static_cast<std::size_t>(row)];
        if (rule.name == wanted)
            chosen = row;
        const auto state = known->book.states.find(rule.name);
        const auto has = state != known->book.states.end();
        const auto last = std::find_if(known->runs.begin(), known->runs.end(),
                                       [&](const RunRecord& record) { return record.run.rule == rule.name; });
        std::uint64_t bytes = 0;
        if (last != known->runs.end())
            for (const auto& step : last->steps)
                bytes += step.state == StepState::Failed ? 0 : step.disk;
        const auto says = !has                          ? QString()
                          : !state->second.asks.empty() ? tr("asks: %1").arg(QString::fromStdString(state->second.asks))
                                                        : QString::fromStdString(state->second.waits);
        const bool own = static_cast<std::size_t>(row) < known->own;
        const QStringList words{
            rule.on ? tr("on")
            : own   ? tr("off")
                    : tr("ready"),
            titleOf(rule),
            last == known->runs.end() ? QString() : tr("%1, %2").arg(whenText(last->run.began), sizeText(bytes)), says};
        for (int column = 0; column < Columns; ++column) {
            auto* cell = new QTableWidgetItem(words[column]);
            cell->setToolTip(words[column]);
            if (column == On && rule.on) {
                auto bold = font();
                bold.setBold(true);
                cell->setFont(bold);
            }
            table_->setItem(row, column, cell);
        }
    }
    table_->setCurrentCell(chosen, Rule);
    const bool any = std::any_of(known->rules.begin(), known->rules.end(), [](const UpkeepRule& r) { return r.on; });
    timer_->setText(known->timer ? tr("Those that are on run once a day, by the user's systemd.")
                    : any ? tr("No timer is on, so nothing runs them here: \"kurvoctl upkeep timer on\" starts one.")
                          : tr("None is on. One that is switched on runs once a day."));
    QStringList problems;
    for (const auto& problem : known->problems)
        problems << QString::fromStdString(problem);
    problems_->setText(problems.join(QLatin1Char('\n')));
    problems_->setVisible(!problems.isEmpty());
    showCurrent();
}

void UpkeepDialog::showCurrent()
{
    const auto* rule = current();
    const bool idle = rule && !upkeep_.isWorking();
    const bool own = rule && table_->currentRow() < static_cast<int>(upkeep_.known()->own);
    says_->setText(rule ? QString::fromStdString(describeRule(*rule)) : QString());
    look_->setEnabled(rule != nullptr);
    run_->setEnabled(idle && rule->action != UpkeepAction::Tell);
    switch_->setText(rule && rule->on ? tr("Switch off") : tr("Switch on…"));
    switch_->setEnabled(idle);
    edit_->setEnabled(idle);
    undo_->setEnabled(idle && undoable());
    remove_->setEnabled(idle && own);
    if (outcome_) {
        looked_->setText(QString::fromStdString(outcome_->sentence()));
        items_->show(outcome_->look);
    } else {
        looked_->setText(upkeep_.isWorking() ? tr("Carrying it out…") : QString());
        items_->setVisible(false);
    }
    looked_->setVisible(!looked_->text().isEmpty());
}

void UpkeepDialog::look()
{
    const auto* rule = current();
    if (!rule)
        return;
    outcome_ = nullptr;
    showCurrent();
    looked_->setText(tr("Looking…"));
    looked_->show();
    const QPointer<UpkeepDialog> self(this);
    upkeep_.look(
        *rule, [self, name = rule->name](const std::shared_ptr<const UpkeepOutcome>& outcome, const QString& problem) {
            if (!self || self->chosen_ != name)
                return;
            self->outcome_ = outcome;
            self->showCurrent();
            if (!outcome) {
                self->looked_->setText(problem);
                self->looked_->show();
            }
        });
}

void UpkeepDialog::carryOut()
{
    const auto* rule = current();
    if (!rule)
        return;
    looked_->setText(tr("Looking…"));
    looked_->show();
    run_->setEnabled(false);
    const QPointer<UpkeepDialog> self(this);
    upkeep_.look(*rule, [self, rule = *rule](const std::shared_ptr<const UpkeepOutcome>& outcome,
                                             const QString& problem) {
        if (!self || self->chosen_ != rule.name)
            return;
        self->outcome_ = outcome;
        self->showCurrent();
        const bool may =
            outcome && (outcome->look.verdict == UpkeepVerdict::Ready || outcome->look.verdict == UpkeepVerdict::Asks);
        if (!may) {
            if (!outcome || !problem.isEmpty())
                self->looked_->setText(problem);
            self->looked_->show();
            return;
        }
        auto* dialog = new CarryOutDialog(rule, outcome->look, self);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        connect(dialog, &QDialog::accepted, self, [self, rule] {
            self->outcome_ = nullptr;
            self->upkeep_.carryOut(rule, true);
        });
        dialog->open();
    });
}

void UpkeepDialog::edit(RuleDialog::Begin begin)
{
    const auto* rule = current();
    if (!rule || upkeep_.isWorking())
        return;
    auto* dialog = new RuleDialog(upkeep_, *rule, begin, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->open();
}

void UpkeepDialog::switchCurrent()
{
    const auto* rule = current();
    if (!rule)
        return;
    if (!rule->on) // what it would do is seen first
        return edit(RuleDialog::Begin::Preview);
    auto off = *rule;
    off.on = false;
    const QPointer<UpkeepDialog> self(this);
    upkeep_.save(off, [self](const QString& problem) {
        if (self && !problem.isEmpty())
            self->looked_->setText(problem);
    });
}

void UpkeepDialog::removeCurrent()
{
    const auto* rule = current();
    if (!rule)
        return;
    const QPointer<UpkeepDialog> self(this);
    upkeep_.remove(rule->name, [self](const QString& problem) {
        if (self && !problem.isEmpty())
            self->looked_->setText(problem);
    });
}

} // namespace kurvo::app
