// SPDX-License-Identifier: GPL-3.0-or-later
// Places and getting about; scans are in session_scan.cpp, the plan in session_plan.cpp, what is done with it in
// session_run.cpp.
#include "app/session.h"

#include <QDateTime>
#include <QThreadPool>

#include <algorithm>
#include <filesystem>

#include "app/async.h"
#include "app/words.h"
#include "core/base/patience.h"
#include "core/platform/drives.h"
#include "core/snapshot/catalogue.h"

namespace kurvo::app {
Session::Session(AppFolders folders, QObject* parent)
    : QObject(parent), folders_(std::move(folders)), knowledge_(folders_)
{
    // The threads mostly wait, and one that waits for a slow drive must not hold up the others.
    QThreadPool::globalInstance()->setMaxThreadCount(32);
    // Before any view: what these look at is up to date when they hear of it.
    for (const auto signal : {&Session::placeChanged, &Session::treeChanged})
        connect(this, signal, this, &Session::refreshColours);
    for (const auto signal : {&Session::placeChanged, &Session::treeChanged})
        connect(this, signal, this, &Session::refreshMarks);
    connect(&knowledge_, &Knowledge::marksChanged, this, &Session::refreshMarks);
    connect(&knowledge_, &Knowledge::packagesReadIn, this, [this] {
        for (const auto& open : places_)
            setGuard(*open);
        if (place())
            emit coloursChanged(); // with locks where there were none
    });
    connect(&knowledge_, &Knowledge::problem, this,
            [this](const QString& sentence) { say(sentence, Severity::Warning); });
    connect(this, &Session::measureChanged, this, &Session::addUpLit);
    // Where there is an earlier snapshot, growth stands beside size at once.
    connect(this, &Session::placeChanged, this, [this] {
        if (auto* p = place(); p && !p->isGrowing() && !p->earlier && !p->earlierLookedFor) {
            p->earlierLookedFor = true;
            findEarlier(false);
        }
    });
    growth_.setInterval(240);
    connect(&growth_, &QTimer::timeout, this, &Session::growPlaces);
    planKeeper_.setSingleShot(true);
    planKeeper_.setInterval(300);
    plansPool_.setMaxThreadCount(1);
    connect(&planKeeper_, &QTimer::timeout, this, &Session::flushPlans);
    connect(this, &Session::planChanged, this, &Session::keepPlans);
    for (const auto signal : {&Session::planChanged, &Session::placeChanged})
        connect(this, signal, this, &Session::refreshDestinations);
    answerWatch_.setInterval(1000);
    connect(&answerWatch_, &QTimer::timeout, this, &Session::lookForAnswer);
}

Session::~Session()
{
    stopScans();
    stopReadingWithRights();
    if (planJob_) {
        planJob_->stop.request_stop();
        planJob_->pause.setPaused(false);
    }
    flushPlans();
    plansPool_.waitForDone();
    QThreadPool::globalInstance()->waitForDone();
}

void Session::showPlace(std::size_t index)
{
    if (index >= places_.size() || index == current_)
        return;
    current_ = index;
    hover_ = noNode;
    emit placeChanged();
}

void Session::bringUp(const Place& wanted)
{
    for (std::size_t i = 0; i < places_.size(); ++i)
        if (places_[i].get() == &wanted)
            return showPlace(i);
}

void Session::closePlace(std::size_t index)
{
    if (index >= places_.size())
        return;
    if (planJob_)
        return refuseWhileBusy();
    flushPlans(); // while it is still known
    if (const auto* job = scanOf(*places_[index]))
        stopScan(job); // and what it finds is dropped
    if (rightsJob_ && rightsJob_->placeId == places_[index]->id)
        stopReadingWithRights();
    places_.erase(places_.begin() + static_cast<std::ptrdiff_t>(index));
    if (current_ > index || current_ >= places_.size())
        current_ = current_ == 0 ? 0 : current_ - 1;
    hover_ = noNode;
    emit placeChanged();
}

void Session::addPlace(std::unique_ptr<Place> place)
{
    place->id = ++lastPlaceId_;
    const auto kept = viewMemory_ ? viewMemory_(place->info.place) : std::nullopt;
    place->view = kept.value_or(lastView_);
    setGuard(*place);
    for (std::size_t i = 0; i < places_.size() && !planJob_; ++i) {
        const auto& open = *places_[i];
        if (open.fromSnapshot && place->fromSnapshot && open.snapshotFile == place->snapshotFile)
            return makeCurrent(i); // it never changes, and something may be planned in it
        if (open.fromSnapshot || place->fromSnapshot || open.info.place != place->info.place)
            continue;
        // Scanned again: the new look replaces the old one, and what was planned and done there goes on.
        const auto dropped = carryOver(open, *place);
        if (dropped > 0)
            say(tr("%1 of the plan changed since the scan before and came off it. Look at what is there now.")
                    .arg(itemsText(dropped, "item")),
                Severity::Warning);
        place->view = open.view;
        const bool recalled = place->planRecalled;
        places_[i] = std::move(place);
        makeCurrent(i);
        keepPlans();   // what came off
        if (!recalled) // what was asked for the place before finds no place any more
            recallPlan(*places_[i]);
        return;
    }
    places_.push_back(std::move(place));
    makeCurrent(places_.size() - 1);
    shareHistory();
    recallPlan(*places_.back());
}

void Session::makeCurrent(std::size_t index)
{
    current_ = index;
    hover_ = noNode;
    emit placeChanged();
}

/// Takes plan and runs of a place over to a newer scan of it; returns how many planned items are not what they were.
std::size_t Session::carryOver(const Place& from, Place& to) const
{
    to.plan = from.plan;
    to.planRecalled = from.planRecalled;
    to.planOnDisk = from.planOnDisk;
    to.runs = from.runs;
    return to.plan.rebind(*to.tree, Plan::IfChanged::Drop);
}

std::string Session::ownData() const
{
    return folders_.demo ? folders_.snapshots() : folders_.data; // the practice folder lies in the demo's data
}

void Session::saveSnapshot(Place* place)
{
    struct Saved {
        std::string path;
        Result<SnapshotInfo> outcome;
        std::size_t removed = 0;
    };
    auto info = place->info;
    info.notRead = place->unreadable;
    runAsync(
        this,
        [folder = folders_.snapshots(), known = place->snapshotFile, info = std::move(info), whole = place->wholeDrive,
         tree = place->tree]() mutable -> Saved {
            if (whole)
                info.ledger =
                    ledgerFigures({tree.get(), info.notRead, info.unreadable, info.partial, true, info.exclude, 0},
                                  info.mountPoint, info.capacity);
            if (known.empty()) {
                std::size_t removed = 0;
                const auto added = addSnapshot(folder, info, *tree, &removed);
                if (!added)
                    return {folder, added.error()};
                return {*added, info, removed};
            }
            // What the helper adds belongs to the same scan, and so into the same file: whole, because others may have
            // been packed against it meanwhile.
            return {known, writeSnapshot(known, info, *tree)};
        },
        [this, id = place->id](const Saved& saved) {
            if (!saved.outcome) {
                say(tr("The scan is shown, but its snapshot was not saved: %1")
                        .arg(QString::fromStdString(saved.outcome.error().sentence)),
                    Severity::Warning);
                return;
            }
            if (auto* open = stillOpen(id))
                open->snapshotFile = saved.path;
            emit snapshotSaved();
            if (saved.removed > 0)
                emit snapshotsLetGo(saved.removed);
        });
}

void Session::openSnapshot(const std::string& path)
{
    struct Opened {
        std::shared_ptr<Result<Snapshot>> snapshot;
        std::shared_ptr<const std::vector<Family>> dominant;
    };
    runAsync(
        this,
        [path] {
            Opened opened{std::make_shared<Result<Snapshot>>(readSnapshot(path)), nullptr};
            if (*opened.snapshot)
                opened.dominant = dominantFamilies(*(*opened.snapshot)->tree);
            return opened;
        },
        [this, path](const Opened& opened) {
            if (!*opened.snapshot) {
                say(QString::fromStdString(opened.snapshot->error().sentence), Severity::Problem);
                return;
            }
            const auto& snapshot = **opened.snapshot;
            auto place = std::make_unique<Place>();
            place->info = snapshot.info;
            place->snapshotFile = path;
            place->fromSnapshot = true;
            place->tree = snapshot.tree;
            place->dominant = opened.dominant;
            place->capacity = snapshot.info.capacity;
            place->wholeDrive = snapshot.info.place == snapshot.info.mountPoint;
            addPlace(std::move(place));
        });
}

Place* Session::stillOpen(std::uint64_t id)
{
    const auto found = std::find_if(places_.begin(), places_.end(), [id](const auto& p) { return p->id == id; });
    return found == places_.end() ? nullptr : found->get();
}

void Session::refreshCapacity()
{
    auto* target = place();
    if (!target || target->fromSnapshot)
        return;
    runAsync(
        this,
        [path = target->info.place] {
            return askWithin(std::chrono::seconds(5), [path] { return readCapacity(path); });
        },
        [this, id = target->id](const std::optional<Result<Capacity>>& capacity) {
            auto* open = stillOpen(id);
            if (!open || !capacity || !*capacity)
                return;
            open->capacity = **capacity;
            emit capacityChanged();
        });
}

void Session::moveFocus(NodeId folder)
{
    auto* p = place();
    p->focus = folder;
    p->passed.clear();
    hover_ = noNode;
    emit focusChanged();
}

void Session::setFocus(NodeId folder)
{
    auto* p = place();
    if (!p || folder == p->focus || !p->tree->contains(folder) || !p->tree->isFolder(folder) ||
        p->tree->store().has(folder, FlagDoor))
        return;
    p->back.push_back(p->focus);
    p->forward.clear();
    moveFocus(folder);
}

void Session::goUp()
{
    auto* p = place();
    if (!p || p->focus == rootNode)
        return;
    const NodeId left = p->focus;
    setFocus(p->tree->parent(left));
    select(left);
}

void Session::goBack()
{
    if (!canGoBack())
        return;
    auto* p = place();
    p->forward.push_back(p->focus);
    const NodeId to = p->back.back();
    p->back.pop_back();
    moveFocus(p->tree->contains(to) ? to : rootNode);
}

void Session::goForward()
{
    if (!canGoForward())
        return;
    auto* p = place();
    p->back.push_back(p->focus);
    const NodeId to = p->forward.back();
    p->forward.pop_back();
    moveFocus(p->tree->contains(to) ? to : rootNode);
}

void Session::followTheWeight()
{
    auto* p = place();
    if (!p)
        return;
    const NodeId from = p->focus;
    const NodeId target = kurvo::followTheWeight(*p->shown(), from, measure(), weightThreshold_);
    if (target == from) {
        say(tr("No single folder holds %1 % of %2: the weight is spread from here on.")
                .arg(qRound(weightThreshold_ * 100))
                .arg(toText(p->tree->label(from))));
        return;
    }
    setFocus(target);
    auto chain = p->tree->chain(target);
    chain.erase(chain.begin(), std::find(chain.begin(), chain.end(), from) + 1);
    p->passed = std::move(chain);
    emit focusChanged(); // and by which way
}

void Session::setWeightThreshold(double threshold)
{
    weightThreshold_ = std::clamp(threshold, 0.5, 0.99);
}

bool Session::goTo(const std::string& path)
{
    auto* p = place();
    if (!p)
        return false;
    auto wanted = std::filesystem::path(path).lexically_normal().string();
    while (wanted.size() > 1 && wanted.ends_with('/'))
        wanted.pop_back();
    const auto node = p->tree->find(wanted);
    if (!node || !p->tree->contains(*node))
        return false;
    if (p->tree->isFolder(*node))
        setFocus(*node);
    else
        reveal(*node);
    return true;
}

void Session::select(NodeId node)
{
    auto* p = place();
    if (!p || (node != noNode && !p->tree->contains(node)) || (p->selection == node && p->alsoSelected.empty()))
        return;
    p->selection = node;
    p->alsoSelected.clear();
    emit selectionChanged();
}

void Session::selectAll(NodeId node, std::vector<NodeId> others)
{
    auto* p = place();
    if (!p || node == noNode || !p->tree->contains(node))
        return;
    std::erase_if(others, [p, node](NodeId other) { return other == node || !p->tree->contains(other); });
    if (p->selection == node && p->alsoSelected == others)
        return;
    p->selection = node;
    p->alsoSelected = std::move(others);
    emit selectionChanged();
}

void Session::toggleSelected(NodeId node)
{
    auto* p = place();
    if (!p || node == noNode || !p->tree->contains(node))
        return;
    auto others = p->alsoSelected;
    if (const auto found = std::find(others.begin(), others.end(), node); found != others.end()) {
        others.erase(found);
        return selectAll(p->selection, others);
    }
    if (node == p->selection) {
        if (others.empty())
            return select(noNode);
        const NodeId next = others.back();
        others.pop_back();
        return selectAll(next, others);
    }
    if (p->selection != noNode)
        others.push_back(p->selection);
    selectAll(node, others);
}

void Session::reveal(NodeId node)
{
    auto* p = place();
    if (!p || node == noNode || !p->tree->contains(node))
        return;
    if (!p->tree->isAtOrBelow(node, p->focus) || node == p->focus)
        setFocus(node == rootNode ? rootNode : p->tree->parent(node));
    if (p->narrowing && !p->narrowing->tree->contains(node))
        showAll();
    select(node);
}

void Session::setHover(NodeId node)
{
    if (hover_ == node)
        return;
    hover_ = node;
    emit hoverChanged();
}

} // namespace kurvo::app
