// SPDX-License-Identifier: GPL-3.0-or-later
// What the terminal view can do: its table of commands, and the help that is made from it.
#include <fmt/format.h>

#include "core/find/largest.h"
#include "terminal/browser.h"

namespace kurvo::terminal {

bool Browser::needsPlace()
{
    if (!desk_.hasPlace())
        say("No place is open. Choose one in Scan, or go to a path (G).");
    return desk_.hasPlace();
}

void Browser::makeCommands()
{
    const auto add = [this](std::vector<std::string> keys, std::string words, std::function<void()> run) {
        commands_.push_back({std::move(keys), std::move(words), std::move(run)});
    };
    const auto step = [this](std::size_t by) {
        over_.clear();
        go(static_cast<Stage>((stage_ + by) % stageCount));
    };
    add({"Tab"}, "Next stage: Scan, Explore, Find, Compare, Clear", [step] { step(1); });
    add({"Shift+Tab"}, "Previous stage", [step] { step(stageCount - 1); });
    add({"G", "Ctrl+G"}, "Go to path…", [this] {
        ask("Path", desk_.hasPlace() ? desk_.tree().path(desk_.place().focus) : std::string(),
            [this](const std::string& path) -> std::string {
                goTo(path);
                return {};
            });
    });
    const auto pane = [this](Pane wanted) {
        return [this, wanted] {
            over_.clear();
            pane_ = wanted;
            go(Explore);
        };
    };
    add({"F6"}, "Explore: descent, file types, roles, what stands out in turn", [this] {
        over_.clear();
        pane_ = stage_ == Explore ? static_cast<Pane>((static_cast<int>(pane_) + 1) % 4) : pane_;
        go(Explore);
    });
    add({"Alt+3"}, "File types", pane(Pane::Types));
    add({"Alt+4"}, "Roles", pane(Pane::Roles));
    add({"S"}, "What stands out", pane(Pane::Leads));
    add({"L"}, "Largest file in here", [this] { largestInHere(false); });
    add({"H"}, "Largest hidden file in here", [this] { largestInHere(true); });
    add({"F", "Ctrl+F"}, "Filter", [this] {
        if (!needsPlace())
            return;
        over_.clear();
        if (stage_ == Compare)
            return static_cast<ComparePage&>(*stages_[Compare]).askForFilter();
        findsDuplicates_ = false;
        go(Find);
        static_cast<FindPage&>(*stages_[Find]).askForFilter();
    });
    add({"C"}, "Copies: files and folders with the same content", [this] {
        if (!needsPlace())
            return;
        over_.clear();
        findsDuplicates_ = true;
        go(Find);
        duplicates_->begin();
    });
    add({"Alt+Left", "["}, "Back", [this] { desk_.hasPlace() ? desk_.goBack() : void(); });
    add({"Alt+Right", "]"}, "Forward", [this] { desk_.hasPlace() ? desk_.goForward() : void(); });
    add({"F2", "Alt+M"}, "Next measure: on disk, apparent, files", [this] {
        if (needsPlace())
            desk_.setMeasure(static_cast<Measure>((static_cast<int>(desk_.place().measure) + 1) % 3));
    });
    add({"F3"}, "Next order: size, count, name, date", [this] {
        if (needsPlace())
            desk_.setSort(static_cast<DescentSort>((static_cast<int>(desk_.place().sort) + 1) % 4));
    });
    add({"F5"}, "Rescan this folder", [this] {
        if (needsPlace())
            desk_.rescan(desk_.place().focus);
    });
    add({"Shift+F5", "F17"}, "Rescan this place", [this] {
        if (needsPlace())
            desk_.rescan(rootNode);
    });
    add({","}, "Pause, and resume, what runs", [this] { desk_.isActing() ? desk_.pauseRun() : desk_.pauseScan(); });
    add({".", "Ctrl+C"}, "Stop what runs", [this] { stopWhatRuns(); });
    add({"F9"}, "Ledger", [this] {
        if (needsPlace())
            push(ledgerPage(desk_, *this));
    });
    add({"Ctrl+R"}, "Unreadable items", [this] {
        if (needsPlace())
            push(notReadPage(desk_, *this));
    });
    add({"?"}, "Keys", [this] { showKeys(); });
    add({"F1"}, "Guide", [this] { showGuide(); });
    add({"Ctrl+L"}, "Draw the screen anew", [this] { screen_.redraw(); });
    add({"Escape"}, "Back to what lies below; clear a filter", [this] { back(); });
    add({"Q", "Ctrl+Q"}, "Quit", [this] { leave(); });
}

void Browser::makeItemCommands()
{
    const auto add = [this](std::vector<std::string> keys, std::string words,
                            std::function<void(const std::vector<NodeId>&)> run) {
        commands_.push_back({std::move(keys), std::move(words), [this, run = std::move(run)] {
                                 if (!needsPlace())
                                     return;
                                 const auto nodes = page().subjects();
                                 if (nodes.empty())
                                     return say("No item is selected here.");
                                 run(nodes);
                             }});
    };
    add({"Space"}, "Facts, advice and evidence", [this](const auto& nodes) { showFacts(nodes.front()); });
    add({"Delete", "T"}, "Plan: trash; again: take off the plan", [this](const std::vector<NodeId>& nodes) {
        std::vector<std::string> planned;
        for (const auto node : nodes)
            if (desk_.place().plan.has(node))
                planned.push_back(desk_.tree().path(node));
        planned.size() == nodes.size() ? desk_.takeOff(planned) : desk_.planItems(nodes, {});
    });
    add({"Shift+Delete", "D"}, "Plan: delete for good", [this](const std::vector<NodeId>& nodes) {
        desk_.planItems(nodes, {Action::Delete, {}, false});
    });
    add({"M"}, "Plan: move…", [this](const auto&) { askWhereToMove(); });
    add({"N"}, "Note…", [this](const std::vector<NodeId>& nodes) {
        std::string given;
        if (const auto* mark = desk_.place().marks ? desk_.place().marks->own(nodes.front()) : nullptr)
            given = mark->note;
        std::vector<std::string> paths;
        for (const auto node : nodes)
            paths.push_back(desk_.tree().path(node));
        ask("Note", given, [this, paths](const std::string& text) -> std::string {
            desk_.note(paths, text);
            return {};
        });
    });
    const auto plain = [this](std::vector<std::string> keys, std::string words, std::function<void()> run) {
        commands_.push_back({std::move(keys), std::move(words), std::move(run)});
    };
    plain({"U"}, "Undo the last change to the plan", [this] { desk_.undoPlan(); });
    plain({"R"}, "Redo the change to the plan", [this] { desk_.redoPlan(); });
    plain({"X"}, "Carry out…", [this] {
        if (!needsPlace())
            return;
        over_.clear();
        go(Clear);
        stages_[Clear]->key({"X", {}, 0, 0});
    });
}

void Browser::makeMarkCommands()
{
    for (int digit = 0; digit <= 9; ++digit) {
        const auto& kinds = builtInMarkKinds();
        const auto index = static_cast<std::size_t>(digit) - 1;
        const auto words = digit == 0 ? std::string("No mark")
                           : index < kinds.size()
                               ? "Mark: " + kinds[index].name
                               : fmt::format("Mark: your own kind {}", digit - static_cast<int>(kinds.size()));
        commands_.push_back({{std::to_string(digit)}, words, [this, digit] {
                                 if (!needsPlace())
                                     return;
                                 const auto nodes = page().subjects();
                                 const auto& known = desk_.book()->kinds;
                                 if (nodes.empty())
                                     return say("No item is selected here.");
                                 if (digit > 0 && static_cast<std::size_t>(digit) > known.size())
                                     return say("There is no such kind of mark.");
                                 desk_.mark(nodes,
                                            digit == 0 ? std::string() : known[static_cast<std::size_t>(digit) - 1].id);
                             }});
    }
}

void Browser::goTo(const std::string& path)
{
    if (path.empty())
        return;
    if (desk_.hasPlace())
        if (const auto node =
                desk_.tree().find(path.size() > 1 && path.ends_with('/') ? path.substr(0, path.size() - 1) : path)) {
            if (desk_.tree().isFolder(*node)) {
                pane_ = Pane::Descent;
                over_.clear();
                go(Explore);
                return desk_.setFocus(*node);
            }
            return showInExplore(*node);
        }
    desk_.open(path);
}

void Browser::askWhereToMove()
{
    ask("Move to which folder, on another drive", {}, [this](const std::string& typed) -> std::string {
        const bool link = typed.ends_with(" link");
        const auto folder = canonicalPath(link ? typed.substr(0, typed.size() - 5) : typed);
        if (!desk_.hasPlace())
            return "No place is open.";
        if (!folder)
            return folder.error().sentence;
        desk_.planItems(page().subjects(), {Action::Move, *folder, link});
        return {};
    });
}

void Browser::largestInHere(bool hidden)
{
    if (!needsPlace())
        return;
    const auto top = stage_ == Explore && over_.empty() && pane_ == Pane::Descent
                         ? static_cast<DescentPage&>(*stages_[Explore]).folder()
                         : desk_.place().focus;
    work_.run(
        [tree = desk_.place().tree, top, hidden](const std::stop_token&) {
            if (hidden)
                return largestHiddenFile(*tree, top);
            const auto files = largestFiles(*tree, 1, top);
            return files.empty() ? noNode : files.front();
        },
        [this, tree = desk_.place().tree, hidden](NodeId node) {
            if (!desk_.hasPlace() || desk_.place().tree->sharedStore() != tree->sharedStore())
                return;
            if (node == noNode)
                return say(hidden ? "There is no hidden file in here." : "There is no file in here.");
            showInExplore(node);
        });
}

void Browser::showKeys()
{
    std::vector<std::string> lines{
        "# In lists",
        fmt::format("{:<18} {}", "Up, Down", "the next item; PageUp, PageDown, Home, End"),
        fmt::format("{:<18} {}", "Enter", "into a folder; what else it opens is said below"),
        fmt::format("{:<18} {}", "Right, Left", "open a folder in place, close it; Left also goes up"),
        fmt::format("{:<18} {}", "Backspace", "up"),
        fmt::format("{:<18} {}", "W", "follow the weight: down while one child holds most of its parent"),
        fmt::format("{:<18} {}", "/", "find a name in the list"),
        fmt::format("{:<18} {}", "V, Insert", "choose several items; also Shift+Up, Shift+Down"),
        "",
        "# Everywhere"};
    for (const auto& command : commands_) {
        std::string keys;
        for (const auto& key : command.keys)
            keys += (keys.empty() ? "" : ", ") + key;
        lines.push_back(fmt::format("{:<18} {}", keys, command.words));
    }
    lines.insert(
        lines.end(),
        {"", "# In leads", fmt::format("{:<18} {}", "P", "plan what may usually go among the chosen"),
         fmt::format("{:<18} {}", "A", "put the lead aside, with a note"),
         fmt::format("{:<18} {}", "O", "show it in Explore"), "", "# In copies",
         fmt::format("{:<18} {}", "P, Delete", "compare byte by byte, and plan all but one of the chosen groups"),
         fmt::format("{:<18} {}", "D", "the same, to be deleted for good"),
         fmt::format("{:<18} {}", "K", "which one stays: the oldest, the newest, the shortest path"),
         fmt::format("{:<18} {}", "A", "search again, from another size on"), "", "# In Clear",
         fmt::format("{:<18} {}", "K", "check the plan"), fmt::format("{:<18} {}", "E", "save the plan for review"),
         fmt::format("{:<18} {}", "Z", "undo the run"), fmt::format("{:<18} {}", "Delete, T", "take off the plan")});
    push(std::make_unique<TextPage>(desk_, *this, "Keys", std::move(lines)));
}

void Browser::showGuide()
{
    push(std::make_unique<TextPage>(
        desk_, *this, "Guide",
        std::vector<std::string>{
            "# What fills this drive, since when, and what can safely go?", "",
            "1. Scan: choose a drive, a folder or a snapshot. The picture grows while it is scanned.",
            "2. Explore: the largest first. Enter goes into a folder, W follows the weight, H finds the largest hidden "
            "file, S says what stands out. Bars are drawn another way where what they show is hidden.",
            "3. Find: the largest files anywhere, ready-made questions (F6), and the filter (F): \"kurvoctl help "
            "filter\". C searches for copies, and plans all but one of each.",
            "4. Compare: what grew since an earlier snapshot. Each whole scan is kept as one.",
            "5. Clear: nothing is touched until a plan is carried out. It is checked, asks for a typed word, and "
            "stands "
            "in the logbook step by step; Z undoes a run as far as that is possible.",
            "",
            "Marks (1 to 9) and notes (N) stay with a path. They, the plan, the logbook and the snapshots are the same "
            "as "
            "in the window on this machine.",
            "", "? shows all keys. \"kurvoctl help\" lists pages about everything else."}));
}

} // namespace kurvo::terminal
