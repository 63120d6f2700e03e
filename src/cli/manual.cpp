// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/manual.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <cstdio>
#include <fstream>
#include <iterator>
#include <sstream>

#include "cli/command.h"
#include "core/base/text.h"
#include "core/base/version.h"

namespace kurvo::cli {
namespace {

constexpr const char* globs =
    "Globs match the name, or the whole path when they contain a slash. Ctrl+C ends a scan early; its figures are "
    "printed and called partial. A file to be written may not be there yet: --force replaces one of the same kind, "
    "and nothing else.";
constexpr const char* whatFilter =
    "A FILTER is terms side by side, with or, not and brackets: a word or glob of the name, size apparent age changed "
    "family type owner under path mark advice role, each with : or < >, and is:hidden,sparse,preallocated,linked,"
    "planned,symlink,empty. \"kurvoctl help filter\" has all of it. One that is wrong is said before anything is "
    "scanned. With --folders a folder counts where no folder in it holds more than four fifths of it.";

constexpr std::pair<const char*, const char*> more[] = {
    {"scan", globs},
    {"folders", "SOURCE is scanned when it is a folder, and read when it is a snapshot."},
    {"browse",
     "Keys are the window's where a terminal has them; \"?\" lists them. Nothing is touched before a plan is carried "
     "out with a typed word; marks, plans, snapshots and the logbook are those of the window. NO_COLOR is heeded."},
    {"leads",
     "The first twelve leads are printed, the first what promises most: bytes that come free times how surely they may "
     "go. No byte is in two of them. Earlier snapshots say how fast each grows. See \"kurvoctl help leads\"."},
    {"types", "Groups are the largest first; sizes are on disk. Ages are counted from the scan."},
    {"roles", "A role says what an entry is there for; rules give it, see \"kurvoctl help advice\"."},
    {"largest", whatFilter},
    {"compare",
     "Says what appeared, vanished, grew, shrank and moved. A folder that came, went or moved as a whole is one "
     "change unless --entries is given. See \"kurvoctl help compare\"."},
    {"snapshot",
     "Snapshots are kept in $XDG_DATA_HOME/kurvo/snapshots, packed against each other. What is pinned, named or noted "
     "stays whatever the keeping policy (keeping.toml there) lets go."},
    {"set",
     "A set is kept beside the snapshots (sets.toml) and is the window's as well. history begins where all of its "
     "places "
     "had been scanned; scans within twelve hours are one point, and a date behind a place says that its scan is an "
     "older one. A place that is not here is left out by take, which then ends with 1."},
    {"machines", "The list is machines.toml, see \"kurvoctl help machines\". take goes on past those that do not "
                 "answer and ends with 1; "
                 "the table says why each failed. A timer may run it: nothing is asked."},
    {"export", "JSON Lines keep each byte of a name; \"kurvoctl snapshot import\" reads them back."},
    {"history", "Folders are known in all snapshots, files where they are among the largest."},
    {"forecast", "The range is what the snapshots allow to say; nothing is said where they are too few or contradict."},
    {"drives", "Several mounts of one filesystem are one drive; --all says what each other mount is."},
    {"ledger",
     "The lines add up to what the drive says is used, down to what is not explained. As root it looks into the "
     "programs of all users and below other mounts; else it says what it could not know."},
    {"duplicates",
     "All PATHs are searched together. A file with several links is one file; empty files are left out, and what lies "
     "in the trash. Freeable is "
     "what comes free when one of each is kept: files that share their blocks free nothing. A plan that --plan writes "
     "names for each item the one that stays; without it, as it was, the item is left alone."},
    {"advice", "Rules are described by \"kurvoctl help advice\"; check ends with 1 when there is a mistake in them."},
    {"plan",
     "A plan is a file, see \"kurvoctl help plan-format\". check ends with 1 when an item is held back, and says why. "
     "apply checks each item once more, carries out what is not held back and ends with 1 when something was held "
     "back or failed; --delete must name how many items are deleted for good. undo brings back what can be."},
    {"upkeep",
     "A rule says what, from when on, what happens and how much at the most; each is a file, see \"kurvoctl help "
     "upkeep\". Nothing that is protected, open, to be left alone, marked to be kept or changed within the last hour "
     "is touched. on shows what a rule would do now and switches it on; a timer runs it once a day. run ends with 1 "
     "where a rule asks, waits or tells something."},
    {"watch",
     "By the snapshots of each drive, and what is free now. Ends with 0, with 1 where a drive will be full within "
     "--warn-days, with 3 where one could not be asked. --metrics may be written to a file that a collector of figures "
     "reads."},
    {"logbook", "Every step that was carried out stands there before it is begun; recover ends what was cut off."},
    {"completion", "For bash: source <(kurvoctl completion bash). The packages put them where each shell looks."},
};

/// Two things one would type, each with what it does.
constexpr struct {
    const char* command;
    const char* lines;
} examples[] = {
    {"scan", "kurvoctl scan / --save monday.kurvo\nkurvoctl scan /home /srv --exclude '*.iso' --json"},
    {"browse", "kurvoctl browse /home\nkurvoctl browse monday.kurvo friday.kurvo"},
    {"folders", "kurvoctl folders /var --depth 3 --at-least 1G\nkurvoctl folders /home --sort files --count 5"},
    {"leads", "kurvoctl leads /\nkurvoctl leads / --put-aside trash: --note \"asked for\""},
    {"types", "kurvoctl types /home\nkurvoctl types /srv --by owner,age --json"},
    {"roles", "kurvoctl roles /\nkurvoctl roles /home --by role,owner"},
    {"largest", "kurvoctl largest / --where 'is:hidden age>1y'\nkurvoctl largest /home /srv --folders --count 10"},
    {"compare",
     "kurvoctl compare monday.kurvo friday.kurvo\nkurvoctl compare monday.kurvo / --where 'change:grew delta>1G'"},
    {"snapshot", "kurvoctl snapshot take / --polite\nssh desk kurvoctl export / | kurvoctl snapshot import -"},
    {"export", "kurvoctl export / > desk.jsonl\nkurvoctl export monday.kurvo --format html > monday.html"},
    {"history", "kurvoctl history /var/log\nkurvoctl history /home --json"},
    {"forecast", "kurvoctl forecast /\nkurvoctl forecast /home --json"},
    {"drives", "kurvoctl drives\nkurvoctl drives --all --json"},
    {"ledger", "sudo kurvoctl ledger /\nkurvoctl ledger /home --json"},
    {"duplicates", "kurvoctl duplicates ~/Pictures /media/stick --folders --smallest 10M\n"
                   "kurvoctl duplicates ~/Recordings --plan copies.kurvo-plan --keep oldest"},
    {"advice", "kurvoctl advice show ~/.cache /var/log/journal\nkurvoctl advice check my-rules.toml"},
    {"plan", "kurvoctl plan make ~/.cache/tiles -o clear.kurvo-plan\nkurvoctl plan apply clear.kurvo-plan"},
    {"upkeep", "kurvoctl upkeep on old-trash\nkurvoctl upkeep make old-films ~/Videos --where '*.mkv' "
               "--older-than-days 90 --do trash --most 20G"},
    {"watch", "kurvoctl watch --warn-days 14\nkurvoctl watch / --metrics > kurvo.prom"},
    {"logbook", "kurvoctl logbook\nkurvoctl logbook report --largest-of / > report.html"},
    {"set",
     "kurvoctl set keep 'Desk and archive' / /media/archive\nkurvoctl types --together $(kurvoctl set files 'Desk "
     "and archive')"},
    {"machines", "kurvoctl machines --tag office\nkurvoctl machines take --at-once 8"},
    {"help", "kurvoctl help filter\nkurvoctl help terms"},
    {"completion",
     "source <(kurvoctl completion bash)\nkurvoctl completion fish > ~/.config/fish/completions/kurvoctl.fish"},
};

/// As roff reads it: nothing in it is a command of its own.
std::string roff(const std::string& text)
{
    std::string out;
    bool beginning = true;
    for (const char c : text) {
        if (beginning && (c == '.' || c == '\''))
            out += "\\&";
        if (c == '\\')
            out += "\\e";
        else if (c == '-')
            out += "\\-";
        else
            out += c;
        beginning = c == '\n';
    }
    return out;
}

std::vector<const CLI::Option*> optionsOf(const CLI::App& app)
{
    return app.get_options([](const CLI::Option* option) { return !option->get_group().empty(); });
}

std::vector<const CLI::App*> commandsOf(const CLI::App& app)
{
    return app.get_subcommands([](const CLI::App* command) { return !command->get_group().empty(); });
}

CLI::App* commandOf(CLI::App& app, const std::string& name)
{
    for (auto* command : app.get_subcommands([&](const CLI::App* one) { return one->get_name() == name; }))
        return command;
    return nullptr;
}

/// The values an option takes, in words: "csv|html", "N", "FILE"; empty for a flag.
std::string valueOf(const CLI::Option& option)
{
    if (option.get_items_expected_max() == 0)
        return {};
    auto type = option.get_type_name();
    if (const auto open = type.find('{'), close = type.find('}'); open != type.npos && close != type.npos) {
        auto values = type.substr(open + 1, close - open - 1);
        for (auto& c : values)
            c = c == ',' ? '|' : c;
        return values;
    }
    return type.substr(0, type.find(':'));
}

void writeOptions(std::string& page, const CLI::App& app)
{
    for (const auto* option : optionsOf(app)) {
        if (option == app.get_help_ptr() && app.get_parent() && app.get_parent()->get_parent())
            continue; // said above
        if (option->get_positional()) {
            page += fmt::format(".TP\n\\fI{}\\fR\n{}\n", roff(option->get_name(true)), roff(option->get_description()));
            continue;
        }
        std::string names;
        for (const auto& name : option->get_snames())
            names += (names.empty() ? "\\fB" : "\\fR, \\fB") + roff("-" + name);
        for (const auto& name : option->get_lnames())
            names += (names.empty() ? "\\fB" : "\\fR, \\fB") + roff("--" + name);
        const auto value = valueOf(*option);
        page += fmt::format(".TP\n{}\\fR{}\n{}\n", names, value.empty() ? "" : " \\fI" + roff(value) + "\\fR",
                            roff(option->get_description()));
    }
}

void writeSynopsis(std::string& page, const CLI::App& app, const std::string& name)
{
    std::string line = fmt::format(".B {}\n", roff(name));
    for (const auto* option : optionsOf(app)) {
        if (option->get_positional()) {
            const auto many = option->get_items_expected_max() > 1 ? "..." : "";
            line += option->get_required() ? fmt::format("\\fI{}\\fR{}\n", roff(option->get_name(true)), many)
                                           : fmt::format("[\\fI{}\\fR{}]\n", roff(option->get_name(true)), many);
        } else if (option->get_required() && !option->get_lnames().empty()) {
            line +=
                fmt::format("\\fB{}\\fR \\fI{}\\fR\n", roff("--" + option->get_lnames()[0]), roff(valueOf(*option)));
        }
    }
    page += line + "[\\fIOPTION\\fR...]\n";
}

std::string head(const std::string& name, const std::string& what)
{
    return fmt::format(
        ".\\\" SPDX-License-Identifier: GPL-3.0-or-later\n.TH {} 1 \"{}\" \"Kurvo {}\" \"User Commands\"\n"
        ".SH NAME\n{} \\- {}\n",
        name, releaseDay(), version(), roff(name), roff(what));
}

const std::string tail = ".SH EXIT STATUS\n0 done; 1 done, but something could not be read, was held back or is "
                         "mistaken; 2 wrong usage; 3 failed.\n";

std::string pageOf(const CLI::App& command)
{
    const auto name = "kurvoctl-" + command.get_name();
    auto page = head(name, command.get_description());
    page += ".SH SYNOPSIS\n";
    const auto below = commandsOf(command);
    if (below.empty() || command.get_require_subcommand_min() == 0)
        writeSynopsis(page, command, "kurvoctl " + command.get_name());
    for (std::size_t i = 0; i < below.size(); ++i) {
        if (i > 0 || command.get_require_subcommand_min() == 0)
            page += ".br\n";
        writeSynopsis(page, *below[i], "kurvoctl " + command.get_name() + " " + below[i]->get_name());
    }
    page += ".SH DESCRIPTION\n" + roff(command.get_description()) + ".\n";
    constexpr std::string_view examplesHead = "Examples:\n";
    const auto footer = command.get_footer();
    const auto shown = footer.find(examplesHead);
    if (auto words = footer.substr(0, shown); !words.empty()) {
        while (words.ends_with('\n'))
            words.pop_back();
        page += ".PP\n" + roff(words) + "\n";
    }
    page += ".SH OPTIONS\n";
    writeOptions(page, command);
    for (const auto* one : below) {
        page += fmt::format(".SS {} {}\n{}.\n", roff(command.get_name()), roff(one->get_name()),
                            roff(one->get_description()));
        writeOptions(page, *one);
    }
    if (shown != footer.npos)
        page += ".SH EXAMPLES\n.nf\n" + roff(footer.substr(shown + examplesHead.size())) + "\n.fi\n";
    return page + tail + ".SH SEE ALSO\n.BR kurvoctl (1)\n";
}

std::string overview(const CLI::App& app)
{
    auto page = head("kurvoctl", "see what fills a drive, and clear it safely, from a terminal");
    page += ".SH SYNOPSIS\n.B kurvoctl\n[\\fIOPTION\\fR...] \\fICOMMAND\\fR [\\fIARGUMENT\\fR...]\n.SH DESCRIPTION\n"
            "Scans folders and drives, keeps snapshots of them and compares these, finds what is large, old or there "
            "twice, reconciles a drive's figures, and carries out plans safely. All of it works without a desktop.\n"
            ".PP\nA SOURCE is a folder, which is scanned, or a .kurvo file, which is read.\n.SH COMMANDS\n";
    for (const auto* command : commandsOf(app))
        page += fmt::format(".TP\n.BR {} (1)\n{}\n", roff("kurvoctl-" + command->get_name()),
                            roff(command->get_description()));
    page += ".SH OPTIONS\n";
    writeOptions(page, app);
    page += tail + ".SH FILES\n.TP\n.I $XDG_DATA_HOME/kurvo\nSnapshots, marks, logbook, the plan that is kept.\n"
                   ".TP\n.I $XDG_CONFIG_HOME/kurvo\nSettings, and rules of your own in advice.\n"
                   ".SH SEE ALSO\n.BR kurvo (1),\n.BR kurvo\\-snapshot (5)\n";
    return page;
}

} // namespace

void describeCommands(CLI::App& app)
{
    app.footer(
        "SOURCE is a folder, which is scanned, or a .kurvo file, which is read. \"kurvoctl help terms\" says what "
        "each word means, \"kurvoctl help filter\" what a FILTER can ask for.");
    for (const auto& [name, words] : more)
        if (auto* command = commandOf(app, name))
            command->footer(words);
    for (const auto& example : examples)
        if (auto* command = commandOf(app, example.command)) {
            auto words = command->get_footer();
            words += words.empty() ? "Examples:" : "\n\nExamples:";
            std::istringstream lines(example.lines);
            for (std::string line; std::getline(lines, line);)
                words += "\n  " + line;
            command->footer(words);
        }
}

int runHelp(CLI::App& app, const std::string& topic)
{
    if (topic.empty()) {
        fmt::print("Commands and topics of \"kurvoctl help\":\n\n");
        for (const auto* command : commandsOf(app))
            fmt::print("  {:<18}{}\n", command->get_name(), command->get_description());
        fmt::print("\n");
        for (const auto& [name, page] : topics()) {
            const auto title = page.substr(2, page.find('\n') - 2); // behind "# "
            fmt::print("  {:<18}{}\n", name, title);
        }
        return ExitDone;
    }
    for (const auto& [name, page] : topics())
        if (name == topic) {
            fmt::print("{}", page);
            return ExitDone;
        }
    if (const auto* command = commandOf(app, topic)) {
        fmt::print("{}", command->help());
        return ExitDone;
    }
    complain("There is no topic \"" + displayText(topic) + "\". \"kurvoctl help\" lists them.");
    return ExitUsage;
}

int runManual(const CLI::App& app, const std::string& folder)
{
    const auto write = [&](const std::string& name, const std::string& page) {
        std::ofstream file(joinPath(folder, name + ".1"), std::ios::binary);
        file << page;
        file.flush();
        if (!file)
            complain("Could not write " + displayText(joinPath(folder, name + ".1")) + ".");
        return static_cast<bool>(file);
    };
    bool all = write("kurvoctl", overview(app));
    for (const auto* command : commandsOf(app))
        all = write("kurvoctl-" + command->get_name(), pageOf(*command)) && all;
    return all ? ExitDone : ExitFailed;
}

} // namespace kurvo::cli
