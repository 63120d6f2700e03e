// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/compare/change_query.h"

#include "app/style/words.h"
#include "core/compare/explain.h"

namespace kurvo::app {
namespace {

std::vector<ChangeRow> rowsOfGroups(const ChangeQuery& query)
{
    const bool families = query.mode == ChangeMode::Families;
    const auto groups = families ? changesByFamily(*query.comparison, query.measure, query.focus)
                                 : changesByOwner(*query.comparison, query.measure, query.focus);
    SnapshotInfo info;
    info.owners = query.owners;
    std::vector<ChangeRow> rows;
    for (const auto& [key, sums, entries] : groups) {
        ChangeRow row;
        row.name = families ? QString::fromLatin1(familyName(static_cast<Family>(key))) : toText(ownerName(info, key));
        row.net = sums.net();
        row.amount = sums.amount();
        row.figures = signedText(row.net, query.measure);
        row.tag = itemsText(entries, "entry", "entries");
        if (sums.grown > 0 && sums.shrunk > 0)
            row.apart = apartText(sums, query.measure);
        rows.push_back(std::move(row));
    }
    return rows;
}

} // namespace

ChangeAnswer ChangeQuery::answer() const
{
    ChangeAnswer answer;
    if (mode == ChangeMode::Folders) {
        answer.rows = rowsOfFolder(*comparison, focus, measure);
        return answer;
    }
    if (mode != ChangeMode::List) {
        answer.rows = rowsOfGroups(*this);
        return answer;
    }
    answer.lines = lines;
    const auto parsed = Filter::parse(filter);
    if (const auto* error = std::get_if<FilterError>(&parsed)) {
        answer.problem = QString::fromStdString(error->sentence);
    } else if (const auto& wanted = std::get<Filter>(parsed); !wanted.isEmpty()) {
        FilterContext context;
        context.now = taken;
        context.owners = owners;
        answer.lines = std::make_shared<const std::vector<ChangeLine>>(
            matchingLines(comparison, *lines, wanted, std::move(context)));
    }
    answer.rows = rowsOfLines(*comparison, *answer.lines, measure);
    for (const auto& line : *answer.lines)
        answer.net += line.delta;
    return answer;
}

} // namespace kurvo::app
