// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include <fmt/format.h>

#include "terminal/pages.h"

namespace kurvo::terminal {
namespace {

std::vector<std::string> linesOf(const RunRecord& record, SizeUnits units)
{
    std::vector<std::string> lines{fmt::format("# Run {}, {}", record.run.id, formatTime(record.run.began)), ""};
    lines.push_back(displayText(record.run.place));
    lines.push_back(record.run.ended == 0
                        ? "It was not ended."
                        : fmt::format("{} free before, {} after", formatBytes(record.run.freeBefore, units),
                                      formatBytes(record.run.freeAfter, units)));
    const auto kind = readFilesystemFacts(record.run.place);
    for (const auto& sentence : proofOf(record, kind ? kind->type : std::string()).sentences)
        lines.push_back(sentence);
    lines.push_back("");
    lines.push_back("# " + formatItems(record.steps.size(), "step"));
    for (const auto& step : record.steps) {
        lines.push_back(fmt::format("{:<7} {:<8} {:>10}  {}{}", actionName(step.action), stateName(step.state),
                                    formatBytes(step.disk, units), displayText(step.path),
                                    step.target.empty() ? "" : " -> " + displayText(step.target)));
        if (!step.note.empty())
            lines.push_back("        " + step.note);
    }
    return lines;
}

} // namespace

std::string ClearPage::title() const
{
    if (planned() == 0)
        return desk_.runs().empty() ? "Nothing is planned" : "Nothing is planned; the logbook";
    const auto& plan = desk_.place().plan;
    auto words = fmt::format("Plan: {}, {}, {} come free", formatItems(plan.items().size(), "item"),
                             desk_.size(plan.plannedBytes()), desk_.size(desk_.freedByPlan()));
    if (plan.countForGood() > 0)
        words += fmt::format("; {} for good", formatItems(plan.countForGood(), "item"));
    if (desk_.isChecked())
        words += "; checked";
    return words;
}

std::string ClearPage::emptyWords() const
{
    return "Nothing is planned, and the logbook is empty. Plan items in Explore or Find: Delete for the trash, D for "
           "good, M to move.";
}

std::size_t ClearPage::count() const
{
    return planned() + desk_.runs().size();
}

const RunRecord* ClearPage::runAt(std::size_t row) const
{
    return row >= planned() && row < count() ? &desk_.runs()[row - planned()] : nullptr;
}

void ClearPage::drawRow(Screen& screen, int y, int width, std::size_t row)
{
    if (const auto* record = runAt(row)) {
        screen.putRight(y, 1, fmt::format("run {}", record->run.id), 10, Ink::Second);
        screen.put(y, 13, formatTime(record->run.began).substr(0, 16), 17, Ink::Plain);
        const auto done = record->count(StepState::Done), undone = record->count(StepState::Undone);
        screen.put(y, 31,
                   fmt::format("{} of {} done{}{}", done, record->steps.size(),
                               undone > 0 ? fmt::format(", {} undone", undone) : std::string(),
                               record->canBeUndone() ? "" : ", nothing to undo"),
                   30, Ink::Second);
        screen.put(y, 62, record->run.place, width - 63, Ink::Second, Cut::Middle);
        return;
    }
    const auto& item = desk_.place().plan.items()[row];
    if (isChosen(row))
        screen.put(y, 0, "*", 1, Ink::Accent);
    screen.putRight(y, 1, desk_.size(item.disk), 10);
    screen.put(y, 12, actionName(item.action), 6, isForGood(item.action) ? Ink::Hidden : Ink::Accent);
    const auto finding = desk_.place().findings.find(item.path);
    if (finding != desk_.place().findings.end())
        screen.put(y, 19, finding->second.blocked ? "held" : "ready", 6,
                   finding->second.blocked ? Ink::Hidden : Ink::Plain);
    screen.put(y, 26, item.path, width - 27, Ink::Plain, Cut::Middle);
}

void ClearPage::activate(std::size_t row)
{
    if (const auto* record = runAt(row)) {
        // The proof asks the drive how it is formatted.
        desk_.work().run(
            [record = *record, units = desk_.wish().units](const std::stop_token&) { return linesOf(record, units); },
            [this, id = record->run.id](std::vector<std::string> lines) {
                pages_.push(std::make_unique<TextPage>(desk_, pages_, fmt::format("Run {}", id), std::move(lines)));
            });
        return;
    }
    const auto& item = desk_.place().plan.items()[row];
    if (item.node != noNode && desk_.tree().contains(item.node))
        pages_.showInExplore(item.node);
}

void ClearPage::askToCarryOut()
{
    if (planned() == 0)
        return pages_.say("Nothing is planned.");
    if (desk_.isActing())
        return pages_.say("A plan is being carried out. Wait for its end, or stop it.");
    if (const auto reason = desk_.place().foreignReason(); !reason.empty())
        return pages_.say(reason);
    const auto& plan = desk_.place().plan;
    const auto good = plan.countForGood();
    // What is for good is confirmed by its number, as --delete is.
    const auto word = good > 0 ? fmt::format("delete {}", good) : std::string("carry out");
    const auto what = good > 0
                          ? fmt::format("{}, {} FOR GOOD ({}). Type \"{}\"", formatItems(plan.items().size(), "item"),
                                        good, desk_.size(plan.bytesForGood()), word)
                          : fmt::format("{}, {}. Type \"{}\"", formatItems(plan.items().size(), "item"),
                                        desk_.size(plan.plannedBytes()), word);
    pages_.ask(what, {}, [this, word, state = plan.state()](const std::string& typed) -> std::string {
        if (typed != word)
            return "That is not \"" + word + "\". Nothing was done.";
        if (desk_.place().plan.state() != state)
            return "The plan has changed meanwhile. Nothing was done.";
        desk_.carryOut();
        return {};
    });
}

void ClearPage::askToUndo(std::size_t row)
{
    const auto* record = runAt(row);
    if (!record)
        for (std::size_t i = planned(); i < count() && !record; ++i)
            if (!runAt(i)->isUndoing())
                record = runAt(i);
    if (!record || !record->canBeUndone())
        return pages_.say(record ? fmt::format("Run {} has nothing left to undo.", record->run.id)
                                 : "There is nothing in the logbook that could be undone.");
    pages_.ask(fmt::format("Undo run {} of {}. Type \"undo\"", record->run.id, formatTime(record->run.began)), {},
               [this, run = record->run.id](const std::string& typed) -> std::string {
                   if (typed != "undo")
                       return "That is not \"undo\". Nothing was done.";
                   desk_.undo(run);
                   return {};
               });
}

bool ClearPage::key(const Key& key)
{
    if (key.name == "X")
        askToCarryOut();
    else if (key.name == "K")
        planned() == 0 ? pages_.say("Nothing is planned.") : desk_.check();
    else if (key.name == "Z" || key.name == "Alt+Z")
        askToUndo(selected());
    else if (key.name == "Delete" || key.name == "T") {
        std::vector<std::string> paths;
        for (const auto row : chosenRows())
            if (row < planned())
                paths.push_back(desk_.place().plan.items()[row].path);
        forgetChosen();
        if (paths.empty())
            pages_.say("Runs of the logbook stay.");
        else
            desk_.takeOff(paths);
    } else if (key.name == "E") {
        if (planned() == 0)
            pages_.say("Nothing is planned.");
        else
            pages_.ask("Save the plan for review, in which file", "plan.kurvo-plan",
                       [this](const std::string& file) -> std::string {
                           if (file.empty())
                               return "A name is needed.";
                           desk_.writePlan(file);
                           return {};
                       });
    } else {
        return ListPage::key(key);
    }
    return true;
}

std::vector<NodeId> ClearPage::subjects() const
{
    std::vector<NodeId> nodes;
    for (const auto row : chosenRows())
        if (row < planned())
            if (const auto& item = desk_.place().plan.items()[row]; item.node != noNode)
                nodes.push_back(item.node);
    return nodes;
}

std::string ClearPage::pointer() const
{
    if (selected() < planned()) {
        const auto& item = desk_.place().plan.items()[selected()];
        const auto finding = desk_.place().findings.find(item.path);
        if (finding != desk_.place().findings.end() && !finding->second.sentence.empty())
            return finding->second.sentence;
        return item.path + (item.destination.empty() ? "" : "  to " + item.destination);
    }
    const auto* record = runAt(selected());
    return record
               ? fmt::format("{}: {} free before, {} after  {}", formatTime(record->run.began),
                             desk_.size(record->run.freeBefore), desk_.size(record->run.freeAfter), record->run.place)
               : std::string();
}

std::vector<std::pair<std::string, std::string>> ClearPage::hints() const
{
    if (desk_.isActing())
        return {{".", "stop"}, {",", "pause"}};
    return {{"X", "carry out"}, {"K", "check"}, {"Del", "take off"}, {"U", "undo change"}, {"Z", "undo run"}};
}

} // namespace kurvo::terminal
