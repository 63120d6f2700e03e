// SPDX-License-Identifier: GPL-3.0-or-later
// kurvoctl: the core for terminals and scripts.
#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <cerrno>
#include <cstdio>
#include <system_error>

#include "cli/apart.h"
#include "cli/command.h"
#include "cli/completion.h"
#include "cli/manual.h"
#include "core/base/text.h"
#include "core/base/version.h"

using namespace kurvo::cli;

int main(int argc, char** argv)
{
    CLI::App app{"kurvoctl: see what fills a drive, from a terminal.\n"
                 "Exit status: 0 done; 1 done, but something could not be read; 2 wrong usage; 3 failed."};
    app.set_version_flag("--version", fmt::format("kurvoctl {}\n{}", kurvo::version(), kurvo::buildFacts()));
    app.require_subcommand(1);
    int patience = 15;
    app.add_option("--patience", patience, "give up what does not answer for so many seconds (15 unless given)")
        ->check(CLI::Range(1, 86400));
    app.fallthrough(); // after the command as well

    bool json = false;
    ScanArguments scan;
    auto* scanCommand = app.add_subcommand("scan", "Scan folders or drives and print their totals");
    scanCommand->add_option("PATH", scan.paths, "folders to scan, each by itself")->required();
    scanCommand->add_option("--save", scan.save, "write the snapshot to this .kurvo file (one PATH only)");
    scanCommand->add_option("--threads", scan.options.threads, "threads; as many as help unless given")
        ->check(CLI::Range(1, 256));
    scanCommand->add_flag("--cross-mounts", scan.options.crossMounts, "go through other mounted drives too");
    scanCommand->add_option("--exclude", scan.options.exclude, "leave out what matches this glob; may be repeated")
        ->allow_extra_args(false);
    bool force = false;
    const auto addForce = [&force](CLI::App* command) {
        command->add_flag("--force", force, "replace an earlier one");
    };
    addForce(scanCommand);
    bool walk = false;
    scanCommand->add_flag("--walk", walk, "ask for each entry, also where a drive's own tables could be read");
    scanCommand->add_flag("--json", json, "print JSON, one object a PATH");

    std::string source;
    unsigned depth = 1;
    auto* foldersCommand = app.add_subcommand("folders", "Totals of every folder down to a depth");
    foldersCommand->add_option("SOURCE", source, "a folder or a .kurvo file")->required();
    foldersCommand->add_option("--depth", depth, "levels below SOURCE (1 unless given)")->check(CLI::Range(0, 100000));
    foldersCommand->add_flag("--json", json, "print JSON, one object a line");

    BrowseArguments browsing;
    auto* browseCommand = app.add_subcommand("browse", "The terminal view: all of it by keys, with plan and undo");
    browseCommand->add_option("SOURCE", browsing.source, "a folder or a .kurvo file; the list of drives unless given");
    browseCommand->add_option("NEW", browsing.now, "compares SOURCE with this later folder or .kurvo file");
    browseCommand->add_option("--in", browsing.folder, "the folder of the snapshots; the user's own unless given");
    browseCommand->add_option("--data", browsing.data,
                              "the folder of plans, marks and the logbook; the user's own unless given");
    bool noMouse = false;
    browseCommand->add_flag("--no-mouse", noMouse, "leave the mouse to the terminal");

    LeadArguments leads;
    auto* leadsCommand = app.add_subcommand("leads", "What stands out, and what to do about it");
    leadsCommand->add_option("SOURCE", leads.source, "a folder or a .kurvo file")->required();
    leadsCommand->add_option("--in", leads.folder, "the folder of the snapshots; the user's own unless given");
    auto* asideOption = leadsCommand->add_option("--put-aside", leads.putAside, "show the lead with this id no more");
    leadsCommand->add_option("--note", leads.note, "why it is put aside")->needs(asideOption);
    leadsCommand->add_option("--bring-back", leads.bringBack, "show the lead with this id again")
        ->excludes(asideOption);
    leadsCommand->add_flag("--json", json, "print JSON, one object a lead");

    auto* rolesCommand = app.add_subcommand("roles", "What the entries are there for, and how much that is");
    rolesCommand->add_option("SOURCE", source, "a folder or a .kurvo file")->required();
    rolesCommand->add_flag("--json", json, "print JSON, one object a line");

    std::size_t count = 20;
    auto* largestCommand = app.add_subcommand("largest", "The largest files, wherever they are");
    largestCommand->add_option("SOURCE", source, "a folder or a .kurvo file")->required();
    largestCommand->add_option("--count", count, "how many (20 unless given)")->check(CLI::Range(1, 1000000000));
    std::string where;
    largestCommand->add_option("--where", where,
                               "only files that match this filter, such as \"*.wav size>500M age>1y\"");
    largestCommand->add_flag("--json", json, "print JSON, one object a line");

    CompareArguments compare;
    auto* compareCommand = app.add_subcommand("compare", "What changed between two snapshots");
    compareCommand->add_option("OLD", compare.before, "a folder or a .kurvo file")->required();
    compareCommand->add_option("NEW", compare.now, "a folder or a .kurvo file")->required();
    compareCommand->add_option("--where", compare.where,
                               "only changes that match this filter: \"change:grew delta>1G\"");
    compareCommand->add_option("--count", compare.count, "how many to print (40 unless given)")
        ->check(CLI::Range(1, 1000000000));
    compareCommand->add_flag("--entries", compare.entries, "a line for each file and folder, also in whole ones");
    compareCommand->add_option("--format", compare.format, "csv or html, on standard output")
        ->check(CLI::IsMember({"csv", "html"}))
        ->excludes(compareCommand->add_flag("--json", json, "print JSON, one object a line"));

    SnapshotArguments kept;
    std::string snapshotTo;
    std::optional<std::string> aboutName, aboutNote;
    auto* snapshotCommand = app.add_subcommand("snapshot", "Take, list, check and clear away snapshots");
    snapshotCommand->require_subcommand(1);
    snapshotCommand->add_option("--in", kept.folder, "the folder of the snapshots; the user's own unless given");
    auto* takeCommand = snapshotCommand->add_subcommand("take", "Scan and keep a snapshot");
    takeCommand->add_option("PATH", kept.paths, "drives or folders")->required();
    takeCommand->add_flag("--polite", kept.polite, "give way to everybody, and do nothing on battery");
    auto* listCommand = snapshotCommand->add_subcommand("list", "What is kept");
    listCommand->add_option("PATH", kept.paths, "only snapshots of this place")->expected(0, 1);
    listCommand->add_flag("--json", json, "print JSON, one object a line");
    auto* verifyCommand =
        snapshotCommand->add_subcommand("verify", "Read snapshots to their end; all unless some are given");
    verifyCommand->add_option("FILE", kept.paths, "snapshots");
    auto* pruneCommand = snapshotCommand->add_subcommand("prune", "Remove what the keeping policy lets go");
    pruneCommand->add_flag("--dry-run", kept.dryRun, "say what would go");
    auto* importCommand = snapshotCommand->add_subcommand("import", "Add snapshots from another machine");
    importCommand->add_option("FILE", kept.paths, ".kurvo files, or listings as export writes them")->required();
    auto* exportCommand = snapshotCommand->add_subcommand("export", "Write a whole copy that needs no other file");
    exportCommand->add_option("FILE", kept.paths, "the snapshot")->required()->expected(1);
    exportCommand->add_option("-o,--output", snapshotTo, "the file to write")->required();
    addForce(exportCommand);
    auto* removeCommand = snapshotCommand->add_subcommand("remove", "Put snapshots of the catalogue into the trash");
    removeCommand->add_option("FILE", kept.paths, "the snapshots")->required();
    auto* pinCommand = snapshotCommand->add_subcommand("pin", "Keep a snapshot whatever the policy says");
    pinCommand->add_option("FILE", kept.paths, "the snapshot")->required()->expected(1);
    auto* unpinCommand = snapshotCommand->add_subcommand("unpin", "Leave a snapshot to the policy again");
    unpinCommand->add_option("FILE", kept.paths, "the snapshot")->required()->expected(1);
    auto* nameCommand = snapshotCommand->add_subcommand("name", "Give a snapshot a name and a note");
    nameCommand->add_option("FILE", kept.paths, "the snapshot")->required()->expected(1);
    nameCommand->add_option("--name", aboutName, "the name");
    nameCommand->add_option("--note", aboutNote, "the note");

    std::string listing = "jsonl";
    auto* listCommandAll = app.add_subcommand("export", "Every entry as a line, or a page to be handed over");
    listCommandAll->add_option("SOURCE", source, "a folder or a .kurvo file")->required();
    listCommandAll->add_option("--format", listing, "jsonl (unless given), csv or html, on standard output")
        ->check(CLI::IsMember({"jsonl", "csv", "html"}));
    std::string historyPath, historyFolder;
    auto* historyCommand = app.add_subcommand("history", "The size of a folder or large file in all snapshots");
    historyCommand->add_option("PATH", historyPath, "its whole path")->required();
    historyCommand->add_option("--in", historyFolder, "the folder of the snapshots; the user's own unless given");
    historyCommand->add_flag("--json", json, "print JSON, one object a line");
    auto* forecastCommand = app.add_subcommand("forecast", "When a drive is full, or a folder fills it");
    forecastCommand->add_option("PATH", historyPath, "a place of which there are snapshots, or a folder in it")
        ->required();
    forecastCommand->add_option("--in", historyFolder, "the folder of the snapshots; the user's own unless given");
    forecastCommand->add_flag("--json", json, "print JSON, one object");

    auto* drivesCommand = app.add_subcommand("drives", "The mounted drives with their capacity");
    bool all = false;
    drivesCommand->add_flag("--all", all, "all mounts, with why a mount is no drive");
    drivesCommand->add_flag("--json", json, "print JSON, one object a line");

    auto* ledgerCommand = app.add_subcommand("ledger", "Reconcile what a drive says is used with what is on it");
    ledgerCommand->add_option("MOUNT", source, "the drive, or any folder on it")->required();
    ledgerCommand->add_flag("--json", json, "print JSON, one object");

    DuplicateArguments duplicates;
    auto* duplicatesCommand = app.add_subcommand("duplicates", "Files with the same content");
    duplicatesCommand->add_option("PATH", duplicates.paths, "folders to search, together")->required();
    duplicatesCommand->add_option("--smallest", duplicates.smallest,
                                  "leave smaller files out, such as 1M (1 byte unless given)");
    duplicatesCommand->add_option("--leave-out", duplicates.leaveOut, "a folder or file to leave out; may be repeated")
        ->allow_extra_args(false);
    duplicatesCommand->add_flag("--folders", duplicates.folders, "whole folders with the same content as well");
    duplicatesCommand->add_flag("--json", json, "print JSON, one object a group");

    std::vector<std::string> advicePaths;
    auto* adviceCommand = app.add_subcommand("advice", "What a file or folder is, and whether it may go");
    adviceCommand->require_subcommand(1);
    auto* showCommand = adviceCommand->add_subcommand("show", "Advice on paths");
    showCommand->add_option("PATH", advicePaths, "files or folders")->required();
    showCommand->add_flag("--json", json, "print JSON, one object a line");
    auto* checkCommand = adviceCommand->add_subcommand("check", "Look for mistakes in files of rules");
    checkCommand->add_option("FILE", advicePaths, "files of rules")->required();

    PlanArguments plan;
    std::size_t deletions = 0;
    std::int64_t runNumber = 0;
    auto* planCommand =
        app.add_subcommand("plan", "What shall be trashed, deleted or moved: checked, then carried out");
    planCommand->require_subcommand(1);
    auto* makeCommand = planCommand->add_subcommand("make", "Write a plan for these items");
    makeCommand->add_option("PATH", plan.paths, "files or folders")->required();
    makeCommand->add_option("--action", plan.action, "trash (unless given), delete, move or empty-trash")
        ->check(CLI::IsMember({"trash", "delete", "move", "empty-trash"}));
    makeCommand->add_option("--to", plan.to, "move: the folder on another drive");
    makeCommand->add_flag("--link", plan.link, "move: leave a link at the old path");
    makeCommand->add_option("-o,--output", plan.file, "the file to write")->required();
    addForce(makeCommand);
    auto* planCheckCommand = planCommand->add_subcommand("check", "Whether a plan can be carried out as it is");
    planCheckCommand->add_option("FILE", plan.file, "the plan")->required();
    planCheckCommand->add_flag("--json", json, "print JSON, one object a line");
    auto* applyCommand = planCommand->add_subcommand("apply", "Check a plan and carry it out");
    applyCommand->add_option("FILE", plan.file, "the plan")->required();
    applyCommand->add_option("--delete", deletions, "confirms that so many items are deleted for good");
    applyCommand->add_flag("--json", json, "print JSON, one object a line");
    auto* undoCommand = planCommand->add_subcommand("undo", "Undo what a run did, as far as possible");
    undoCommand->add_option("RUN", runNumber, "its number; the newest unless given")->check(CLI::Range(1, 1000000000));

    auto* logbookCommand = app.add_subcommand("logbook", "What was carried out, and when");
    logbookCommand->add_option("RUN", runNumber, "a run, to see its steps")->check(CLI::Range(1, 1000000000));
    logbookCommand->add_flag("--json", json, "print JSON, one object a line");
    auto* recoverCommand = logbookCommand->add_subcommand("recover", "End what a kill or a power cut left under way");

    auto* reportCommand = logbookCommand->add_subcommand("report", "A report on a run, to be handed over");
    std::string format = "html";
    reportCommand->add_option("RUN", runNumber, "its number; the newest unless given")
        ->check(CLI::Range(1, 1000000000));
    reportCommand->add_option("--format", format, "html (unless given), csv or json")
        ->check(CLI::IsMember({"html", "csv", "json"}));
    reportCommand->add_option("--largest-of", source, "list the largest files of this folder or .kurvo file as well");

    std::string topic, shell, manualFolder;
    auto* helpCommand = app.add_subcommand("help", "Read about a command or a topic");
    helpCommand->add_option("TOPIC", topic, "what about; the list of topics unless given");
    auto* completionCommand = app.add_subcommand("completion", "Print what makes a shell complete kurvoctl");
    completionCommand->add_option("SHELL", shell, "bash, zsh or fish")
        ->required()
        ->check(CLI::IsMember({"bash", "zsh", "fish"}));
    auto* manualCommand = app.add_subcommand("manual", "For the build: write manual pages")->group("");
    manualCommand->add_option("FOLDER", manualFolder, "where to")->required();

    auto* actHelperCommand =
        app.add_subcommand("act-helper", "Act for the window with administrator rights")->group("");
    std::string digest;
    actHelperCommand->add_option("--digest", digest, "of the request, as the window shows it")->required();
    auto* helperCommand = app.add_subcommand("helper", "Scan for the window with administrator rights")->group("");

    describeCommands(app);

    // What is typed is taken as it is, whatever it begins with.
    if (argc >= 2 && std::string_view(argv[1]) == "complete") {
        const int begin = argc >= 3 && std::string_view(argv[2]) == "--" ? 3 : 2;
        return runComplete(app, std::vector<std::string>(argv + begin, argv + argc));
    }
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app.exit(error) == 0 ? ExitDone : ExitUsage;
    }
    setPatience(std::chrono::seconds(patience));
    const auto run = [&]() -> int {
        if (helpCommand->parsed())
            return runHelp(app, topic);
        if (completionCommand->parsed())
            return runCompletion(shell);
        if (manualCommand->parsed())
            return runManual(app, manualFolder);
        if (scanCommand->parsed()) {
            if (!scan.save.empty() && scan.paths.size() != 1) {
                complain("--save takes exactly one PATH.");
                return ExitUsage;
            }
            if (force && scan.save.empty()) {
                complain("--force goes with --save FILE.");
                return ExitUsage;
            }
            scan.json = json;
            scan.options.method = walk ? kurvo::ScanMethod::Walk : kurvo::ScanMethod::Best;
            scan.force = force;
            return runScan(scan);
        }
        if (foldersCommand->parsed())
            return runFolders(source, depth, json);
        if (browseCommand->parsed()) {
            browsing.mouse = !noMouse;
            return runBrowse(browsing);
        }
        if (leadsCommand->parsed()) {
            leads.json = json;
            return runLeads(leads);
        }
        if (rolesCommand->parsed())
            return runRoles(source, json);
        if (largestCommand->parsed())
            return runLargest(source, count, where, json);
        if (takeCommand->parsed())
            return runSnapshotTake(kept);
        if (listCommand->parsed())
            return runSnapshotList(kept, json);
        if (verifyCommand->parsed())
            return runSnapshotVerify(kept);
        if (pruneCommand->parsed())
            return runSnapshotPrune(kept);
        if (importCommand->parsed())
            return runSnapshotImport(kept);
        if (exportCommand->parsed())
            return runSnapshotExport(kept, snapshotTo, force);
        if (removeCommand->parsed())
            return runSnapshotRemove(kept);
        if (pinCommand->parsed() || unpinCommand->parsed())
            return runSnapshotAbout(kept, {}, {}, pinCommand->parsed());
        if (nameCommand->parsed())
            return runSnapshotAbout(kept, aboutName, aboutNote, {});
        if (listCommandAll->parsed())
            return runExport(source, listing);
        if (historyCommand->parsed())
            return runHistory(historyPath, historyFolder, json);
        if (forecastCommand->parsed())
            return runForecast(historyPath, historyFolder, json);
        if (compareCommand->parsed()) {
            compare.json = json;
            return runCompare(compare);
        }
        if (ledgerCommand->parsed())
            return runLedger(source, json);
        if (duplicatesCommand->parsed()) {
            duplicates.json = json;
            return runDuplicates(duplicates);
        }
        if (showCommand->parsed())
            return runAdvice(advicePaths, json);
        if (checkCommand->parsed())
            return runAdviceCheck(advicePaths);
        plan.force = force;
        if (makeCommand->parsed())
            return runPlanMake(plan);
        if (planCheckCommand->parsed())
            return runPlanCheck(plan.file, json);
        if (applyCommand->parsed())
            return runPlanApply(plan.file, deletions, json);
        if (undoCommand->parsed())
            return runPlanUndo(runNumber);
        if (reportCommand->parsed())
            return runLogbookReport(runNumber, source, format);
        if (actHelperCommand->parsed())
            return runActHelper(digest);
        if (recoverCommand->parsed())
            return runLogbookRecover();
        if (logbookCommand->parsed())
            return runLogbook(runNumber, json);
        if (helperCommand->parsed())
            return runHelper();
        return runDrives(all, json);
    };
    const auto toTheEnd = [&run]() -> int {
        int status = ExitFailed;
        try {
            status = run();
            if (std::fflush(stdout) != 0)
                throw std::system_error(errno, std::generic_category());
        } catch (const std::system_error& error) { // fmt reports a failed write this way
            complain("Could not write the output: " + kurvo::systemErrorText(error.code().value()) + ".");
            return ExitFailed;
        }
        return status;
    };
    // The helpers are told when to end, and the terminal view has a parent that waits for it already.
    const bool endsByItself = actHelperCommand->parsed() || helperCommand->parsed() || browseCommand->parsed();
    return !endsByItself && anyDriveMayHang() ? runApart(toTheEnd) : toTheEnd();
}
