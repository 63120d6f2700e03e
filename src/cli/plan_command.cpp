// SPDX-License-Identifier: GPL-3.0-or-later
// Plans and the logbook from a terminal: make, check, apply, undo, list.
#include <fcntl.h>
#include <unistd.h>

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "cli/command.h"
#include "cli/new_plan.h"
#include "cli/output.h"
#include "core/act/plan_run.h"
#include "core/act/run_history.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/plan/come_free.h"
#include "core/platform/drives.h"
#include "core/platform/own_data.h"
#include "core/platform/package_database.h"
#include "core/platform/user_file.h"
#include "core/report/run_report.h"

namespace kurvo::cli {
namespace {

std::string ownData()
{
    return ownDataFolder(userFolders());
}

std::string logbookFile()
{
    return joinPath(ownData(), "logbook.db");
}

Result<PlannedItem> plannedItem(const std::string& typed, const PlanArguments& arguments,
                                const std::string& destination)
{
    const bool dots = typed == "." || typed == ".." || typed.ends_with("/.") || typed.ends_with("/..");
    const auto whole = dots || typed.find('/') == std::string::npos || typed.ends_with('/')
                           ? canonicalPath(typed)
                           : Result<std::string>(typed);
    if (!whole)
        return whole.error();
    if (*whole == "/")
        return Error{ErrorKind::Unsupported, "/", 0,
                     "The root of the system cannot be planned. Plan what is inside it."};
    const auto above = std::string(parentPath(*whole));
    const auto folder = canonicalPath(whole->starts_with('/') ? above : "./" + above);
    if (!folder)
        return folder.error();
    const auto path = joinPath(*folder, fileName(*whole));
    const Intent intent{arguments.action == "delete"        ? Action::Delete
                        : arguments.action == "move"        ? Action::Move
                        : arguments.action == "empty-trash" ? Action::EmptyTrash
                                                            : Action::Trash,
                        destination, arguments.link};
    std::optional<Result<PlannedItem>> planned;
    runInterruptible([&](std::stop_token stop) { planned = readPlannedItem(path, intent, std::move(stop)); },
                     [&] { return "reading " + displayText(path); });
    return *planned;
}

std::string words(const PlanItem& item)
{
    switch (item.action) {
    case Action::Delete:
        return "delete";
    case Action::Move:
        return "move to " + displayText(item.destination) + (item.leaveLink ? ", leaving a link" : "");
    case Action::EmptyTrash:
        return "empty the trash";
    case Action::Trash:
        break;
    }
    return "trash";
}

/// What an earlier run left under way comes first. False when that could not be ended.
bool recoverFirst(Logbook& logbook, const UserFolders& user, std::stop_token stop)
{
    const auto recovered = recoverAll(logbook, user, std::move(stop));
    if (!recovered) {
        complain(recovered.error().sentence);
        return false;
    }
    bool all = true;
    for (const auto& [step, outcome] : *recovered) {
        fmt::print("From run {}: {}\n", step.run, outcome ? *outcome : outcome.error().sentence);
        all &= static_cast<bool>(outcome) || outcome.error().kind == ErrorKind::NotFound;
    }
    return all;
}

std::function<std::string()> progressLine(const RunProgress& shown)
{
    return [&shown] {
        return fmt::format("{} of {}, {}", shown.done, shown.of,
                           shown.movedNow > 0 ? sizeText(shown.movedNow) + " written and read back" : "at work");
    };
}

void printStep(const LoggedStep& step, bool json)
{
    if (!json) {
        fmt::print("{:<11} {:<9} {:>10}  {}{}{}\n", actionName(step.action), stateName(step.state), sizeText(step.disk),
                   displayText(step.path), step.target.empty() ? "" : " -> " + displayText(step.target),
                   step.note.empty() ? "" : "\n         " + step.note);
        return;
    }
    fmt::print("{{\"run\": {}, \"action\": \"{}\", \"state\": \"{}\", \"path\": {}, \"target\": {}, \"disk\": {}, "
               "\"changed\": {}, \"note\": {}}}\n",
               step.run, actionName(step.action), stateName(step.state), jsonText(step.path),
               step.target.empty() ? "null" : jsonText(step.target), step.disk, step.changed,
               step.note.empty() ? "null" : jsonText(step.note));
}

} // namespace

namespace {

/// Of this machine, and every item of it answers. False with a word on stderr.
bool canBeLookedAt(const PlanFile& plan)
{
    if (!plan.host.empty() && plan.host != hostName()) {
        complain("This plan was made on " + displayText(plan.host) + "; its files are not on this machine.");
        return false;
    }
    for (const auto& planned : plan.items)
        if (!answers(planned.item.path) || (!planned.item.destination.empty() && !answers(planned.item.destination)) ||
            (planned.item.twin && !answers(planned.item.twin->path)))
            return false;
    return true;
}

} // namespace

int runPlanMake(const PlanArguments& arguments)
{
    if (arguments.action != "move" && (!arguments.to.empty() || arguments.link)) {
        complain(std::string(arguments.to.empty() ? "--link" : "--to") + " goes with --action move only.");
        return ExitUsage;
    }
    const auto existing = mayWrite(arguments.file, "a plan", arguments.force, beginsAsPlan);
    if (!existing) {
        complain(existing.error().sentence);
        return ExitFailed;
    }
    for (const auto& path : arguments.paths)
        if (!answers(path))
            return ExitFailed;
    if (!arguments.to.empty() && !answers(arguments.to))
        return ExitFailed;
    std::string destination;
    if (arguments.action == "move") {
        if (arguments.to.empty()) {
            complain("A move needs --to FOLDER.");
            return ExitUsage;
        }
        const auto folder = canonicalPath(arguments.to);
        if (!folder) {
            complain(folder.error().sentence);
            return ExitFailed;
        }
        destination = *folder;
    }
    PlanFile plan;
    plan.host = hostName();
    plan.written = currentTime();
    const Guarded guarded(ownData());
    for (const auto& typed : arguments.paths) {
        auto planned = plannedItem(typed, arguments, destination);
        if (!planned) {
            complain(planned.error().sentence);
            return ExitFailed;
        }
        const bool emptying = planned->item.action == Action::EmptyTrash; // the check knows which folders are trash
        if (const auto protection = emptying ? std::nullopt : protectionOf(planned->item.path, guarded.facts)) {
            complain(protection->reason);
            return ExitFailed;
        }
        if (plan.place.empty())
            plan.place = parentPath(planned->item.path);
        plan.items.push_back(std::move(*planned));
    }
    return writeNewPlan(plan, arguments.file, *existing);
}

namespace {

/// A further line where not all of it comes free.
std::string lessThanItTakes(const ComesFree& free)
{
    std::string why;
    const auto part = [&why](std::uint64_t bytes, const char* words) {
        if (bytes > 0)
            why += (why.empty() ? "" : ", ") + sizeText(bytes) + " " + words;
    };
    part(free.links, "have further links elsewhere");
    part(free.shared, "are shared with other files or snapshots");
    part(free.compressed, "are less on the drive than in length");
    part(free.inlined, "lie among the filesystem's own structures");
    part(free.heldOpen, "are held open by programs");
    return why.empty() ? std::string() : "\n       " + sizeText(free.bytes) + " come free: " + why + ".";
}

} // namespace

int runPlanCheck(const std::string& file, bool json)
{
    const auto plan = readPlanFile(file);
    if (!plan) {
        complain(plan.error().sentence);
        return ExitFailed;
    }
    if (!canBeLookedAt(*plan))
        return ExitFailed;
    const Guarded guarded(ownData());
    std::vector<ItemFinding> findings;
    std::vector<std::optional<ComesFree>> free(plan->items.size());
    std::size_t done = 0;
    runInterruptible(
        [&](std::stop_token stop) {
            findings = checkPlan(*plan, guarded.facts, stop, [&](std::size_t n) { done = n; });
            for (std::size_t i = 0; i < free.size() && !stop.stop_requested(); ++i)
                if (const auto& item = plan->items[i].item;
                    !findings[i].blocked && item.action != Action::Trash && item.action != Action::EmptyTrash)
                    if (const auto told = comesFreeOf(item.path, stop))
                        free[i] = *told;
        },
        [&] { return fmt::format("checking {} of {}", done, plan->items.size()); });
    bool any = false;
    for (std::size_t i = 0; i < findings.size(); ++i) {
        const auto& item = plan->items[i].item;
        any |= findings[i].blocked;
        if (json)
            fmt::print("{{\"path\": {}, \"action\": \"{}\", \"disk\": {}, \"comes_free\": {}, \"ready\": {}, "
                       "\"finding\": {}, \"stays\": {}}}\n",
                       jsonText(item.path), actionName(item.action), item.disk,
                       free[i] ? std::to_string(free[i]->bytes) : "null", !findings[i].blocked,
                       findings[i].sentence.empty() ? "null" : jsonText(findings[i].sentence),
                       item.twin ? jsonText(item.twin->path) : "null");
        else
            fmt::print("{:<6} {:>10}  {}: {}{}{}{}\n", findings[i].blocked ? "held" : "ready", sizeText(item.disk),
                       words(item), displayText(item.path),
                       findings[i].sentence.empty() ? "" : "\n       " + findings[i].sentence,
                       item.twin && !findings[i].blocked ? "\n       the same stays at " + displayText(item.twin->path)
                                                         : "",
                       free[i] ? lessThanItTakes(*free[i]) : "");
    }
    return any ? ExitIncomplete : ExitDone;
}

int runPlanApply(const std::string& file, std::size_t deletions, bool json)
{
    const auto plan = readPlanFile(file);
    if (!plan) {
        complain(plan.error().sentence);
        return ExitFailed;
    }
    if (!canBeLookedAt(*plan))
        return ExitFailed;
    if (const auto count = plan->countForGood(); count != deletions) {
        complain(count == 0
                     ? std::string("This plan deletes nothing; leave --delete out.")
                     : fmt::format("This plan deletes {}, {}, for good. Nothing takes that back. To confirm, add "
                                   "--delete {}.",
                                   formatItems(count, "item"),
                                   sizeText(plan->disk(Action::Delete) + plan->disk(Action::EmptyTrash)), count));
        return ExitUsage;
    }
    const Guarded guarded(ownData());
    Logbook logbook(logbookFile());
    std::optional<Result<RunResult>> result;
    RunProgress shown;
    bool recovered = false;
    runInterruptible(
        [&](std::stop_token stop) {
            recovered = recoverFirst(logbook, guarded.facts.user, stop);
            if (recovered)
                result =
                    runPlan(logbook, *plan, {guarded.facts, stop, nullptr, [&](const RunProgress& p) { shown = p; }});
        },
        progressLine(shown));
    if (!result)
        return ExitFailed;
    if (!*result) {
        complain(result->error().sentence);
        return ExitFailed;
    }
    const auto& run = **result;
    for (const auto& step : run.steps)
        printStep(step, json);
    if (!json) {
        fmt::print("Run {}: {} of {} done; {} free before, {} after.\n", run.run.id, run.done(), run.steps.size(),
                   sizeText(run.run.freeBefore), sizeText(run.run.freeAfter));
        const auto kind = readFilesystemFacts(run.run.place);
        for (const auto& sentence : proofOf({run.run, run.steps}, kind ? kind->type : std::string()).sentences)
            fmt::print("  {}\n", sentence);
    }
    return run.done() == run.steps.size() ? ExitDone : ExitIncomplete;
}

int runPlanUndo(std::int64_t run)
{
    Logbook logbook(logbookFile());
    const auto user = userFolders();
    if (run == 0) {
        const auto runs = logbook.runs();
        if (!runs) {
            complain(runs.error().sentence);
            return ExitFailed;
        }
        // The newest, and no other: repeated, it would take back what was meant to stay. A run that only moved back
        // what another had moved is no run to take back.
        for (const auto& known : *runs) {
            const auto steps = logbook.steps(known.id);
            if (!steps || RunRecord{known, *steps}.isUndoing())
                continue;
            run = known.id;
            if (!RunRecord{known, *steps}.canBeUndone()) {
                complain(fmt::format("Run {}, the newest, has nothing left to undo. For an earlier one give its "
                                     "number; `kurvoctl logbook` lists them.",
                                     run));
                return ExitFailed;
            }
            break;
        }
        if (run == 0) {
            complain("There is nothing in the logbook that could be undone.");
            return ExitFailed;
        }
    }
    const auto runs = logbook.runs();
    for (std::size_t i = 0; runs && i < runs->size(); ++i)
        if ((*runs)[i].id == run)
            fmt::print("Undoing run {} of {}, in {}.\n", run, formatTime((*runs)[i].began),
                       displayText((*runs)[i].place));
    std::optional<Result<std::vector<UndoneStep>>> undone;
    RunProgress shown;
    runInterruptible(
        [&](std::stop_token stop) {
            if (recoverFirst(logbook, user, stop))
                undone = undoRun(logbook, run, {},
                                 {{user, {}, nullptr}, stop, nullptr, [&](const RunProgress& p) { shown = p; }});
        },
        progressLine(shown));
    if (!undone)
        return ExitFailed;
    if (!*undone) {
        complain(undone->error().sentence);
        return ExitFailed;
    }
    bool all = true;
    for (const auto& [step, outcome] : **undone) {
        all &= static_cast<bool>(outcome);
        fmt::print("{}\n", outcome ? displayText(step.path) + " is back." : outcome.error().sentence);
    }
    if ((*undone)->empty())
        fmt::print("Run {} has nothing left to undo.\n", run);
    return all ? ExitDone : ExitIncomplete;
}

int runLogbook(std::int64_t run, bool json)
{
    Logbook logbook(logbookFile());
    if (run != 0) {
        const auto steps = logbook.steps(run);
        if (!steps || steps->empty()) {
            complain(steps ? fmt::format("There is no run {} in the logbook.", run) : steps.error().sentence);
            return ExitFailed;
        }
        for (const auto& step : *steps)
            printStep(step, json);
        return ExitDone;
    }
    const auto runs = logbook.runs();
    if (!runs) {
        complain(runs.error().sentence);
        return ExitFailed;
    }
    for (const auto& known : *runs)
        if (json)
            fmt::print("{{\"run\": {}, \"began\": {}, \"ended\": {}, \"place\": {}, \"host\": {}, \"free_before\": {}, "
                       "\"free_after\": {}}}\n",
                       known.id, known.began, known.ended, jsonText(known.place), jsonText(known.host),
                       known.freeBefore, known.freeAfter);
        else
            fmt::print("{:>4}  {}  {}  {}\n", known.id, formatTime(known.began), displayText(known.place),
                       known.ended == 0 ? "was not ended"
                                        : fmt::format("{} free before, {} after", sizeText(known.freeBefore),
                                                      sizeText(known.freeAfter)));
    if (runs->empty() && !json)
        fmt::print("The logbook is empty.\n");
    return ExitDone;
}

int runLogbookReport(std::int64_t number, const std::string& source, const std::string& format)
{
    Logbook logbook(logbookFile());
    auto history = readHistory(logbook);
    if (!history) {
        complain(history.error().sentence);
        return ExitFailed;
    }
    const auto record = std::find_if(history->begin(), history->end(), [number](const RunRecord& r) {
        return number == 0 ? !r.isUndoing() : r.run.id == number;
    });
    if (record == history->end()) {
        complain(number == 0 ? "The logbook is empty." : fmt::format("There is no run {} in the logbook.", number));
        return ExitFailed;
    }
    RunReport report;
    report.record = *record;
    const auto facts = readFilesystemFacts(record->run.place);
    report.proof = proofOf(*record, facts ? facts->type : std::string());
    report.capacity = facts ? facts->capacity.total : 0;
    MarkStore marks(joinPath(ownData(), "marks.db"));
    if (const auto book = marks.read(record->run.host))
        report.questions = questionsOf(*book, record->run.place);
    int status = ExitDone;
    if (!source.empty()) {
        const auto loaded = loadSource(source);
        if (!loaded) {
            complain(loaded.error().sentence);
            return ExitFailed;
        }
        report.largest = largestOf(*loaded->tree);
        if (format == "html")
            report.leads = leadsOf(*loaded, source, {});
        status = loaded->finish();
    }
    fmt::print("{}", format == "csv" ? reportCsv(report) : format == "json" ? reportJson(report) : reportHtml(report));
    return status;
}

int runLogbookRecover()
{
    Logbook logbook(logbookFile());
    bool all = false;
    runInterruptible([&](std::stop_token stop) { all = recoverFirst(logbook, userFolders(), std::move(stop)); },
                     [] { return std::string("looking at what was left"); });
    return all ? ExitDone : ExitFailed;
}

} // namespace kurvo::cli
