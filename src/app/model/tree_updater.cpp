// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/tree_updater.h"

#include <algorithm>

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/snapshot/together.h"
#include "core/tree/find_paths.h"

namespace kurvo::app {

Place ScannedPlace::place() const
{
    Place place;
    place.info = info;
    place.tree = tree;
    place.dominant = dominant;
    place.capacity = info.capacity;
    place.wholeDrive = wholeDrive;
    place.unreadable = unreadable;
    place.options = options;
    place.readWithRights = withRights;
    place.account = account;
    return place;
}

/// What an update is made from: what the place had when its turn came. Safe to read on any thread.
struct TreeUpdater::Basis {
    std::shared_ptr<const FileTree> tree;
    std::shared_ptr<const Matching> earlier;
    std::shared_ptr<const MarkBook> marks;
    std::optional<Narrowing> narrowing;
    KeptState plan;
    std::uint64_t planVersion = 0;
    std::vector<KeptState> before, after;
    std::vector<PlacePart> parts;
    std::string setName;
};

/// A new tree and all that goes with it.
struct TreeUpdater::Update {
    std::shared_ptr<const FileTree> tree;
    std::shared_ptr<const std::vector<NodeId>> newIds; ///< by old id; null where ids stay what they are
    std::shared_ptr<const std::vector<Family>> dominant;
    std::shared_ptr<const Matching> earlier;
    std::shared_ptr<const TreeMarks> marks;
    std::optional<Narrowing> narrowing;
    std::shared_ptr<const Leads> leads; ///< null, as the one below: they are looked for anew
    std::shared_ptr<const TreeAdvice> advice;
    Plan plan;
    Findings findings;
    std::vector<KeptState> before, after;
    PlanState dropped; ///< planned items that came off

    NodeId idOf(const FileTree& old, NodeId node) const
    {
        if (node == noNode)
            return noNode;
        if (!newIds)
            return tree->contains(node) ? node : noNode;
        return node < newIds->size() && old.contains(node) ? (*newIds)[node] : noNode;
    }
};

namespace {

Narrowing narrowTo(const FileTree& tree, std::shared_ptr<const std::vector<bool>> wanted, QString words)
{
    Narrowing narrowing;
    narrowing.tree = std::make_shared<FileTree>(tree, *wanted);
    narrowing.dominant = dominantFamilies(*narrowing.tree);
    narrowing.wanted = std::move(wanted);
    narrowing.words = std::move(words);
    return narrowing;
}

/// Which entries are wanted by their new ids.
std::shared_ptr<const std::vector<bool>> carried(const std::vector<bool>& wanted, const std::vector<NodeId>& newIds,
                                                 const FileTree& tree)
{
    auto now = std::make_shared<std::vector<bool>>(tree.extent().nodes, false);
    for (std::size_t i = 0; i < std::min(wanted.size(), newIds.size()); ++i)
        if (wanted[i] && newIds[i] != noNode)
            (*now)[newIds[i]] = true;
    return now;
}

/// Where each entry of `before` stands now, by its path.
std::shared_ptr<const std::vector<NodeId>> idsIn(const std::shared_ptr<const FileTree>& now,
                                                 const std::shared_ptr<const FileTree>& before)
{
    const Matching matching(before, now); // the other way round than a growth is asked
    auto ids = std::make_shared<std::vector<NodeId>>(before->extent().nodes, noNode);
    for (NodeId node = 0; node < ids->size(); ++node)
        (*ids)[node] = matching.earlier(node);
    return ids;
}

} // namespace

TreeUpdater::TreeUpdater(PlaceStore& places, Knowledge& knowledge, Notices& notices, QObject* parent)
    : QObject(parent), places_(places), knowledge_(knowledge), notices_(notices)
{
    connect(&places_, &PlaceStore::locked, this, [this](bool locked) {
        if (locked)
            return;
        std::vector<std::uint64_t> waiting;
        for (const auto& [id, queue] : queues_)
            waiting.push_back(id);
        for (const auto id : waiting)
            next(id);
    });
}

void TreeUpdater::grow(std::uint64_t id, std::shared_ptr<const FileTree> tree,
                       std::shared_ptr<const std::vector<Family>> dominant)
{
    auto* open = places_.edit(id);
    if (!open || !open->isGrowing())
        return;
    open->tree = std::move(tree);
    open->dominant = std::move(dominant);
    if (places_.isCurrent(id))
        emit treeChanged();
}

void TreeUpdater::finish(std::uint64_t id, const ScannedPlace& scanned)
{
    auto* open = places_.edit(id);
    if (!open || open->tree->sharedStore() != scanned.tree->sharedStore())
        return;
    open->info = scanned.info;
    open->tree = scanned.tree;
    open->dominant = scanned.dominant;
    open->capacity = scanned.info.capacity;
    open->wholeDrive = scanned.wholeDrive;
    open->unreadable = scanned.unreadable;
    open->readWithRights = scanned.withRights;
    open->account = scanned.account;
    open->choose();
    places_.addUpPlan(id);
    if (places_.isCurrent(id)) {
        emit treeChanged();
        places_.tellCapacity();
    }
    emit finished(id);
    emit updated(id);
}

TreeUpdater::Basis TreeUpdater::basisOf(const Place& place) const
{
    return {place.tree,       place.earlier,      knowledge_.marks(place.info.host),
            place.narrowing,  place.plan.state(), place.planVersion,
            place.planBefore, place.planAfter,    place.parts,
            place.setName};
}

void TreeUpdater::enqueue(std::uint64_t id, Job job)
{
    if (!places_.placeOf(id)) {
        if (job.then)
            job.then(false);
        return;
    }
    queues_[id].jobs.push_back(std::move(job));
    next(id);
}

namespace {

/// What hangs on ids, made for the new tree: off the interface thread.
template <typename Update, typename Basis>
void makeRest(Update& update, const Basis& basis, Plan::IfChanged ifChanged)
{
    update.dominant = dominantFamilies(*update.tree);
    update.marks = std::make_shared<const TreeMarks>(update.tree, basis.marks);
    const bool sameIds = !update.newIds;
    if (basis.earlier)
        update.earlier =
            sameIds ? basis.earlier : std::make_shared<const Matching>(update.tree, basis.earlier->sharedBefore());
    if (basis.narrowing)
        update.narrowing = narrowTo(*update.tree,
                                    sameIds ? basis.narrowing->wanted
                                            : carried(*basis.narrowing->wanted, *update.newIds, *update.tree),
                                    basis.narrowing->words);
    if (sameIds) {
        // What was planned and is gone comes off with the run; states keep it, and going back finds that it is gone.
        update.before = basis.before;
        update.after = basis.after;
        return;
    }
    update.plan.restore(basis.plan);
    update.dropped = update.plan.rebind(*update.tree, ifChanged);
    StateRebinder again(*update.tree);
    for (const auto& state : basis.before)
        update.before.push_back(std::make_shared<const PlanState>(again(*state)));
    for (const auto& state : basis.after)
        update.after.push_back(std::make_shared<const PlanState>(again(*state)));
}

} // namespace

void TreeUpdater::next(std::uint64_t id)
{
    const auto found = queues_.find(id);
    if (found == queues_.end() || found->second.running)
        return;
    auto& jobs = found->second.jobs;
    const auto* open = places_.placeOf(id);
    if (!open) { // closed meanwhile
        const auto dropped = std::exchange(jobs, {});
        queues_.erase(found);
        for (const auto& job : dropped)
            if (job.then)
                job.then(false);
        return;
    }
    // While a plan is worked on only its own updates go.
    const auto turn = std::find_if(jobs.begin(), jobs.end(),
                                   [this](const Job& job) { return job.evenWhileLocked || !places_.isLocked(); });
    if (turn == jobs.end()) {
        if (jobs.empty())
            queues_.erase(found);
        return;
    }
    std::rotate(jobs.begin(), turn, std::next(turn));
    found->second.running = true;
    runAsync(
        this,
        [basis = basisOf(*open), make = jobs.front().make, ifChanged = jobs.front().ifChanged] {
            auto update = std::make_shared<Update>(make(basis));
            makeRest(*update, basis, ifChanged);
            return std::pair(update, basis.planVersion);
        },
        [this, id, base = open->tree](std::pair<std::shared_ptr<Update>, std::uint64_t> made) {
            auto* now = places_.edit(id);
            auto& queue = queues_[id];
            queue.running = false;
            if (!now)
                return next(id);
            if (now->tree != base || (made.first->newIds && now->planVersion != made.second))
                return next(id); // made from what is not there any more: once more
            apply(*now, *made.first, queue.jobs.front());
            discard(std::move(made.first));
            over(id, true);
        },
        [this, id](const QString& problem) {
            queues_[id].running = false;
            notices_.say(problem, Severity::Problem);
            over(id, false);
        });
}

/// The first job has ended; whoever waits for it is told once the next may begin.
void TreeUpdater::over(std::uint64_t id, bool done)
{
    auto& queue = queues_[id];
    const auto then = std::move(queue.jobs.front().then);
    queue.jobs.pop_front();
    next(id);
    if (done)
        emit updated(id);
    if (then)
        then(done);
}

/// The whole of what hangs on the tree, in one go.
void TreeUpdater::apply(Place& place, Update& update, const Job& job)
{
    const auto old = place.tree;
    const bool sameIds = !update.newIds;
    const auto idOf = [&](NodeId node) { return update.idOf(*old, node); };
    // Whoever looked at something that is gone looks at the folder it was in.
    NodeId focus = idOf(place.focus);
    for (NodeId node = place.focus; focus == noNode || !update.tree->isFolder(focus);) {
        if (node == rootNode) {
            focus = rootNode;
            break;
        }
        node = old->parent(node);
        focus = idOf(node);
    }
    if (focus != idOf(place.focus) || !sameIds)
        place.passed.clear();
    place.focus = focus;
    place.selection = idOf(place.selection);
    for (auto& node : place.alsoSelected)
        node = idOf(node);
    std::erase(place.alsoSelected, noNode);
    place.hover = noNode;
    for (auto* trail : {&place.back, &place.forward}) {
        for (auto& node : *trail)
            node = idOf(node);
        std::erase_if(*trail, [&](NodeId node) { return node == noNode || !update.tree->isFolder(node); });
    }
    if (!sameIds) {
        place.litSums = nullptr; // of the ids before
        std::swap(place.leads, update.leads);
        std::swap(place.advice, update.advice);
        if (place.lit.files)
            place.lit.files = carried(*place.lit.files, *update.newIds, *update.tree);
        // What was before goes with the update, which is let go of on another thread.
        std::swap(place.plan, update.plan);
        std::swap(place.planBefore, update.before);
        std::swap(place.planAfter, update.after);
        ++place.planVersion;
        if (job.ifChanged == Plan::IfChanged::Drop)
            std::swap(place.findings, update.findings);
        for (const auto& item : update.dropped)
            place.findings.erase(item->path);
    }
    place.tree = update.tree;
    place.dominant = update.dominant;
    place.marks = update.marks;
    place.earlier = update.earlier;
    place.narrowing = update.narrowing;
    if (job.also)
        job.also(place);
    place.choose();
    places_.addUpPlan(place.id);
    if (!update.dropped.empty())
        notices_.say(tr("%n planned item(s) changed and came off the plan. Look at what is there now.", nullptr,
                        static_cast<int>(update.dropped.size())),
                     Severity::Warning);
    if (!places_.isCurrent(place.id))
        return;
    emit treeChanged();
    emit carriedOver();
    places_.refreshCapacity(place.id);
}

void TreeUpdater::replace(std::uint64_t id, ScannedPlace scanned, Then then)
{
    Job job;
    job.make = [tree = scanned.tree](const Basis& basis) {
        Update update;
        update.tree = tree;
        update.newIds = idsIn(tree, basis.tree);
        return update;
    };
    job.ifChanged = Plan::IfChanged::Drop;
    job.also = [scanned](Place& place) {
        place.info = scanned.info;
        place.capacity = scanned.info.capacity;
        place.wholeDrive = scanned.wholeDrive;
        place.unreadable = scanned.unreadable;
        place.options = scanned.options;
        place.changed.clear();
        place.snapshotFile.clear(); // its own is not saved yet
        place.readWithRights = scanned.withRights;
        place.account = scanned.account;
        place.earlierLookedFor = false; // there is a newer one to compare with
    };
    job.then = std::move(then);
    enqueue(id, std::move(job));
}

void TreeUpdater::putIn(std::uint64_t id, std::vector<FreshFolder> fresh, Plan::IfChanged ifChanged, bool withRights,
                        Then then)
{
    const auto folders = std::make_shared<const std::vector<FreshFolder>>(std::move(fresh));
    const auto owners = std::make_shared<std::vector<std::pair<std::uint32_t, std::string>>>();
    Job job;
    job.make = [folders, owners](const Basis& basis) {
        std::vector<Graft> grafts;
        for (const auto& folder : *folders) {
            const auto at = basis.tree->find(folder.path);
            if (at && (folder.tree || *at != rootNode))
                grafts.push_back({*at, folder.tree});
        }
        auto grafted = graft(*basis.tree, grafts);
        Update update;
        update.tree = grafted.tree;
        update.newIds = std::make_shared<const std::vector<NodeId>>(std::move(grafted.newIds));
        *owners = ownersOf(*update.tree);
        return update;
    };
    job.ifChanged = ifChanged;
    job.also = [folders, owners, withRights](Place& place) {
        place.info.owners = *owners;
        for (const auto& folder : *folders) {
            std::erase_if(place.unreadable, [&](const Unreadable& u) { return isAtOrBelow(u.path, folder.path); });
            place.unreadable.insert(place.unreadable.end(), folder.unreadable.begin(), folder.unreadable.end());
            std::erase_if(place.changed, [&](const std::string& path) { return isAtOrBelow(path, folder.path); });
        }
        place.info.unreadable = place.unreadable.size();
        place.readWithRights |= withRights;
    };
    job.then = std::move(then);
    enqueue(id, std::move(job));
}

void TreeUpdater::takeOut(std::uint64_t id, std::vector<std::string> paths, Then then)
{
    Job job;
    job.make = [paths = std::move(paths)](const Basis& basis) {
        auto removed = basis.tree->removed();
        for (const NodeId node : findPaths(*basis.tree, {paths.begin(), paths.end()}))
            if (node != noNode && node != rootNode)
                removed.push_back(node);
        Update update;
        update.tree = std::make_shared<FileTree>(basis.tree->sharedStore(), std::move(removed));
        return update;
    };
    job.evenWhileLocked = true;
    job.then = std::move(then);
    enqueue(id, std::move(job));
}

void TreeUpdater::rejoin(std::uint64_t id, ChangeParts change, Then then)
{
    struct Joined {
        std::vector<PlacePart> parts; ///< those that are in the tree
        std::string setName;
    };
    const auto joined = std::make_shared<Joined>();
    Job job;
    job.make = [change = std::move(change), joined](const Basis& basis) {
        std::vector<JoinedPart> all;
        for (const auto& part : basis.parts)
            all.push_back({part, nullptr});
        joined->setName = basis.setName;
        joined->parts.clear();
        change(all, joined->setName);
        std::vector<PlaceRoot> roots;
        std::vector<SnapshotInfo> infos;
        for (auto& [part, fresh] : all) {
            if (fresh)
                roots.emplace_back(fresh, rootNode, part.info.place);
            else if (const auto at = basis.tree->find(part.info.place))
                roots.emplace_back(basis.tree, *at);
            infos.push_back(part.info);
            joined->parts.push_back(std::move(part));
        }
        Update update;
        update.tree = joinTrees(joined->setName.empty() ? namesOf(infos) : joined->setName, roots);
        update.newIds = idsIn(update.tree, basis.tree);
        dropPartsNotIn(*update.tree, joined->parts);
        return update;
    };
    job.also = [joined](Place& place) {
        place.parts = joined->parts;
        place.setName = joined->setName;
        place.addUpParts();
    };
    job.then = std::move(then);
    enqueue(id, std::move(job));
}

void TreeUpdater::putBack(std::uint64_t id, std::vector<std::string> paths, Then then)
{
    Job job;
    job.make = [paths = std::move(paths)](const Basis& basis) {
        auto removed = basis.tree->removed();
        auto sorted = paths;
        std::sort(sorted.begin(), sorted.end());
        std::erase_if(removed, [&](NodeId node) {
            return std::binary_search(sorted.begin(), sorted.end(), basis.tree->path(node));
        });
        Update update;
        update.tree = std::make_shared<FileTree>(basis.tree->sharedStore(), std::move(removed));
        return update;
    };
    job.evenWhileLocked = true;
    job.then = std::move(then);
    enqueue(id, std::move(job));
}

void TreeUpdater::narrow(const FileTree& of, std::shared_ptr<const std::vector<bool>> wanted, const QString& words)
{
    const auto* p = places_.place();
    if (!p || p->tree->sharedStore() != of.sharedStore())
        return;
    if (p->isGrowing())
        return notices_.say(tr("The scan is still running. The pictures can be narrowed once it has ended."),
                            Severity::Warning);
    runAsync(
        this, [tree = p->tree, wanted, words] { return narrowTo(*tree, wanted, words); },
        [this, id = p->id, base = p->tree, request = ++narrowRequest_](const Narrowing& narrowing) {
            auto* open = places_.edit(id);
            if (!open || !places_.isCurrent(id) || request != narrowRequest_)
                return;
            if (open->tree != base) // something was carried out, or read again, meanwhile
                return narrow(*base, narrowing.wanted, narrowing.words);
            open->narrowing = narrowing;
            open->hover = noNode;
            // Into the nearest folder in which something is found.
            const NodeId before = open->focus;
            while (!narrowing.tree->contains(open->focus))
                open->focus = open->tree->parent(open->focus);
            if (open->focus != before) {
                open->back.push_back(before);
                open->forward.clear();
                open->passed.clear();
            }
            emit shownChanged();
            if (open->focus != before)
                emit carriedOver();
        });
}

void TreeUpdater::showAll()
{
    ++narrowRequest_;
    auto* p = places_.edit();
    if (!p || !p->narrowing)
        return;
    p->narrowing.reset();
    p->hover = noNode;
    emit shownChanged();
}

} // namespace kurvo::app
