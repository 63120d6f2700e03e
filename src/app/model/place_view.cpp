// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/place_view.h"

#include <algorithm>

#include "app/model/joint_scans.h"
#include "app/services/async.h"
#include "app/services/listen.h"
#include "app/style/words.h"
#include "core/snapshot/catalogue.h"

namespace kurvo::app {

PlaceView::PlaceView(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, Knowledge& knowledge,
                     Notices& notices, QObject* parent)
    : QObject(parent), folders_(folders), places_(places), trees_(trees), knowledge_(knowledge), notices_(notices)
{
    // Before any view: what these look at is up to date when they hear of it.
    listen(this, &PlaceView::refreshColours, places_, &PlaceStore::placeChanged, trees_, &TreeUpdater::treeChanged,
           trees_, &TreeUpdater::shownChanged);
    listen(this, &PlaceView::refreshMarks, places_, &PlaceStore::placeChanged, trees_, &TreeUpdater::treeChanged,
           knowledge_, &Knowledge::marksChanged);
    connect(&places_, &PlaceStore::guardsChanged, this, [this] {
        if (places_.place())
            emit coloursChanged(); // with locks where there were none
    });
    // Where there is an earlier snapshot, growth stands beside size at once.
    listen(this, &PlaceView::lookForEarlier, places_, &PlaceStore::placeChanged, trees_, &TreeUpdater::treeChanged);
}

void PlaceView::lookForEarlier()
{
    auto* p = places_.edit();
    if (!p || p->isGrowing() || p->earlierLookedFor)
        return;
    p->earlierLookedFor = true;
    findEarlier(Wish::Quiet);
}

void PlaceView::changeView(const std::function<void(ViewState&)>& change)
{
    auto last = places_.lastView_;
    change(last);
    if (auto* p = places_.edit()) {
        change(p->view);
        last = p->view;
    }
    places_.setLastView(last);
}

void PlaceView::setMeasure(Measure measure)
{
    if (places_.view().measure == measure)
        return;
    changeView([measure](ViewState& v) { v.measure = measure; });
    addUpLit();
    emit measureChanged();
}

void PlaceView::setPicture(PictureKind picture)
{
    if (places_.view().picture == picture)
        return;
    changeView([picture](ViewState& v) { v.picture = picture; });
    emit viewChanged();
}

void PlaceView::setDepth(int depth)
{
    depth = std::clamp(depth, 1, ViewState::allLevels);
    if (places_.view().depth() == depth || isTable(places_.view().picture))
        return;
    changeView(
        [depth](ViewState& v) { (v.picture == PictureKind::Sunburst ? v.sunburstDepth : v.treemapDepth) = depth; });
    emit viewChanged();
}

void PlaceView::setAreas(bool shown)
{
    if (places_.view().areas == shown)
        return;
    changeView([shown](ViewState& v) { v.areas = shown; });
    emit viewChanged();
}

void PlaceView::setColour(ColourBy colour)
{
    if (places_.view().colour == colour)
        return;
    if (colour == ColourBy::Growth && places_.place() && !places_.place()->earlier)
        return findEarlier(Wish::Growth);
    changeView([colour](ViewState& v) { v.colour = colour; });
    if (auto* p = places_.edit(); p && p->lit.any() && p->lit.by != ColourBy::Family && p->lit.by != colour) {
        p->lit = {}; // its classes are not among the colours any more
        p->litSums = nullptr;
        emit litChanged();
    }
    colourAge_.invalidate();
    refreshColours();
    emit viewChanged();
}

void PlaceView::nextColour()
{
    const auto after = [](ColourBy colour) {
        return static_cast<ColourBy>((static_cast<std::size_t>(colour) + 1) % colourSchemes);
    };
    const auto next = after(places_.view().colour);
    if (next == ColourBy::Growth && places_.place() && !places_.place()->earlier)
        findEarlier(Wish::GrowthOrNext);
    else
        setColour(next);
}

/// The tree, the measure or the choice of colours are others: by family the classes are known at once, all else is
/// worked out off this thread, and until then what was is shown where it fits.
void PlaceView::refreshColours()
{
    auto* p = places_.edit();
    const auto request = ++colourRequest_;
    if (!p)
        return;
    if (p->earlier && &p->earlier->now().store() != &p->tree->store())
        p->earlier = nullptr;
    auto by = p->view.colour;
    if (by == ColourBy::Growth && !p->earlier) {
        p->scheme = std::make_shared<Scheme>(p->shown(), p->shownDominant());
        addUpLit();
        if (p->isGrowing())
            return;
        return findEarlier(Wish::Growth);
    }
    if (by == ColourBy::Family || !p->scheme || !p->scheme->fits(*p->tree))
        p->scheme = std::make_shared<Scheme>(p->shown(), p->shownDominant());
    addUpLit();
    if (by == ColourBy::Family || (p->isGrowing() && colourAge_.isValid() && colourAge_.elapsed() < 900))
        return;
    colourAge_.start();
    runAsync(
        this,
        // Growth is told by the whole of what a folder held.
        [tree = by == ColourBy::Growth ? p->tree : p->shown(), by, now = p->info.taken, earlier = p->earlier,
         marks = p->marks, whole = p->tree, advice = p->adviceOfTree(), rules = knowledge_.sharedRules()]() mutable {
            if (by == ColourBy::Role && !advice)
                advice =
                    std::make_shared<const TreeAdvice>(adviseTree(rules ? rules->book : RuleBook::builtIn(), *whole));
            return std::make_shared<const Scheme>(tree, by, now, earlier, marks, advice);
        },
        [this, request, id = p->id, by](const std::shared_ptr<const Scheme>& scheme) {
            auto* open = places_.edit(id);
            // A growing place asks again and again: a look at its start is better than none.
            if (!open || !places_.isCurrent(id) || open->view.colour != by || !scheme->fits(*open->tree) ||
                (request != colourRequest_ && !open->isGrowing()))
                return;
            open->scheme = scheme;
            addUpLit();
            emit coloursChanged();
        });
}

/// Looks for the newest snapshot of this place that is older than what is shown, and matches the trees.
void PlaceView::findEarlier(Wish wish)
{
    auto* p = places_.edit();
    if (!p || p->isGrowing())
        return;
    struct Found {
        std::shared_ptr<const Matching> matching;
        std::int64_t taken = 0;
        QString problem;
    };
    runAsync(
        this,
        [folder = folders_.snapshots(), open = p->snapshotFile, info = p->info, tree = p->tree,
         joint = p->isTogether() ? std::optional<JointScans>(*p) : std::nullopt] {
            Found found;
            std::shared_ptr<const FileTree> before;
            if (joint) {
                const auto points = joint->points(folder);
                const auto best = std::find_if(points.rbegin(), points.rend(), [&](const JointPoint& point) {
                    return point.info.taken < joint->newest() && point.info.exclude == info.exclude;
                });
                if (best == points.rend())
                    return found;
                found.taken = best->info.taken;
                if (auto read = joint->read(*best))
                    before = std::move(*read);
                else
                    found.problem = QString::fromStdString(read.error().sentence);
            } else {
                const auto all = snapshotsOf(folder, open, info);
                const auto* best = wholeBefore(all, info);
                if (!best)
                    return found;
                found.taken = best->info.taken;
                if (auto read = readSnapshot(best->path))
                    before = std::move(read->tree);
                else
                    found.problem = QString::fromStdString(read.error().sentence);
            }
            if (before)
                found.matching = std::make_shared<const Matching>(tree, before);
            return found;
        },
        [this, id = p->id, wish](const Found& found) {
            auto* open = places_.edit(id);
            if (!open || !places_.isCurrent(id))
                return;
            if (!found.matching) {
                if (wish == Wish::Quiet)
                    return;
                if (wish == Wish::GrowthOrNext)
                    return setColour(ColourBy::Mark);
                if (open->view.colour == ColourBy::Growth) {
                    open->view.colour = ColourBy::Family;
                    refreshColours();
                }
                emit viewChanged(); // the choice goes back to what it was
                notices_.say(
                    found.problem.isEmpty()
                        ? tr("There is no earlier snapshot of %1 to tell growth from. Each scan is kept as one.")
                              .arg(toText(open->info.place))
                        : found.problem,
                    found.problem.isEmpty() ? Severity::Info : Severity::Warning);
                return;
            }
            if (&found.matching->now().store() != &open->tree->store())
                return findEarlier(wish); // read again meanwhile
            open->earlier = found.matching;
            open->earlierTaken = found.taken;
            emit earlierFound();
            if (wish == Wish::Quiet)
                return;
            changeView([](ViewState& v) { v.colour = ColourBy::Growth; });
            refreshColours();
            emit viewChanged();
        });
}

void PlaceView::light(const Lit& lit)
{
    auto* p = places_.edit();
    if (!p)
        return;
    p->lit = p->lit == lit ? Lit{} : lit;
    if (!p->lit.any()) {
        p->litSums = nullptr;
        ++litRequest_;
        emit litChanged();
        return;
    }
    addUpLit();
}

void PlaceView::addUpLit()
{
    auto* p = places_.edit();
    const auto request = ++litRequest_;
    if (!p || !p->lit.any())
        return;
    if (p->litSums && p->litSums->size() > p->tree->extent().folders)
        p->litSums = nullptr; // of another tree
    runAsync(
        this,
        [tree = p->shown(), lit = p->lit, scheme = p->scheme, measure = places_.measure()] {
            return std::make_shared<const std::vector<std::uint64_t>>(litSums(*tree, lit, *scheme, measure));
        },
        [this, request, id = p->id](const std::shared_ptr<const std::vector<std::uint64_t>>& sums) {
            auto* open = places_.edit(id);
            if (!open || !places_.isCurrent(id) || request != litRequest_)
                return;
            open->litSums = sums;
            emit litChanged();
        });
}

bool PlaceView::putOut()
{
    const auto* place = places_.place();
    if (!place || (!place->lit.any() && !place->narrowing))
        return false;
    if (place->lit.any())
        light(place->lit);
    else
        trees_.showAll();
    return true;
}

/// Finds the marks on the tree of the current place anew.
void PlaceView::refreshMarks()
{
    const auto* p = places_.place();
    if (!p)
        return;
    const auto request = ++marksRequest_;
    runAsync(
        this,
        [tree = p->tree, book = knowledge_.marks(p->info.host)] {
            return std::make_shared<const TreeMarks>(tree, book);
        },
        [this, request, id = p->id, tree = p->tree](const std::shared_ptr<const TreeMarks>& marks) {
            auto* open = places_.edit(id);
            if (!open || request != marksRequest_ || open->tree->sharedStore() != tree->sharedStore())
                return; // asked for anew
            open->marks = marks;
            emit marksChanged();
            if (open->view.colour == ColourBy::Mark)
                refreshColours();
        });
}

void PlaceView::mark(const std::vector<NodeId>& nodes, const std::string& kind)
{
    changeMarks(nodes, [&](Mark& mark) { mark.kind = kind; });
}

void PlaceView::note(const std::vector<NodeId>& nodes, const QString& text)
{
    changeMarks(nodes, [&](Mark& mark) {
        mark.note = text.toStdString();
        if (mark.kind.empty() && !mark.note.empty())
            mark.kind = "ask"; // a note wants an answer
    });
}

void PlaceView::changeMarks(const std::vector<NodeId>& nodes, const std::function<void(Mark&)>& change)
{
    const auto* p = places_.place();
    if (!p || nodes.empty())
        return;
    const auto book = knowledge_.marks(p->info.host);
    std::vector<Mark> marks;
    for (const NodeId node : nodes) {
        Mark mark{p->tree->path(node), {}, {}, 0};
        if (const auto known = book->marks.find(mark.path); known != book->marks.end())
            mark = known->second;
        change(mark);
        mark.changed = currentTime();
        marks.push_back(std::move(mark));
    }
    knowledge_.setMarks(p->info.host, std::move(marks));
}

} // namespace kurvo::app
