// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/arguments.h"

#include <unistd.h>

#include <cstdlib>

#include <fmt/format.h>

#include "cli/completion.h"
#include "cli/manual.h"
#include "cli/output.h"
#include "core/base/version.h"
#include "core/rights/serve.h"

namespace kurvo::cli {

Arguments::Arguments(CLI::App& app) : app_(app)
{
    addCommon();
    addScanning();
    addListing();
    addSnapshots();
    addSets();
    addMachines();
    addHistory();
    addDrives();
    addPlans();
    addUpkeep();
    addLogbook();
    addSelf();
}

CLI::App* Arguments::command(const std::string& name, const std::string& what, CLI::App* above)
{
    return (above ? above : &app_)->add_subcommand(name, what);
}

void Arguments::run(CLI::App* command, std::function<int()> what)
{
    command->callback([this, what = std::move(what)] { chosen = what; });
}

CLI::Option* Arguments::path(CLI::App* command, const char* name, std::vector<std::string>& into, const char* what)
{
    return command->add_option(name, into, what)->required()->type_name("");
}

CLI::Option* Arguments::path(CLI::App* command, const char* name, std::string& into, const char* what)
{
    return command->add_option(name, into, what)->required()->type_name("");
}

void Arguments::json(CLI::App* command, const char* what)
{
    command->add_flag("--json", json_, what);
}

void Arguments::force(CLI::App* command)
{
    command->add_flag("--force", force_, "replace an earlier one");
}

void Arguments::in(CLI::App* command, std::string& folder)
{
    command->add_option("--in", folder, "the folder of the snapshots; the user's own unless given")
        ->type_name("FOLDER");
}

void Arguments::scans(CLI::App* command)
{
    command->add_option("--exclude", exclude_, "leave out what matches this glob; may be repeated")
        ->type_name("GLOB")
        ->allow_extra_args(false)
        ->take_all();
    command->add_flag("--cross-mounts", crossMounts_, "go through other mounted drives too");
    command->add_option("--threads", threads_, "threads; as many as help unless given")
        ->type_name("N")
        ->check(CLI::Range(1, 256));
    command->add_flag("--sudo", sudo_, "on another machine: read with administrator rights, by sudo there");
    command->add_flag("--send-scanner", sendScanner_,
                      "on another machine without kurvoctl: send a scanner that runs once and removes itself");
}

void Arguments::addCommon()
{
    app_.set_version_flag("-V,--version", fmt::format("kurvoctl {}\n{}", kurvo::version(), kurvo::buildFacts()));
    app_.require_subcommand(1);
    app_.add_option("--patience", patience_, "give up what does not answer for so many seconds (15 unless given)")
        ->type_name("SECONDS")
        ->check(CLI::Range(1, 86400));
    auto* bytes = app_.add_flag("--bytes", bytes_, "print sizes as plain numbers of bytes");
    app_.add_flag("--si", decimal_, "print sizes in kB, MB, GB of 1000")->excludes(bytes);
    app_.add_flag("-q,--quiet", quiet_, "no progress and no remarks; what went wrong is said");
    app_.add_flag("--no-progress", noProgress_, "no line of progress on a terminal");
    app_.add_option("--colour,--color", colour_, "colour on standard output: auto (unless given), always or never")
        ->type_name("WHEN")
        ->check(CLI::IsMember({"auto", "always", "never"}));
    app_.add_flag("--no-config", noConfig_, "do not read kurvoctl.toml of the user's settings");
    app_.fallthrough(); // after the command as well
}

void Arguments::addScanning()
{
    auto* scan = command("scan", "Scan folders or drives and print their totals");
    path(scan, "PATH", scan_.paths, "folders to scan, each by itself");
    scan->add_option("--save", scan_.save, "write the snapshot to this .kurvo file (one PATH only)")->type_name("FILE");
    scans(scan);
    force(scan);
    scan->add_flag("--walk", walk_, "ask for each entry, also where a drive's own tables could be read");
    json(scan, "print JSON, one object a PATH");
    run(scan, [this] {
        if (!scan_.save.empty() && scan_.paths.size() != 1) {
            complain("--save takes exactly one PATH.");
            return static_cast<int>(ExitUsage);
        }
        if (force_ && scan_.save.empty()) {
            complain("--force goes with --save FILE.");
            return static_cast<int>(ExitUsage);
        }
        scan_.json = json_;
        scan_.method = walk_ ? ScanMethod::Walk : ScanMethod::Best;
        scan_.force = force_;
        return runScan(scan_);
    });

    auto* browse = command("browse", "The terminal view: all of it by keys, with plan and undo");
    browse->add_option("SOURCE", browse_.source, "a folder or a .kurvo file; the list of drives unless given")
        ->type_name("");
    browse->add_option("NEW", browse_.now, "compares SOURCE with this later folder or .kurvo file")->type_name("");
    in(browse, browse_.folder);
    browse
        ->add_option("--data", browse_.data, "the folder of plans, marks and the logbook; the user's own unless given")
        ->type_name("FOLDER");
    browse->add_flag("--no-mouse", noMouse_, "leave the mouse to the terminal");
    scans(browse);
    run(browse, [this] {
        endsByItself = true;
        browse_.mouse = !noMouse_;
        return runBrowse(browse_);
    });
    browse->parse_complete_callback([this] { endsByItself = true; });
}

void Arguments::addListing()
{
    auto* folders = command("folders", "Totals of every folder down to a depth");
    path(folders, "SOURCE", folders_.sources, "folders or .kurvo files, each by itself");
    folders->add_flag("--together", folders_.together, "all SOURCEs as one, with each as a folder of it");
    folders->add_option("--depth", folders_.depth, "levels below SOURCE (1 unless given)")
        ->type_name("N")
        ->check(CLI::Range(0, 100000));
    folders->add_option("--sort", folders_.sort, "disk (unless given), apparent, files, name or date")
        ->type_name("BY")
        ->check(CLI::IsMember({"disk", "apparent", "files", "name", "date"}));
    folders->add_option("--count", folders_.count, "so many of each folder at the most")
        ->type_name("N")
        ->check(CLI::Range(1, 1000000000));
    folders->add_option("--at-least", folders_.atLeast, "leave out folders smaller than this on disk, such as 500M")
        ->type_name("SIZE");
    scans(folders);
    json(folders);
    run(folders, [this] {
        folders_.json = json_;
        return runFolders(folders_);
    });

    auto* largest = command("largest", "The largest files, wherever they are");
    path(largest, "SOURCE", largest_.sources, "folders or .kurvo files, all together");
    largest->add_option("--count", largest_.count, "how many (20 unless given)")
        ->type_name("N")
        ->check(CLI::Range(1, 1000000000));
    largest->add_option("--where", largest_.where, "only what matches this filter, such as \"*.wav size>500M age>1y\"")
        ->type_name("FILTER");
    largest->add_flag("--folders", largest_.folders, "folders in which the weight divides, instead of files");
    scans(largest);
    json(largest);
    run(largest, [this] {
        largest_.json = json_;
        return runLargest(largest_);
    });

    const auto groups = [this](const char* name, const char* what, std::vector<std::string> usual) {
        auto* group = command(name, what);
        path(group, "SOURCE", groups_.sources, "folders or .kurvo files, each by itself");
        group->add_flag("--together", groups_.together, "all SOURCEs as one");
        group->add_option("--by", by_, "one or two of family, type, role, owner and age, with a comma between")
            ->type_name("GROUP")
            ->delimiter(',')
            ->check(CLI::IsMember({"family", "type", "role", "owner", "age"}));
        group->add_option("--count", groupCount_, "so many at the most")
            ->type_name("N")
            ->check(CLI::Range(1, 1000000000));
        scans(group);
        json(group);
        run(group, [this, usual = std::move(usual)] {
            groups_.by = by_.empty() ? usual : by_;
            if (groups_.by.size() > 2 || (groups_.by.size() == 2 && groups_.by[0] == groups_.by[1])) {
                complain("--by takes one or two different groups.");
                return static_cast<int>(ExitUsage);
            }
            groups_.count = groupCount_ > 0 ? groupCount_ : groups_.count;
            groups_.json = json_;
            return runGroups(groups_);
        });
    };
    groups("types", "What kinds of file there are, and how much that is", {"family", "type"});
    groups("roles", "What the entries are there for, and how much that is", {"role"});

    auto* leads = command("leads", "What stands out, and what to do about it");
    path(leads, "SOURCE", leads_.sources, "folders or .kurvo files, all together");
    in(leads, leads_.folder);
    auto* aside =
        leads->add_option("--put-aside", leads_.putAside, "show the lead with this id no more")->type_name("ID");
    leads->add_option("--note", leads_.note, "why it is put aside")->type_name("TEXT")->needs(aside);
    leads->add_option("--bring-back", leads_.bringBack, "show the lead with this id again")
        ->type_name("ID")
        ->excludes(aside);
    scans(leads);
    json(leads, "print JSON, one object a lead");
    run(leads, [this] {
        leads_.json = json_;
        return runLeads(leads_);
    });

    auto* compare = command("compare", "What changed between two snapshots");
    path(compare, "OLD", compare_.before, "a folder or a .kurvo file");
    path(compare, "NEW", compare_.now, "a folder or a .kurvo file");
    compare->add_option("--where", compare_.where, "only changes that match this filter: \"change:grew delta>1G\"")
        ->type_name("FILTER");
    compare->add_option("--count", compare_.count, "how many to print (40 unless given)")
        ->type_name("N")
        ->check(CLI::Range(1, 1000000000));
    compare->add_flag("--entries", compare_.entries, "a line for each file and folder, also in whole ones");
    scans(compare);
    auto* compareJson = compare->add_flag("--json", json_, "print JSON, one object a line");
    compare->add_option("--format", compare_.format, "csv or html, on standard output")
        ->type_name("FORMAT")
        ->check(CLI::IsMember({"csv", "html"}))
        ->excludes(compareJson);
    run(compare, [this] {
        compare_.json = json_;
        return runCompare(compare_);
    });

    auto* listing = command("export", "Every entry as a line, or a page to be handed over");
    path(listing, "SOURCE", exported_, "a folder or a .kurvo file; several with --to");
    auto* to =
        listing->add_option("--to", exportTo_, "write to this PostgreSQL database instead, see \"kurvoctl help fleet\"")
            ->type_name("URL");
    listing->add_option("--format", exportFormat_, "jsonl (unless given), csv or html, on standard output")
        ->type_name("FORMAT")
        ->check(CLI::IsMember({"jsonl", "csv", "html"}))
        ->excludes(to);
    scans(listing);
    run(listing, [this] {
        if (!exportTo_.empty())
            return runFleetExport(exported_, exportTo_);
        if (exported_.size() > 1) {
            complain("Several SOURCEs go with --to only.");
            return static_cast<int>(ExitUsage);
        }
        return runExport(exported_.front(), exportFormat_);
    });
}

void Arguments::addSnapshots()
{
    auto* snapshot = command("snapshot", "Take, list, check and clear away snapshots");
    snapshot->require_subcommand(1);
    in(snapshot, kept_.folder);
    const auto one = [&](const char* name, const char* what) { return command(name, what, snapshot); };

    auto* take = one("take", "Scan and keep a snapshot");
    path(take, "PATH", kept_.paths, "drives or folders");
    take->add_flag("--polite", kept_.polite, "give way to everybody, and do nothing on battery");
    scans(take);
    run(take, [this] { return runSnapshotTake(kept_); });
    auto* list = one("list", "What is kept");
    list->add_option("PATH", kept_.paths, "only snapshots of this place")->expected(0, 1)->type_name("");
    json(list);
    run(list, [this] { return runSnapshotList(kept_, json_); });
    auto* verify = one("verify", "Read snapshots to their end; all unless some are given");
    verify->add_option("FILE", kept_.paths, "snapshots")->type_name("");
    run(verify, [this] { return runSnapshotVerify(kept_); });
    auto* prune = one("prune", "Remove what the keeping policy lets go");
    prune->add_flag("--dry-run", kept_.dryRun, "say what would go");
    run(prune, [this] { return runSnapshotPrune(kept_); });
    auto* import = one("import", "Add snapshots from another machine");
    path(import, "FILE", kept_.paths, ".kurvo files, or listings as export writes them; - for standard input");
    run(import, [this] { return runSnapshotImport(kept_); });
    auto* copy = one("export", "Write a whole copy that needs no other file");
    path(copy, "FILE", kept_.paths, "the snapshot")->expected(1);
    copy->add_option("-o,--output", snapshotTo_, "the file to write")->required()->type_name("FILE");
    force(copy);
    run(copy, [this] { return runSnapshotExport(kept_, snapshotTo_, force_); });
    auto* remove = one("remove", "Put snapshots of the catalogue into the trash");
    path(remove, "FILE", kept_.paths, "the snapshots");
    run(remove, [this] { return runSnapshotRemove(kept_); });
    auto* pin = one("pin", "Keep a snapshot whatever the policy says");
    path(pin, "FILE", kept_.paths, "the snapshot")->expected(1);
    run(pin, [this] { return runSnapshotAbout(kept_, {}, {}, true); });
    auto* unpin = one("unpin", "Leave a snapshot to the policy again");
    path(unpin, "FILE", kept_.paths, "the snapshot")->expected(1);
    run(unpin, [this] { return runSnapshotAbout(kept_, {}, {}, false); });
    auto* name = one("name", "Give a snapshot a name and a note");
    path(name, "FILE", kept_.paths, "the snapshot")->expected(1);
    name->add_option("--name", aboutName_, "the name")->type_name("TEXT");
    name->add_option("--note", aboutNote_, "the note")->type_name("TEXT");
    run(name, [this] { return runSnapshotAbout(kept_, aboutName_, aboutNote_, {}); });
    for (auto* each : {take, list, verify, prune, import, copy, remove, pin, unpin, name})
        in(each, kept_.folder);
}

void Arguments::addMachines()
{
    auto* machines = command("machines", "Other machines: a table of them, and snapshots of all");
    const auto common = [this](CLI::App* one) {
        one->add_option("--tag", machines_.tag, "only machines with this tag")->type_name("TAG");
        one->add_option("--list", machines_.list,
                        "the list of machines; machines.toml of the user's settings unless given")
            ->type_name("FILE");
        in(one, machines_.folder);
    };
    common(machines);
    json(machines);
    auto* take = command("take", "Scan them over SSH and keep snapshots", machines);
    take->add_option("NAME", machines_.names, "machines; all unless given")->type_name("");
    common(take);
    take->add_option("--at-once", machines_.atOnce, "so many at the same time (4 unless given)")
        ->type_name("N")
        ->check(CLI::Range(1, 64));
    machines->callback([this] {
        if (!chosen)
            chosen = [this] {
                machines_.json = json_;
                return runMachines(machines_);
            };
    });
    run(take, [this] { return runMachinesTake(machines_); });
}

void Arguments::addHistory()
{
    auto* history = command("history", "The size of a folder or large file in all snapshots");
    path(history, "PATH", historyPath_, "its whole path");
    in(history, historyFolder_);
    json(history);
    run(history, [this] { return runHistory(historyPath_, historyFolder_, json_); });
    auto* forecast = command("forecast", "How fast a drive or folder grows, and when the drive is full");
    path(forecast, "PATH", historyPath_, "a drive or folder that has snapshots");
    in(forecast, historyFolder_);
    json(forecast, "print JSON, one object");
    run(forecast, [this] { return runForecast(historyPath_, historyFolder_, json_); });
}

void Arguments::addDrives()
{
    auto* drives = command("drives", "The mounted drives with their capacity");
    drives->add_flag("--all", allMounts_, "all mounts, with why a mount is no drive");
    json(drives);
    run(drives, [this] { return runDrives(allMounts_, json_); });

    auto* ledger = command("ledger", "Reconcile what a drive says is used with what is on it");
    path(ledger, "MOUNT", source_, "the drive, or any folder on it");
    scans(ledger);
    json(ledger, "print JSON, one object");
    run(ledger, [this] { return runLedger(source_, json_); });

    auto* duplicates = command("duplicates", "Files with the same content");
    path(duplicates, "PATH", duplicates_.paths, "folders to search, together");
    duplicates
        ->add_option("--smallest", duplicates_.smallest, "leave smaller files out, such as 1M (1 byte unless given)")
        ->type_name("SIZE");
    duplicates->add_option("--leave-out", duplicates_.leaveOut, "a folder or file to leave out; may be repeated")
        ->type_name("PATH")
        ->allow_extra_args(false);
    duplicates->add_flag("--folders", duplicates_.folders, "whole folders with the same content as well");
    auto* planned = duplicates
                        ->add_option("--plan", duplicates_.plan,
                                     "write a plan that puts all but one of each into the trash, compared byte by byte")
                        ->type_name("FILE");
    duplicates
        ->add_option("--keep", duplicates_.keep, "which of them stays: oldest (unless given), newest, shortest-path")
        ->type_name("WHICH")
        ->check(CLI::IsMember({"oldest", "newest", "shortest-path"}))
        ->needs(planned);
    duplicates->add_option("--keep-in", duplicates_.keepIn, "what lies in this folder stays; other groups are left")
        ->type_name("FOLDER")
        ->needs(planned);
    force(duplicates);
    scans(duplicates);
    json(duplicates, "print JSON, one object a group");
    run(duplicates, [this] {
        duplicates_.json = json_;
        duplicates_.force = force_;
        return runDuplicates(duplicates_);
    });

    auto* advice = command("advice", "What a file or folder is, and whether it may go");
    advice->require_subcommand(1);
    auto* show = command("show", "Advice on paths", advice);
    path(show, "PATH", advicePaths_, "files or folders");
    json(show);
    run(show, [this] { return runAdvice(advicePaths_, json_); });
    auto* check = command("check", "Look for mistakes in files of rules", advice);
    path(check, "FILE", advicePaths_, "files of rules");
    run(check, [this] { return runAdviceCheck(advicePaths_); });
}

void Arguments::addPlans()
{
    auto* plan = command("plan", "What shall be trashed, deleted or moved: checked, then carried out");
    plan->require_subcommand(1);
    auto* make = command("make", "Write a plan for these items", plan);
    path(make, "PATH", plan_.paths, "files or folders");
    make->add_option("--action", plan_.action, "trash (unless given), delete, move or empty-trash")
        ->type_name("ACTION")
        ->check(CLI::IsMember({"trash", "delete", "move", "empty-trash"}));
    make->add_option("--to", plan_.to, "move: the folder on another drive")->type_name("FOLDER");
    make->add_flag("--link", plan_.link, "move: leave a link at the old path");
    make->add_option("-o,--output", plan_.file, "the file to write")->required()->type_name("FILE");
    force(make);
    run(make, [this] {
        plan_.force = force_;
        return runPlanMake(plan_);
    });
    auto* check = command("check", "Whether a plan can be carried out as it is", plan);
    path(check, "FILE", plan_.file, "the plan");
    json(check);
    const auto on = [this](CLI::App* one) {
        one->add_option("--on", plan_.on, "another machine, whose own kurvoctl does it")->type_name("MACHINE");
    };
    on(check);
    run(check, [this] {
        return plan_.on.empty() ? runPlanCheck(plan_.file, json_)
                                : runThere(plan_.on, json_ ? "plan check --json" : "plan check", plan_.file);
    });
    auto* apply = command("apply", "Check a plan and carry it out", plan);
    path(apply, "FILE", plan_.file, "the plan");
    apply->add_option("--delete", deletions_, "confirms that so many items are deleted for good")->type_name("COUNT");
    json(apply);
    on(apply);
    run(apply, [this] {
        if (plan_.on.empty())
            return runPlanApply(plan_.file, deletions_, json_);
        return runThere(plan_.on,
                        fmt::format("plan apply{}{}", json_ ? " --json" : "",
                                    deletions_ > 0 ? fmt::format(" --delete {}", deletions_) : std::string()),
                        plan_.file);
    });
    auto* undo = command("undo", "Undo what a run did, as far as possible", plan);
    undo->add_option("RUN", runNumber_, "its number; the newest unless given")
        ->type_name("")
        ->check(CLI::Range(1, 1000000000));
    on(undo);
    run(undo, [this] {
        if (plan_.on.empty())
            return runPlanUndo(runNumber_);
        return runThere(plan_.on, runNumber_ > 0 ? fmt::format("plan undo {}", runNumber_) : "plan undo", {});
    });
}

void Arguments::addLogbook()
{
    auto* logbook = command("logbook", "What was carried out, and when");
    logbook->add_option("RUN", runNumber_, "a run, to see its steps")->type_name("")->check(CLI::Range(1, 1000000000));
    json(logbook);
    run(logbook, [this] { return runLogbook(runNumber_, json_); });
    auto* recover = command("recover", "End what a kill or a power cut left under way", logbook);
    auto* report = command("report", "A report on a run, to be handed over", logbook);
    report->add_option("RUN", runNumber_, "its number; the newest unless given")
        ->type_name("")
        ->check(CLI::Range(1, 1000000000));
    report->add_option("--format", reportFormat_, "html (unless given), csv or json")
        ->type_name("FORMAT")
        ->check(CLI::IsMember({"html", "csv", "json"}));
    report->add_option("--largest-of", source_, "list the largest files of this folder or .kurvo file as well")
        ->type_name("SOURCE");
    // A parent's callback runs after those below it: what they chose stays.
    logbook->callback([this] {
        if (!chosen)
            chosen = [this] { return runLogbook(runNumber_, json_); };
    });
    run(recover, [] { return runLogbookRecover(); });
    run(report, [this] { return runLogbookReport(runNumber_, source_, reportFormat_); });
}

void Arguments::addSelf()
{
    auto* help = command("help", "Read about a command or a topic");
    help->add_option("TOPIC", topic_, "what about; the list of topics unless given")->type_name("");
    run(help, [this] { return runHelp(app_, topic_); });
    auto* completion = command("completion", "Print what makes a shell complete kurvoctl");
    completion->add_option("SHELL", shell_, "bash, zsh or fish")
        ->required()
        ->type_name("")
        ->check(CLI::IsMember({"bash", "zsh", "fish"}));
    run(completion, [this] { return runCompletion(shell_); });
    auto* manual = command("manual", "For the build: write manual pages")->group("");
    manual->add_option("FOLDER", manualFolder_, "where to")->required();
    run(manual, [this] { return runManual(app_, manualFolder_); });
    auto* act = command("act-helper", "Act for the window with administrator rights")->group("");
    act->add_option("--digest", digest_, "of the request, as the window shows it")->required();
    run(act, [this] { return runActHelper(digest_); });
    auto* helper = command("helper", "Scan for the window with administrator rights")->group("");
    run(helper, [] { return runHelper(); });
    auto* serve = command("serve", "Answer another machine over a connection")->group("");
    serve->add_option("--speaks", speaks_, "only says whether this version is spoken");
    run(serve, [this] {
        return speaks_ == 0 ? serveRemote(STDIN_FILENO, STDOUT_FILENO) : speaks_ == remoteProtocol ? 0 : 1;
    });
    for (auto* one : {act, helper, serve})
        one->parse_complete_callback([this] {
            endsByItself = true;
            endsByItself_ = true;
        });
}

void Arguments::settle()
{
    auto& out = output();
    if (bytes_ || decimal_) {
        out.bytes = bytes_;
        out.units = decimal_ ? SizeUnits::Decimal : SizeUnits::Binary;
    }
    out.quiet = quiet_;
    out.progress = out.progress && !noProgress_;
    const char* none = std::getenv("NO_COLOR"); // no-color.org: present and not empty
    const char* term = std::getenv("TERM");
    out.colour = colour_ == "always" || (colour_ == "auto" && ::isatty(STDOUT_FILENO) == 1 && !(none && *none) &&
                                         term && std::string_view(term) != "dumb");
    if (patience_ > 0)
        out.scan.patience = std::chrono::seconds(patience_);
    if (threads_ > 0)
        out.scan.threads = threads_;
    out.sudo = sudo_;
    out.sendScanner = sendScanner_;
    out.scan.crossMounts |= crossMounts_;
    out.scan.exclude.insert(out.scan.exclude.end(), exclude_.begin(), exclude_.end());
}

} // namespace kurvo::cli
