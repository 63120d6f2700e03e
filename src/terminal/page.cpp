// SPDX-License-Identifier: GPL-3.0-or-later
#include "terminal/page.h"

#include <algorithm>
#include <cstdlib>
#include <cstring>

#include <fmt/format.h>

namespace kurvo::terminal {

void ListPage::draw(Screen& screen, const Box& box)
{
    const auto rows = count();
    const int head = hasHead() && rows > 0 ? 1 : 0;
    if (head > 0)
        drawHead(screen, box.y, box.width);
    shown_ = {box.y + head, box.height - head, box.width};
    if (rows == 0) {
        int y = box.y + 1;
        for (const auto& line : foldedTo(cellText(emptyWords()), box.width - 4))
            if (y < box.y + box.height)
                screen.put(y++, 2, std::wstring_view(line), box.width - 4, Ink::Second);
        return;
    }
    const auto height = static_cast<std::size_t>(std::max(1, shown_.height));
    selected_ = std::min(selected_, rows - 1);
    top_ = std::min(top_, selected_);
    if (selected_ >= top_ + height)
        top_ = selected_ - height + 1;
    top_ = std::min(top_, rows > height ? rows - height : 0);
    for (std::size_t i = 0; i < height && top_ + i < rows; ++i) {
        const int y = shown_.y + static_cast<int>(i);
        drawRow(screen, y, box.width, top_ + i);
        if (top_ + i == selected_)
            screen.invert(y, 0, box.width);
    }
}

void ListPage::select(std::size_t row)
{
    selected_ = count() == 0 ? 0 : std::min(row, count() - 1);
}

bool ListPage::isChosen(std::size_t row) const
{
    return chosen_.contains(row);
}

std::vector<std::size_t> ListPage::chosenRows() const
{
    if (chosen_.empty())
        return count() == 0 ? std::vector<std::size_t>{} : std::vector<std::size_t>{selected_};
    std::vector<std::size_t> rows;
    for (const auto row : chosen_)
        if (row < count())
            rows.push_back(row);
    return rows;
}

bool ListPage::key(const Key& key)
{
    const auto rows = count();
    const auto& name = key.name;
    if (rows == 0)
        return false;
    const auto page = static_cast<std::size_t>(std::max(1, shown_.height - 1));
    const auto chooseTo = [&](std::size_t to) {
        chosen_.insert(selected_);
        select(to);
        chosen_.insert(selected_);
    };
    if (name == "Up" || name == "WheelUp")
        select(selected_ > 0 ? selected_ - 1 : 0);
    else if (name == "Down" || name == "WheelDown")
        select(selected_ + 1);
    else if (name == "PageUp")
        select(selected_ > page ? selected_ - page : 0);
    else if (name == "PageDown")
        select(selected_ + page);
    else if (name == "Home")
        select(0);
    else if (name == "End")
        select(rows - 1);
    else if (name == "Shift+Up")
        chooseTo(selected_ > 0 ? selected_ - 1 : 0);
    else if (name == "Shift+Down")
        chooseTo(selected_ + 1);
    else if (name == "Insert" || name == "V") {
        if (!chosen_.erase(selected_))
            chosen_.insert(selected_);
        select(selected_ + 1);
    } else if (name == "Enter")
        activate(selected_);
    else if (name == "Click" || name == "Double") {
        const auto row = key.y < shown_.y ? rows : top_ + static_cast<std::size_t>(key.y - shown_.y);
        if (row >= rows || key.y >= shown_.y + shown_.height)
            return false;
        select(row);
        if (name == "Double")
            activate(row);
    } else if (name == "/" && !nameOf(selected_).empty()) {
        pages_.ask("Name begins with", {}, [this](const std::string& begin) -> std::string {
            for (std::size_t i = 0; i < count(); ++i) {
                const auto row = (selected_ + 1 + i) % count();
                const auto found = nameOf(row);
                if (found.size() >= begin.size() && ::strncasecmp(found.data(), begin.data(), begin.size()) == 0) {
                    select(row);
                    return {};
                }
            }
            return "No name here begins with " + displayText(begin) + ".";
        });
    } else if (name == "Escape" && !chosen_.empty())
        chosen_.clear();
    else
        return false;
    return true;
}

void TextPage::draw(Screen& screen, const Box& box)
{
    std::vector<std::pair<std::wstring, Ink>> lines;
    for (const auto& line : lines_) {
        const bool heading = line.starts_with("# ");
        const auto text = cellText(heading ? std::string_view(line).substr(2) : line);
        std::size_t indent = text.find_first_not_of(L' ');
        if (indent == text.npos || static_cast<int>(indent) > box.width / 2)
            indent = 0;
        for (const auto& part :
             foldedTo(std::wstring_view(text).substr(indent), box.width - 2 - static_cast<int>(indent)))
            lines.emplace_back(std::wstring(indent, L' ') + part, heading ? Ink::Strong : Ink::Plain);
    }
    page_ = std::max(1, box.height - 1);
    most_ =
        lines.size() > static_cast<std::size_t>(box.height) ? lines.size() - static_cast<std::size_t>(box.height) : 0;
    top_ = std::min(top_, most_);
    for (std::size_t i = 0; i < static_cast<std::size_t>(box.height) && top_ + i < lines.size(); ++i)
        screen.put(box.y + static_cast<int>(i), 1, std::wstring_view(lines[top_ + i].first), box.width - 2,
                   lines[top_ + i].second);
    if (top_ < most_)
        screen.putRight(box.y + box.height - 1, box.width - 8, " more...", 8, Ink::Accent);
}

bool TextPage::key(const Key& key)
{
    const auto page = static_cast<std::size_t>(page_);
    if (key.name == "Up" || key.name == "WheelUp")
        top_ -= top_ > 0 ? 1 : 0;
    else if (key.name == "Down" || key.name == "WheelDown")
        top_ = std::min(most_, top_ + 1);
    else if (key.name == "PageUp")
        top_ -= std::min(top_, page);
    else if (key.name == "PageDown" || key.name == "Space")
        top_ = std::min(most_, top_ + page);
    else if (key.name == "Home")
        top_ = 0;
    else if (key.name == "End")
        top_ = most_;
    else
        return false;
    return true;
}

namespace {

constexpr int sizeWide = 10, shareWide = 7, barWide = 8, countWide = 9, hiddenWide = 9, growthWide = 11, dateWide = 11;

std::vector<std::pair<std::string, Ink>> tagsOf(const Desk& desk, NodeId node)
{
    const auto& place = desk.place();
    const auto& store = place.tree->store();
    std::vector<std::pair<std::string, Ink>> tags;
    if (const auto cover = place.plan.coveringItem(*place.tree, node); cover != noNode) {
        const auto* item = place.plan.itemOf(cover);
        tags.emplace_back(item && item->action == Action::Delete ? "planned: delete"
                          : item && item->action == Action::Move ? "planned: move"
                                                                 : "planned",
                          Ink::Accent);
    }
    if (const auto* mark = place.marks ? place.marks->own(node) : nullptr)
        if (const auto kind = place.marks->book().kindIndex(mark->kind))
            tags.emplace_back(place.marks->book().kinds[*kind].name, Ink::Strong);
    if (place.tree->name(node).starts_with('.') && node != rootNode)
        tags.emplace_back("hidden", Ink::Hidden);
    if (store.has(node, FlagDoor))
        tags.emplace_back("other drive", Ink::Second);
    else if (store.has(node, FlagUnreadable))
        tags.emplace_back("not read", Ink::Hidden);
    else if (store.has(node, FlagUnfinished))
        tags.emplace_back("not reached", Ink::Hidden);
    return tags;
}

} // namespace

ItemColumns columnsFor(int width, bool folders)
{
    ItemColumns columns;
    columns.growth = width >= (folders ? 78 : 110);
    columns.count = folders && width >= 90;
    columns.hidden = folders && width >= 100;
    columns.date = !folders && width >= 70;
    return columns;
}

void drawItemHead(Screen& screen, const Desk& desk, int y, int width, const ItemColumns& columns)
{
    const auto measure = desk.place().measure;
    int x = 1;
    screen.putRight(y, x,
                    measure == Measure::Disk       ? "on disk"
                    : measure == Measure::Apparent ? "apparent"
                                                   : "files",
                    sizeWide, Ink::Second);
    x += sizeWide;
    screen.putRight(y, x, "share", shareWide, Ink::Second);
    x += shareWide + 1 + barWide + 1;
    if (columns.count) {
        screen.putRight(y, x, "files", countWide, Ink::Second);
        x += countWide;
    }
    if (columns.hidden) {
        screen.putRight(y, x, "hidden", hiddenWide, Ink::Second);
        x += hiddenWide;
    }
    if (columns.growth && desk.place().earlier) {
        screen.putRight(y, x, "grew by", growthWide, Ink::Second);
        x += growthWide;
    }
    if (columns.date) {
        screen.putRight(y, x, "changed", dateWide, Ink::Second);
        x += dateWide;
    }
    screen.put(y, x + 3, "name", width - x - 3, Ink::Second);
}

void drawItem(Screen& screen, const Desk& desk, int y, int width, NodeId node, const ItemColumns& columns, bool chosen,
              std::string_view mark)
{
    const auto& place = desk.place();
    const auto& tree = *place.tree;
    const auto figure = tree.measured(node, place.measure);
    const bool folder = tree.isFolder(node);
    if (chosen)
        screen.put(y, 0, "*", 1, Ink::Accent);
    int x = 1;
    screen.putRight(y, x, desk.amount(figure), sizeWide);
    x += sizeWide;
    screen.putRight(y, x, shortShare(figure, columns.whole), shareWide, Ink::Second);
    x += shareWide + 1;
    const auto part = [](std::uint64_t a, std::uint64_t b) {
        return b == 0 ? 0.0 : static_cast<double>(a) / static_cast<double>(b);
    };
    const double hidden = tree.isHidden(node) ? 1 : folder ? part(tree.sums(node).hiddenDisk, tree.disk(node)) : 0;
    screen.bar(y, x, barWide, part(figure, columns.largest), hidden);
    x += barWide + 1;
    if (columns.count) {
        screen.putRight(y, x, folder ? formatCount(tree.sums(node).files) : std::string(), countWide, Ink::Second);
        x += countWide;
    }
    if (columns.hidden) {
        screen.putRight(y, x,
                        folder && tree.disk(node) > 0 ? shortShare(tree.sums(node).hiddenDisk, tree.disk(node))
                                                      : std::string(),
                        hiddenWide, Ink::Second);
        x += hiddenWide;
    }
    if (columns.growth && place.earlier) {
        constexpr std::int64_t worth = 1 << 20;
        const auto growth = place.earlier->growth(tree, node, Measure::Disk);
        if (std::llabs(growth) >= worth)
            screen.putRight(y, x, formatDifference(growth, desk.wish().units), growthWide,
                            growth > 0 ? Ink::Hidden : Ink::Second);
        x += growthWide;
    }
    if (columns.date) {
        const auto when = tree.newest(node);
        screen.putRight(y, x, when == INT64_MIN ? std::string() : formatTime(when).substr(0, 10), dateWide,
                        Ink::Second);
        x += dateWide;
    }
    x += 3 + columns.indent;
    screen.put(y, x - 2, mark, 1, Ink::Accent);
    std::string path(columns.wholePath ? tree.path(node) : std::string(tree.label(node)));
    if (columns.wholePath && path.size() > 1 && isAtOrBelow(path, place.info.place) && path != place.info.place)
        path = path.substr(place.info.place == "/" ? 0 : place.info.place.size() + 1);
    if (folder && !path.ends_with('/'))
        path += '/';
    const auto name = cellText(path);
    const auto tags = tagsOf(desk, node);
    int tagCells = 0;
    for (const auto& [tag, ink] : tags)
        tagCells += 3 + static_cast<int>(tag.size());
    const auto putTags = [&] {
        for (const auto& [tag, ink] : tags)
            x += screen.put(y, x, "[" + tag + "]", width - x - 1, ink) + 1;
    };
    // What a name may do to its line it does to nothing else when it is last in it.
    const bool nameLast = hasRightToLeft(name);
    if (nameLast)
        putTags();
    x += screen.put(y, x, std::wstring_view(name), width - x - 1 - (nameLast ? 0 : tagCells),
                    folder ? Ink::Strong : Ink::Plain, Cut::Middle) +
         1;
    if (!nameLast)
        putTags();
}

std::string shortShare(std::uint64_t part, std::uint64_t whole)
{
    auto share = formatShare(part, whole);
    for (const auto& [words, sign] : {std::pair<std::string_view, const char*>{"under ", "<"}, {"over ", ">"}})
        if (share.starts_with(words))
            share = sign + share.substr(words.size());
    return share;
}

std::string pointerLine(const Desk& desk, NodeId node)
{
    if (node == noNode || !desk.hasPlace() || !desk.tree().contains(node))
        return {};
    const auto& tree = desk.tree();
    std::string line = fmt::format("{} on disk", desk.size(tree.disk(node)));
    if (tree.isFolder(node)) {
        const auto& sums = tree.sums(node);
        line += ", " + formatItems(sums.files, "file");
        if (sums.hiddenDisk > 0)
            line += ", " + formatShare(sums.hiddenDisk, tree.disk(node)) + " hidden";
    } else if (tree.apparent(node) != tree.disk(node)) {
        line += ", " + desk.size(tree.apparent(node)) + " apparent";
    }
    if (const auto when = tree.newest(node); when != INT64_MIN)
        line += ", changed " + formatTime(when).substr(0, 10);
    return line + "  " + tree.path(node);
}

} // namespace kurvo::terminal
