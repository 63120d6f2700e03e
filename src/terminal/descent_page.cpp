// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include <fmt/format.h>

#include "terminal/pages.h"

namespace kurvo::terminal {
namespace {

const char* sortWords(DescentSort sort)
{
    switch (sort) {
    case DescentSort::Count:
        return "by count";
    case DescentSort::Name:
        return "by name";
    case DescentSort::Date:
        return "by date";
    case DescentSort::Size:
        break;
    }
    return "largest first";
}

} // namespace

std::string DescentPage::title() const
{
    if (!desk_.hasPlace())
        return desk_.isScanning() ? "The scan begins" : "No place is open";
    const auto& place = desk_.place();
    const auto& sums = desk_.tree().sums(place.focus);
    const auto words = place.measure == Measure::Files  ? formatItems(sums.files, "file")
                       : place.measure == Measure::Disk ? desk_.size(sums.disk) + " on disk"
                                                        : desk_.size(sums.apparent) + " apparent";
    return fmt::format("{}, {}  {}", words, sortWords(place.sort), desk_.tree().path(place.focus));
}

std::string DescentPage::emptyWords() const
{
    if (desk_.isScanning())
        return "The scan has just begun.";
    return desk_.hasPlace() ? "This folder is empty."
                            : "No place is open. Choose one in Scan (Tab), or go to a path (G).";
}

void DescentPage::refresh()
{
    if (!desk_.hasPlace()) {
        rows_.clear();
        tree_.reset();
        return;
    }
    const auto& place = desk_.place();
    DescentWish wish{place.tree, place.focus, place.measure, place.sort, place.opened, place.whole};
    if (moved_ && nodeAt(selected()) != noNode && focus_ != noNode)
        remembered_[focus_] = nodeAt(selected());
    constexpr std::uint32_t fewEnough = 2000;
    if (wish.childCount() <= fewEnough && wish.whole.empty() && wish.opened.empty()) {
        ++request_;
        return take(descentRows(wish), wish.tree, wish.focus);
    }
    if (asking_) {
        again_ = true;
        return;
    }
    asking_ = true;
    desk_.work().run([wish](const std::stop_token&) { return descentRows(wish); },
                     [this, wish, request = ++request_](std::vector<DescentRow> rows) {
                         asking_ = false;
                         if (request == request_ && desk_.hasPlace() && desk_.place().tree == wish.tree)
                             take(std::move(rows), wish.tree, wish.focus);
                         if (std::exchange(again_, false))
                             refresh();
                     });
}

void DescentPage::take(std::vector<DescentRow> rows, std::shared_ptr<const FileTree> tree, NodeId focus)
{
    if (focus != focus_)
        moved_ = false;
    // Whoever has not moved yet stays on the first row, whatever grows to be that.
    const auto was = focus == focus_ && moved_ ? nodeAt(selected()) : noNode;
    const auto wasRow = focus == focus_ && moved_ ? selected() : 0;
    rows_ = std::move(rows);
    tree_ = std::move(tree);
    focus_ = focus;
    if (was == noNode)
        forgetChosen();
    auto wanted = wanted_ != noNode ? wanted_ : was;
    moved_ |= wanted_ != noNode;
    if (wanted == noNode)
        if (const auto known = remembered_.find(focus); known != remembered_.end())
            wanted = known->second;
    const auto found =
        std::find_if(rows_.begin(), rows_.end(), [wanted](const DescentRow& row) { return row.node == wanted; });
    // These may be rows of a folder that was left meanwhile.
    if (found != rows_.end() || wanted_ >= tree_->extent().nodes || wanted_ == rootNode ||
        tree_->parent(wanted_) == focus)
        wanted_ = noNode;
    select(wanted != noNode && found != rows_.end() ? static_cast<std::size_t>(found - rows_.begin()) : wasRow);
}

void DescentPage::renumber(const std::function<NodeId(NodeId)>& newId)
{
    const auto selectedNow = nodeAt(selected());
    wanted_ = selectedNow == noNode ? noNode : newId(selectedNow);
    remembered_.clear();
    rows_.clear();
    focus_ = noNode;
    forgetChosen();
    refresh();
}

void DescentPage::draw(Screen& screen, const Box& box)
{
    if (desk_.hasPlace() && tree_ != desk_.place().tree && !asking_)
        refresh();
    ListPage::draw(screen, box);
}

void DescentPage::drawHead(Screen& screen, int y, int width)
{
    drawItemHead(screen, desk_, y, width, columnsFor(width, true));
}

void DescentPage::drawRow(Screen& screen, int y, int width, std::size_t row)
{
    const auto& r = rows_[row];
    auto columns = columnsFor(width, true);
    columns.whole = tree_->measured(r.folder, desk_.place().measure);
    columns.largest = r.largest;
    columns.indent = 2 * r.level;
    if (r.isRest()) {
        screen.putRight(y, 1, desk_.amount(r.size), 10);
        screen.putRight(y, 11, shortShare(r.size, columns.whole), 7, Ink::Second);
        screen.put(y, (columns.growth && desk_.place().earlier ? 41 : 30) + columns.indent,
                   "rest: " + formatItems(r.restCount, "item") + " (Enter lists them)", width - 30, Ink::Second);
        return;
    }
    const bool folder = tree_->isFolder(r.node) && tree_->countChildren(r.node) > 0;
    drawItem(screen, desk_, y, width, r.node, columns, isChosen(row), !folder ? " " : r.opened ? "-" : "+");
}

void DescentPage::into(NodeId folder)
{
    if (folder != noNode && desk_.tree().isFolder(folder)) {
        if (desk_.tree().store().has(folder, FlagDoor))
            return pages_.say("Another drive begins here. Scan it by itself, or include other mounts.");
        desk_.setFocus(folder);
    }
}

void DescentPage::activate(std::size_t row)
{
    const auto& r = rows_[row];
    if (r.isRest())
        return desk_.showRest(r.folder);
    if (desk_.tree().isFolder(r.node))
        return into(r.node);
    pages_.showFacts(r.node);
}

void DescentPage::show(NodeId node)
{
    if (node == noNode || !desk_.hasPlace())
        return;
    wanted_ = node;
    const auto above = node == rootNode ? rootNode : desk_.tree().parent(node);
    // A small one may be part of the rest.
    desk_.showRest(above);
    desk_.setFocus(above);
    refresh();
}

NodeId DescentPage::folder() const
{
    const auto node = nodeAt(selected());
    return node != noNode && desk_.hasPlace() && desk_.tree().contains(node) && desk_.tree().isFolder(node)
               ? node
               : desk_.place().focus;
}

bool DescentPage::key(const Key& key)
{
    if (!desk_.hasPlace())
        return ListPage::key(key);
    moved_ = true;
    const auto& tree = desk_.tree();
    const auto focus = desk_.place().focus;
    const auto node = nodeAt(selected());
    const bool folder = node != noNode && tree.contains(node) && tree.isFolder(node);
    const auto up = [&] {
        if (focus == rootNode)
            return pages_.say("This is the top of the place.");
        wanted_ = focus;
        desk_.setFocus(tree.parent(focus));
    };
    if (key.name == "Right" || key.name == "Shift+Right") {
        if (folder && !rows_[selected()].opened && tree.countChildren(node) > 0)
            desk_.expand(node, true);
        else if (folder)
            select(selected() + 1);
    } else if (key.name == "Left" || key.name == "Shift+Left") {
        if (folder && rows_[selected()].opened)
            desk_.expand(node, false);
        else if (selected() < rows_.size() && rows_[selected()].level > 0) {
            wanted_ = rows_[selected()].folder;
            desk_.expand(rows_[selected()].folder, false);
        } else {
            up();
        }
    } else if (key.name == "Backspace" || key.name == "Alt+Up") {
        up();
    } else if (key.name == "Alt+Down") {
        into(node);
    } else if (key.name == "W") {
        into(followTheWeight(tree, folder ? node : focus, desk_.place().measure));
    } else {
        return ListPage::key(key);
    }
    return true;
}

std::string_view DescentPage::nameOf(std::size_t row) const
{
    return nodeAt(row) == noNode || !tree_ ? std::string_view() : tree_->name(nodeAt(row));
}

std::vector<NodeId> DescentPage::subjects() const
{
    std::vector<NodeId> nodes;
    if (desk_.hasPlace() && tree_ == desk_.place().tree)
        for (const auto row : chosenRows())
            if (nodeAt(row) != noNode)
                nodes.push_back(nodeAt(row));
    return nodes;
}

std::string DescentPage::pointer() const
{
    return tree_ == (desk_.hasPlace() ? desk_.place().tree : nullptr) ? pointerLine(desk_, nodeAt(selected()))
                                                                      : std::string();
}

std::vector<std::pair<std::string, std::string>> DescentPage::hints() const
{
    if (!desk_.hasPlace())
        return {{"G", "go to path"}};
    return {{"Enter", "into"}, {"Backsp", "up"}, {"W", "weight"}, {"Space", "facts"}, {"Del", "plan"}};
}

} // namespace kurvo::terminal
