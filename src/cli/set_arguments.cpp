// SPDX-License-Identifier: GPL-3.0-or-later
// The options of set.
#include "cli/arguments.h"

namespace kurvo::cli {

void Arguments::addSets()
{
    auto* set = command("set", "Places that are looked at together, under a name");
    in(set, set_.folder);
    json(set);
    set->callback([this] {
        if (!chosen)
            chosen = [this] { return runSetList(set_, json_); };
    });
    auto* list = command("list", "The sets, and when they were last scanned", set);
    json(list);
    run(list, [this] { return runSetList(set_, json_); });
    const auto named = [&](const char* name, const char* what) {
        auto* one = command(name, what, set);
        path(one, "NAME", set_.name, "its name");
        return one;
    };
    auto* keep = named("keep", "Keep places under a name, in place of what had it");
    path(keep, "PLACE", set_.places, "drives or folders of this machine, two at least");
    run(keep, [this] { return runSetKeep(set_); });
    auto* take = named("take", "Scan what is here of a set and keep snapshots");
    take->add_flag("--polite", kept_.polite, "give way to everybody, and do nothing on battery");
    scans(take);
    run(take, [this] { return runSetTake(set_, kept_.polite); });
    auto* history = named("history", "What its drives had used over time, together and apart");
    json(history);
    run(history, [this] { return runSetHistory(set_, json_); });
    auto* files = named("files", "The newest snapshot of each of its places, for other commands");
    run(files, [this] { return runSetFiles(set_); });
    auto* rename = named("rename", "Give it another name");
    path(rename, "TO", setTo_, "the new name");
    run(rename, [this] { return runSetRename(set_, setTo_); });
    auto* remove = named("remove", "Forget it; its places and their snapshots stay");
    run(remove, [this] { return runSetRemove(set_); });
    for (auto* each : {list, keep, take, history, files, rename, remove})
        in(each, set_.folder);
}

} // namespace kurvo::cli
