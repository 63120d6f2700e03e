// SPDX-License-Identifier: GPL-3.0-or-later
// A power cut in the middle of a run: what the drives hold at that moment is kept, without what the kernel has not
// written yet, and the next start goes by that alone.
#include <catch2/catch.hpp>

#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <filesystem>
#include <random>

#include "act_fixture.h"
#include "core/act/plan_run.h"
#include "core/base/figures.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

void must(const std::string& command)
{
    INFO(command);
    REQUIRE(std::system(command.c_str()) == 0);
}

} // namespace

TEST_CASE("the power is cut in the middle of a run: the next start loses nothing", "[act][kill][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    std::mt19937 random(20261125);
    int underWay = 0;
    for (int round = 0; round < 8; ++round) {
        TestFolder t;
        std::map<std::string, std::map<std::string, std::string>> before;
        PlanFile plan;
        const auto home = t / "home-drive", archive = t / "archive";
        RunOptions options;
        options.guard.user = {home + "/home", home + "/home/data", home + "/home/config", ::getuid()};
        {
            const LoopMount a(home, "mkfs.ext4", 48);
            const LoopMount b(archive, "mkfs.ext4", 48);
            for (int set = 0; set < 3; ++set)
                for (int f = 0; f < 8; ++f)
                    t.text("home-drive/place/set-" + std::to_string(set) + "/f" + std::to_string(f),
                           std::string(50000 + random() % 300000, static_cast<char>('a' + random() % 26)));
            t.text("home-drive/place/old.log", "lines");
            t.folder("home-drive/home/data");
            const std::pair<const char*, Intent> wanted[] = {{"set-0", {Action::Move, archive, round % 2 == 0}},
                                                             {"set-1", {Action::Delete, {}, false}},
                                                             {"set-2", {Action::Move, archive, false}},
                                                             {"old.log", {Action::Trash, {}, false}}};
            for (const auto& [name, intent] : wanted) {
                const auto planned = readPlannedItem(home + "/place/" + name, intent);
                REQUIRE(planned);
                plan.items.push_back(*planned);
                before[planned->item.path] = everythingOf(planned->item.path);
            }
            plan.place = home + "/place";
            plan.written = currentTime();
            must("sync -f '" + home + "' '" + archive + "'");
            Ticker ticker;
            const pid_t child = ::fork();
            if (child == 0) {
                Logbook own(home + "/logbook.db");
                options.onProgress = [&](const RunProgress&) { ticker.tick(); };
                (void)runPlan(own, plan, options);
                ::_exit(0);
            }
            ticker.wait(static_cast<unsigned>(1 + random() % 34), static_cast<unsigned>(random() % 4000)); // about as many as there are
            ::kill(child, SIGSTOP);
            int status = 0;
            REQUIRE(::waitpid(child, &status, WUNTRACED) == child);
            for (const auto* drive : {&a, &b})
                must("cp --sparse=always '" + drive->image() + "' '" + drive->path() + ".image.cut'");
            ::kill(child, SIGKILL);
            ::waitpid(child, nullptr, 0);
        }
        for (const auto& drive : {home, archive})
            must("mount -o loop '" + drive + ".image.cut' '" + drive + "'");
        {
            Logbook next(home + "/logbook.db");
            underWay += next.unfinished() && !next.unfinished()->empty() ? 1 : 0;
            const auto recovered = recoverAll(next, options.guard.user, {});
            INFO((recovered ? "" : recovered.error().sentence));
            REQUIRE(recovered);
            for (const auto& [step, outcome] : *recovered) {
                INFO((outcome ? *outcome : outcome.error().sentence));
                CHECK(outcome);
            }
            const auto runs = next.runs();
            REQUIRE(runs);
            std::vector<LoggedStep> steps;
            if (!runs->empty())
                steps = *next.steps(runs->front().id);
            for (const auto& planned : plan.items) { // also when not even the run had reached the disk
                const auto& path = planned.item.path;
                const auto step = std::find_if(steps.begin(), steps.end(), [&](const auto& s) { return s.path == path; });
                const bool done = step != steps.end() && step->state == StepState::Done;
                INFO(path << ": " << (step == steps.end() ? "not logged" : stateName(step->state)));
                if (!done)
                    CHECK(everythingOf(path) == before[path]);
                else if (planned.item.action == Action::Move)
                    CHECK(everythingOf(step->target) == before[path]);
                else if (planned.item.action == Action::Trash)
                    CHECK(readAll(step->trashed.folder.path + "/files/" + step->trashed.name) == "lines");
                else
                    CHECK_FALSE(exists(path));
            }
            std::size_t leftovers = 0;
            for (const auto& drive : {home + "/place", archive})
                for (const auto& entry : std::filesystem::directory_iterator(drive))
                    leftovers += entry.path().filename().string().starts_with(".kurvo-") ? 1 : 0;
            CHECK(leftovers == 0);
        }
        for (const auto& drive : {home, archive})
            must("umount '" + drive + "'");
    }
    CHECK(underWay > 1); // else nothing was tested
}
