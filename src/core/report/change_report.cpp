// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/report/change_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <iterator>

#include "core/base/text.h"
#include "core/compare/explain.h"
#include "core/platform/folders.h"
#include "core/report/page.h"
#include "core/types/file_types.h"

namespace kurvo {
namespace {

constexpr std::size_t mostLines = 40;
constexpr std::size_t mostGroups = 6;

std::string pathBefore(const ChangeReport& report, const ChangeLine& line)
{
    return line.change == Change::Moved ? report.comparison->pathBefore(line.node) : std::string();
}

/// Where it is; of what is gone where it was.
std::string pathOf(const ChangeReport& report, const ChangeLine& line)
{
    const auto& c = *report.comparison;
    return line.change == Change::Vanished ? c.pathBefore(line.node) : c.now().path(c.nowOf(line.node));
}

template <typename NameOf>
std::string groupTable(const std::vector<ChangeGroup>& groups, const char* title, SizeUnits units, NameOf&& nameOf)
{
    std::string html = fmt::format("<h2>{}</h2>\n<table><tr><th></th><th class=n>net</th><th class=n>grown</th>"
                                   "<th class=n>shrunk</th><th class=n>entries</th></tr>\n",
                                   title);
    for (std::size_t i = 0; i < std::min(groups.size(), mostGroups); ++i) {
        const auto& [key, sums, entries] = groups[i];
        html += fmt::format(
            "<tr><td>{}</td><td class=n>{}</td><td class=n>{}</td><td class=n>{}</td><td class=n>{}</td></tr>\n",
            htmlText(nameOf(key)), formatDifference(sums.net(), units), formatBytes(sums.grown, units),
            formatBytes(sums.shrunk, units), formatCount(entries));
    }
    return html + "</table>\n";
}

} // namespace

std::string changesAsJsonLines(const ChangeReport& report)
{
    std::string out;
    for (const auto& line : report.lines) {
        fmt::format_to(std::back_inserter(out), "{{\"change\": \"{}\", \"path\": {}, ", changeName(line.change),
                       jsonText(pathOf(report, line)));
        if (line.change == Change::Moved)
            fmt::format_to(std::back_inserter(out), "\"from_path\": {}, ", jsonText(pathBefore(report, line)));
        fmt::format_to(std::back_inserter(out), "\"delta_disk_bytes\": {}, \"disk_bytes\": {}, \"files\": {}}}\n",
                       line.delta, line.size, line.files);
    }
    return out;
}

std::string changesAsCsv(const ChangeReport& report)
{
    std::string out = "change,delta_disk_bytes,disk_bytes,files,path,from_path\r\n";
    for (const auto& line : report.lines)
        fmt::format_to(std::back_inserter(out), "{},{},{},{},{},{}\r\n", changeName(line.change), line.delta, line.size,
                       line.files, csvField(pathOf(report, line)), csvField(pathBefore(report, line)));
    return out;
}

std::string changesAsHtml(const ChangeReport& report, SizeUnits units)
{
    const auto& c = *report.comparison;
    const auto sums = c.sums(rootNode, Measure::Disk);
    const auto place = c.now().path(rootNode);
    const auto size = [units](std::uint64_t bytes) { return formatBytes(bytes, units); };
    auto html = fmt::format("<h1>What changed in {}</h1>\n<div class='facts second'>{}{} to {}</div>\n"
                            "<div class=free>{}</div>\n<div>grown {} · shrunk {} · moved {}</div>\n",
                            htmlText(place), report.host.empty() ? "" : htmlText(report.host) + " · ",
                            formatTime(report.before), formatTime(report.now), formatDifference(sums.net(), units),
                            size(sums.grown), size(sums.shrunk), size(sums.movedIn));
    if (sums.notSeen != 0)
        html +=
            fmt::format("<div class=second>{} could only be seen in one of the two scans and is not compared.</div>\n",
                        formatDifference(sums.notSeen, units));
    if (const auto places = placesThatExplain(c, Measure::Disk); !places.nodes.empty()) {
        html += fmt::format("<h2>What explains {:.0f} % of it</h2>\n<table>\n", places.share * 100);
        for (const auto node : places.nodes)
            html += fmt::format("<tr><td>{}</td><td class=n>{}</td></tr>\n", htmlText(c.tree()->path(node)),
                                formatDifference(c.net(node, Measure::Disk), units));
        html += "</table>\n";
    }
    html += groupTable(changesByFamily(c, Measure::Disk), "By family", units,
                       [](std::uint32_t key) { return std::string(familyName(static_cast<Family>(key))); });
    html += groupTable(changesByOwner(c, Measure::Disk), "By owner", units, [&](std::uint32_t uid) {
        const auto known = std::find_if(report.owners.begin(), report.owners.end(),
                                        [uid](const auto& owner) { return owner.first == uid; });
        return known == report.owners.end() ? std::to_string(uid) : known->second;
    });
    html += "<h2>The largest changes</h2>\n<table><tr><th>what</th><th></th><th class=n>change</th>"
            "<th class=n>size</th></tr>\n";
    for (std::size_t i = 0; i < std::min(report.lines.size(), mostLines); ++i) {
        const auto& line = report.lines[i];
        const auto from = pathBefore(report, line);
        html += fmt::format("<tr><td>{}{}</td><td>{}</td><td class=n>{}</td><td class=n>{}</td></tr>\n",
                            htmlText(pathOf(report, line)),
                            from.empty() ? "" : "<div class='second small'>from " + htmlText(from) + "</div>",
                            changeName(line.change), formatDifference(line.delta, units), size(line.size));
    }
    if (report.lines.size() > mostLines)
        html += fmt::format("<tr><td class=second>and {} more</td><td></td><td></td><td></td></tr>\n",
                            formatItems(report.lines.size() - mostLines, "change"));
    html += "</table>\n";
    return htmlPage("What changed in " + place + ", " + formatTime(report.now), html);
}

} // namespace kurvo
