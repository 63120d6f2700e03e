// SPDX-License-Identifier: GPL-3.0-or-later
// What is done, stopped before every single step of it: somebody else swaps a folder for a link there, or it is killed.
#include <catch2/catch.hpp>

#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>

#include "act_fixture.h"
#include "core/act/plan_run.h"
#include "core/base/figures.h"
#include "support/steps.h"

using namespace kurvo;
using namespace kurvo::test;
namespace fs = std::filesystem;

namespace {

/// A place with one planned folder, the home of who plans, and beside it folders with the same names, sizes and times
/// that nobody has planned anything for. All of it in memory: there are hundreds of rounds.
class Stepped {
public:
    Stepped() : drive_(t_ / "drive", "size=64m"), other_(t_ / "other", "size=64m")
    {
        options_.guard.user = {top("home"), top("home/data"), top("home/config"), ::getuid()};
        for (const auto& [folder, word] : {std::pair{"secret/sub", "never"}, {"secret", "never"}})
            fill(top(folder) + std::string("/item"), word);
        fs::create_directories(top("secret/destination"));
        secret_ = everythingOf(top("secret"));
    }

    /// Everything as at the start, and the plan for it.
    void prepare(Action action, bool link)
    {
        for (const auto& gone : {top("place"), top("home"), top("data"), other_.path() + "/destination"})
            fs::remove_all(gone);
        fill(top("place/sub/item"), "plan ");
        fs::create_directories(top("home/data"));
        fs::create_directories(other_.path() + "/destination");
        before_ = everythingOf(item());
        const auto planned =
            readPlannedItem(item(), {action, action == Action::Move ? other_.path() + "/destination" : "", link});
        REQUIRE(planned);
        plan_.items = {*planned};
        plan_.place = top("place");
        plan_.written = currentTime();
    }
    unsigned run(Steps steps, const std::function<AtStep(unsigned)>& atStep)
    {
        return stepThrough(
            steps,
            [&] {
                Logbook own(logbookPath());
                (void)runPlan(own, plan_, options_);
            },
            atStep);
    }
    /// As at the next start. The only step of the run; one that was never logged counts as failed.
    LoggedStep recoverAndRead()
    {
        Logbook logbook(logbookPath());
        const auto recovered = recoverAll(logbook, options_.guard.user, {});
        INFO((recovered ? "" : recovered.error().sentence));
        REQUIRE(recovered);
        for (const auto& [step, outcome] : *recovered) {
            INFO((outcome ? *outcome : outcome.error().sentence));
            CHECK(outcome);
        }
        LoggedStep none;
        none.state = StepState::Failed;
        const auto runs = logbook.runs();
        REQUIRE(runs);
        if (runs->empty())
            return none;
        const auto steps = logbook.steps(runs->front().id);
        REQUIRE(steps);
        return steps->empty() ? none : steps->front();
    }

    std::string top(const std::string& name) const { return drive_.path() + "/" + name; }
    std::string item() const { return top("place/sub/item"); }
    std::string destination() const { return other_.path() + "/destination"; }
    std::string logbookPath() const { return top("data/logbook.db"); }
    const std::map<std::string, std::string>& before() const { return before_; }
    bool secretIsUntouched() const { return everythingOf(top("secret")) == secret_; }

    /// How many of the planned files are somewhere, wherever that is.
    std::size_t found() const
    {
        std::set<std::string> all;
        for (const auto& start : {top("place"), top("home"), destination()})
            for (const auto& entry : fs::recursive_directory_iterator(start))
                if (entry.is_regular_file() && !entry.is_symlink())
                    if (auto content = readAll(entry.path()); content.starts_with("plan "))
                        all.insert(content);
        return all.size();
    }
    static constexpr std::size_t files = 5;
    /// Of ours, with names that nobody should see afterwards.
    std::size_t leftovers() const
    {
        std::size_t count = 0;
        for (const auto& start : {top("place"), destination()})
            for (const auto& entry : fs::recursive_directory_iterator(start))
                count += entry.path().filename().string().starts_with(".kurvo-") ? 1 : 0;
        return count;
    }

private:
    static void fill(const std::string& folder, const std::string& word)
    {
        for (const auto* name : {"a", "b", "c", "inner/d", "inner/e"}) {
            const auto path = folder + "/" + name;
            fs::create_directories(fs::path(path).parent_path());
            writeAll(path, word + name);
            setModified(path, 1750000000);
        }
        setModified(folder + "/inner", 1750000000);
        setModified(folder, 1750000000);
    }

    TestFolder t_;
    TmpfsMount drive_, other_;
    RunOptions options_{{t_.user(), {}, nullptr}, {}, nullptr, {}};
    PlanFile plan_;
    std::map<std::string, std::string> before_, secret_;
};

/// Somebody who puts a link where a folder was.
class Swap {
public:
    Swap(std::string path, std::string target) : path_(std::move(path)), target_(std::move(target)) { }
    void make()
    {
        real_ = fs::path(path_).parent_path() / "real";
        made_ = ::rename(path_.c_str(), real_.c_str()) == 0 && ::symlink(target_.c_str(), path_.c_str()) == 0;
    }
    /// Also where the link was moved elsewhere meanwhile, which may be: it is what stood there.
    void takeBack()
    {
        if (!made_)
            return;
        made_ = false;
        if (isLink(path_))
            ::unlink(path_.c_str());
        (void)::rename(real_.c_str(), path_.c_str());
    }
    bool isMade() const { return made_; }

private:
    std::string path_, target_, real_;
    bool made_ = false;
};

} // namespace

TEST_CASE("a folder swapped for a link before each step: what the link leads to is never touched",
          "[act][fault][kill][mount]")
{
    if (!canMount())
        return;
    Stepped s;
    const auto action = GENERATE(Action::Trash, Action::Delete, Action::Move);
    const auto what =
        GENERATE(std::string("parent"), std::string("item"), std::string("inner"), std::string("destination"));
    if (what == "destination" && action != Action::Move)
        return;
    unsigned swaps = 0, steps = 1, refused = 0;
    // In turn for this one step, and from there on; KURVO_ALL_STEPS takes every one both ways.
    const bool all = std::getenv("KURVO_ALL_STEPS") != nullptr;
    const unsigned stride = all ? 1 : 9;
    bool forOneStep = false;
    for (unsigned at = 1; at <= steps; at += forOneStep || !all ? stride : 0) {
        forOneStep = !forOneStep;
        s.prepare(action, false);
        std::string path = s.top("place/sub"), target = s.top("secret/sub");
        if (what == "item")
            path = s.item(), target = s.top("secret/item");
        else if (what == "inner")
            path = s.item() + "/inner", target = s.top("secret/item/inner");
        else if (what == "destination")
            path = s.destination(), target = s.top("secret/destination");
        Swap swap(path, target);
        steps = s.run(Steps::Names, [&](unsigned step) {
            if (step == at) {
                if (what == "inner") // wherever the item is by then
                    for (const auto& entry : fs::directory_iterator(s.top("place/sub")))
                        if (fs::is_directory(fs::symlink_status(entry.path() / "inner")))
                            swap = Swap(entry.path() / "inner", target);
                swap.make();
                swaps += swap.isMade() ? 1 : 0;
            } else if (step == at + 1 && forOneStep) {
                swap.takeBack();
            }
            return AtStep::GoOn;
        });
        if (steps == 0)
            return; // not allowed to trace here
        swap.takeBack();
        const auto step = s.recoverAndRead();
        INFO(actionName(step.action) << ", " << what << ", before step " << at << " of " << steps << ": "
                                     << stateName(step.state) << ". " << step.note);
        CHECK(s.secretIsUntouched());
        const bool isNamed = step.note.find(".kurvo-private-") != std::string::npos; // what was put into it meanwhile
        CHECK(s.leftovers() <= (isNamed ? 1 : 0));
        if (step.state != StepState::Done)
            ++refused;
        if (action != Action::Delete || (step.state != StepState::Done && what != "inner"))
            CHECK(s.found() == Stepped::files);
    }
    INFO(actionName(action) << ", " << what << ": " << steps << " steps, " << swaps << " swaps, " << refused
                            << " refused");
    CHECK(swaps > (all ? 100 : 10));
    CHECK(refused > 0);
    if (all)
        std::printf("%s, %s: %u steps, %u swaps, %u times not carried out\n", actionName(action), what.c_str(), steps,
                    swaps, refused);
}

TEST_CASE("killed before each step: the next start finishes it or takes it back", "[act][fault][kill][mount]")
{
    if (!canMount())
        return;
    Stepped s;
    const auto action = GENERATE(Action::Trash, Action::Delete, Action::Move);
    const bool link = GENERATE(false, true);
    if (link && action != Action::Move)
        return;
    unsigned steps = 1, done = 0, back = 0;
    for (unsigned at = 1; at <= steps; ++at) {
        s.prepare(action, link);
        const auto reached =
            s.run(Steps::Changes, [&](unsigned step) { return step == at ? AtStep::Kill : AtStep::GoOn; });
        if (reached == 0)
            return; // not allowed to trace here
        steps = reached < at ? reached : at + 1;
        const auto step = s.recoverAndRead();
        INFO(actionName(action) << ", killed before step " << at << ": " << stateName(step.state) << ". " << step.note);
        CHECK(s.leftovers() == 0);
        if (step.state != StepState::Done) {
            ++back;
            CHECK(everythingOf(s.item()) == s.before());
            CHECK(namesIn(s.destination()).empty());
            continue;
        }
        ++done;
        CHECK((exists(s.item()) || isLink(s.item())) == link);
        if (action == Action::Move)
            CHECK(everythingOf(step.target) == s.before());
        else if (action == Action::Trash)
            CHECK(everythingOf(step.trashed.folder.path + "/files/" + step.trashed.name) == s.before());
        else
            CHECK(s.found() == 0);
    }
    CHECK(back > 5);
    CHECK(done > 2);
}
