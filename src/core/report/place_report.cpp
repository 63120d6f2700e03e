// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/report/place_report.h"

#include <algorithm>

#include <fmt/format.h>

#include "core/base/text.h"
#include "core/explore/role_table.h"
#include "core/find/largest.h"
#include "core/report/page.h"

namespace kurvo {

std::string leadsAsHtml(const Leads& leads, SizeUnits units)
{
    std::string html = "<h2>What stands out</h2>\n";
    if (leads.leads.empty())
        return html + "<div>Nothing: no cache, log or copy that is large for what is in it.</div>\n";
    html += fmt::format("<div>{} in {}{}.</div>\n<table><tr><th class=n>on disk</th><th></th><th></th></tr>\n",
                        formatBytes(leads.bytes(), units), formatItems(leads.leads.size(), "lead"),
                        leads.comesFree() > 0 ? fmt::format(", of which {} may usually go or has a tool of its own",
                                                            formatBytes(leads.comesFree(), units))
                                              : std::string());
    for (const auto& lead : leads.leads)
        html += fmt::format("<tr><td class=n>{}</td><td>{}{}<div class='second small'>{}</div></td>"
                            "<td class=w>{}</td></tr>\n",
                            formatBytes(lead.bytes, units), htmlText(lead.sentence),
                            lead.where.empty() ? "" : "<div class=small>" + htmlText(lead.where) + "</div>",
                            htmlText(lead.next), adviceLevelName(lead.level));
    if (!leads.rest.empty()) {
        std::uint64_t rest = 0;
        for (const auto& lead : leads.rest)
            rest += lead.bytes;
        html += fmt::format("<tr><td class=n>{}</td><td class=second>the rest: {}</td><td></td></tr>\n",
                            formatBytes(rest, units), formatItems(leads.rest.size(), "lead"));
    }
    return html + "</table>\n";
}

std::string placeAsHtml(const SnapshotInfo& info, const FileTree& tree, const TreeAdvice& advice, const Leads& leads,
                        SizeUnits units)
{
    const auto size = [units](std::uint64_t bytes) { return formatBytes(bytes, units); };
    const auto& sums = tree.sums(rootNode);
    auto html =
        fmt::format("<h1>What fills {}</h1>\n<div class='facts second'>{}{}{}</div>\n<div class=free>{}</div>\n"
                    "<div>{}, {}</div>\n",
                    htmlText(tree.path(rootNode)), info.host.empty() ? "" : htmlText(info.host) + " · ",
                    info.taken == 0 ? "" : formatTime(info.taken), info.partial ? " · stopped before its end" : "",
                    size(sums.disk), formatItems(sums.files, "file"), formatItems(sums.folders, "folder"));
    if (info.capacity.total > 0 && info.place == info.mountPoint)
        html += fmt::format("<div>{} free of {}</div>\n", size(info.capacity.free), size(info.capacity.total));
    html += leadsAsHtml(leads, units);
    const auto table = [&](const char* title, const std::vector<NodeId>& nodes) {
        html += fmt::format(
            "<h2>{}</h2>\n<table><tr><th>path</th><th class=n>on disk</th><th class=n>share</th></tr>\n", title);
        for (const auto node : nodes)
            html +=
                fmt::format("<tr><td>{}</td><td class=n>{}</td><td class=n>{}</td></tr>\n", htmlText(tree.path(node)),
                            size(tree.disk(node)), formatShare(tree.disk(node), sums.disk));
        html += "</table>\n";
    };
    // Two levels, the largest of them.
    std::vector<NodeId> folders;
    tree.forEachChild(rootNode, [&](NodeId child) {
        if (!tree.isFolder(child))
            return;
        folders.push_back(child);
        tree.forEachChild(child, [&](NodeId below) {
            if (tree.isFolder(below))
                folders.push_back(below);
        });
    });
    std::stable_sort(folders.begin(), folders.end(), [&](NodeId a, NodeId b) { return tree.disk(a) > tree.disk(b); });
    folders.resize(std::min<std::size_t>(folders.size(), 20));
    table("The largest folders", folders);
    table("The largest files", largestFiles(tree, 20));
    const auto roles = roleTable(tree, advice, rootNode, Measure::Disk);
    html += "<h2>What it is there for</h2>\n<table><tr><th></th><th class=n>on disk</th><th class=n>files</th></tr>\n";
    for (const auto& [role, figures] : roles.roles)
        html += fmt::format("<tr><td>{}</td><td class=n>{}</td><td class=n>{}</td></tr>\n", roleTitle(role),
                            size(figures.size), formatCount(figures.files));
    return htmlPage("What fills " + tree.path(rootNode), html + "</table>\n");
}

} // namespace kurvo
