// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/place_store.h"

#include <algorithm>
#include <chrono>

#include "app/services/async.h"
#include "core/base/patience.h"
#include "core/platform/drives.h"

namespace kurvo::app {

PlaceStore::PlaceStore(const AppFolders& folders, Knowledge& knowledge, Notices& notices, QObject* parent)
    : QObject(parent), folders_(folders), knowledge_(knowledge), notices_(notices)
{
    connect(&knowledge_, &Knowledge::packagesReadIn, this, [this] {
        for (const auto& open : places_)
            setGuard(*open);
        emit guardsChanged();
    });
}

Place* PlaceStore::edit(std::uint64_t id)
{
    const auto found = std::find_if(places_.begin(), places_.end(), [id](const auto& p) { return p->id == id; });
    return found == places_.end() ? nullptr : found->get();
}

void PlaceStore::makeCurrent(std::size_t index)
{
    current_ = index;
    if (auto* p = edit())
        p->hover = noNode;
    emit placeChanged();
}

void PlaceStore::showPlace(std::size_t index)
{
    if (index < places_.size() && index != current_)
        makeCurrent(index);
}

void PlaceStore::bringUp(const Place& wanted)
{
    for (std::size_t i = 0; i < places_.size(); ++i)
        if (places_[i].get() == &wanted)
            return showPlace(i);
}

void PlaceStore::closePlace(std::size_t index)
{
    if (index < places_.size() && !refusesWhileLocked())
        drop(places_[index]->id);
}

void PlaceStore::drop(std::uint64_t id)
{
    if (!placeOf(id))
        return;
    emit aboutToClose(id);
    const auto at = std::find_if(places_.begin(), places_.end(), [id](const auto& p) { return p->id == id; });
    const auto index = static_cast<std::size_t>(at - places_.begin());
    std::shared_ptr<Place> closed(std::move(*at));
    places_.erase(at);
    const bool before = current_ > index || current_ >= places_.size();
    makeCurrent(before && current_ > 0 ? current_ - 1 : current_);
    discard(std::move(closed)); // the last that know it let go of it first
}

std::uint64_t PlaceStore::add(Place place)
{
    for (std::size_t i = 0; i < places_.size(); ++i)
        if (place.fromSnapshot && !place.snapshotFile.empty() && places_[i]->fromSnapshot &&
            places_[i]->snapshotFile == place.snapshotFile) {
            makeCurrent(i); // it never changes, and something may be planned in it
            return places_[i]->id;
        }
    place.id = ++lastId_;
    const auto kept = viewMemory_ ? viewMemory_(place.info.place) : std::nullopt;
    place.view = kept.value_or(lastView_);
    setGuard(place);
    const auto id = place.id;
    places_.push_back(std::make_unique<Place>(std::move(place)));
    makeCurrent(places_.size() - 1);
    shareHistory(history_);
    emit opened(id);
    return id;
}

const Place* PlaceStore::liveAt(const std::string& path) const
{
    for (const auto& open : places_)
        if (!open->fromSnapshot && open->info.place == path)
            return open.get();
    return nullptr;
}

void PlaceStore::setLocked(bool wanted)
{
    if (std::exchange(locked_, wanted) != wanted)
        emit locked(wanted);
}

bool PlaceStore::refusesWhileLocked()
{
    if (locked_)
        notices_.say(tr("The plan is being worked on. Wait for it to end, or stop it first."), Severity::Warning);
    return locked_;
}

/// Packages are those of this machine: they say nothing about a scan of another one.
bool PlaceStore::isThisMachine(const Place& place) const
{
    return !place.info.sample && place.info.host == hostName();
}

void PlaceStore::setGuard(Place& place) const
{
    place.packages = isThisMachine(place) ? knowledge_.packages() : nullptr;
    place.guard = {folders_.user, ownData(), place.packages.get()};
}

std::optional<Protection> PlaceStore::protectionOf(NodeId node) const
{
    const auto* p = place();
    return p && node != noNode ? kurvo::protectionOf(p->tree->path(node), p->guard) : std::nullopt;
}

Advice PlaceStore::adviceFor(NodeId node) const
{
    const auto& tree = *place()->tree;
    return kurvo::adviceFor(tree.path(node), tree.isFolder(node), knowledge_.rules());
}

std::string PlaceStore::ownData() const
{
    return folders_.demo ? folders_.snapshots() : folders_.data; // the practice folder lies in the demo's data
}

void PlaceStore::refreshCapacity(std::uint64_t id)
{
    const auto* target = placeOf(id);
    if (target && target->isTogether())
        return refreshParts(id);
    if (!target || target->fromSnapshot)
        return;
    runAsync(
        this,
        [path = target->info.place] {
            return askWithin(std::chrono::seconds(5), [path] { return readCapacity(path); });
        },
        [this, id](const std::optional<Result<Capacity>>& capacity) {
            auto* open = edit(id);
            if (!open || !capacity || !*capacity)
                return;
            open->capacity = **capacity;
            emit capacityChanged();
        });
}

void PlaceStore::refreshParts(std::uint64_t id)
{
    std::vector<std::string> paths;
    for (const auto& part : placeOf(id)->parts)
        if (part.live)
            paths.push_back(part.info.place);
    if (paths.empty())
        return;
    runAsync(
        this,
        [paths] {
            std::vector<std::optional<Result<Capacity>>> all;
            for (const auto& path : paths)
                all.push_back(askWithin(std::chrono::seconds(5), [path] { return readCapacity(path); }));
            return all;
        },
        [this, id, paths](const std::vector<std::optional<Result<Capacity>>>& all) {
            auto* open = edit(id);
            if (!open)
                return;
            for (std::size_t i = 0; i < all.size(); ++i)
                for (auto& part : open->parts)
                    if (part.info.place == paths[i] && all[i] && *all[i])
                        part.capacity = **all[i];
            open->addUpCapacities();
            emit capacityChanged();
        });
}

void PlaceStore::noteChanged(const std::string& folder)
{
    auto* p = edit();
    if (p && !p->fromSnapshot && !p->isGrowing() && isAtOrBelow(folder, p->info.place) && p->noteChanged(folder))
        emit changedFoldersChanged();
}

void PlaceStore::setLeads(std::uint64_t id, const FileTree& of, std::shared_ptr<const Leads> leads,
                          std::shared_ptr<const TreeAdvice> advice)
{
    auto* open = edit(id);
    if (!open || open->tree->sharedStore() != of.sharedStore())
        return;
    open->leads = std::move(leads);
    open->advice = std::move(advice);
}

void PlaceStore::setSnapshotFile(std::uint64_t id, const std::string& file)
{
    if (auto* open = edit(id))
        open->snapshotFile = file;
}

void PlaceStore::shareHistory(std::shared_ptr<const std::vector<RunRecord>> history)
{
    history_ = std::move(history);
    const auto host = hostName();
    for (const auto& open : places_) {
        open->runs.clear();
        if (open->info.sample || open->info.host != host)
            continue;
        for (auto record = history_->rbegin(); record != history_->rend(); ++record)
            if (std::any_of(record->steps.begin(), record->steps.end(), [&](const LoggedStep& step) {
                    return step.state != StepState::Failed && step.state != StepState::Planned &&
                           isAtOrBelow(step.path, open->info.place);
                }))
                open->runs.emplace_back(history_, &*record);
        addUpPlan(open->id);
    }
    emit runsShared();
}

void PlaceStore::addUpPlan(std::uint64_t id)
{
    auto* open = edit(id);
    if (!open)
        return;
    const auto basis = std::make_shared<const PlanBasis>(open->planBasis());
    const auto request = ++open->totalsRequest;
    constexpr std::size_t little = 2000;
    const auto ask = [this, basis, request](const Place& place) {
        constexpr std::size_t some = 500;
        if (!place.fromSnapshot && !place.isGrowing() && !basis->plan->empty() && isThisMachine(place) &&
            !mayHang(place.info.filesystem)) // else it could hold up a thread for good
            askWhatComesFree(place.id, basis, request, some);
    };
    if (basis->work() <= little) {
        open->totals = basis->totals();
        ask(*open);
        return;
    }
    runAsync(
        this, [basis] { return basis->totals(); },
        [this, id, request, ask](const PlanTotals& totals) {
            auto* now = edit(id);
            if (!now || now->totalsRequest != request)
                return; // a later one comes
            now->totals = totals;
            ask(*now);
            if (isCurrent(id))
                emit capacityChanged();
        });
}

void PlaceStore::askWhatComesFree(std::uint64_t id, std::shared_ptr<const PlanBasis> basis, std::uint64_t request,
                                  std::size_t mostFiles)
{
    runAsync(
        this, [basis, mostFiles] { return basis->comesFree(mostFiles); },
        [this, id, basis, request, mostFiles](const ComesFree& free) {
            auto* now = edit(id);
            if (!now || now->totalsRequest != request)
                return;
            // Items that no node stands for (what lies in a trash) count as they did.
            const auto outside = now->totals.freed - std::min(now->totals.freed, now->totals.free.bytes);
            const bool same = now->totals.free.bytes == free.bytes;
            now->totals.free = free;
            now->totals.freed = free.bytes + outside;
            if (!same && isCurrent(id))
                emit capacityChanged();
            // Once: what cannot be opened is not looked at however often one asks.
            if (free.isSampled() && mostFiles != SIZE_MAX)
                askWhatComesFree(id, basis, request, SIZE_MAX);
        });
}

} // namespace kurvo::app
