// SPDX-License-Identifier: GPL-3.0-or-later
// How one looks at a place: picture, measure, colours, depth, and what is lit up.
#include "app/async.h"
#include "app/session.h"
#include "app/words.h"
#include "core/snapshot/catalogue.h"

namespace kurvo::app {

void Session::changeView(const std::function<void(ViewState&)>& change)
{
    change(lastView_);
    if (auto* p = place()) {
        change(p->view);
        lastView_ = p->view;
    }
}

void Session::setMeasure(Measure measure)
{
    if (view().measure == measure)
        return;
    changeView([measure](ViewState& v) { v.measure = measure; });
    emit measureChanged();
}

void Session::setPicture(PictureKind picture)
{
    if (view().picture == picture)
        return;
    changeView([picture](ViewState& v) { v.picture = picture; });
    emit viewChanged();
}

void Session::setDepth(int depth)
{
    depth = std::clamp(depth, 1, ViewState::allLevels);
    if (view().depth() == depth || view().picture == PictureKind::Types)
        return;
    changeView(
        [depth](ViewState& v) { (v.picture == PictureKind::Sunburst ? v.sunburstDepth : v.treemapDepth) = depth; });
    emit viewChanged();
}

void Session::setAreas(bool shown)
{
    if (view().areas == shown)
        return;
    changeView([shown](ViewState& v) { v.areas = shown; });
    emit viewChanged();
}

void Session::setColour(ColourBy colour)
{
    if (view().colour == colour)
        return;
    if (colour == ColourBy::Growth && place() && !place()->earlier)
        return findEarlier();
    changeView([colour](ViewState& v) { v.colour = colour; });
    if (auto* p = place(); p && p->lit.any() && p->lit.by != ColourBy::Family && p->lit.by != colour) {
        p->lit = {}; // its classes are not among the colours any more
        p->litSums = nullptr;
        emit litChanged();
    }
    colourAge_.invalidate();
    refreshColours();
    emit viewChanged();
}

/// The tree, the measure or the choice of colours are others: by family the classes are known at once, all else is
/// worked out off this thread, and until then what was is shown where it fits.
void Session::refreshColours()
{
    auto* p = place();
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
        return findEarlier();
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
         marks = p->marks] { return std::make_shared<const Scheme>(tree, by, now, earlier, marks); },
        [this, request, id = p->id, by](const std::shared_ptr<const Scheme>& scheme) {
            auto* open = stillOpen(id);
            // A growing place asks again and again: a look at its start is better than none.
            if (!open || open != place() || open->view.colour != by || !scheme->fits(*open->tree) ||
                (request != colourRequest_ && !open->isGrowing()))
                return;
            open->scheme = scheme;
            addUpLit();
            emit coloursChanged();
        });
}

/// Looks for the newest snapshot of this place that is older than what is shown, and matches the trees.
void Session::findEarlier(bool forColour)
{
    auto* p = place();
    if (!p || p->isGrowing())
        return;
    struct Found {
        std::shared_ptr<const Matching> matching;
        std::int64_t taken = 0;
        QString problem;
    };
    runAsync(
        this,
        [folder = folders_.snapshots(), open = p->snapshotFile, info = p->info, tree = p->tree] {
            Found found;
            const auto all = snapshotsOf(folder, open, info);
            const auto* best = wholeBefore(all, info);
            if (!best)
                return found;
            auto snapshot = readSnapshot(best->path);
            if (!snapshot) {
                found.problem = QString::fromStdString(snapshot.error().sentence);
                return found;
            }
            found.taken = best->info.taken;
            found.matching = std::make_shared<const Matching>(tree, snapshot->tree);
            return found;
        },
        [this, id = p->id, forColour](const Found& found) {
            auto* open = stillOpen(id);
            if (!open || open != place())
                return;
            if (!found.matching) {
                if (!forColour)
                    return;
                if (open->view.colour == ColourBy::Growth) {
                    open->view.colour = ColourBy::Family;
                    refreshColours();
                }
                emit viewChanged(); // the choice goes back to what it was
                say(found.problem.isEmpty()
                        ? tr("There is no earlier snapshot of %1 to tell growth from. Each scan is kept as one.")
                              .arg(toText(open->info.place))
                        : found.problem,
                    found.problem.isEmpty() ? Severity::Info : Severity::Warning);
                return;
            }
            if (&found.matching->now().store() != &open->tree->store())
                return;
            open->earlier = found.matching;
            open->earlierTaken = found.taken;
            emit earlierFound();
            if (!forColour)
                return;
            changeView([](ViewState& v) { v.colour = ColourBy::Growth; });
            refreshColours();
            emit viewChanged();
        });
}

void Session::light(const Lit& lit)
{
    auto* p = place();
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

void Session::addUpLit()
{
    auto* p = place();
    const auto request = ++litRequest_;
    if (!p || !p->lit.any())
        return;
    if (p->litSums && p->litSums->size() > p->tree->extent().folders)
        p->litSums = nullptr; // of another tree
    runAsync(
        this,
        [tree = p->shown(), lit = p->lit, scheme = p->scheme, measure = measure()] {
            return std::make_shared<const std::vector<std::uint64_t>>(litSums(*tree, lit, *scheme, measure));
        },
        [this, request, id = p->id](const std::shared_ptr<const std::vector<std::uint64_t>>& sums) {
            auto* open = stillOpen(id);
            if (!open || open != place() || request != litRequest_)
                return;
            open->litSums = sums;
            emit litChanged();
        });
}

/// Derived trees are made off the interface thread, and what looks at the place goes on with the one before.
void Session::narrow(std::shared_ptr<const std::vector<bool>> wanted, const QString& words)
{
    auto* p = place();
    if (!p)
        return;
    if (p->isGrowing())
        return say(tr("The scan still runs. The pictures can be narrowed once it has ended."), Severity::Warning);
    runAsync(
        this, [tree = p->tree, wanted, words] { return narrowTo(*tree, wanted, words); },
        [this, id = p->id, base = p->tree, request = ++narrowRequest_](const Narrowing& narrowing) {
            auto* open = stillOpen(id);
            if (!open || open != place() || request != narrowRequest_)
                return;
            if (open->tree != base) // something was carried out, or read again, meanwhile
                return open->tree->sharedStore() == base->sharedStore() ? narrow(narrowing.wanted, narrowing.words)
                                                                        : void();
            open->narrowing = narrowing;
            // Into the nearest folder in which something is found.
            NodeId focus = open->focus;
            while (!narrowing.tree->contains(focus))
                focus = open->tree->parent(focus);
            if (focus != open->focus)
                setFocus(focus);
            showNarrowed();
        });
}

void Session::showAll()
{
    ++narrowRequest_;
    if (!place() || !place()->narrowing)
        return;
    place()->narrowing.reset();
    showNarrowed();
}

void Session::putOut()
{
    if (place() && place()->lit.any())
        light(place()->lit);
    else
        showAll();
}

void Session::showNarrowed()
{
    hover_ = noNode;
    refreshColours();
    emit shownChanged();
}

Narrowing Session::narrowTo(const FileTree& tree, std::shared_ptr<const std::vector<bool>> wanted, QString words)
{
    Narrowing narrowing;
    narrowing.tree = std::make_shared<FileTree>(tree, *wanted);
    narrowing.dominant = dominantFamilies(*narrowing.tree);
    narrowing.wanted = std::move(wanted);
    narrowing.words = std::move(words);
    return narrowing;
}

} // namespace kurvo::app
