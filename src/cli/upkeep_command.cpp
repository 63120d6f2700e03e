// SPDX-License-Identifier: GPL-3.0-or-later
// upkeep: rules that are left behind. watch: drives that fill, for monitoring.
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstdlib>
#include <mutex>

#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "core/act/run_history.h"
#include "core/base/text.h"
#include "core/platform/own_data.h"
#include "core/rights/helper_process.h"
#include "core/upkeep/run.h"
#include "core/upkeep/timer.h"
#include "core/upkeep/watch.h"

namespace kurvo::cli {
namespace {

/// Where rules and what is known of them are.
struct Room {
    UserFolders user = withCarried(userFolders());
    std::string data = ownDataFolder(user);
    std::string folder = upkeepFolder(user);
    UpkeepRules rules = readUpkeepRules(folder);
    UpkeepBook book = readUpkeepBook(joinPath(data, "upkeep.json"));

    int told() const
    {
        for (const auto& problem : rules.problems)
            complain(problem);
        return rules.problems.empty() ? ExitDone : ExitIncomplete;
    }
};

/// The rule of that name: of the user's, or one of those that are ready.
std::optional<UpkeepRule> namedRule(const Room& room, const std::string& name)
{
    if (const auto* rule = room.rules.find(name))
        return *rule;
    for (const auto& rule : readyUpkeepRules(room.user))
        if (rule.name == name)
            return rule;
    complain("There is no rule " + displayText(name) + ". \"kurvoctl upkeep list\" has all of them.");
    return std::nullopt;
}

std::string programPath()
{
    char path[4096];
    const auto n = ::readlink("/proc/self/exe", path, sizeof path);
    return n > 0 ? std::string(path, static_cast<std::size_t>(n)) : std::string("kurvoctl");
}

Result<std::vector<UpkeepOutcome>> look(const Room& room, const UpkeepArguments& arguments, bool dryRun,
                                        std::vector<UpkeepRule> rules)
{
    UpkeepWish wish;
    wish.rules = std::move(rules);
    wish.only = arguments.names;
    wish.user = room.user;
    wish.data = room.data;
    wish.snapshots = snapshotsFolder({});
    wish.book = std::make_shared<const RuleBook>(readUserRules(room.user.config).book);
    const auto packages = PackageDatabase::read();
    wish.packages = packages ? &*packages : nullptr;
    wish.scan = output().scan;
    wish.scan.background = arguments.byTimer;
    wish.now = currentTime();
    wish.dryRun = dryRun;
    wish.evenSo = arguments.evenSo;
    wish.clockIsRight = arguments.clockIsRight;
    std::optional<Result<std::vector<UpkeepOutcome>>> outcomes;
    std::mutex mutex;
    std::string name;
    wish.onRule = [&](const std::string& rule) {
        const std::lock_guard lock(mutex);
        name = rule;
    };
    runInterruptible(
        [&](const std::stop_token& stop) {
            wish.stop = stop;
            outcomes.emplace(runUpkeep(wish));
        },
        [&] {
            const std::lock_guard lock(mutex);
            return name.empty() ? std::string() : "looking at " + name;
        });
    return std::move(*outcomes);
}

const char* verdictName(UpkeepVerdict verdict)
{
    static constexpr const char* names[] = {"nothing", "ready", "tells", "asks", "waits"};
    return names[static_cast<std::size_t>(verdict)];
}

void printOutcome(const UpkeepOutcome& outcome, bool json, bool items)
{
    const auto& look = outcome.look;
    if (!json) {
        fmt::print("{}: {}\n", outcome.rule.name,
                   outcome.sentence().empty() ? "There is nothing to do." : outcome.sentence());
        if (!look.command.empty() && look.verdict == UpkeepVerdict::Tells)
            fmt::print("  {}\n", displayText(look.command));
        if (outcome.run != 0)
            fmt::print("  Undo: kurvoctl plan undo {}\n", outcome.run);
        for (const auto& item : look.items)
            if (items)
                fmt::print("  {:<6} {:>10}  {}  {}{}\n", item.held.empty() ? upkeepActionName(item.action) : "stays",
                           sizeText(item.bytes), formatTime(item.since).substr(0, 10), displayText(item.path),
                           item.held.empty() ? "" : "\n         " + item.held);
        return;
    }
    std::string list;
    for (const auto& item : look.items)
        if (items)
            list += fmt::format("{}{{\"path\": {}, \"disk\": {}, \"since\": {}, \"do\": \"{}\", \"held\": {}}}",
                                list.empty() ? "" : ", ", jsonText(item.path), item.bytes, item.since,
                                upkeepActionName(item.action), item.held.empty() ? "null" : jsonText(item.held));
    fmt::print(
        "{{\"rule\": {}, \"verdict\": \"{}\", \"sentence\": {}, \"problem\": {}, \"command\": {}, \"going\": {}, "
        "\"disk\": {}, \"run\": {}, \"done\": {}, \"done_disk\": {}, \"let_go\": {}, \"items\": [{}]}}\n",
        jsonText(outcome.rule.name), verdictName(look.verdict), jsonText(outcome.sentence()),
        outcome.problem.empty() ? "null" : jsonText(outcome.problem),
        look.command.empty() ? "null" : jsonText(look.command), look.going, look.bytes,
        outcome.run == 0 ? "null" : std::to_string(outcome.run), outcome.done, outcome.bytes, outcome.letGo, list);
}

int statusOf(const std::vector<UpkeepOutcome>& outcomes)
{
    const bool any = std::any_of(outcomes.begin(), outcomes.end(), [](const UpkeepOutcome& outcome) {
        return !outcome.problem.empty() || outcome.look.verdict == UpkeepVerdict::Asks ||
               outcome.look.verdict == UpkeepVerdict::Waits || outcome.look.verdict == UpkeepVerdict::Tells;
    });
    return any ? ExitIncomplete : ExitDone;
}

/// The desktop program, which can tell on a desktop; empty where it is not installed.
std::string desktopProgram()
{
    const auto own = programPath();
    for (const auto& file : {joinPath(parentPath(own), "kurvo"), joinPath(parentPath(own), "../kurvo"),
                             joinPath(parentPath(own), "../app/kurvo"), std::string("/usr/bin/kurvo")})
        if (::access(file.c_str(), X_OK) == 0)
            return file;
    return {};
}

/// On the desktop, where there is one; it waits a while there for "Take back".
void tellOnDesktop()
{
    const auto program = desktopProgram();
    if (program.empty() || !std::getenv("DBUS_SESSION_BUS_ADDRESS"))
        return;
    if (auto started = HelperProcess::start({program, "--tell-upkeep"}))
        (void)started->wait();
}

} // namespace

int runUpkeepList(bool json)
{
    const Room room;
    int status = room.told();
    auto all = room.rules.rules;
    const auto own = all.size();
    for (const auto& rule : readyUpkeepRules(room.user))
        if (!room.rules.find(rule.name))
            all.push_back(rule);
    const auto stateOf = [&room](const std::string& name) {
        const auto known = room.book.states.find(name);
        return known == room.book.states.end() ? UpkeepState() : known->second;
    };
    for (std::size_t i = 0; i < all.size(); ++i) {
        const auto& rule = all[i];
        const auto state = stateOf(rule.name);
        const auto says = !state.asks.empty() ? "asks: " + state.asks : state.waits;
        if (json) {
            fmt::print("{{\"rule\": {}, \"title\": {}, \"on\": {}, \"ready_made\": {}, \"does\": {}, \"looked\": {}, "
                       "\"says\": {}}}\n",
                       jsonText(rule.name), jsonText(rule.title), rule.on, i >= own, jsonText(describeRule(rule)),
                       state.looked == 0 ? "null" : std::to_string(state.looked),
                       says.empty() ? "null" : jsonText(says));
            continue;
        }
        if (i == own)
            fmt::print("{}Ready to be switched on:\n", own > 0 ? "\n" : "");
        fmt::print("{:<3} {:<18} {}\n", rule.on ? "on" : "off", rule.name,
                   rule.title.empty() ? describeRule(rule) : displayText(rule.title));
        if (!says.empty())
            fmt::print("                       {}\n", says);
    }
    for (const auto& fight : fightsOf(all))
        complain(fight);
    if (!json && std::any_of(all.begin(), all.end(), [](const UpkeepRule& rule) { return rule.on; }) &&
        !upkeepTimerIsOn(room.user))
        remark("No timer runs them here: \"kurvoctl upkeep timer on\", or \"kurvoctl upkeep run\" by hand.");
    return status;
}

int runUpkeepShow(const std::string& name, bool json)
{
    const Room room;
    const auto rule = namedRule(room, name);
    if (!rule)
        return ExitFailed;
    Logbook logbook(joinPath(room.data, "logbook.db"));
    const auto history = readHistory(logbook);
    if (!history) {
        complain(history.error().sentence);
        return ExitFailed;
    }
    const auto known = room.book.states.find(name);
    const auto state = known == room.book.states.end() ? UpkeepState() : known->second;
    if (!json) {
        fmt::print("{}\n{}\n", rule->title.empty() ? name : displayText(rule->title), describeRule(*rule));
        fmt::print("{}; last looked at {}.\n", rule->on ? "On" : "Off",
                   state.looked == 0 ? "never" : formatTime(state.looked));
        for (const auto& says : {state.asks, state.waits, state.keptAway})
            if (!says.empty())
                fmt::print("{}\n", says);
    }
    for (const auto& record : *history) {
        if (record.run.rule != name)
            continue;
        std::uint64_t bytes = 0;
        for (const auto& step : record.steps)
            bytes += step.state == StepState::Failed ? 0 : step.disk;
        if (json)
            fmt::print("{{\"run\": {}, \"began\": {}, \"items\": {}, \"disk\": {}, \"can_be_undone\": {}}}\n",
                       record.run.id, record.run.began, record.steps.size(), bytes, record.canBeUndone());
        else
            fmt::print("Run {:>4}  {}  {:>6}  {:>10}{}\n", record.run.id, formatTime(record.run.began),
                       record.steps.size(), sizeText(bytes), record.canBeUndone() ? "  can be undone" : "");
    }
    return ExitDone;
}

int runUpkeepRun(const UpkeepArguments& arguments)
{
    const Room room;
    int status = arguments.byTimer ? ExitDone : room.told();
    auto rules = room.rules.rules;
    for (const auto& name : arguments.names)
        if (const auto rule = namedRule(room, name); !rule)
            return ExitFailed;
        else if (!room.rules.find(name))
            rules.push_back(*rule);
    const auto outcomes = look(room, arguments, arguments.dryRun, std::move(rules));
    if (!outcomes) {
        complain(outcomes.error().sentence);
        return ExitFailed;
    }
    if (outcomes->empty() && !arguments.byTimer && !arguments.json)
        remark("No rule is on. \"kurvoctl upkeep list\" has some to switch on.");
    bool news = false;
    for (const auto& outcome : *outcomes) {
        news |= outcome.news;
        if (!arguments.byTimer || outcome.news)
            printOutcome(outcome, arguments.json, arguments.dryRun || arguments.items);
    }
    if (news && arguments.byTimer) {
        std::fflush(stdout);
        tellOnDesktop();
    }
    return std::max(status, statusOf(*outcomes));
}

int runUpkeepSwitch(const std::string& name, bool on)
{
    const Room room;
    auto rule = namedRule(room, name);
    if (!rule)
        return ExitFailed;
    rule->on = on;
    if (on) {
        if (const auto fights = fightsOf(room.rules.rules, &*rule); !fights.empty()) {
            complain(fights.front() + " It stays off.");
            return ExitFailed;
        }
        if (rule->action == UpkeepAction::Move && rule->toDrive.empty()) {
            if (::access(rule->to.c_str(), F_OK) != 0) {
                complain(systemError("open", rule->to, errno).sentence);
                return ExitFailed;
            }
            rule->toDrive = driveAt(rule->to);
        }
        // What it would do is seen before it does it.
        UpkeepArguments arguments;
        arguments.names = {name};
        auto rules = room.rules.rules;
        std::erase_if(rules, [&](const UpkeepRule& one) { return one.name == name; });
        rules.push_back(*rule);
        const auto outcomes = look(room, arguments, true, std::move(rules));
        if (!outcomes) {
            complain(outcomes.error().sentence);
            return ExitFailed;
        }
        for (const auto& outcome : *outcomes)
            printOutcome(outcome, false, true);
    }
    if (const auto written = writeUpkeepRule(room.folder, *rule); !written) {
        complain(written.error().sentence);
        return ExitFailed;
    }
    fmt::print("{} is {}.\n", name, on ? "on" : "off");
    if (on && !upkeepTimerIsOn(room.user))
        if (const auto timer = switchUpkeepTimer(true, room.user, programPath()); !timer) {
            complain("It is run by nothing yet. " + timer.error().sentence);
            return ExitIncomplete;
        }
    return ExitDone;
}

int runUpkeepMake(const UpkeepArguments& arguments)
{
    const Room room;
    UpkeepRule rule = arguments.rule;
    rule.name = arguments.names.front();
    if (room.rules.find(rule.name) && !arguments.force) {
        complain("There is a rule " + displayText(rule.name) + " already. --force replaces it.");
        return ExitFailed;
    }
    const auto size = [](const std::string& text, const char* option, std::uint64_t& into) {
        if (text.empty())
            return true;
        const auto bytes = parseSize(text);
        if (!bytes || *bytes == 0) {
            complain(std::string(option) + " takes a size such as 20G, not \"" + displayText(text) + "\".");
            return false;
        }
        into = *bytes;
        return true;
    };
    if (!size(arguments.most, "--most", rule.most) || !size(arguments.moreThan, "--more-than", rule.moreThan) ||
        !size(arguments.grows, "--grows-a-week", rule.growsAWeek))
        return ExitUsage;
    int subjects = rule.filter.empty() ? 0 : 1;
    for (const auto& [kinds, subject] : {std::pair{&arguments.leads, UpkeepSubject::Leads},
                                         {&arguments.advice, UpkeepSubject::Advice},
                                         {&arguments.folders, UpkeepSubject::Folders}})
        if (!kinds->empty()) {
            rule.subject = subject;
            rule.kinds = *kinds;
            ++subjects;
        }
    if (arguments.trash) {
        rule.subject = UpkeepSubject::Trash;
        ++subjects;
    }
    if (subjects != 1) {
        complain("A rule takes exactly one of --where, --leads, --advice, --folders and --trash.");
        return ExitUsage;
    }
    for (const auto action : {UpkeepAction::Tell, UpkeepAction::Trash, UpkeepAction::Delete, UpkeepAction::Move})
        if (arguments.action == upkeepActionName(action))
            rule.action = action;
    const auto place = canonicalPath(rule.place);
    if (!place) {
        complain(place.error().sentence);
        return ExitFailed;
    }
    rule.place = *place;
    if (!rule.to.empty()) {
        const auto to = canonicalPath(rule.to);
        if (!to) {
            complain(to.error().sentence);
            return ExitFailed;
        }
        rule.to = *to;
        rule.toDrive = driveAt(*to);
    }
    if (const auto written = writeUpkeepRule(room.folder, rule); !written) {
        complain(written.error().sentence);
        return written.error().kind == ErrorKind::WrongFormat ? ExitUsage : ExitFailed;
    }
    fmt::print("{}\nIt is off: \"kurvoctl upkeep on {}\" shows what it would do and switches it on.\n",
               describeRule(rule), rule.name);
    return ExitDone;
}

int runUpkeepRemove(const std::string& name)
{
    const Room room;
    const auto removed = removeUpkeepRule(room.folder, name);
    if (!removed) {
        complain(removed.error().sentence);
        return ExitFailed;
    }
    return ExitDone;
}

int runUpkeepTimer(const std::string& wanted)
{
    const Room room;
    if (wanted.empty()) {
        fmt::print("{}\n", upkeepTimerIsOn(room.user) ? "on" : "off");
        return ExitDone;
    }
    const auto done = switchUpkeepTimer(wanted == "on", room.user, programPath());
    if (!done) {
        complain(done.error().sentence);
        return ExitFailed;
    }
    fmt::print("The timer is {}.\n", wanted);
    return ExitDone;
}

int runWatch(const WatchArguments& arguments)
{
    std::vector<std::string> places = arguments.places;
    if (places.empty()) {
        const auto drives = readDrives();
        for (const auto& drive : drives ? *drives : std::vector<Drive>())
            if (drive.folded == FoldedAway::No && !drive.readOnly && drive.kind != DeviceKind::Memory)
                places.push_back(drive.mountPoint);
    }
    std::vector<Watched> watched;
    for (const auto& place : places)
        watched.push_back(watchDrive(place, snapshotsFolder(arguments.folder), currentTime()));
    int status = ExitDone;
    for (const auto& drive : watched)
        status = std::max(status, !drive.problem.empty() ? static_cast<int>(ExitFailed)
                                  : arguments.warnDays > 0 && drive.warns(arguments.warnDays)
                                      ? static_cast<int>(ExitIncomplete)
                                      : static_cast<int>(ExitDone));
    if (arguments.metrics) {
        fmt::print("{}", watchedAsMetrics(watched));
        for (const auto& drive : watched)
            if (!drive.problem.empty())
                complain(drive.problem);
        return status;
    }
    for (const auto& drive : watched) {
        if (!arguments.json) {
            if (drive.problem.empty())
                fmt::print("{}{}\n", arguments.warnDays > 0 && drive.warns(arguments.warnDays) ? "warning: " : "",
                           drive.sentence());
            else
                complain(drive.problem);
            continue;
        }
        const auto number = [](const std::optional<double>& value) {
            return value ? fmt::format("{:.1f}", *value) : std::string("null");
        };
        fmt::print("{{\"place\": {}, \"free\": {}, \"used\": {}, \"snapshots\": {}, \"bytes_a_day\": {}, "
                   "\"days_left\": {}, \"warns\": {}, \"problem\": {}}}\n",
                   jsonText(drive.place), drive.capacity.free, drive.capacity.used, drive.snapshots,
                   drive.bytesADay ? std::to_string(std::llround(*drive.bytesADay)) : "null", number(drive.daysLeft),
                   arguments.warnDays > 0 && drive.warns(arguments.warnDays),
                   drive.problem.empty() ? "null" : jsonText(drive.problem));
    }
    return status;
}

} // namespace kurvo::cli
