// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/find/duplicates_page.h"

#include <QFileDialog>
#include <QHeaderView>
#include <QKeyEvent>
#include <QMenu>
#include <QVBoxLayout>

#include <algorithm>

#include "app/services/async.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

constexpr int indexRole = Qt::UserRole;       ///< of a group: its place in the result
constexpr int foldersRole = Qt::UserRole + 1; ///< of a group: folders
constexpr int nodeRole = Qt::UserRole + 2;    ///< of a file or folder
constexpr std::size_t mostShown = 3000;

} // namespace

/// Shared with the thread that works.
struct DuplicatesPage::Job {
    DuplicateProgress progress;
    std::stop_source stop;
    std::atomic<std::uint64_t> compared = 0;
    std::uint64_t toCompare = 0; ///< bytes; 0 for a search
    QString doing;
};

DuplicatesPage::DuplicatesPage(PlaceStore& places, Cursor& cursor, PlanModel& planModel, Notices& notices,
                               QWidget* parent)
    : FinderPage(parent), places_(places), cursor_(cursor), planModel_(planModel), notices_(notices),
      smallest_(new QComboBox), leaveOut_(new QLineEdit), search_(new QPushButton(tr("Search"))),
      bar_(new QProgressBar), state_(new QLabel), groups_(new QTreeWidget), empty_(new QLabel), sums_(new QLabel),
      plan_(new QPushButton(tr("Plan all but one  ▾")))
{
    setObjectName("duplicatesPage");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 10, 12, 8);
    layout->setSpacing(8);
    auto* mind =
        new QLabel(tr("Two copies are sometimes meant: a backup is one. Whatever goes on the plan is compared with "
                      "what stays byte by byte first, and one of each always stays."));
    mind->setWordWrap(true);
    mind->setProperty("role", "second");
    layout->addWidget(mind);
    auto* top = new QHBoxLayout;
    auto* label = new QLabel(tr("at least"));
    label->setProperty("role", "second");
    smallest_->setObjectName("duplicateSmallest");
    const std::pair<const char*, qulonglong> sizes[] = {
        {"1 byte", 1},        {"4 KiB", 4096},        {"100 KiB", 102400},  {"1 MiB", 1048576},
        {"10 MiB", 10485760}, {"100 MiB", 104857600}, {"1 GiB", 1073741824}};
    for (const auto& [name, bytes] : sizes)
        smallest_->addItem(QString::fromLatin1(name), bytes);
    smallest_->setCurrentIndex(3);
    leaveOut_->setObjectName("duplicateLeaveOut");
    leaveOut_->setPlaceholderText(tr("leave out: /home/a/Backups; /var"));
    search_->setObjectName("duplicateSearch");
    search_->setProperty("role", "primary");
    top->addWidget(label);
    top->addWidget(smallest_);
    top->addWidget(leaveOut_, 1);
    top->addWidget(search_);
    layout->addLayout(top);
    bar_->setTextVisible(false);
    bar_->hide();
    state_->setObjectName("duplicateState");
    state_->setProperty("role", "second");
    layout->addWidget(bar_);
    layout->addWidget(state_);
    groups_->setObjectName("duplicateGroups");
    groups_->setHeaderLabels({tr("same content"), tr("could be freed"), tr("changed")});
    groups_->headerItem()->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
    groups_->setColumnCount(3);
    groups_->header()->setStretchLastSection(false);
    groups_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    groups_->setColumnWidth(1, 150);
    groups_->setColumnWidth(2, 110);
    groups_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    groups_->setTextElideMode(Qt::ElideMiddle);
    groups_->setFrameShape(QFrame::NoFrame);
    groups_->setUniformRowHeights(true);
    groups_->setAlternatingRowColors(false);
    groups_->installEventFilter(this);
    layout->addWidget(groups_, 1);
    empty_->setObjectName("duplicateEmpty");
    empty_->setAlignment(Qt::AlignCenter);
    empty_->setWordWrap(true);
    empty_->setProperty("role", "second");
    layout->addWidget(empty_, 1);
    sums_->setObjectName("duplicateSums");
    sums_->setProperty("role", "second");
    plan_->setObjectName("planDuplicates");
    plan_->setStyleSheet("QPushButton::menu-indicator { image: none; width: 0; }");
    makePlanMenu();
    auto* foot = new QHBoxLayout;
    foot->addWidget(sums_, 1);
    foot->addWidget(plan_);
    layout->addLayout(foot);

    wire();
    refresh();
}

void DuplicatesPage::makePlanMenu()
{
    auto* menu = new QMenu(plan_);
    // Of several drives those on the emptiest stay.
    auto* onDrive = menu->addAction(QString(), this, [this] {
        if (const auto* part = emptiestPart())
            planAllBut(Keep::InFolder, part->info.place);
    });
    connect(menu, &QMenu::aboutToShow, onDrive, [this, onDrive] {
        const auto* part = emptiestPart();
        onDrive->setVisible(part);
        onDrive->setText(part ? tr("Keep those on %1, which has the most room").arg(part->name) : QString());
    });
    menu->addAction(tr("Keep the oldest of each"), this, [this] { planAllBut(Keep::Oldest); });
    menu->addAction(tr("Keep the newest of each"), this, [this] { planAllBut(Keep::Newest); });
    menu->addAction(tr("Keep the one with the shortest path"), this, [this] { planAllBut(Keep::ShortestPath); });
    menu->addAction(tr("Keep what lies in a folder…"), this, [this] {
        auto* dialog = new QFileDialog(this, tr("Keep what lies in"), toText(tree_->path(rootNode)));
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        dialog->setFileMode(QFileDialog::Directory);
        dialog->setOption(QFileDialog::ShowDirsOnly);
        connect(dialog, &QFileDialog::fileSelected, this,
                [this](const QString& folder) { planAllBut(Keep::InFolder, QFile::encodeName(folder).toStdString()); });
        dialog->open();
    });
    menu->addSeparator();
    auto* these = menu->addAction(tr("Plan the selected files"), this, [this] { planChosen(); });
    connect(menu, &QMenu::aboutToShow, this, [this, these] {
        const auto items = groups_->selectedItems();
        these->setEnabled(
            std::any_of(items.begin(), items.end(), [](auto* item) { return item->parent() != nullptr; }));
    });
    plan_->setMenu(menu);
}

void DuplicatesPage::wire()
{
    ticks_.setInterval(150);
    connect(&ticks_, &QTimer::timeout, this, &DuplicatesPage::tick);
    connect(search_, &QPushButton::clicked, this, [this] { job_ ? (void)job_->stop.request_stop() : search(); });
    connect(leaveOut_, &QLineEdit::returnPressed, this, [this] {
        if (!job_)
            search();
    });
    connect(groups_, &QTreeWidget::itemSelectionChanged, this, [this] {
        const auto* item = groups_->currentItem();
        const auto* place = places_.place();
        if (item && item->parent() && place && tree_ && place->tree->sharedStore() == tree_->sharedStore())
            cursor_.select(item->data(0, nodeRole).value<NodeId>());
        updateButtons();
    });
    connect(groups_, &QTreeWidget::itemActivated, this, [this](QTreeWidgetItem* item) {
        if (item->parent())
            emit exploreRequested();
    });
}

DuplicatesPage::~DuplicatesPage()
{
    if (job_)
        job_->stop.request_stop();
}

void DuplicatesPage::refresh()
{
    const auto* place = places_.place();
    if (job_)
        return;
    if (!place || !tree_ || place->tree->sharedStore() != tree_->sharedStore()) {
        tree_ = nullptr;
        found_ = {};
        groups_->clear();
        sums_->clear();
        state_->clear();
        setFigures(QString());
        const bool live = place && place->isLive() && !place->isGrowing() && places_.isThisMachine(*place);
        search_->setEnabled(live);
        groups_->hide();
        empty_->show();
        empty_->setText(
            live ? tr("Search reads the files that have the same size. It can be stopped at any time.")
            : place && place->isGrowing()
                ? tr("Duplicates can be searched for once the scan has ended.")
                : tr("Duplicates are told by content, and a snapshot holds none. Scan the place to search it."));
        if (!live)
            setFigures(tr("needs a scan"));
    }
    updateButtons();
}

void DuplicatesPage::updateButtons()
{
    plan_->setEnabled(!job_ && tree_ && !found_.groups.empty());
}

void DuplicatesPage::begin(const QString& doing)
{
    job_ = std::make_shared<Job>();
    job_->doing = doing;
    setSettled(false);
    search_->setText(tr("Stop"));
    bar_->setRange(0, 0);
    bar_->show();
    state_->setText(doing);
    ticks_.start();
    updateButtons();
}

void DuplicatesPage::end()
{
    ticks_.stop();
    bar_->hide();
    job_ = nullptr;
    search_->setText(tr("Search"));
    setSettled(true);
    updateButtons();
}

void DuplicatesPage::tick()
{
    if (!job_)
        return;
    const auto& progress = job_->progress;
    const bool comparing = job_->toCompare > 0;
    const std::uint64_t done = comparing ? job_->compared.load() : progress.bytesDone.load();
    const std::uint64_t of = comparing ? job_->toCompare : progress.bytesOf.load();
    bar_->setRange(0, of > 0 ? 1000 : 0);
    bar_->setValue(of > 0 ? static_cast<int>(1000.0 * static_cast<double>(done) / static_cast<double>(of)) : 0);
    state_->setText(of > 0 ? tr("%1: %2 of %3, %4 to go")
                                 .arg(job_->doing, sizeText(done), sizeText(of), sizeText(of - std::min(of, done)))
                           : tr("%1: %2 of %3 examined")
                                 .arg(job_->doing, countText(progress.filesDone), itemsText(progress.filesOf, "file")));
}

void DuplicatesPage::search()
{
    const auto* place = places_.place();
    if (!place || !place->isLive() || place->isGrowing())
        return;
    DuplicateOptions options;
    options.smallest = smallest_->currentData().toULongLong();
    for (const auto& part : leaveOut_->text().split(QLatin1Char(';'), Qt::SkipEmptyParts)) {
        const auto path = QFile::encodeName(part.trimmed()).toStdString();
        const auto whole = path.starts_with('/') ? path : joinPath(place->tree->path(rootNode), path);
        if (!place->tree->find(whole))
            return notices_.say(tr("%1 is not in this place, so it cannot be left out of it.").arg(part.trimmed()),
                                Severity::Warning);
        options.leaveOut.push_back(whole);
    }
    groups_->clear();
    sums_->clear();
    begin(tr("Searching"));
    runAsync(
        this,
        [tree = place->tree, options, job = job_] {
            return std::make_shared<const Duplicates>(
                findDuplicates({tree}, options, job->progress, job->stop.get_token()));
        },
        [this, tree = place->tree](const std::shared_ptr<const Duplicates>& found) {
            end();
            show(*found, tree);
        });
}

void DuplicatesPage::addGroup(const QString& title, std::uint64_t freeable, const std::vector<DuplicateFile>& files,
                              int index, bool folders)
{
    auto* group = new QTreeWidgetItem(groups_, {title, sizeText(freeable), QString()});
    group->setData(0, indexRole, index);
    group->setData(0, foldersRole, folders);
    group->setFont(0, fontOf(13, QFont::Medium));
    group->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
    for (const auto& file : files) {
        const auto path = toText(tree_->path(file.node));
        auto* row = new QTreeWidgetItem(group, {path + (folders ? QStringLiteral("/") : QString()),
                                                file.sharedBlocks != 0 ? tr("shares its blocks")
                                                : file.otherLinks      ? tr("has links elsewhere")
                                                                       : QString(),
                                                whenText(tree_->newest(file.node))});
        row->setData(0, nodeRole, QVariant::fromValue(file.node));
        row->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
        row->setToolTip(0, path);
        for (int column = 0; column < 3; ++column)
            row->setForeground(column, theme().textSecond);
    }
}

void DuplicatesPage::show(const Duplicates& found, const std::shared_ptr<const FileTree>& tree)
{
    const auto* place = places_.place();
    if (!place || place->tree->sharedStore() != tree->sharedStore())
        return refresh(); // another place by now
    tree_ = tree;
    found_ = found;
    groups_->clear();
    std::size_t shown = 0;
    for (std::size_t i = 0; i < found_.folders.size() && shown < mostShown; ++i, ++shown) {
        const auto& group = found_.folders[i];
        addGroup(tr("%1, %2 each, %3")
                     .arg(itemsText(group.folders.size(), "folder"), itemsText(group.files, "file"),
                          sizeText(group.bytesEach)),
                 group.freeable, group.folders, static_cast<int>(i), true);
    }
    for (std::size_t i = 0; i < found_.groups.size() && shown < mostShown; ++i) {
        const auto& group = found_.groups[i];
        if (group.inFolders)
            continue;
        ++shown;
        addGroup(tr("%1 of %2: %3")
                     .arg(itemsText(group.files.size(), "file"), sizeText(group.bytesEach),
                          toText(tree_->name(group.files.front().node))),
                 group.freeable, group.files, static_cast<int>(i), false);
    }
    for (int i = 0; i < std::min(groups_->topLevelItemCount(), 20); ++i)
        groups_->topLevelItem(i)->setExpanded(true);
    groups_->setVisible(shown > 0);
    empty_->setVisible(shown == 0);
    empty_->setText(found.stopped ? tr("The search was stopped before it found any.")
                                  : tr("No two files of this size or larger have the same content."));
    QStringList notes;
    if (found.stopped)
        notes << tr("stopped: there may be more");
    if (found.changed > 0)
        notes << tr("%1 changed meanwhile").arg(itemsText(found.changed, "file"));
    if (found.unreadable > 0)
        notes << tr("%1 could not be read").arg(itemsText(found.unreadable, "file"));
    if (shown == mostShown)
        notes << tr("the %1 groups that would free most").arg(countText(mostShown));
    state_->setText(notes.join(QStringLiteral(" · ")));
    sums_->setText(tr("%1 could be freed in %2").arg(sizeText(found.freeable), itemsText(found.listed(), "group")));
    setFigures(found.groups.empty() ? tr("none")
                                    : tr("%1, %2").arg(itemsText(found.listed(), "group"), sizeText(found.freeable)));
    updateButtons();
}

const std::vector<DuplicateFile>& DuplicatesPage::filesOf(const QTreeWidgetItem* group) const
{
    const auto index = static_cast<std::size_t>(group->data(0, indexRole).toInt());
    return group->data(0, foldersRole).toBool() ? found_.folders[index].folders : found_.groups[index].files;
}

/// Of the groups that are selected, or of all.
const PlacePart* DuplicatesPage::emptiestPart() const
{
    const auto* place = places_.place();
    const auto emptier = [](const PlacePart& a, const PlacePart& b) { return a.capacity.free < b.capacity.free; };
    return place && place->isTogether() ? &*std::max_element(place->parts.begin(), place->parts.end(), emptier)
                                        : nullptr;
}

void DuplicatesPage::planAllBut(Keep keep, const std::string& folder)
{
    if (!tree_ || job_)
        return;
    std::vector<DuplicateRemoval> pairs;
    const bool some = !groups_->selectedItems().isEmpty();
    for (int i = 0; i < groups_->topLevelItemCount(); ++i) {
        auto* group = groups_->topLevelItem(i);
        bool chosen = !some || group->isSelected();
        for (int k = 0; k < group->childCount() && !chosen; ++k)
            chosen = group->child(k)->isSelected();
        if (!chosen)
            continue;
        const auto more = allButOne(filesOf(group), tree_, keep, folder);
        pairs.insert(pairs.end(), more.begin(), more.end());
    }
    if (pairs.empty())
        return notices_.say(tr("None of these lies in that folder: nothing was planned."), Severity::Warning);
    compareAndPlan(pairs);
}

/// Delete on files of a group is about the group as well: they are compared with what stays, which is never none.
bool DuplicatesPage::eventFilter(QObject* watched, QEvent* event)
{
    const bool override = event->type() == QEvent::ShortcutOverride;
    if (watched == groups_ && (override || event->type() == QEvent::KeyPress)) {
        const auto* key = static_cast<QKeyEvent*>(event);
        const bool shift = key->modifiers() == Qt::ShiftModifier;
        if (key->key() == Qt::Key_Delete && (shift || key->modifiers() == Qt::NoModifier)) {
            event->accept();
            if (!override)
                planChosen({shift ? Action::Delete : Action::Trash, {}, false, {}});
            return true;
        }
    }
    return FinderPage::eventFilter(watched, event);
}

void DuplicatesPage::planChosen(const Intent& intent)
{
    if (!tree_ || job_)
        return;
    std::vector<DuplicateRemoval> pairs;
    for (int i = 0; i < groups_->topLevelItemCount(); ++i) {
        auto* group = groups_->topLevelItem(i);
        NodeId stays = noNode;
        for (int k = 0; k < group->childCount(); ++k)
            if (!group->child(k)->isSelected())
                stays = group->child(k)->data(0, nodeRole).value<NodeId>();
        for (int k = 0; k < group->childCount(); ++k)
            if (group->child(k)->isSelected()) {
                if (stays == noNode)
                    return notices_.say(tr("That would be all of a group. Leave one of each unselected."),
                                        Severity::Warning);
                pairs.push_back({group->child(k)->data(0, nodeRole).value<NodeId>(), stays});
            }
    }
    if (pairs.empty())
        return notices_.say(tr("Select files in a group, or let all but one of each be planned."));
    compareAndPlan(pairs, intent);
}

void DuplicatesPage::compareAndPlan(const std::vector<DuplicateRemoval>& wanted, const Intent& intent)
{
    // What stays for one group must not go with another, or with what is planned already.
    std::vector<NodeId> planned;
    for (const auto& item : places_.place()->plan.items())
        if (item.node != noNode)
            planned.push_back(item.node);
    auto removals = consistentRemovals(*tree_, planned, wanted);
    if (removals.empty())
        return notices_.say(tr("Nothing was planned: one of each of these is already planned, or stays for another."),
                            Severity::Warning);
    begin(tr("Comparing byte by byte"));
    job_->toCompare = bytesToCompare(*tree_, removals);
    runAsync(
        this,
        [tree = tree_, removals = std::move(removals), job = job_] {
            return compareRemovals(*tree, removals, job->compared, job->stop.get_token());
        },
        [this, tree = tree_, intent](const ComparedRemovals& result) {
            end();
            const auto* place = places_.place();
            if (!place || place->tree->sharedStore() != tree->sharedStore())
                return;
            if (result.stopped) {
                state_->setText(tr("stopped: nothing was planned"));
                return;
            }
            planModel_.planAll(
                result.goes(), intent,
                [this, different = result.different,
                 problem = QString::fromStdString(result.problem)](std::size_t count) {
                    QStringList said{count > 0 || different > 0
                                         ? tr("%n item(s) compared and planned.", nullptr, static_cast<int>(count))
                                         : tr("Nothing came onto the plan by that.")};
                    if (different > 0)
                        said << tr("%n item(s) left out: %1", nullptr, static_cast<int>(different))
                                    .arg(problem.isEmpty() ? tr("no longer identical.") : problem);
                    state_->setText(said.join(QLatin1Char(' ')));
                },
                result.same);
        });
}

} // namespace kurvo::app
