// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "terminal/pages.h"

namespace kurvo::terminal {

std::string ComparePage::title() const
{
    if (!desk_.hasPlace())
        return "No place is open";
    if (!desk_.comparison())
        return "Compare with which earlier snapshot?";
    const auto& comparison = *desk_.comparison();
    const auto sums = comparison.sums(rootNode, Measure::Disk);
    return fmt::format("{}{}: {} grown, {} shrunk, {} in all", "Since " + desk_.comparedWith(),
                       words_.empty() ? "" : ", filter " + words_, desk_.size(sums.grown), desk_.size(sums.shrunk),
                       formatDifference(sums.net(), desk_.wish().units));
}

std::string ComparePage::emptyWords() const
{
    if (!desk_.hasPlace())
        return "No place is open.";
    if (desk_.comparison())
        return words_.empty() ? "Nothing changed." : "No change matches the filter.";
    return "There is no earlier snapshot of this place. Each whole scan is kept as one; the next has something to be "
           "compared with.";
}

void ComparePage::refresh()
{
    if (desk_.comparison() != shown_)
        look();
}

void ComparePage::look()
{
    shown_ = desk_.comparison();
    lines_.clear();
    if (!shown_)
        return;
    FilterContext context;
    context.now = desk_.place().info.taken;
    context.owners = desk_.place().info.owners;
    desk_.work().run(
        [comparison = shown_, filter = filter_, context](const std::stop_token&) {
            auto lines = changeList(*comparison);
            return filter.isEmpty() ? lines : matchingLines(comparison, lines, filter, context);
        },
        [this, request = ++request_](std::vector<ChangeLine> lines) {
            if (request != request_)
                return;
            lines_ = std::move(lines);
            desk_.changed();
        });
}

void ComparePage::askForFilter()
{
    if (!desk_.comparison())
        return pages_.say("Choose an earlier snapshot first.");
    pages_.ask("Filter of changes", words_, [this](const std::string& text) -> std::string {
        auto filter = Filter::parse(text);
        if (const auto* error = std::get_if<FilterError>(&filter))
            return error->sentence;
        filter_ = std::get<Filter>(std::move(filter));
        words_ = filter_.isEmpty() ? std::string() : text;
        look();
        return {};
    });
}

void ComparePage::drawRow(Screen& screen, int y, int width, std::size_t row)
{
    if (!desk_.comparison()) {
        const auto& entry = desk_.earlierSnapshots()[row];
        screen.putRight(y, 1, desk_.size(entry.info.diskBytes), 10);
        screen.put(y, 13, formatTime(entry.info.taken), 20, Ink::Strong);
        screen.put(y, 34, entry.about.name + (entry.about.note.empty() ? "" : "  " + entry.about.note), width - 35,
                   Ink::Second);
        return;
    }
    const auto& line = lines_[row];
    const auto& tree = *shown_->tree();
    screen.putRight(y, 1, formatDifference(line.delta, desk_.wish().units), 12,
                    line.delta > 0 ? Ink::Hidden : Ink::Plain);
    screen.put(y, 14, changeName(line.change), 9, Ink::Second);
    screen.putRight(y, 23, desk_.size(line.size), 11, Ink::Second);
    auto path = tree.path(line.node);
    if (tree.isFolder(line.node))
        path += '/';
    screen.put(y, 36, path, width - 37, Ink::Plain, Cut::Middle);
}

void ComparePage::activate(std::size_t row)
{
    if (!desk_.comparison())
        return desk_.compareWith(desk_.earlierSnapshots()[row].path);
    const auto now = shown_->nowOf(lines_[row].node);
    if (now == noNode || shown_->matching()->now().sharedStore() != desk_.tree().sharedStore())
        return pages_.say("It is not there any more.");
    pages_.showInExplore(now);
}

bool ComparePage::key(const Key& key)
{
    if (key.name == "Escape" && !words_.empty()) {
        words_.clear();
        filter_ = {};
        look();
        return true;
    }
    if (key.name == "Escape" && desk_.comparison()) {
        desk_.endComparison();
        return true;
    }
    return ListPage::key(key);
}

std::vector<NodeId> ComparePage::subjects() const
{
    std::vector<NodeId> nodes;
    if (shown_ && shown_ == desk_.comparison() && shown_->matching()->now().sharedStore() == desk_.tree().sharedStore())
        for (const auto row : chosenRows())
            if (row < lines_.size())
                if (const auto now = shown_->nowOf(lines_[row].node);
                    now != noNode && desk_.tree().contains(now) && lines_[row].change != Change::MovedAway)
                    nodes.push_back(now);
    return nodes;
}

std::string ComparePage::pointer() const
{
    if (!shown_ || selected() >= lines_.size())
        return {};
    const auto& line = lines_[selected()];
    if (line.change == Change::Moved || line.change == Change::MovedAway)
        return "from " + shown_->pathBefore(line.node) + " to " + shown_->now().path(shown_->nowOf(line.node));
    return fmt::format("{} {}, {}  {}", changeName(line.change), formatDifference(line.delta, desk_.wish().units),
                       formatItems(line.files, "file"), shown_->tree()->path(line.node));
}

std::vector<std::pair<std::string, std::string>> ComparePage::hints() const
{
    if (!desk_.comparison())
        return {{"Enter", "compare"}};
    return {{"F", "filter"}, {"Enter", "in Explore"}, {"Esc", "other snapshot"}};
}

} // namespace kurvo::terminal
