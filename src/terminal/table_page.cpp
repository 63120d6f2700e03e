// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include <fmt/format.h>

#include "terminal/pages.h"

namespace kurvo::terminal {
namespace {

/// In lower case: as a filter takes a family.
std::string firstWord(std::string words)
{
    words.resize(std::min(words.find(' '), words.size()));
    for (auto& c : words)
        c = c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c;
    return words;
}

constexpr int oldestAt = 41;

/// Where the words begin: behind the oldest date where there is room for it.
int wordsAt(int width)
{
    return width >= 76 ? 54 : 42;
}

} // namespace

std::string TablePage::title() const
{
    if (!desk_.hasPlace())
        return "No place is open";
    return fmt::format("{}, {}  {}", of_ == Of::Types ? "File types" : "Roles", desk_.amount(total_),
                       desk_.tree().path(desk_.place().focus));
}

std::string TablePage::emptyWords() const
{
    return desk_.hasPlace() ? "There is no file in here, or it is still being counted." : "No place is open.";
}

void TablePage::refresh()
{
    if (!desk_.hasPlace()) {
        rows_.clear();
        tree_.reset();
        return;
    }
    const auto& place = desk_.place();
    if (tree_ == place.tree && top_ == place.focus && measure_ == place.measure && !rows_.empty())
        return;
    if (of_ == Of::Roles && !place.advice)
        return;
    if (busy_) // what comes is looked at then
        return;
    struct Counted {
        std::vector<Row> rows;
        std::uint64_t total = 0;
    };
    tree_ = place.tree;
    top_ = place.focus;
    measure_ = place.measure;
    desk_.work().run(
        [held = busy_.begin(), of = of_, tree = place.tree, top = place.focus, measure = place.measure,
         advice = place.advice](const std::stop_token&) {
            Counted counted;
            if (of == Of::Roles) {
                const auto table = roleTable(*tree, *advice, top, measure);
                counted.total = table.total;
                for (const auto& row : table.roles)
                    counted.rows.push_back({roleTitle(row.role), fmt::format("role:{}", roleName(row.role)),
                                            row.figures.size, row.figures.files, row.figures.oldest, 0});
                return counted;
            }
            const auto table = typeTable(*tree, top, measure);
            counted.total = table.total;
            constexpr std::size_t mostTypes = 6;
            for (const auto& family : table.families) {
                counted.rows.push_back({familyName(family.family), "family:" + firstWord(familyName(family.family)),
                                        family.figures.size, family.figures.files, family.figures.oldest, 0});
                for (std::size_t i = 0; i < std::min(mostTypes, family.types.size()); ++i) {
                    const auto& type = family.types[i];
                    counted.rows.push_back(
                        {std::string(typeInfo(type.type).name),
                         type.type == 0 ? "family:unknown" : "type:" + std::string(typeInfo(type.type).extension),
                         type.figures.size, type.figures.files, type.figures.oldest, 1});
                }
            }
            return counted;
        },
        [this, request = ++request_](Counted counted) {
            busy_.end();
            if (request != request_)
                return;
            rows_ = std::move(counted.rows);
            total_ = counted.total;
            desk_.changed();
        });
}

void TablePage::drawHead(Screen& screen, int y, int width)
{
    screen.putRight(y, 1, measure_ == Measure::Files ? "files" : "size", 10, Ink::Second);
    screen.putRight(y, 11, "share", 7, Ink::Second);
    screen.putRight(y, 30, "files", 10, Ink::Second);
    if (wordsAt(width) > oldestAt)
        screen.putRight(y, oldestAt, "oldest", 11, Ink::Second);
    screen.put(y, wordsAt(width), of_ == Of::Types ? "family, type" : "role", width - wordsAt(width) - 1, Ink::Second);
}

void TablePage::drawRow(Screen& screen, int y, int width, std::size_t row)
{
    const auto& r = rows_[row];
    screen.putRight(y, 1, desk_.amount(r.size), 10);
    screen.putRight(y, 11, shortShare(r.size, total_), 7, Ink::Second);
    screen.bar(y, 19, 10, total_ == 0 ? 0 : static_cast<double>(r.size) / static_cast<double>(total_));
    screen.putRight(y, 30, formatCount(r.files), 10, Ink::Second);
    if (wordsAt(width) > oldestAt)
        screen.putRight(y, oldestAt, r.oldest == INT64_MAX ? std::string() : formatTime(r.oldest).substr(0, 10), 11,
                        Ink::Second);
    const int x = wordsAt(width) + 2 * r.level;
    screen.put(y, x, r.words, width - x - 1, r.level == 0 ? Ink::Strong : Ink::Plain);
}

void TablePage::activate(std::size_t row)
{
    if (find)
        find(rows_[row].filter);
}

std::string TablePage::pointer() const
{
    if (selected() >= rows_.size())
        return {};
    const auto& r = rows_[selected()];
    return fmt::format("{}: {}, {} of {}", r.words, formatItems(r.files, "file"), desk_.amount(r.size),
                       desk_.amount(total_));
}

std::vector<std::pair<std::string, std::string>> TablePage::hints() const
{
    return {{"Enter", "find its files"}, {"F6", "next table"}};
}

} // namespace kurvo::terminal
