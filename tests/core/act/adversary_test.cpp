// SPDX-License-Identifier: GPL-3.0-or-later
// Somebody else acts before every single step of ours: writes, makes, takes away, replaces, puts things in the way,
// pulls out drives, breaks them, fills them. Every byte that anybody wrote is somewhere afterwards, nothing outside of
// the plan is changed, and what is said is true. All steps: tools/adversary.sh; here a fair share of them.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/ioctl.h>
#include <sys/mman.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <sstream>

#include "act_fixture.h"
#include "core/act/plan_run.h"
#include "core/base/figures.h"
#include "support/steps.h"

using namespace kurvo;
using namespace kurvo::test;
namespace fs = std::filesystem;

namespace {

/// What is carried out.
enum class Work { Trash, Delete, Move, MoveLink, Undo, Empty, Recover };
constexpr const char* workNames[] = {"trash", "delete", "move", "move with link", "undo", "empty", "recover"};

/// What the adversary does.
enum class Hand {
    Append,     ///< to a file, through a descriptor held since before
    Reopen,     ///< the same through one for reading, opened once more for writing
    Map,        ///< writes once more to a page that is mapped and was written before
    Save,       ///< replaces a file of the source by an atomic save, by path
    Add,        ///< makes a file in the source, by path
    Remove,     ///< removes a file of the source, by path
    OldPlace,   ///< puts a file at the old path, where nothing stands
    OldLink,    ///< replaces what stands at the old path, where it is a link
    NewPlace,   ///< puts a file at the new path
    TrashSwap,  ///< takes what lies in the trash away and puts something else there under its name
    PullSource, ///< unmounts the drives
    PullTarget,
    BreakSource, ///< makes the drive fail
    BreakTarget,
    FillSource,
    FillTarget
};
constexpr const char* handNames[] = {"append",       "reopen",       "map",         "save",
                                     "add",          "remove",       "old place",   "old link",
                                     "new place",    "trash swap",   "pull source", "pull target",
                                     "break source", "break target", "fill source", "fill target"};

/// linux/ext4: makes the filesystem fail as if its device had gone, without writing what is in memory.
constexpr unsigned long shutdownFilesystem = _IOR('X', 125, std::uint32_t);

/// A drive that can be pulled out, broken and plugged in again.
class Drive {
public:
    Drive(std::string path, bool real) : path_(std::move(path)), image_(path_ + ".image"), real_(real)
    {
        fs::create_directories(path_);
        if (real_)
            run("truncate -s 12M '" + image_ + "' && mkfs.ext4 -q -F -m 0 '" + image_ + "'");
        plugIn();
    }
    ~Drive()
    {
        pull();
        ::unlink(image_.c_str());
    }
    Drive(const Drive&) = delete;
    Drive& operator=(const Drive&) = delete;
    void plugIn()
    {
        if (real_)
            run("mount -o loop '" + image_ + "' '" + path_ + "'");
        else
            run("mount -t tmpfs -o size=16m none '" + path_ + "'");
    }
    void pull() const { (void)::umount2(path_.c_str(), MNT_DETACH); }
    void breakIt() const
    {
        const UniqueFd fd(::open(path_.c_str(), O_RDONLY | O_DIRECTORY));
        std::uint32_t withoutLog = 2;
        (void)::ioctl(fd.get(), shutdownFilesystem, &withoutLog);
    }
    void fill() const
    {
        const UniqueFd fd(::open((path_ + "/filler").c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0600));
        const std::string block(65536, 'f');
        while (fd && ::write(fd.get(), block.data(), block.size()) > 0) { }
    }
    void drain() const { ::unlink((path_ + "/filler").c_str()); }
    const std::string& path() const { return path_; }

private:
    static void run(const std::string& command) { REQUIRE(std::system(command.c_str()) == 0); }
    std::string path_, image_;
    bool real_;
};

class Round {
public:
    Round(Work work, Hand hand)
        : work_(work), hand_(hand), isReal_(hand >= Hand::PullSource && hand <= Hand::BreakTarget),
          a_(t_ / "a", isReal_), b_(t_ / "b", isReal_)
    {
        options_.guard.user = {a_.path() + "/home", a_.path() + "/home/data", a_.path() + "/home/config", ::getuid()};
        fs::create_directories(options_.guard.user.data);
        fs::create_directories(destination());
        for (const auto* name : {"one", "two", "inner/three", "inner/four"})
            write(item() + "/" + name, std::string("plan ") + name);
        write(a_.path() + "/place/neighbour", "near old");
        write(destination() + "/neighbour", "near new");
        prepare();
        if (isReal_)
            ::sync();
        hold();
    }
    ~Round() { letGo(); }
    Round(const Round&) = delete;
    Round& operator=(const Round&) = delete;

    /// How many steps there are, with the adversary acting before step `at`.
    unsigned run(unsigned at)
    {
        return stepThrough(
            Steps::All, [&] { carryOut(); },
            [&](unsigned step) {
                if (step == at)
                    act();
                return AtStep::GoOn;
            });
    }

    void check()
    {
        letGo();
        putRight();
        Logbook logbook(logbookPath());
        const auto recovered = recoverAll(logbook, options_.guard.user, {});
        REQUIRE(recovered);
        for (const auto& [step, outcome] : *recovered)
            said_ += (outcome ? *outcome : outcome.error().sentence) + " ";
        step_ = lastStep(logbook);
        INFO(workNames[static_cast<int>(work_)] << ", " << handNames[static_cast<int>(hand_)] << ": "
                                                << stateName(step_.state) << ". " << step_.note << " / " << said_);
        CHECK_FALSE(step_.isUnderWay());
        const auto found = everything();
        std::string missing;
        for (const auto& line : written_)
            if (!found.contains(line) && !mayBeGone(line))
                missing += line + "; ";
        CHECK(missing.empty());
        lost_ = !missing.empty();
        for (const auto* line : {"near old", "near new"})
            CHECK(found.contains(line));
        const auto left = leftovers();
        CHECK(left.empty());
        checkWords();
    }
    bool hasLost() const { return lost_; }
    bool hasActed() const { return acted_; }
    bool isDone() const { return step_.state == (work_ == Work::Undo ? StepState::Undone : StepState::Done); }

private:
    std::string item() const { return a_.path() + "/place/item"; }
    std::string destination() const { return b_.path() + "/destination"; }
    std::string target() const { return destination() + "/item"; }
    std::string trashed() const { return options_.guard.user.data + "/Trash/files/item"; }
    std::string logbookPath() const { return t_ / "data/logbook.db"; }
    /// Where the files are that are worked on, by path.
    std::string source() const { return work_ == Work::Undo ? target() : work_ == Work::Empty ? trashed() : item(); }

    void write(const std::string& path, const std::string& line)
    {
        fs::create_directories(fs::path(path).parent_path());
        writeAll(path, line + "\n");
        setModified(path, 1750000000);
        written_.insert(line);
    }
    /// What the adversary writes counts when it was really written.
    bool tryWrite(const std::string& path, const std::string& line, int flags)
    {
        const UniqueFd fd(::open(path.c_str(), O_WRONLY | O_CLOEXEC | O_NONBLOCK | flags, 0644));
        const auto text = line + "\n";
        if (!fd || ::write(fd.get(), text.data(), text.size()) != static_cast<ssize_t>(text.size()))
            return false;
        written_.insert(line);
        return true;
    }

    void plan(const std::string& path, const Intent& intent)
    {
        const auto planned = readPlannedItem(path, intent);
        INFO((planned ? "" : planned.error().sentence));
        REQUIRE(planned);
        plan_.items = {*planned};
        plan_.place = a_.path() + "/place";
        plan_.written = currentTime();
    }
    void prepare()
    {
        const Intent move{Action::Move, destination(), work_ == Work::MoveLink || work_ == Work::Undo};
        Logbook logbook(logbookPath());
        switch (work_) {
        case Work::Trash:
            return plan(item(), {Action::Trash, {}, false});
        case Work::Delete:
            return plan(item(), {Action::Delete, {}, false});
        case Work::Move:
        case Work::MoveLink:
            return plan(item(), move);
        case Work::Undo:
            plan(item(), move);
            REQUIRE(runPlan(logbook, plan_, options_));
            return;
        case Work::Empty:
            plan(item(), {Action::Trash, {}, false});
            REQUIRE(runPlan(logbook, plan_, options_));
            return plan(options_.guard.user.data + "/Trash", {Action::EmptyTrash, {}, false});
        case Work::Recover:
            plan(item(), move);
            killWhileRemoving();
        }
    }
    /// Ended when the copy has its name and some of the original is gone.
    void killWhileRemoving()
    {
        const auto left = [&] {
            std::size_t files = 0;
            for (const auto& entry : fs::recursive_directory_iterator(a_.path() + "/place"))
                files += entry.is_regular_file() ? 1 : 0;
            return files;
        };
        stepThrough(
            Steps::Changes,
            [&] {
                Logbook own(logbookPath());
                (void)runPlan(own, plan_, options_);
            },
            [&](unsigned) { return exists(target()) && left() < 4 ? AtStep::Kill : AtStep::GoOn; });
        REQUIRE(left() == 3); // of four and a neighbour
    }
    void carryOut()
    {
        Logbook own(logbookPath());
        if (work_ == Work::Undo)
            (void)undoRun(own, own.runs()->front().id, {}, options_);
        else if (work_ == Work::Recover)
            (void)recoverAll(own, options_.guard.user, {});
        else
            (void)runPlan(own, plan_, options_);
    }

    /// What the adversary has in its hands before anything begins.
    void hold()
    {
        const auto path = source() + "/inner/three";
        if (hand_ == Hand::Append)
            held_ = UniqueFd(::open(path.c_str(), O_WRONLY | O_APPEND | O_CLOEXEC));
        if (hand_ == Hand::Reopen)
            held_ = UniqueFd(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
        if (hand_ == Hand::Map) {
            held_ = UniqueFd(::open(path.c_str(), O_RDWR | O_CLOEXEC));
            if (!held_ || ::ftruncate(held_.get(), 4096) != 0)
                return;
            page_ = ::mmap(nullptr, 4096, PROT_READ | PROT_WRITE, MAP_SHARED, held_.get(), 0);
            if (page_ == MAP_FAILED)
                return (void)(page_ = nullptr);
            static_cast<char*>(page_)[20] = '\n'; // the page is dirty from here on: its time changes no more
            held_.reset();
            if (work_ != Work::Recover && work_ != Work::Undo && work_ != Work::Empty)
                plan(item(), {plan_.items.front().item.action, plan_.items.front().item.destination,
                              plan_.items.front().item.leaveLink});
            if (work_ == Work::Empty)
                plan(options_.guard.user.data + "/Trash", {Action::EmptyTrash, {}, false});
        }
    }
    void letGo()
    {
        if (page_)
            ::munmap(page_, 4096);
        page_ = nullptr;
        held_.reset();
    }

    void act()
    {
        acted_ = true;
        const auto inner = source() + "/inner";
        struct stat now { };
        switch (hand_) {
        case Hand::Append:
            acted_ = held_ && ::write(held_.get(), "extra\n", 6) == 6;
            if (acted_)
                written_.insert("extra");
            return;
        case Hand::Reopen:
            // One that has no name any more is deleted, and whoever writes to it knows.
            acted_ = held_ && ::fstat(held_.get(), &now) == 0 && now.st_nlink > 0 &&
                     tryWrite("/proc/self/fd/" + std::to_string(held_.get()), "extra", O_APPEND);
            return;
        case Hand::Map:
            if (!page_)
                return;
            std::copy_n("extra\n", 6, static_cast<char*>(page_) + 100);
            static_cast<char*>(page_)[99] = '\n';
            written_.insert("extra");
            return;
        case Hand::Save:
            acted_ = exists(inner + "/four") && tryWrite(t_ / "a/save", "saved", O_CREAT) &&
                     ::rename((t_ / "a/save").c_str(), (inner + "/four").c_str()) == 0;
            if (acted_)
                written_.erase("plan inner/four");
            return;
        case Hand::Add:
            acted_ = exists(inner) && tryWrite(inner + "/late", "added", O_CREAT | O_EXCL);
            return;
        case Hand::Remove:
            acted_ = ::unlink((source() + "/two").c_str()) == 0;
            if (acted_ && (work_ == Work::Delete || work_ == Work::Trash || work_ == Work::Empty))
                written_.erase("plan two"); // of the others there may be a copy
            removed_ = acted_;
            return;
        case Hand::OldPlace:
            acted_ = tryWrite(item(), "in the way", O_CREAT | O_EXCL);
            return;
        case Hand::OldLink:
            acted_ = isLink(item()) && tryWrite(t_ / "a/save", "saved", O_CREAT) &&
                     ::rename((t_ / "a/save").c_str(), item().c_str()) == 0;
            return;
        case Hand::NewPlace:
            acted_ = tryWrite(target(), "in the way", O_CREAT | O_EXCL);
            return;
        case Hand::TrashSwap: {
            const auto name = trashed();
            acted_ = exists(name) && ::rename(name.c_str(), (a_.path() + "/restored").c_str()) == 0;
            if (acted_)
                (void)tryWrite(name, "trashed again", O_CREAT | O_EXCL);
            return;
        }
        case Hand::PullSource:
            return a_.pull();
        case Hand::PullTarget:
            return b_.pull();
        case Hand::BreakSource:
            return a_.breakIt();
        case Hand::BreakTarget:
            return b_.breakIt();
        case Hand::FillSource:
            return a_.fill();
        case Hand::FillTarget:
            return b_.fill();
        }
    }

    /// Drives are whole again, as somebody sees to it afterwards; with one still away nothing is ended wrongly.
    void putRight()
    {
        a_.drain();
        b_.drain();
        if (!isReal_)
            return;
        const bool sourceFirst = hand_ == Hand::PullTarget || hand_ == Hand::BreakTarget;
        a_.pull();
        b_.pull();
        (sourceFirst ? a_ : b_).plugIn();
        {
            Logbook logbook(logbookPath());
            const auto recovered = recoverAll(logbook, options_.guard.user, {});
            for (std::size_t i = 0; recovered && i < recovered->size(); ++i)
                said_ +=
                    ((*recovered)[i].outcome ? *(*recovered)[i].outcome : (*recovered)[i].outcome.error().sentence) +
                    " ";
        }
        (sourceFirst ? b_ : a_).plugIn();
    }

    std::set<std::string> everything() const
    {
        std::set<std::string> lines;
        std::error_code ignored;
        for (const auto& drive : {a_.path(), b_.path()})
            for (const auto& entry : fs::recursive_directory_iterator(drive, ignored))
                if (entry.is_regular_file(ignored) && !entry.is_symlink(ignored)) {
                    std::istringstream in(readAll(entry.path()));
                    for (std::string line; std::getline(in, line);) {
                        line.erase(std::remove(line.begin(), line.end(), '\0'), line.end());
                        lines.insert(line);
                    }
                }
        return lines;
    }
    bool mayBeGone(const std::string& line) const
    {
        if (!line.starts_with("plan "))
            return false;
        if (work_ == Work::Delete || work_ == Work::Empty)
            return step_.state == StepState::Done || step_.note.find("had been removed") != std::string::npos ||
                   step_.note.find("interrupted") != std::string::npos || work_ == Work::Empty;
        return removed_ && line == "plan two";
    }
    std::vector<std::string> leftovers() const
    {
        std::vector<std::string> left;
        std::error_code ignored;
        for (const auto& drive : {a_.path(), b_.path()})
            for (const auto& entry : fs::recursive_directory_iterator(drive, ignored))
                if (entry.path().filename().string().starts_with(".kurvo-") &&
                    step_.note.find(entry.path().filename().string()) == std::string::npos)
                    left.push_back(entry.path());
        return left;
    }
    LoggedStep lastStep(Logbook& logbook) const
    {
        LoggedStep none;
        none.state = StepState::Failed;
        const auto runs = logbook.runs();
        REQUIRE(runs);
        // The step that is taken back is of the older run.
        const auto run = runs->empty() ? 0 : work_ == Work::Undo ? runs->back().id : runs->front().id;
        const auto steps = logbook.steps(run);
        REQUIRE(steps);
        return steps->empty() ? none : steps->front();
    }
    void checkWords() const
    {
        const auto isAt = [&](const std::string& path) {
            return readAll(path + "/one") == "plan one\n" &&
                   readAll(path + "/inner/three").starts_with("plan inner/three\n");
        };
        const bool brokenAfter = hand_ == Hand::OldPlace || hand_ == Hand::NewPlace || hand_ == Hand::TrashSwap;
        if (brokenAfter) // who put something there decides where the rest is; nothing is lost, which was looked at
            return;
        if (step_.state == StepState::Done &&
            (work_ == Work::Move || work_ == Work::MoveLink || work_ == Work::Recover))
            CHECK(isAt(target()));
        if (step_.state == StepState::Done && work_ == Work::Trash)
            CHECK(isAt(step_.trashed.folder.path + "/files/" + step_.trashed.name));
        if (step_.state == StepState::Undone)
            CHECK(isAt(item()));
        if (step_.state == StepState::Failed && work_ != Work::Empty && work_ != Work::Undo &&
            step_.note.find("had been removed") == std::string::npos &&
            step_.note.find("interrupted") == std::string::npos && step_.note.find("What is left") == std::string::npos)
            CHECK(isAt(item()));
    }

    Work work_;
    Hand hand_;
    bool isReal_;
    TestFolder t_;
    Drive a_, b_;
    RunOptions options_{{t_.user(), {}, nullptr}, {}, nullptr, {}};
    PlanFile plan_;
    std::set<std::string> written_;
    UniqueFd held_;
    void* page_ = nullptr;
    bool acted_ = false, removed_ = false, lost_ = false;
    LoggedStep step_;
    std::string said_;
};

bool concerns(Work work, Hand hand)
{
    const bool moves = work == Work::Move || work == Work::MoveLink || work == Work::Undo || work == Work::Recover;
    switch (hand) {
    case Hand::OldLink:
        return work == Work::Undo || work == Work::MoveLink;
    case Hand::NewPlace:
    case Hand::PullTarget:
    case Hand::BreakTarget:
    case Hand::FillTarget:
        return moves;
    case Hand::TrashSwap:
        return work == Work::Trash || work == Work::Empty;
    default:
        return true;
    }
}

} // namespace

TEST_CASE("an adversary before each step: no byte is lost, and what is said is true", "[act][adversary][kill][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    const bool all = std::getenv("KURVO_ALL_STEPS") != nullptr;
    const auto work = static_cast<Work>(GENERATE(range(0, 7)));
    const auto hand = static_cast<Hand>(GENERATE(range(0, 16)));
    // Only some of the work, by its number, so that several may run side by side: tools/adversary.sh.
    const char* only = std::getenv("KURVO_ADVERSARY_WORK");
    const char* hands = std::getenv("KURVO_ADVERSARY_HANDS"); // ",12,13,"
    if (hands && std::string(hands).find("," + std::to_string(static_cast<int>(hand)) + ",") == std::string::npos)
        return;
    if (!concerns(work, hand) ||
        (only && std::string(only).find(std::to_string(static_cast<int>(work))) == std::string::npos))
        return;
    if (hand == Hand::Append) { // left alone, it is carried out: else nothing is tried here
        Round alone(work, Hand::OldPlace);
        if (alone.run(0) == 0)
            return; // not allowed to trace here
        alone.check();
        CHECK(alone.isDone());
    }
    const bool real = hand >= Hand::PullSource && hand <= Hand::BreakTarget;
    // Another share for each pair, so that together they come to every kind of step.
    const unsigned stride = all ? 1 : real ? 97 : 53;
    const unsigned first = all ? 1 : 1 + (static_cast<unsigned>(work) * 7 + static_cast<unsigned>(hand) * 11) % stride;
    unsigned steps = first, rounds = 0, acted = 0, done = 0, lost = 0;
    for (unsigned at = first; at <= steps; at += stride) {
        Round round(work, hand);
        steps = std::max(round.run(at), first == at ? 1u : 0u);
        if (steps == 0)
            return; // not allowed to trace here
        INFO("before step " << at << " of " << steps);
        round.check();
        ++rounds;
        acted += round.hasActed() ? 1 : 0;
        done += round.isDone() ? 1 : 0;
        lost += round.hasLost() ? 1 : 0;
    }
    if (all)
        std::printf("%-15s %-13s %4u steps, %4u rounds, %4u times acted, %4u carried out, %u lost\n",
                    workNames[static_cast<int>(work)], handNames[static_cast<int>(hand)], steps, rounds, acted, done,
                    lost);
}
