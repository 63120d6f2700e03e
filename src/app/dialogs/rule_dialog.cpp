// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/rule_dialog.h"

#include <QFile>
#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QPointer>
#include <QVBoxLayout>

#include "app/style/words.h"
#include "core/base/figures.h"

namespace kurvo::app {
namespace {

QString sizeWords(std::uint64_t bytes)
{
    return bytes == 0 ? QString() : QString::fromStdString(formatBytes(bytes));
}

QString wordOf(UpkeepAction action)
{
    switch (action) {
    case UpkeepAction::Tell:
        return RuleDialog::tr("told of");
    case UpkeepAction::Trash:
        return RuleDialog::tr("to the trash");
    case UpkeepAction::Delete:
        return RuleDialog::tr("deleted");
    case UpkeepAction::Move:
        break;
    }
    return RuleDialog::tr("moved");
}

} // namespace

UpkeepItems::UpkeepItems(QWidget* parent) : QTableWidget(0, 4, parent)
{
    setObjectName("upkeepItems");
    setAccessibleName(tr("What it would do"));
    setHorizontalHeaderLabels({tr("what happens"), tr("size"), tr("since"), tr("item")});
    horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    horizontalHeader()->setStretchLastSection(true);
    verticalHeader()->hide();
    setShowGrid(false);
    setSelectionBehavior(QAbstractItemView::SelectRows);
    setEditTriggers(QAbstractItemView::NoEditTriggers);
    setTextElideMode(Qt::ElideMiddle);
    setTabKeyNavigation(false);
    setColumnWidth(0, 110);
    setColumnWidth(1, 90);
    setColumnWidth(2, 100);
}

void UpkeepItems::show(const UpkeepLook& look)
{
    constexpr std::size_t most = 2000;
    setRowCount(static_cast<int>(std::min(most, look.items.size())));
    for (int row = 0; row < rowCount(); ++row) {
        const auto& item = look.items[static_cast<std::size_t>(row)];
        const bool held = !item.held.empty();
        const auto path = toText(item.path);
        const auto why = QString::fromStdString(item.held);
        const QStringList words{held ? tr("stays") : wordOf(item.action), sizeText(item.bytes),
                                QString::fromStdString(formatTime(item.since)).left(10), path};
        for (int column = 0; column < words.size(); ++column) {
            auto* cell = new QTableWidgetItem(words[column]);
            if (column == 1)
                cell->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            cell->setToolTip(held ? why : path);
            if (held)
                cell->setForeground(palette().placeholderText());
            setItem(row, column, cell);
        }
    }
    QTableWidget::setVisible(rowCount() > 0);
}

RuleDialog::RuleDialog(UpkeepModel& upkeep, UpkeepRule rule, Begin begin, QWidget* parent)
    : QDialog(parent), upkeep_(upkeep), rule_(std::move(rule)), steps_(new QStackedWidget), title_(new QLineEdit),
      filter_(new QLineEdit), moreThan_(new QLineEdit), most_(new QLineEdit), to_(new QLineEdit), what_(new QLabel),
      wrong_(new QLabel), older_(new QSpinBox), fuller_(new QSpinBox), keep_(new QSpinBox), action_(new QComboBox),
      choose_(new QPushButton(tr("Choose…"))), sentence_(new QLabel), says_(new QLabel), items_(new UpkeepItems),
      next_(new QPushButton(tr("See what it would do"))), back_(new QPushButton(tr("Back"))),
      keepOff_(new QPushButton(tr("Keep it switched off"))), on_(new QPushButton(tr("Switch it on")))
{
    setObjectName("ruleDialog");
    setWindowTitle(tr("A rule of upkeep"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(20, 18, 20, 16);
    layout->setSpacing(10);
    steps_->addWidget(makeForm());
    steps_->addWidget(makePreview());
    layout->addWidget(steps_, 1);
    auto* buttons = new QHBoxLayout;
    auto* cancel = new QPushButton(tr("Cancel"));
    cancel->setObjectName("cancelRule");
    next_->setObjectName("seeRule");
    back_->setObjectName("backToRule");
    keepOff_->setObjectName("keepRuleOff");
    on_->setObjectName("switchRuleOn");
    for (auto* button : {cancel, back_, keepOff_})
        button->setAutoDefault(false);
    buttons->addWidget(back_);
    buttons->addStretch();
    for (auto* button : {cancel, next_, keepOff_, on_})
        buttons->addWidget(button);
    layout->addLayout(buttons);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(next_, &QPushButton::clicked, this, [this] {
        if (take())
            showPreview();
    });
    connect(back_, &QPushButton::clicked, this, [this] {
        steps_->setCurrentIndex(0);
        updateFields();
    });
    connect(keepOff_, &QPushButton::clicked, this, [this] { save(false); });
    connect(on_, &QPushButton::clicked, this, [this] { save(true); });
    connect(choose_, &QPushButton::clicked, this, &RuleDialog::chooseFolder);
    connect(action_, &QComboBox::currentIndexChanged, this, &RuleDialog::updateFields);
    resize(720, 520);
    fill();
    updateFields();
    if (begin == Begin::Preview)
        showPreview();
    else
        title_->setFocus();
}

QWidget* RuleDialog::makeForm()
{
    auto* form = new QWidget;
    auto* grid = new QGridLayout(form);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(14);
    grid->setVerticalSpacing(9);
    grid->setColumnStretch(1, 1);
    int row = 0;
    const auto heading = [&](const QString& text) {
        auto* label = new QLabel(text);
        label->setProperty("role", "heading");
        grid->addWidget(label, row++, 0, 1, 2);
    };
    const auto add = [&](const QString& text, const char* name, QWidget* field, QWidget* beside = nullptr) {
        auto* label = new QLabel(text);
        label->setBuddy(field);
        field->setObjectName(QString::fromLatin1(name));
        field->setAccessibleName(text);
        grid->addWidget(label, row, 0);
        if (beside) {
            auto* line = new QHBoxLayout;
            line->addWidget(field, 1);
            line->addWidget(beside);
            grid->addLayout(line, row, 1);
        } else {
            grid->addWidget(field, row, 1);
        }
        rows_.append({label, field});
        ++row;
    };
    heading(tr("What"));
    add(tr("Called"), "ruleTitle", title_);
    what_->setWordWrap(true);
    what_->setTextFormat(Qt::PlainText);
    add(tr("Finds"), "ruleWhat", what_);
    add(tr("Filter"), "ruleFilter", filter_);
    heading(tr("From when on"));
    older_->setRange(0, 3650);
    older_->setSuffix(QLatin1Char(' ') + tr("days"));
    older_->setSpecialValueText(tr("any age"));
    add(tr("Not changed for"), "ruleOlder", older_);
    moreThan_->setPlaceholderText(tr("any amount; such as 2 GiB: then the oldest, until no more is left"));
    add(tr("More in all than"), "ruleMoreThan", moreThan_);
    fuller_->setRange(0, 99);
    fuller_->setSuffix(QStringLiteral(" %"));
    fuller_->setSpecialValueText(tr("however full"));
    add(tr("Drive fuller than"), "ruleFuller", fuller_);
    heading(tr("What happens"));
    action_->addItems({tr("Only tell"), tr("Put into the trash"), tr("Delete what is usually safe, trash the rest"),
                       tr("Move to a folder on another drive")});
    add(tr("Then"), "ruleAction", action_);
    add(tr("Folder"), "ruleTo", to_, choose_);
    most_->setPlaceholderText(tr("such as 20 GiB"));
    add(tr("At most, a run"), "ruleMost", most_);
    keep_->setRange(0, 3650);
    keep_->setSpecialValueText(tr("for ever"));
    keep_->setSuffix(QLatin1Char(' ') + tr("days"));
    add(tr("Kept in the trash"), "ruleKeep", keep_);
    wrong_->setObjectName("ruleProblem");
    wrong_->setProperty("role", "warning");
    wrong_->setWordWrap(true);
    wrong_->hide();
    grid->addWidget(wrong_, row++, 0, 1, 2);
    grid->setRowStretch(row, 1);
    return form;
}

QWidget* RuleDialog::makePreview()
{
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(9);
    auto* title = new QLabel(tr("What it would do now"));
    title->setProperty("role", "heading");
    for (auto* label : {sentence_, says_}) {
        label->setWordWrap(true);
        label->setTextFormat(Qt::PlainText);
    }
    sentence_->setProperty("role", "second");
    says_->setObjectName("ruleSays");
    layout->addWidget(title);
    layout->addWidget(sentence_);
    layout->addWidget(says_);
    layout->addWidget(items_, 1);
    layout->addStretch();
    return page;
}

void RuleDialog::fill()
{
    title_->setText(QString::fromStdString(rule_.title));
    filter_->setText(QString::fromStdString(rule_.filter));
    QStringList kinds;
    for (const auto& kind : rule_.kinds)
        kinds << QString::fromStdString(kind);
    const auto names = kinds.join(QStringLiteral(", "));
    const auto what = rule_.subject == UpkeepSubject::Filter   ? tr("files in %1")
                      : rule_.subject == UpkeepSubject::Trash  ? tr("what lies in the trash of %1")
                      : rule_.subject == UpkeepSubject::Leads  ? tr("what the leads tell of, of the kind %2, in %1")
                      : rule_.subject == UpkeepSubject::Advice ? tr("files of the kind %2 in %1")
                                                               : tr("folders of the kind %2, as a whole, in %1");
    what_->setText(what.contains(QLatin1String("%2")) ? what.arg(toText(rule_.place), names)
                                                      : what.arg(toText(rule_.place)));
    older_->setValue(rule_.olderDays);
    moreThan_->setText(sizeWords(rule_.moreThan));
    fuller_->setValue(static_cast<int>(rule_.fullerThan));
    action_->setCurrentIndex(static_cast<int>(rule_.action));
    to_->setText(toText(rule_.to));
    most_->setText(sizeWords(rule_.most));
    keep_->setValue(rule_.keepDays);
}

void RuleDialog::updateFields()
{
    const auto action = static_cast<UpkeepAction>(action_->currentIndex());
    for (const auto& [label, field] : rows_) {
        const bool shown = field == filter_ ? rule_.subject == UpkeepSubject::Filter
                           : field == to_   ? action == UpkeepAction::Move
                           : field == most_ ? action != UpkeepAction::Tell
                           : field == keep_ ? action == UpkeepAction::Trash
                                            : true;
        label->setVisible(shown);
        field->setVisible(shown);
    }
    choose_->setVisible(action == UpkeepAction::Move);
    const bool form = steps_->currentIndex() == 0;
    next_->setVisible(form);
    for (auto* button : {back_, keepOff_, on_})
        button->setVisible(!form);
    (form ? next_ : on_)->setDefault(true);
}

bool RuleDialog::take()
{
    auto rule = rule_;
    rule.title = title_->text().trimmed().toStdString();
    rule.filter = rule.subject == UpkeepSubject::Filter ? filter_->text().trimmed().toStdString() : std::string();
    rule.olderDays = older_->value();
    rule.fullerThan = fuller_->value();
    rule.action = static_cast<UpkeepAction>(action_->currentIndex());
    rule.keepDays = keep_->value();
    QString wrong;
    const auto size = [&](QLineEdit* field, std::uint64_t& into) {
        const auto text = field->text().trimmed();
        const auto bytes = text.isEmpty() ? std::optional<std::uint64_t>(0) : parseSize(text.toStdString());
        if (!bytes && wrong.isEmpty())
            wrong = tr("\"%1\" is no size such as 20 GiB.").arg(text);
        into = bytes.value_or(0);
    };
    size(moreThan_, rule.moreThan);
    size(most_, rule.most);
    if (rule.action == UpkeepAction::Tell)
        rule.most = 0;
    if (rule.action == UpkeepAction::Move) {
        const auto to = QFile::encodeName(QDir::cleanPath(to_->text().trimmed())).toStdString();
        if (to != rule.to)
            rule.toDrive.clear();
        rule.to = to == "." ? std::string() : to;
    } else {
        rule.to.clear();
        rule.toDrive.clear();
    }
    if (wrong.isEmpty())
        wrong = QString::fromStdString(problemOf(rule));
    if (wrong.isEmpty() && upkeep_.known()) {
        const auto fights = fightsOf(upkeep_.known()->rules, &rule);
        wrong = fights.empty() ? QString() : QString::fromStdString(fights.front());
    }
    wrong_->setText(wrong);
    wrong_->setVisible(!wrong.isEmpty());
    if (!wrong.isEmpty())
        return false;
    rule_ = std::move(rule);
    return true;
}

void RuleDialog::showPreview()
{
    steps_->setCurrentIndex(1);
    updateFields();
    sentence_->setText(QString::fromStdString(describeRule(rule_)));
    says_->setText(tr("Looking…"));
    items_->setRowCount(0);
    items_->setVisible(false);
    on_->setEnabled(false);
    const QPointer<RuleDialog> self(this);
    upkeep_.look(rule_, [self](const std::shared_ptr<const UpkeepOutcome>& outcome, const QString& problem) {
        if (self)
            self->showLooked(outcome, problem);
    });
}

void RuleDialog::showLooked(const std::shared_ptr<const UpkeepOutcome>& outcome, const QString& problem)
{
    on_->setEnabled(true); // a place that is away may come back
    on_->setFocus();
    if (!outcome) {
        says_->setText(problem);
        return;
    }
    const auto& look = outcome->look;
    QStringList says;
    if (!problem.isEmpty())
        says << problem;
    const auto stay = look.items.size() - look.going;
    if (look.verdict == UpkeepVerdict::Asks)
        says << tr("It would ask first: %1").arg(QString::fromStdString(look.sentence));
    else
        says << QString::fromStdString(look.sentence);
    if (stay > 0)
        says << tr("%n item(s) stay; the pointer tells why.", nullptr, static_cast<int>(stay));
    if (!look.command.empty() && rule_.action == UpkeepAction::Tell)
        says << tr("The better tool: %1").arg(QString::fromStdString(look.command));
    says_->setText(says.join(QLatin1Char(' ')));
    items_->show(look);
}

void RuleDialog::save(bool on)
{
    rule_.on = on;
    on_->setEnabled(false);
    keepOff_->setEnabled(false);
    const QPointer<RuleDialog> self(this);
    upkeep_.save(rule_, [self](const QString& problem) {
        if (!self)
            return;
        if (problem.isEmpty())
            return self->accept();
        self->says_->setText(problem);
        self->keepOff_->setEnabled(true);
        self->on_->setEnabled(true);
    });
}

void RuleDialog::chooseFolder()
{
    auto* dialog = new QFileDialog(this, tr("Where it moves to"));
    dialog->setObjectName("ruleFolder");
    dialog->setFileMode(QFileDialog::Directory);
    dialog->setOption(QFileDialog::ShowDirsOnly);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QFileDialog::fileSelected, to_, &QLineEdit::setText);
    dialog->open();
}

} // namespace kurvo::app
