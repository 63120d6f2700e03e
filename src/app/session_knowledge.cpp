// SPDX-License-Identifier: GPL-3.0-or-later
// The part of Session that has to do with what is known of items: advice, the guard, marks.
#include "app/async.h"
#include "app/session.h"
#include "app/words.h"

namespace kurvo::app {

/// Packages are those of this machine: they say nothing about a scan of another one.
bool Session::isThisMachine(const Place& place) const
{
    return !place.info.sample && place.info.host == hostName();
}

void Session::setGuard(Place& place) const
{
    place.packages = isThisMachine(place) ? knowledge_.packages() : nullptr;
    place.guard = {folders_.user, ownData(), place.packages.get()};
}

std::optional<Protection> Session::protectionOf(NodeId node) const
{
    const auto* p = place();
    return p && node != noNode ? kurvo::protectionOf(p->tree->path(node), p->guard) : std::nullopt;
}

Advice Session::adviceFor(NodeId node) const
{
    const auto& tree = *place()->tree;
    return kurvo::adviceFor(tree.path(node), tree.isFolder(node), knowledge_.rules());
}

/// Finds the marks on the tree of the current place anew.
void Session::refreshMarks()
{
    const auto* p = place();
    if (!p)
        return;
    const auto request = ++marksRequest_;
    runAsync(
        this,
        [tree = p->tree, book = knowledge_.marks(p->info.host)] {
            return std::make_shared<const TreeMarks>(tree, book);
        },
        [this, request, id = p->id](const std::shared_ptr<const TreeMarks>& marks) {
            auto* open = stillOpen(id);
            if (!open || request != marksRequest_)
                return;
            open->marks = marks;
            emit marksChanged();
            if (open->view.colour == ColourBy::Mark)
                refreshColours();
        });
}

void Session::mark(const std::vector<NodeId>& nodes, const std::string& kind)
{
    changeMarks(nodes, [&](Mark& mark) { mark.kind = kind; });
}

void Session::note(const std::vector<NodeId>& nodes, const QString& text)
{
    changeMarks(nodes, [&](Mark& mark) {
        mark.note = text.toStdString();
        if (mark.kind.empty() && !mark.note.empty())
            mark.kind = "ask"; // a note wants an answer
    });
}

void Session::changeMarks(const std::vector<NodeId>& nodes, const std::function<void(Mark&)>& change)
{
    const auto* p = place();
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
