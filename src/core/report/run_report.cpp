// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/report/run_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>

#include "core/base/text.h"
#include "core/find/largest.h"
#include "core/platform/folders.h"
#include "core/report/page.h"
#include "core/report/place_report.h"

namespace kurvo {
namespace {

constexpr std::size_t mostSteps = 24;
constexpr std::size_t mostQuestions = 12;
constexpr std::size_t mostLargest = 12;

const char* actionWords(const LoggedStep& step)
{
    switch (step.action) {
    case Action::Trash:
        return "to the trash";
    case Action::Delete:
        return "deleted for good";
    case Action::Move:
        return step.leaveLink ? "moved, with a link left" : "moved";
    case Action::EmptyTrash:
        return "trash emptied";
    }
    return "";
}

std::string outcomeWords(const LoggedStep& step)
{
    switch (step.state) {
    case StepState::Done:
        return actionWords(step);
    case StepState::Emptied:
        return "trashed, and since removed for good";
    case StepState::Undone:
        return "undone";
    case StepState::Failed:
        return "held back";
    case StepState::Planned:
        return "not begun";
    default:
        return "under way";
    }
}

bool tookPlace(const LoggedStep& step)
{
    return step.state == StepState::Done || step.state == StepState::Emptied || step.state == StepState::Undone;
}

/// The drive as it was and is: used, what came free, free.
std::string bar(const RunReport& report)
{
    const auto& run = report.record.run;
    if (report.capacity == 0 || run.freeAfter < run.freeBefore)
        return {};
    const auto share = [&](std::uint64_t bytes) {
        return 100.0 * static_cast<double>(std::min(bytes, report.capacity)) / static_cast<double>(report.capacity);
    };
    return fmt::format("<div class=bar><b style='width:{:.2f}%'></b><u style='width:{:.2f}%'></u><s></s></div>\n",
                       share(report.capacity - std::min(report.capacity, run.freeAfter)),
                       share(run.freeAfter - run.freeBefore));
}

} // namespace

std::vector<RunReport::Remaining> largestOf(const FileTree& tree, NodeId top)
{
    std::vector<RunReport::Remaining> largest;
    for (const NodeId node : largestFiles(tree, mostLargest, top))
        largest.push_back({tree.path(node), tree.disk(node), tree.store().modified(node)});
    return largest;
}

std::vector<Mark> questionsOf(const MarkBook& book, const std::string& place)
{
    std::vector<Mark> questions;
    for (const auto& [path, mark] : book.marks)
        if (mark.kind == "ask" && isAtOrBelow(path, place))
            questions.push_back(mark);
    std::sort(questions.begin(), questions.end(), [](const Mark& a, const Mark& b) { return a.path < b.path; });
    return questions;
}

std::string reportHtml(const RunReport& report, SizeUnits units)
{
    const auto& [run, steps] = report.record;
    const auto size = [units](std::uint64_t bytes) { return formatBytes(bytes, units); };
    std::string html =
        fmt::format("<h1>What was cleared on {0}</h1>\n<div class='facts second'>{2} · {1} · run {3}{4}</div>\n",
                    htmlText(run.host), formatTime(run.began), htmlText(run.place), run.id,
                    report.drive.empty() ? "" : " · " + htmlText(report.drive));
    html += fmt::format("<div class=free>{} <i>free before, now</i> {}</div>\n{}", size(run.freeBefore),
                        size(run.freeAfter), bar(report));
    const auto came = report.proof.cameFree;
    html += fmt::format("<div>{}{}</div>\n",
                        came > 0   ? size(static_cast<std::uint64_t>(came)) + " came free"
                        : came < 0 ? size(static_cast<std::uint64_t>(-came)) + " less is free than before"
                                   : std::string("Nothing came free yet"),
                        report.proof.cleared > 0 ? "; " + size(report.proof.cleared) + " was cleared." : ".");
    if (!report.proof.sentences.empty()) {
        html += "<ul>";
        for (const auto& sentence : report.proof.sentences)
            html += "<li>" + htmlText(sentence) + "</li>";
        html += "</ul>\n";
    }

    auto ordered = steps;
    std::stable_sort(ordered.begin(), ordered.end(), [](const LoggedStep& a, const LoggedStep& b) {
        return tookPlace(a) != tookPlace(b) ? tookPlace(a) : a.disk > b.disk;
    });
    const auto row = [&](const LoggedStep& step) {
        const bool tell = !tookPlace(step) || step.state == StepState::Undone || step.action == Action::Move;
        auto note = tell ? step.note : std::string();
        if (!step.target.empty() && tookPlace(step))
            note = "now at " + step.target + (note.empty() ? "" : ". " + note);
        return fmt::format("<tr><td>{}{}</td><td class=n>{}</td><td>{}</td></tr>\n", htmlText(step.path),
                           note.empty() ? "" : "<div class='second small'>" + htmlText(note) + "</div>",
                           size(step.disk), outcomeWords(step));
    };
    html += "<h2>What was done</h2>\n<table><tr><th>what</th><th class=n>on disk</th><th>outcome</th></tr>\n";
    for (std::size_t i = 0; i < std::min(ordered.size(), mostSteps); ++i)
        html += row(ordered[i]);
    if (ordered.size() > mostSteps) {
        std::uint64_t rest = 0;
        for (auto i = mostSteps; i < ordered.size(); ++i)
            rest += ordered[i].disk;
        html += fmt::format("<tr><td class=second>and {} more</td><td class=n>{}</td><td></td></tr>\n",
                            formatItems(ordered.size() - mostSteps, "item"), size(rest));
    }
    html += "</table>\n";

    if (!report.questions.empty()) {
        html += "<h2>Questions to the owner</h2>\n<table>\n";
        for (std::size_t i = 0; i < std::min(report.questions.size(), mostQuestions); ++i) {
            const auto& mark = report.questions[i];
            html += fmt::format("<tr><td><span class=box></span>{}{}</td></tr>\n", htmlText(mark.path),
                                mark.note.empty() ? "" : "<div>" + htmlText(mark.note) + "</div>");
        }
        if (report.questions.size() > mostQuestions)
            html += fmt::format("<tr><td class=second>and {} more</td></tr>\n",
                                formatItems(report.questions.size() - mostQuestions, "question"));
        html += "</table>\n";
    }
    if (report.leads)
        html += leadsAsHtml(*report.leads, units);
    if (!report.largest.empty()) {
        html += "<h2>What is largest there now</h2>\n<table><tr><th>file</th><th class=n>on "
                "disk</th><th>changed</th></tr>\n";
        for (const auto& file : report.largest)
            html += fmt::format("<tr><td>{}</td><td class=n>{}</td><td class=w>{}</td></tr>\n", htmlText(file.path),
                                size(file.disk), formatTime(file.modified).substr(0, 10));
        html += "</table>\n";
    }
    return htmlPage("Clearing report, " + run.host + ", " + formatTime(run.began), html);
}

std::string reportCsv(const RunReport& report)
{
    std::string csv = "run,date,action,outcome,disk_bytes,path,target,note\r\n";
    for (const auto& step : report.record.steps)
        csv += fmt::format("{},{},{},{},{},{},{},{}\r\n", report.record.run.id, utcText(step.changed),
                           actionName(step.action), stateName(step.state), step.disk, csvField(step.path),
                           csvField(step.target), csvField(step.note));
    return csv;
}

std::string reportJson(const RunReport& report)
{
    const auto& run = report.record.run;
    std::string json = fmt::format(
        "{{\"run\": {}, \"host\": {}, \"place\": {}, \"drive\": {}, \"began\": {}, \"ended\": {}, \"free_before\": {}, "
        "\"free_after\": {}, \"came_free\": {}, \"cleared\": {}, \"in_trash\": {}, \"other_links\": {}, "
        "\"held_open\": {}, \"unexplained\": {},\n \"steps\": [",
        run.id, jsonText(run.host), jsonText(run.place), jsonText(report.drive), run.began, run.ended, run.freeBefore,
        run.freeAfter, report.proof.cameFree, report.proof.cleared, report.proof.inTrash, report.proof.otherLinks,
        report.proof.heldOpen, report.proof.unexplained);
    const char* between = "";
    for (const auto& step : report.record.steps) {
        json +=
            fmt::format("{}\n  {{\"action\": \"{}\", \"state\": \"{}\", \"path\": {}, \"target\": {}, \"disk\": {}, "
                        "\"changed\": {}, \"note\": {}}}",
                        between, actionName(step.action), stateName(step.state), jsonText(step.path),
                        step.target.empty() ? "null" : jsonText(step.target), step.disk, step.changed,
                        step.note.empty() ? "null" : jsonText(step.note));
        between = ",";
    }
    json += "],\n \"questions\": [";
    between = "";
    for (const auto& mark : report.questions) {
        json += fmt::format("{}\n  {{\"path\": {}, \"note\": {}}}", between, jsonText(mark.path), jsonText(mark.note));
        between = ",";
    }
    json += "],\n \"largest\": [";
    between = "";
    for (const auto& file : report.largest) {
        json += fmt::format("{}\n  {{\"path\": {}, \"disk_bytes\": {}, \"modified\": {}}}", between,
                            jsonText(file.path), file.disk, file.modified);
        between = ",";
    }
    return json + "]}\n";
}

} // namespace kurvo
