// SPDX-License-Identifier: GPL-3.0-or-later
// The options of upkeep and watch.
#include <tuple>

#include "cli/arguments.h"

namespace kurvo::cli {

void Arguments::addUpkeep()
{
    auto* upkeep = command("upkeep", "Rules that keep a drive from filling again");
    json(upkeep);
    auto* list = command("list", "The rules, and those that are ready to be switched on", upkeep);
    run(list, [this] { return runUpkeepList(json_); });
    upkeep->callback([this] {
        if (!chosen)
            chosen = [this] { return runUpkeepList(json_); };
    });
    const auto named = [&](const char* name, const char* what) {
        auto* one = command(name, what, upkeep);
        path(one, "RULE", ruleName_, "its name");
        return one;
    };
    auto* show = named("show", "What a rule says, and its runs");
    run(show, [this] { return runUpkeepShow(ruleName_, json_); });
    auto* go = command("run", "Carry out the rules that are on, or those that are named", upkeep);
    go->add_option("RULE", upkeep_.names, "rules; all that are on unless given")->type_name("");
    go->add_flag("--dry-run", upkeep_.dryRun, "only print what they would do, item by item");
    go->add_flag("--items", upkeep_.items, "print each item");
    go->add_flag("--even-so", upkeep_.evenSo, "also where a rule asks, because it is more than it may do");
    go->add_flag("--clock-is-right", upkeep_.clockIsRight, "also where the clock looks wrong");
    go->add_flag("--by-timer", upkeep_.byTimer, "print only what is new, and tell it on the desktop");
    scans(go);
    run(go, [this] {
        upkeep_.json = json_;
        return runUpkeepRun(upkeep_);
    });
    auto* on = named("on", "Show what a rule would do now, and switch it on");
    run(on, [this] { return runUpkeepSwitch(ruleName_, true); });
    auto* off = named("off", "Switch a rule off");
    run(off, [this] { return runUpkeepSwitch(ruleName_, false); });
    auto* make = command("make", "Make a rule, which is off", upkeep);
    path(make, "NAME", ruleName_, "its name: small letters, digits and \"-\"");
    path(make, "PLACE", upkeep_.rule.place, "the folder that it looks at");
    make->add_option("--where", upkeep_.rule.filter, "files that match this filter")->type_name("FILTER");
    for (const auto& [option, into, what] :
         {std::tuple{"--leads", &upkeep_.leads, "what leads of these kinds hold"},
          std::tuple{"--advice", &upkeep_.advice, "files that these rules of the advice speak of"},
          std::tuple{"--folders", &upkeep_.folders, "the same, folders as a whole"}})
        make->add_option(option, *into, what)->type_name("KIND")->delimiter(',')->allow_extra_args(false);
    make->add_flag("--trash", upkeep_.trash, "what lies in the trash of that drive");
    make->add_option("--title", upkeep_.rule.title, "what it is called")->type_name("TEXT");
    make->add_option("--older-than-days", upkeep_.rule.olderDays, "not changed, or in the trash, for so long")
        ->type_name("N")
        ->check(CLI::Range(1, 3650));
    make->add_option("--more-than", upkeep_.moreThan, "only what is over this, the oldest first")->type_name("SIZE");
    make->add_option("--fuller-than", upkeep_.rule.fullerThan,
                     "only while the drive is fuller than so many percent, the oldest first")
        ->type_name("PERCENT")
        ->check(CLI::Range(1.0, 99.9));
    make->add_option("--grows-a-week", upkeep_.grows, "only files that grow by more, by the snapshots")
        ->type_name("SIZE");
    make->add_option("--do", upkeep_.action, "tell (unless given), trash, delete or move")
        ->type_name("ACTION")
        ->check(CLI::IsMember({"tell", "trash", "delete", "move"}));
    make->add_option("--to", upkeep_.rule.to, "where it moves to, on another drive")->type_name("FOLDER");
    make->add_option("--most", upkeep_.most, "what a run may do at the most; more, and it asks")->type_name("SIZE");
    make->add_option("--keep-days", upkeep_.rule.keepDays,
                     "so long the trash keeps what it put there (30 unless given; 0: for ever)")
        ->type_name("N")
        ->check(CLI::Range(0, 3650));
    force(make);
    run(make, [this] {
        upkeep_.force = force_;
        upkeep_.names = {ruleName_};
        return runUpkeepMake(upkeep_);
    });
    auto* remove = named("remove", "Remove a rule; what it did stays in the logbook");
    run(remove, [this] { return runUpkeepRemove(ruleName_); });
    auto* timer = command("timer", "Say whether a timer runs the rules, or switch it", upkeep);
    timer->add_option("WHAT", ruleName_, "on or off")->type_name("")->check(CLI::IsMember({"on", "off"}));
    run(timer, [this] { return runUpkeepTimer(ruleName_); });

    auto* watch = command("watch", "Drives that will be full soon, for monitoring");
    watch->add_option("PATH", watch_.places, "drives, by a path on each; all unless given")->type_name("");
    watch->add_option("--warn-days", watch_.warnDays, "end with 1 where one is full within so many days")
        ->type_name("N")
        ->check(CLI::Range(0.1, 3650.0));
    watch->add_flag("--metrics", watch_.metrics, "print the text format of OpenMetrics");
    in(watch, watch_.folder);
    json(watch);
    run(watch, [this] {
        watch_.json = json_;
        return runWatch(watch_);
    });
}

} // namespace kurvo::cli
