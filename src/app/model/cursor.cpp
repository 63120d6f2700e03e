// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/cursor.h"

#include <algorithm>
#include <filesystem>

#include "app/style/words.h"

namespace kurvo::app {

Cursor::Cursor(PlaceStore& places, TreeUpdater& trees, Notices& notices, QObject* parent)
    : QObject(parent), places_(places), trees_(trees), notices_(notices)
{
    connect(&trees_, &TreeUpdater::carriedOver, this, [this] {
        emit focusChanged();
        emit selectionChanged();
    });
}

void Cursor::moveFocus(NodeId folder)
{
    auto* p = places_.edit();
    p->focus = folder;
    p->passed.clear();
    p->hover = noNode;
    emit focusChanged();
}

void Cursor::setFocus(NodeId folder)
{
    auto* p = places_.edit();
    if (!p || folder == p->focus || !p->tree->contains(folder) || !p->tree->isFolder(folder) ||
        p->tree->store().has(folder, FlagDoor))
        return;
    p->back.push_back(p->focus);
    p->forward.clear();
    moveFocus(folder);
}

void Cursor::goUp()
{
    auto* p = places_.edit();
    if (!p || p->focus == rootNode)
        return;
    const NodeId left = p->focus;
    setFocus(p->tree->parent(left));
    select(left);
}

void Cursor::goBack()
{
    if (!canGoBack())
        return;
    auto* p = places_.edit();
    p->forward.push_back(p->focus);
    const NodeId to = p->back.back();
    p->back.pop_back();
    moveFocus(p->tree->contains(to) ? to : rootNode);
}

void Cursor::goForward()
{
    if (!canGoForward())
        return;
    auto* p = places_.edit();
    p->back.push_back(p->focus);
    const NodeId to = p->forward.back();
    p->forward.pop_back();
    moveFocus(p->tree->contains(to) ? to : rootNode);
}

void Cursor::followTheWeight()
{
    auto* p = places_.edit();
    if (!p)
        return;
    const NodeId from = p->focus;
    const NodeId target = kurvo::followTheWeight(*p->shown(), from, places_.measure(), weightThreshold_);
    if (target == from) {
        notices_.say(tr("No single folder holds %1 % of %2: the weight is spread from here on.")
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

void Cursor::setWeightThreshold(double threshold)
{
    weightThreshold_ = std::clamp(threshold, 0.5, 0.99);
}

bool Cursor::goTo(const std::string& path)
{
    auto* p = places_.edit();
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

void Cursor::select(NodeId node)
{
    auto* p = places_.edit();
    if (!p || (node != noNode && !p->tree->contains(node)) || (p->selection == node && p->alsoSelected.empty()))
        return;
    p->selection = node;
    p->alsoSelected.clear();
    p->choose();
    emit selectionChanged();
}

void Cursor::selectAll(NodeId node, std::vector<NodeId> others)
{
    auto* p = places_.edit();
    if (!p || node == noNode || !p->tree->contains(node))
        return;
    std::erase_if(others, [p, node](NodeId other) { return other == node || !p->tree->contains(other); });
    if (p->selection == node && p->alsoSelected == others)
        return;
    p->selection = node;
    p->alsoSelected = std::move(others);
    p->choose();
    emit selectionChanged();
}

void Cursor::toggleSelected(NodeId node)
{
    auto* p = places_.edit();
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

void Cursor::reveal(NodeId node)
{
    auto* p = places_.edit();
    if (!p || node == noNode || !p->tree->contains(node))
        return;
    if (!p->tree->isAtOrBelow(node, p->focus) || node == p->focus)
        setFocus(node == rootNode ? rootNode : p->tree->parent(node));
    if (p->narrowing && !p->narrowing->tree->contains(node))
        trees_.showAll();
    select(node);
}

void Cursor::setHover(NodeId node)
{
    auto* p = places_.edit();
    if (!p || p->hover == node)
        return;
    p->hover = node;
    emit hoverChanged();
}

bool Cursor::canGoBack() const
{
    return places_.place() && !places_.place()->back.empty();
}

bool Cursor::canGoForward() const
{
    return places_.place() && !places_.place()->forward.empty();
}

NodeId Cursor::hover() const
{
    return places_.place() ? places_.place()->hover : noNode;
}

} // namespace kurvo::app
