// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/find/versions_page.h"

#include <QHeaderView>

#include <algorithm>

#include "app/services/async.h"
#include "app/services/listen.h"
#include "app/style/words.h"
#include "core/platform/file_facts.h"

namespace kurvo::app {
namespace {

constexpr std::int64_t month = 30 * 86400;

QString markText(VersionMark mark)
{
    switch (mark) {
    case VersionMark::Number:
        return QObject::tr("by a version number");
    case VersionMark::Date:
        return QObject::tr("by a date");
    case VersionMark::Copy:
        break;
    }
    return QObject::tr("by a mark that says copy");
}

} // namespace

VersionsPage::VersionsPage(PlaceStore& places, Cursor& cursor, PlanModel& plan, Notices& notices, Knowledge& knowledge,
                           QWidget* parent)
    : TablePage(tr("Files and folders side by side whose names differ only in a version, a date or a mark that says "
                   "copy. Look at what is in them before the older ones go: a name can deceive."),
                {tr("what"), tr("older ones"), tr("versions"), tr("newest"), tr("oldest changed"), tr("folder")},
                parent),
      places_(places), cursor_(cursor), planModel_(plan), notices_(notices), knowledge_(knowledge), keep_(new QSpinBox),
      age_(new QComboBox), opened_(new QComboBox), plan_(addButton(tr("Plan the older ones: trash"), "planOlder"))
{
    setObjectName("versionsPage");
    keep_->setObjectName("keepVersions");
    keep_->setRange(1, 99);
    keep_->setAccessibleName(tr("How many of the newest are kept"));
    age_->setObjectName("versionAge");
    age_->setAccessibleName(tr("How old those are that go"));
    for (const auto& [text, months] :
         {std::pair(tr("however old"), 0), {tr("not changed for 3 months"), 3}, {tr("not changed for a year"), 12}})
        age_->addItem(text, static_cast<qlonglong>(months * month));
    opened_->setObjectName("versionOpened");
    opened_->setAccessibleName(tr("When those were opened last that go"));
    for (const auto& [text, months] :
         {std::pair(tr("whenever opened"), 0), {tr("not opened for 3 months"), 3}, {tr("not opened for a year"), 12}})
        opened_->addItem(text, static_cast<qlonglong>(months * month));
    opened_->setToolTip(
        tr("By the time of the last access as the drive keeps it, a day exact at best. Folders, and what "
           "it is not known of, stay."));
    top()->addWidget(new QLabel(tr("Keep the newest")));
    for (QWidget* choice : {static_cast<QWidget*>(keep_), static_cast<QWidget*>(age_), static_cast<QWidget*>(opened_)})
        top()->addWidget(choice);
    top()->addStretch();
    const int widths[] = {176, 84, 68, 150, 110};
    for (int i = 0; i < 5; ++i)
        table()->setColumnWidth(i, widths[i]);
    table()->horizontalHeader()->setSectionResizeMode(5, QHeaderView::Stretch);
    connect(table(), &QTableWidget::itemSelectionChanged, this, &VersionsPage::takeSelection);
    connect(table(), &QTableWidget::itemDoubleClicked, this, &VersionsPage::exploreRequested);
    listen(this, &VersionsPage::takeSelection, *keep_, qOverload<int>(&QSpinBox::valueChanged), *age_,
           qOverload<int>(&QComboBox::currentIndexChanged), *opened_, qOverload<int>(&QComboBox::currentIndexChanged));
    connect(plan_, &QPushButton::clicked, this, &VersionsPage::planOlder);
}

void VersionsPage::refresh()
{
    const auto* place = places_.place();
    if (!place || tree_ == place->tree)
        return;
    if (place->isGrowing()) {
        setFigures(tr("after the scan"));
        return showEmpty(tr("Versions are looked for when the scan has ended."));
    }
    setSettled(false);
    setFigures(tr("being looked for"));
    showEmpty(tr("Versions are being looked for."));
    opened_->setEnabled(place->isLive());
    tree_ = place->tree;
    runAsync(
        this,
        [tree = place->tree, advice = place->adviceOfTree(), packages = place->packages,
         rules = knowledge_.sharedRules()]() mutable {
            VersionOptions options;
            options.advice =
                advice
                    ? advice
                    : std::make_shared<const TreeAdvice>(adviseTree(rules ? rules->book : RuleBook::builtIn(), *tree));
            if (packages)
                options.isPackaged = [packages](const std::string& path) {
                    return packages->ownerWithin(path) != nullptr;
                };
            return findVersions(*tree, options);
        },
        [this, request = ++request_, tree = place->tree](const std::vector<VersionGroup>& groups) {
            const auto* now = places_.place();
            if (request != request_ || !now)
                return;
            if (now->tree != tree) {
                tree_ = nullptr;
                return refresh();
            }
            fill(groups);
        });
}

void VersionsPage::fill(std::vector<VersionGroup> groups)
{
    setSettled(true);
    groups_ = std::move(groups);
    std::uint64_t older = 0;
    for (const auto& group : groups_)
        older += group.older;
    setFigures(groups_.empty() ? tr("none") : tr("%1, %2").arg(itemsText(groups_.size(), "group"), sizeText(older)));
    plan_->setEnabled(!groups_.empty());
    if (groups_.empty())
        return showEmpty(tr("Nothing here has older versions or copies beside it that hold 1 MiB or more."));
    beginRows(static_cast<int>(groups_.size()));
    for (std::size_t i = 0; i < groups_.size(); ++i) {
        const auto& group = groups_[i];
        std::int64_t oldest = INT64_MAX;
        QStringList names{tr("Told %1").arg(markText(group.mark))};
        for (const NodeId node : group.items) {
            oldest = std::min(oldest, tree_->newest(node));
            if (names.size() <= 12)
                names << QStringLiteral("%1  %2  %3")
                             .arg(toText(tree_->name(node)), sizeText(tree_->disk(node)),
                                  whenText(tree_->newest(node)));
        }
        if (group.items.size() > 12)
            names << tr("and %1 more").arg(countText(group.items.size() - 12));
        setRow(static_cast<int>(i),
               {{toText(group.name), {}, false},
                {sizeText(group.older), static_cast<qlonglong>(group.older), true},
                {countText(group.items.size()), static_cast<qlonglong>(group.items.size()), true},
                {toText(tree_->name(group.items.front())), {}, false},
                {whenText(oldest), static_cast<qlonglong>(oldest), false},
                {toText(tree_->path(group.folder)), {}, false}},
               static_cast<qulonglong>(i), names.join(QLatin1Char('\n')));
    }
    endRows(1, Qt::DescendingOrder);
    takeSelection();
}

/// Those that are selected; all where none is.
std::vector<std::size_t> VersionsPage::wanted() const
{
    std::vector<std::size_t> rows;
    for (const auto& key : chosen())
        rows.push_back(static_cast<std::size_t>(key.toULongLong()));
    if (rows.empty())
        for (std::size_t i = 0; i < groups_.size(); ++i)
            rows.push_back(i);
    return rows;
}

void VersionsPage::takeSelection()
{
    if (!tree_ || groups_.empty() || !places_.place() || places_.place()->tree != tree_)
        return;
    std::uint64_t bytes = 0;
    std::size_t count = 0;
    std::vector<NodeId> nodes;
    const auto some = !chosen().isEmpty();
    for (const auto row : wanted()) {
        const auto out = versionsToRemove(groups_[row], *tree_, static_cast<std::size_t>(keep_->value()),
                                          places_.place()->info.taken, age_->currentData().toLongLong());
        count += out.size();
        for (const NodeId node : out)
            bytes += tree_->disk(node);
        nodes.insert(nodes.end(), out.begin(), out.end());
        if (some && out.empty())
            nodes.push_back(groups_[row].items.front());
    }
    const auto would = opened_->currentIndex() > 0
                           ? tr("at most %1, %2").arg(itemsText(count, "older version"), sizeText(bytes))
                           : tr("%1, %2").arg(itemsText(count, "older version"), sizeText(bytes));
    setSums(some ? tr("Of the selected would go: %1.").arg(would) : tr("Of all would go: %1.").arg(would));
    constexpr std::size_t mostSelected = 2000;
    if (some && !nodes.empty()) {
        const auto first = nodes.front();
        nodes.resize(std::min(nodes.size(), mostSelected));
        cursor_.selectAll(first, std::move(nodes));
    }
}

void VersionsPage::planOlder()
{
    const auto* place = places_.place();
    if (!place || place->tree != tree_ || !planModel_.mayPlan())
        return;
    std::vector<VersionGroup> groups;
    for (const auto row : wanted())
        groups.push_back(groups_[row]);
    const auto unopened = opened_->currentData().toLongLong();
    runAsync(
        this,
        [groups = std::move(groups), tree = tree_, keep = static_cast<std::size_t>(keep_->value()),
         now = !place->isLive() ? place->info.taken : currentTime(), age = age_->currentData().toLongLong(),
         unopened] {
            std::vector<NodeId> all;
            const auto openedAt = [&tree](NodeId node) {
                return tree->isFolder(node) ? std::optional<std::int64_t>() : lastOpened(tree->path(node));
            };
            for (const auto& group : groups) {
                const auto out = versionsToRemove(group, *tree, keep, now, age, unopened, openedAt);
                all.insert(all.end(), out.begin(), out.end());
            }
            return all;
        },
        [this, tree = tree_](const std::vector<NodeId>& nodes) {
            if (!places_.place() || places_.place()->tree != tree)
                return;
            if (nodes.empty())
                return notices_.say(tr("None of them is old enough to go."));
            planModel_.planAll(nodes, {}, [this](std::size_t count) {
                if (count > 0)
                    emit planRequested();
            });
        });
}

} // namespace kurvo::app
