// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/panels/dossier.h"

#include <QPainter>
#include <QScrollArea>
#include <QTimer>
#include <QVBoxLayout>

#include <algorithm>
#include <cerrno>
#include <numeric>

#include "app/services/async.h"
#include "app/services/listen.h"
#include "app/style/key_shown.h"
#include "app/style/selectable_label.h"
#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/base/patience.h"

namespace kurvo::app {

FamilyBar::FamilyBar(QWidget* parent) : QWidget(parent)
{
    setFixedHeight(10);
}

void FamilyBar::setMix(const FamilyMix& mix)
{
    mix_ = mix;
    update();
}

void FamilyBar::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), theme().emptyBar);
    if (mix_.total == 0)
        return;
    std::array<std::size_t, familyCount> order{};
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::sort(order.begin(), order.end(), [this](std::size_t a, std::size_t b) { return mix_.disk[a] > mix_.disk[b]; });
    double at = 0;
    for (const auto family : order) {
        const double wide = static_cast<double>(mix_.disk[family]) / static_cast<double>(mix_.total) * width();
        painter.fillRect(QRectF(at, 0, wide, height()), familyColour(static_cast<Family>(family)));
        at += wide;
    }
}

Dossier::Dossier(Models& models, QWidget* parent)
    : QFrame(parent), models_(models), name_(new QLabel), path_(new SelectableLabel), size_(new QLabel),
      shares_(new QLabel), mixTitle_(new QLabel(tr("What is in it"))), mix_(new FamilyBar), mixText_(new QLabel),
      facts_(new QGridLayout), mark_(new MarkPanel(models_.places, models_.view)),
      advice_(new AdvicePanel(models_.places, models_.notices, models_.knowledge)),
      history_(new HistoryPanel(models_.places, models_.snapshots, models_.folders)), note_(new QLabel),
      plan_(new QPushButton), open_(new QPushButton(tr("Open"))), show_(new QPushButton(tr("Show in file manager"))),
      copy_(new QPushButton(tr("Copy path"))), more_(new QPushButton(tr("More  ▾"))), body_(new QWidget),
      actions_(new QWidget), empty_(new QLabel(tr("Facts about what you select will stand here.")))
{
    setProperty("role", "panel");
    setObjectName("dossier");
    setMinimumWidth(272);
    name_->setProperty("role", "heading");
    name_->setObjectName("dossierName");
    name_->setWordWrap(true);
    path_->setProperty("role", "small");
    size_->setProperty("role", "big");
    size_->setObjectName("dossierSize");
    shares_->setProperty("role", "second");
    shares_->setWordWrap(true);
    mixTitle_->setProperty("role", "small");
    mixText_->setProperty("role", "small");
    mixText_->setWordWrap(true);
    note_->setWordWrap(true);
    note_->setProperty("role", "warning");
    note_->setObjectName("dossierNote");
    facts_->setHorizontalSpacing(12);
    facts_->setVerticalSpacing(5);
    facts_->setColumnStretch(1, 1);
    plan_->setProperty("role", "primary");
    plan_->setObjectName("planTrash");
    open_->setObjectName("open");
    show_->setObjectName("showInFiles");
    copy_->setObjectName("copyPath");
    more_->setObjectName("moreActions");
    more_->setStyleSheet("QPushButton::menu-indicator { image: none; width: 0; }");

    layOut();
    listen(this, &Dossier::update, models_.places, &PlaceStore::placeChanged, models_.trees, &TreeUpdater::treeChanged,
           models_.trees, &TreeUpdater::shownChanged, models_.cursor, &Cursor::focusChanged, models_.cursor,
           &Cursor::selectionChanged, models_.plan, &PlanModel::planChanged, models_.view, &PlaceView::measureChanged,
           models_.view, &PlaceView::viewChanged, models_.view, &PlaceView::marksChanged);
    connect(&models_.view, &PlaceView::earlierFound, this, &Dossier::update);
    listen(this, &Dossier::update, models_.knowledge, &Knowledge::rulesRead, models_.knowledge,
           &Knowledge::packagesReadIn);
    connect(mark_, &MarkPanel::noteRequested, this, &Dossier::noteRequested);
    update();
}

void Dossier::layOut()
{
    auto* layout = new QVBoxLayout(body_);
    layout->setContentsMargins(16, 14, 16, 14);
    layout->setSpacing(6);
    layout->addWidget(name_);
    layout->addWidget(path_);
    layout->addWidget(size_);
    layout->addWidget(shares_);
    layout->addSpacing(8);
    layout->addWidget(mixTitle_);
    layout->addWidget(mix_);
    layout->addWidget(mixText_);
    layout->addSpacing(8);
    layout->addWidget(history_);
    layout->addWidget(advice_);
    layout->addSpacing(6);
    layout->addWidget(mark_);
    layout->addSpacing(6);
    layout->addLayout(facts_);
    layout->addWidget(note_);
    layout->addStretch();
    auto* actions = new QVBoxLayout(actions_);
    actions->setContentsMargins(16, 8, 16, 12);
    actions->setSpacing(6);
    actions->addWidget(plan_);
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    row->addWidget(open_);
    row->addWidget(show_);
    actions->addLayout(row);
    auto* second = new QHBoxLayout;
    second->setSpacing(6);
    second->addWidget(copy_);
    second->addWidget(more_);
    actions->addLayout(second);

    empty_->setProperty("role", "second");
    empty_->setAlignment(Qt::AlignCenter);
    empty_->setWordWrap(true);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(body_);
    scroll->setAccessibleName(tr("Facts about what is selected"));
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    outer->setSpacing(0);
    outer->addWidget(scroll);
    outer->addWidget(actions_);
    outer->addWidget(empty_);
}

QLabel* Dossier::addFact(const QString& name, const QString& value, const QString& tip)
{
    const int row = facts_->rowCount();
    auto* left = new QLabel(name);
    left->setProperty("role", "second");
    left->setAlignment(Qt::AlignTop);
    auto* right = new SelectableLabel(value);
    right->setToolTip(tip);
    facts_->addWidget(left, row, 0);
    facts_->addWidget(right, row, 1);
    return right;
}

void Dossier::showEvent(QShowEvent* event)
{
    QFrame::showEvent(event);
    if (stale_)
        update();
}

void Dossier::update()
{
    const bool seen = isVisible() || !models_.places.place(); // a closed place is let go of at once
    stale_ = !seen;
    if (!seen)
        return;
    const auto* place = models_.places.place();
    body_->parentWidget()->parentWidget()->setVisible(place != nullptr);
    empty_->setVisible(place == nullptr);
    actions_->setVisible(place != nullptr);
    if (!place) {
        mixTree_.reset();
        ++mixRequest_;
        return;
    }
    const auto& tree = *place->tree;
    while (auto* item = facts_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    apparent_ = nullptr;
    ++factsRequest_;
    if (!place->alsoSelected.empty())
        return showSeveral(*place);
    const NodeId node = place->selection != noNode ? place->selection : place->focus;
    // The root of several places is nothing on a drive.
    const auto* part = place->partAt(tree.path(node));
    const bool isAll = place->isTogether() && !part;
    showName(*place, node, isAll);
    size_->setText(sizeText(tree.disk(node)));
    QStringList shares;
    if (node != rootNode) {
        const NodeId above = tree.parent(node);
        shares << tr("%1 of %2")
                      .arg(shareText(tree.disk(node), tree.disk(above)),
                           cutMiddle(toText(tree.label(above)), fontOf(13), 130));
    }
    if (const auto total = part ? part->capacity.total : place->capacity.total; total > 0)
        shares << (isAll ? tr("%1 of the drives") : tr("%1 of the drive")).arg(shareText(tree.disk(node), total));
    shares_->setText(shares.join(QStringLiteral(" · ")));

    history_->show(node);
    actions_->setVisible(!isAll);
    mark_->setVisible(!isAll);
    if (isAll) {
        advice_->clear();
    } else {
        advice_->show(node);
        mark_->show({node});
    }
    fillFacts(*place, node);
    askDisk(*place, node);

    const bool planned = place->plan.has(node);
    const NodeId covering = place->plan.coveringItem(tree, node);
    setWords(plan_, planned ? tr("Take off the plan") : tr("Plan: trash"));
    plan_->setEnabled(node != rootNode && (planned || covering == noNode) && !models_.runner.planJob());
    QString note;
    if (const auto* item = place->plan.itemOf(node))
        note = tr("On the plan: %1.").arg(intentText(*item));
    else if (covering != noNode)
        note = tr("Already planned, as part of %1.").arg(toText(tree.name(covering)));
    else if (tree.store().has(node, FlagUnreadable))
        note = tr("This folder could not be read. What is in it is missing from every figure.");
    else if (tree.store().has(node, FlagDoor))
        note = tr("Another filesystem is mounted here. Scan it as a place of its own.");
    else if (place->fromSnapshot && !place->isLive() && !(part && part->live))
        note = place->info.sample
                   ? tr("Sample data: these files do not exist. Try every action in the practice folder.")
                   : tr("From a snapshot of %1. Scan again before you act.").arg(whenText(place->info.taken));
    note_->setText(note);
    note_->setVisible(!note.isEmpty());

    const bool folder = tree.isFolder(node);
    mixTitle_->setVisible(folder);
    mix_->setVisible(folder);
    mixText_->setVisible(folder);
    if (folder)
        startMix(node);
}

void Dossier::showName(const Place& place, NodeId node, bool isAll)
{
    const auto label = toText(place.tree->label(node));
    name_->setText(cutMiddle(label, fontOf(15, QFont::DemiBold), 700));
    name_->setToolTip(label);
    if (isAll) {
        QStringList names;
        for (const auto& one : place.parts)
            names << cutMiddle(tr("%1, %2 free").arg(one.name, sizeText(one.capacity.free)), fontOf(11), 220);
        path_->setText(names.join(QLatin1Char('\n')));
        path_->setToolTip({});
        return;
    }
    // A path has no spaces to break at: let it break after each slash.
    auto path = toText(place.tree->path(node));
    path_->setToolTip(path);
    if (path.size() > 220)
        path = path.left(90) + QStringLiteral(" … ") + path.right(120);
    path_->setText(breakable(path));
}

/// Several items: their sum, in which nothing counts twice.
void Dossier::showSeveral(const Place& place)
{
    const auto& tree = *place.tree;
    const auto tops = place.selected();
    std::uint64_t disk = 0, apparent = 0, files = 0, hidden = 0;
    std::int64_t newest = INT64_MIN;
    for (const NodeId node : tops) {
        disk += tree.disk(node);
        apparent += tree.apparent(node);
        files += tree.files(node);
        hidden += tree.isHidden(node) ? tree.disk(node) : tree.isFolder(node) ? tree.sums(node).hiddenDisk : 0;
        newest = std::max(newest, tree.newest(node));
    }
    advice_->clear();
    history_->clear();
    mark_->setVisible(true);
    mark_->show(tops);
    const auto all = place.alsoSelected.size() + 1;
    name_->setText(tr("%1 selected").arg(itemsText(all, "item")));
    name_->setToolTip({});
    QStringList names;
    for (const NodeId node : tops) {
        if (names.size() == 8) {
            names << tr("and %1 more").arg(tops.size() - 8);
            break;
        }
        names << cutMiddle(toText(tree.label(node)), fontOf(11), 220);
    }
    path_->setText(names.join(QLatin1Char('\n')));
    path_->setToolTip({});
    size_->setText(sizeText(disk));
    QStringList shares{tr("%1 of %2").arg(shareText(disk, tree.disk(rootNode)), toText(tree.label(rootNode)))};
    if (place.capacity.total > 0)
        shares << tr("%1 of the drive").arg(shareText(disk, place.capacity.total));
    shares_->setText(shares.join(QStringLiteral(" · ")));
    addFact(tr("Apparent"), sizeText(apparent));
    addFact(tr("Files"), countText(files));
    if (hidden > 0)
        addFact(tr("Hidden"), sizeText(hidden));
    addFact(tr("Newest"), whenText(newest));
    const bool within = tops.size() < all;
    note_->setText(within ? tr("What lies in another selected folder is counted once.") : QString());
    note_->setVisible(within);
    for (auto* widget :
         {static_cast<QWidget*>(mixTitle_), static_cast<QWidget*>(mix_), static_cast<QWidget*>(mixText_)})
        widget->setVisible(false);
    const bool planned = std::all_of(tops.begin(), tops.end(), [&](NodeId node) { return place.plan.has(node); });
    setWords(plan_, planned ? tr("Take off the plan") : tr("Plan: trash"));
    plan_->setEnabled(!models_.runner.planJob());
}

/// What the snapshot does not hold is asked from the disk, off this thread.
void Dossier::askDisk(const Place& place, NodeId node)
{
    if (place.fromSnapshot || place.isGrowing())
        return;
    // Whoever walks through a list is not asking about each row.
    constexpr int soon = 120;
    QTimer::singleShot(soon, this, [this, node, request = factsRequest_, path = place.tree->path(node)] {
        if (request != factsRequest_)
            return;
        runAsync(
            this, [path] { return askWithin(std::chrono::seconds(4), [path] { return readFileFacts(path); }); },
            [this, request, node](const std::optional<Result<FileFacts>>& answer) {
                if (request == factsRequest_ && models_.places.place())
                    takeAnswer(answer, node);
            });
    });
}

void Dossier::takeAnswer(const std::optional<Result<FileFacts>>& answer, NodeId node)
{
    if (!answer) {
        addFact(tr("On disk"), tr("the drive does not answer"));
        return;
    }
    const auto& facts = *answer;
    const auto& store = models_.places.place()->tree->store();
    if (!facts || facts->stat.kind != store.kind(node) || facts->stat.inode != store.inode(node)) {
        addFact(tr("On disk"), facts ? tr("replaced since the scan: rescan this folder (F5)")
                               : facts.error().sysError == ENOENT ? tr("no longer there: rescan this folder (F5)")
                                                                  : QString::fromStdString(facts.error().sentence));
        return;
    }
    showFromDisk(*facts, node);
}

void Dossier::showFromDisk(const FileFacts& facts, NodeId node)
{
    addFact(tr("Group"), toText(facts.group));
    const auto permissions = permissionText(facts.stat.mode, facts.stat.kind == EntryKind::Folder);
    if (facts.stat.kind != EntryKind::SymbolicLink)
        addFact(tr("Permissions"), permissions,
                QStringLiteral("%1").arg(facts.stat.mode & 07777, 4, 8, QLatin1Char('0')));
    if (!facts.linkTarget.empty())
        addFact(tr("Links to"), (facts.linkBroken ? tr("%1 (nothing is there)") : QStringLiteral("%1"))
                                    .arg(breakable(toText(facts.linkTarget))));
    QStringList why;
    if (facts.compressed)
        why << tr("compressed by the filesystem");
    if (facts.preallocated)
        why << tr("preallocated space");
    if (facts.shared)
        why << tr("shares blocks with other files");
    if (!why.isEmpty() && apparent_)
        apparent_->setText(
            QStringLiteral("%1 (%2)").arg(sizeText(models_.places.place()->tree->apparent(node)), why.join(", ")));
}

void Dossier::fillFacts(const Place& place, NodeId node)
{
    const auto& tree = *place.tree;
    const auto& store = tree.store();
    const bool folder = tree.isFolder(node);
    const auto apparent = tree.apparent(node), disk = tree.disk(node);
    QString said = QStringLiteral("%1");
    if (!folder && tree.countedAt(node) == node) {
        if (disk + 4096 < apparent)
            said = tr("%1 (holes: sparse)");
        else if (disk > apparent + (1 << 20))
            said = tr("%1 (preallocated space)");
    } else if (folder && disk > apparent + apparent / 5 && tree.sums(node).files > 100) {
        said = tr("%1 (many small files)");
    }
    apparent_ = addFact(tr("Apparent"), said.arg(sizeText(apparent)));
    if (place.earlier) {
        const auto growth = place.earlier->growth(tree, node, Measure::Disk);
        const bool isNew = place.earlier->earlier(node) == noNode;
        const auto change = sizeText(static_cast<std::uint64_t>(growth < 0 ? -growth : growth));
        const auto when = whenText(place.earlierTaken).replace(' ', QChar::Nbsp); // in one line
        addFact(tr("Growth"), isNew         ? tr("new since %1").arg(when)
                              : growth == 0 ? tr("none since %1").arg(when)
                                            : tr("%1%2 since %3").arg(growth > 0 ? "+" : "−", change, when));
    }
    if (folder) {
        const auto& sums = tree.sums(node);
        addFact(tr("Holds"), tr("%1, %2").arg(itemsText(sums.files, "file"), itemsText(sums.folders, "folder")));
        if (sums.hiddenDisk > 0 && !tree.isHidden(node))
            addFact(tr("Hidden"), tr("%1, %2").arg(sizeText(sums.hiddenDisk), shareText(sums.hiddenDisk, disk)));
        addFact(tr("Newest"), whenText(tree.newest(node)), QString::fromStdString(formatTime(tree.newest(node))));
        if (sums.oldest != INT64_MAX)
            addFact(tr("Oldest"), whenText(sums.oldest), QString::fromStdString(formatTime(sums.oldest)));
        if (sums.unreadable > 0)
            addFact(tr("Not read"), itemsText(sums.unreadable, "folder"));
    } else {
        const auto& type = typeInfo(store.type(node));
        static constexpr const char* kinds[] = {"file",   "folder",       "symbolic link",   "FIFO",
                                                "socket", "block device", "character device"};
        const auto kind = static_cast<std::size_t>(store.kind(node));
        addFact(tr("Type"), store.kind(node) != EntryKind::File ? QString::fromLatin1(kinds[kind])
                            : type.extension.empty()
                                ? tr("unknown")
                                : QString::fromUtf8(type.name.data(), static_cast<qsizetype>(type.name.size())));
        addFact(tr("Changed"), whenText(store.modified(node)),
                QString::fromStdString(formatTime(store.modified(node))));
    }
    if (place.isShownInPart(node) && place.shown()->contains(node))
        addFact(tr("Of it shown"),
                tr("%1 in %2")
                    .arg(sizeText(place.shown()->disk(node)), itemsText(place.shown()->sums(node).files, "file")));
    addFact(tr("Owner"), toText(ownerName(place.info, store.owner(node))));
    fillLinks(place, node);
}

/// The other paths of a file with several links.
void Dossier::fillLinks(const Place& place, NodeId node)
{
    const auto& tree = *place.tree;
    const auto& store = tree.store();
    if (tree.isFolder(node) || !store.has(node, FlagLinked) || tree.isGrowing())
        return;
    {
        const auto& set = store.linkSets()[store.linkSetOf(node)];
        QStringList others;
        for (const NodeId other : store.linkMembers(set))
            if (other != node && others.size() < 12)
                others << toText(tree.path(other));
        const auto known = others.size();
        if (known > 3)
            others = others.mid(0, 3) << tr("and %1 more").arg(set.count - 4);
        addFact(tr("Links"), known > 0
                                 ? tr("%1 in all:\n%2").arg(set.links).arg(breakable(others.join(QLatin1Char('\n'))))
                                 : tr("%1 in all, the others outside of this place").arg(set.links));
        const NodeId counted = tree.countedAt(node);
        if (counted != node && counted != noNode)
            addFact(tr("Counted at"), breakable(toText(tree.path(counted))));
    }
}

void Dossier::startMix(NodeId node)
{
    if (mixTree_.lock() == models_.places.place()->tree && mixNode_ == node)
        return;
    // While a scan runs the mix, which visits everything below, follows about once a second.
    if (models_.places.place()->isGrowing() && mixAge_.isValid() && mixAge_.elapsed() < 900 && mixNode_ == node)
        return;
    if (mixNode_ != node || !models_.places.place()->isGrowing()) {
        mixText_->setText(QString());
        mix_->setMix({});
    }
    mixAge_.start();
    mixNode_ = node;
    mixTree_ = models_.places.place()->tree;
    const auto request = ++mixRequest_;
    runAsync(
        this, [tree = models_.places.place()->tree, node] { return familyMix(*tree, node); },
        [this, request](const FamilyMix& mix) {
            if (request != mixRequest_)
                return; // another item was selected meanwhile
            mix_->setMix(mix);
            const auto most = mix.largest();
            const auto family = static_cast<std::size_t>(most);
            if (mix.total > 0)
                mixText_->setText(tr("%1 %2 in %3")
                                      .arg(shareText(mix.disk[family], mix.total),
                                           QString::fromLatin1(familyName(most)).toLower(),
                                           itemsText(mix.files[family], "file")));
        });
}

} // namespace kurvo::app
