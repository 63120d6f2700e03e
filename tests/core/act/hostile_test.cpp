// SPDX-License-Identifier: GPL-3.0-or-later
// One by one: what else moves while Kurvo acts, and who tries to make it work for him.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <linux/filter.h>
#include <linux/fs.h>
#include <linux/seccomp.h>
#include <stdio.h>
#include <sys/ioctl.h>
#include <sys/mount.h>
#include <sys/prctl.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <sys/xattr.h>

#include <cstddef>
#include <filesystem>
#include <thread>

#include "act_fixture.h"
#include "core/act/plan_run.h"
#include "core/base/figures.h"
#include "support/steps.h"

using namespace kurvo;
using namespace kurvo::test;
namespace fs = std::filesystem;

namespace {

/// A plan of one item, carried out with the whole check, as anybody would.
struct One {
    TestFolder t;
    TmpfsMount other{t / "other", "size=64m"};
    Logbook logbook{t / "data/logbook.db"};
    RunOptions options{{t.user(), {}, nullptr}, {}, nullptr, {}};
    PlanFile plan;

    One() { t.folder("home/data"); }
    void planned(const std::string& path, Action action, bool link = false)
    {
        const auto item = readPlannedItem(path, {action, action == Action::Move ? other.path() : "", link});
        INFO((item ? "" : item.error().sentence));
        REQUIRE(item);
        plan.items = {*item};
        plan.place = t / "place";
        plan.written = currentTime();
    }
    LoggedStep run()
    {
        const auto result = runPlan(logbook, plan, options);
        INFO((result ? "" : result.error().sentence));
        REQUIRE(result);
        return result->steps.front();
    }
    /// The same in another process, with somebody at every step.
    unsigned stepped(const std::function<void(unsigned)>& before, Steps steps = Steps::All)
    {
        return stepThrough(
            steps,
            [&] {
                Logbook own(t / "data/logbook.db");
                (void)runPlan(own, plan, options);
            },
            [&](unsigned step) {
                before(step);
                return AtStep::GoOn;
            });
    }
    LoggedStep logged()
    {
        const auto steps = logbook.steps(logbook.runs()->front().id);
        REQUIRE(steps);
        return steps->front();
    }
};

/// All of a list of lines that a program goes on writing.
class Writer {
public:
    explicit Writer(const std::string& path)
        : fd_(::open(path.c_str(), O_WRONLY | O_APPEND | O_CLOEXEC)), thread_([this](std::stop_token over) {
              while (!over.stop_requested()) {
                  const auto line = "line " + std::to_string(lines_) + "\n";
                  if (::write(fd_.get(), line.data(), line.size()) == static_cast<ssize_t>(line.size()))
                      ++lines_;
              }
          })
    {
    }
    unsigned end()
    {
        thread_.request_stop();
        thread_.join();
        fd_.reset();
        return lines_;
    }

private:
    UniqueFd fd_;
    std::atomic<unsigned> lines_{0};
    std::jthread thread_;
};

std::size_t linesOf(const std::string& path)
{
    const auto text = readAll(path);
    return static_cast<std::size_t>(std::count(text.begin(), text.end(), '\n'));
}

} // namespace

TEST_CASE("a log that is written to goes nowhere while it is, by a move or a deletion, alone or in a folder",
          "[act][hostile][mount]")
{
    if (!canMount())
        return;
    One one;
    const auto log = one.t.text("place/logs/app.log", "begin\n");
    const auto action = GENERATE(Action::Move, Action::Delete);
    const bool alone = GENERATE(true, false);
    const auto path = alone ? log : one.t / "place/logs";
    Writer writer(log);
    one.planned(path, action);
    auto step = one.run();
    const auto lines = writer.end();
    CHECK(step.state == StepState::Failed);
    CHECK(linesOf(log) == lines + 1);
    CHECK(namesIn(one.other.path()).empty());
    one.planned(path, action); // once it is closed it goes
    step = one.run();
    INFO(step.note);
    CHECK(step.state == StepState::Done);
}

TEST_CASE("an append right before a file is set aside is not deleted with it", "[act][hostile][kill][mount]")
{
    if (!canMount())
        return;
    One one;
    const auto log = one.t.text("place/app.log", "begin\n");
    one.planned(log, Action::Delete);
    bool written = false;
    const auto steps = one.stepped([&](unsigned) {
        // Right before its name goes: the private folder is there, and the file not yet in it.
        for (const auto& entry : fs::directory_iterator(one.t / "place"))
            if (!written && entry.path().filename().string().starts_with(".kurvo-private-") && exists(log)) {
                const UniqueFd fd(::open(log.c_str(), O_WRONLY | O_APPEND | O_NONBLOCK));
                written = fd && ::write(fd.get(), "late\n", 5) == 5;
            }
    });
    if (steps == 0)
        return;
    const auto step = one.logged();
    if (written) { // else a lease was in the way of it, which is as good
        CHECK(step.state == StepState::Failed);
        CHECK(readAll(log) == "begin\nlate\n");
    } else {
        CHECK(exists(log) == (step.state != StepState::Done));
    }
}

TEST_CASE("what is put at the old place of a linked move stays when it is taken back", "[act][hostile][mount]")
{
    if (!canMount())
        return;
    One one;
    one.t.text("place/set/a", "a");
    one.planned(one.t / "place/set", Action::Move, true);
    REQUIRE(one.run().state == StepState::Done);
    REQUIRE(isLink(one.t / "place/set"));
    const auto run = one.logbook.runs()->front().id;
    const bool folder = GENERATE(false, true);
    SECTION("before it begins")
    {
        fs::remove(one.t / "place/set");
        if (folder)
            one.t.text("place/set/mine/file", "mine");
        else
            one.t.text("place/set", "mine");
        const auto undone = undoRun(one.logbook, run, {}, one.options);
        REQUIRE(undone);
        CHECK_FALSE(undone->front().outcome);
    }
    SECTION("at the moment of the exchange")
    {
        bool swapped = false;
        const auto steps = stepThrough(
            Steps::All,
            [&] {
                Logbook own(one.t / "data/logbook.db");
                (void)undoRun(own, run, {}, one.options);
            },
            [&](unsigned) {
                // The copy is whole and the original set aside: next it changes places with the link.
                std::size_t held = 0;
                for (const auto& entry : fs::directory_iterator(one.other.path()))
                    held +=
                        entry.path().filename().string().starts_with(".kurvo-private-") && exists(entry.path() / "set")
                            ? 1
                            : 0;
                if (swapped || held == 0 || !isLink(one.t / "place/set"))
                    return AtStep::GoOn;
                swapped = true;
                one.t.text("new/file", "mine");
                one.t.text("saved", "mine");
                fs::remove(one.t / "place/set");
                fs::rename(folder ? one.t / "new" : one.t / "saved", one.t / "place/set");
                return AtStep::GoOn;
            });
        if (steps == 0)
            return;
        CHECK(swapped);
        CHECK(recoverAll(one.logbook, one.t.user(), {}));
    }
    CHECK((readAll(one.t / "place/set") == "mine" || readAll(one.t / "place/set/file") == "mine" ||
           readAll(one.t / "place/set/mine/file") == "mine"));
    CHECK(readAll(one.other.path() + "/set/a") == "a");
    CHECK(namesIn(one.other.path()) == std::vector<std::string>{"set"});
}

TEST_CASE("a move that is given up deletes nothing at the new place", "[act][hostile][kill][mount]")
{
    if (!canMount())
        return;
    One one;
    one.t.text("place/set/a", "a");
    one.planned(one.t / "place/set", Action::Move);
    bool acted = false;
    const auto steps = one.stepped([&](unsigned) {
        if (acted || exists(one.t / "place/set")) // until it is set aside
            return;
        acted = true;
        fs::create_directories(one.other.path() + "/set"); // somebody has the same idea
        writeAll(one.other.path() + "/set/theirs", "theirs");
    });
    if (steps == 0)
        return;
    REQUIRE(acted);
    CHECK(one.logged().state == StepState::Failed);
    CHECK(readAll(one.t / "place/set/a") == "a");
    CHECK(readAll(one.other.path() + "/set/theirs") == "theirs");
    CHECK(namesIn(one.other.path()) == std::vector<std::string>{"set"});
}

TEST_CASE("what is restored and trashed again while the trash is emptied stays in it", "[act][hostile][kill][mount]")
{
    if (!canMount())
        return;
    One one;
    const auto user = one.t.user();
    for (const auto* name : {"a", "b"}) {
        EntryStat stat;
        const auto path = one.t.text(std::string("place/") + name, name);
        REQUIRE(statEntry(AT_FDCWD, path.c_str(), stat) == 0);
        REQUIRE(moveToTrash(path, stat, user));
    }
    const auto trash = user.data + "/Trash";
    one.planned(trash, Action::EmptyTrash);
    bool acted = false;
    const auto steps = one.stepped([&](unsigned) {
        if (acted || (exists(trash + "/files/a") && exists(trash + "/files/b")))
            return; // until the first of them goes
        acted = true;
        const auto left = exists(trash + "/files/a") ? std::string("a") : std::string("b");
        fs::rename(trash + "/files/" + left, one.t / "place/restored");
        writeAll(trash + "/files/" + left, "trashed later");
    });
    if (steps == 0)
        return;
    REQUIRE(acted);
    const auto left = namesIn(trash + "/files");
    REQUIRE(left.size() == 1);
    CHECK(readAll(trash + "/files/" + left.front()) == "trashed later");
    CHECK(one.logged().state == StepState::Failed);
    CHECK(one.logged().note.find("not what was in the trash") != std::string::npos);
}

TEST_CASE("a destination whose device goes after the copy was placed: the original stays, and it is said",
          "[act][hostile][kill][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    One one;
    const LoopMount drive(one.t / "drive", "mkfs.ext4", 16);
    one.t.text("place/set/a", "a");
    const auto item = readPlannedItem(one.t / "place/set", {Action::Move, drive.path(), false});
    REQUIRE(item);
    one.plan.items = {*item};
    one.plan.place = one.t / "place";
    one.plan.written = currentTime();
    bool broken = false;
    const auto steps = one.stepped([&](unsigned) {
        if (broken || !exists(drive.path() + "/set"))
            return;
        const UniqueFd fd(::open(drive.path().c_str(), O_RDONLY | O_DIRECTORY));
        std::uint32_t withoutLog = 2;
        broken = ::ioctl(fd.get(), _IOR('X', 125, std::uint32_t), &withoutLog) == 0; // EXT4_IOC_SHUTDOWN
    });
    if (steps == 0)
        return;
    REQUIRE(broken);
    CHECK(readAll(one.t / "place/set/a") == "a");
    CHECK(one.logged().state != StepState::Done);
    CHECK(one.logged().note.find("could not be given back") == std::string::npos);
}

TEST_CASE("with the drive of the original away a step of any kind waits, and ends when it is back",
          "[act][hostile][kill][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    const auto action = GENERATE(Action::Trash, Action::Delete, Action::Move);
    std::set<StepState> states;
    unsigned steps = 1;
    for (unsigned at = 1; at <= steps; at += 3) {
        One one;
        const LoopMount drive(one.t / "drive", "mkfs.ext4", 8);
        auto user = one.t.user();
        user.data = drive.path() + "/data";
        user.home = drive.path() + "/home";
        fs::create_directories(user.data);
        one.options.guard.user = user;
        fs::create_directories(drive.path() + "/set");
        writeAll(drive.path() + "/set/a", "a");
        one.planned(drive.path() + "/set", action);
        steps = stepThrough(
            Steps::Changes,
            [&] {
                Logbook own(one.t / "data/logbook.db");
                (void)runPlan(own, one.plan, one.options);
            },
            [&](unsigned step) { return step == at ? AtStep::Kill : AtStep::GoOn; });
        if (steps == 0)
            return;
        steps = steps < at ? steps : at + 3;
        const auto left = one.logbook.unfinished();
        REQUIRE(left);
        if (left->empty())
            continue;
        states.insert(left->front().state);
        INFO(actionName(action) << " " << stateName(left->front().state) << " at " << at);
        REQUIRE(std::system(("umount '" + drive.path() + "'").c_str()) == 0);
        auto recovered = recoverAll(one.logbook, user, {});
        REQUIRE(recovered);
        REQUIRE(recovered->size() == 1);
        REQUIRE_FALSE(recovered->front().outcome);
        CHECK(recovered->front().outcome.error().sentence.find("waits for it") != std::string::npos);
        CHECK(one.logbook.unfinished()->size() == 1);
        REQUIRE(std::system(("mount -o loop '" + drive.image() + "' '" + drive.path() + "'").c_str()) == 0);
        recovered = recoverAll(one.logbook, user, {});
        REQUIRE(recovered);
        REQUIRE(recovered->size() == 1);
        INFO((recovered->front().outcome ? *recovered->front().outcome : recovered->front().outcome.error().sentence));
        CHECK(recovered->front().outcome);
        CHECK(one.logbook.unfinished()->empty());
        const auto step = one.logged();
        if (step.state != StepState::Done)
            CHECK(readAll(drive.path() + "/set/a") == "a");
        for (const auto& name : namesIn(drive.path()))
            CHECK_FALSE(name.starts_with(".kurvo-"));
    }
    CHECK(states.size() >= (action == Action::Move ? 3 : action == Action::Delete ? 2 : 1));
}

TEST_CASE("steps of another host are left to it", "[act][hostile]")
{
    TestFolder t;
    Logbook logbook(t / "data/logbook.db");
    LoggedRun theirs;
    theirs.host = "another-host";
    REQUIRE(logbook.begin(theirs));
    LoggedStep step;
    step.run = theirs.id;
    step.action = Action::Delete;
    step.state = StepState::Removing;
    step.path = t.text("place/file", "x");
    step.token = "abc";
    std::vector<LoggedStep> steps{step};
    REQUIRE(logbook.add(steps));
    const auto recovered = recoverAll(logbook, t.user(), {});
    REQUIRE(recovered);
    CHECK(recovered->empty());
    CHECK(logbook.steps(theirs.id)->front().state == StepState::Removing);
    CHECK(readAll(t / "place/file") == "x");
}

TEST_CASE("a copy keeps capabilities, ACLs, attributes of root's and flags, and is private from its first byte",
          "[act][hostile][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    One one;
    const LoopMount a(one.t / "a", "mkfs.ext4", 16), b(one.t / "b", "mkfs.ext4", 16);
    const auto top = a.path() + "/set";
    fs::create_directories(top);
    writeAll(top + "/tool", "program");
    REQUIRE(::chown((top + "/tool").c_str(), 1234, 4321) == 0);
    REQUIRE(::chmod((top + "/tool").c_str(), 06751) == 0);
    // cap_net_raw, permitted and effective (capabilities(7), VFS_CAP_REVISION_2)
    const unsigned char caps[20] = {1, 0, 0, 2, 0, 0x20, 0, 0};
    REQUIRE(::setxattr((top + "/tool").c_str(), "security.capability", caps, sizeof caps, 0) == 0);
    REQUIRE(::setxattr((top + "/tool").c_str(), "trusted.mark", "t", 1, 0) == 0);
    writeAll(top + "/private", "secret");
    REQUIRE(::chmod((top + "/private").c_str(), 0640) == 0);
    {
        const UniqueFd fd(::open((top + "/private").c_str(), O_RDONLY));
        int flags = 0;
        REQUIRE(::ioctl(fd.get(), FS_IOC_GETFLAGS, &flags) == 0);
        flags |= FS_NODUMP_FL;
        REQUIRE(::ioctl(fd.get(), FS_IOC_SETFLAGS, &flags) == 0);
    }
    // user::rw-,user:65534:r--,group::r--,mask::r--,other::--- (posix_acl_xattr.h)
    const unsigned char acl[] = {2, 0,    0,    0,   1,   0,   6,    0, 255, 255, 255, 255, 2,   0,    4,
                                 0, 0xfe, 0xff, 0,   0,   4,   0,    4, 0,   255, 255, 255, 255, 0x10, 0,
                                 4, 0,    255,  255, 255, 255, 0x20, 0, 0,   0,   255, 255, 255, 255};
    writeAll(top + "/shared", "x");
    REQUIRE(::setxattr((top + "/shared").c_str(), "system.posix_acl_access", acl, sizeof acl, 0) == 0);
    // And the destination hands down the right for everybody to read.
    unsigned char handed[sizeof acl];
    std::copy(std::begin(acl), std::end(acl), handed);
    handed[6] = 7, handed[14] = 7, handed[22] = 7, handed[30] = 7, handed[38] = 7;
    REQUIRE(::setxattr(b.path().c_str(), "system.posix_acl_default", handed, sizeof handed, 0) == 0);
    const auto item = readPlannedItem(top, {Action::Move, b.path(), false});
    REQUIRE(item);
    one.plan.items = {*item};
    one.plan.place = a.path();
    one.plan.written = currentTime();
    const auto step = one.run();
    INFO(step.note);
    REQUIRE(step.state == StepState::Done);
    CHECK(step.note.empty());
    const auto moved = b.path() + "/set";
    struct stat s { };
    REQUIRE(::stat((moved + "/tool").c_str(), &s) == 0);
    CHECK((s.st_mode & 07777) == 06751);
    CHECK(s.st_uid == 1234);
    unsigned char value[64];
    CHECK(::getxattr((moved + "/tool").c_str(), "security.capability", value, sizeof value) == sizeof caps);
    CHECK(::getxattr((moved + "/tool").c_str(), "trusted.mark", value, sizeof value) == 1);
    REQUIRE(::stat((moved + "/private").c_str(), &s) == 0);
    CHECK((s.st_mode & 07777) == 0640);
    CHECK(::getxattr((moved + "/private").c_str(), "system.posix_acl_access", value, sizeof value) < 0);
    REQUIRE(::getxattr((moved + "/shared").c_str(), "system.posix_acl_access", value, sizeof value) == sizeof acl);
    CHECK(std::equal(std::begin(acl), std::end(acl), value));
    const UniqueFd fd(::open((moved + "/private").c_str(), O_RDONLY));
    int flags = 0;
    REQUIRE(::ioctl(fd.get(), FS_IOC_GETFLAGS, &flags) == 0);
    CHECK((flags & FS_NODUMP_FL) != 0);
}

TEST_CASE("what is private can be read by nobody else while it is copied", "[act][hostile][kill][mount]")
{
    if (!canMount())
        return;
    One one;
    REQUIRE(::chmod(one.t.text("place/set/private", "secret").c_str(), 0600) == 0);
    for (const auto& path : {one.t.path(), one.t / "place", one.t / "place/set", one.other.path()})
        REQUIRE(::chmod(path.c_str(), 0755) == 0);
    one.planned(one.t / "place/set", Action::Move);
    unsigned seen = 0, read = 0;
    const auto steps = one.stepped([&](unsigned) {
        for (const auto& entry : fs::recursive_directory_iterator(one.other.path()))
            if (entry.path().filename() == "private") {
                ++seen;
                read += asNobody([&] { return UniqueFd(::open(entry.path().c_str(), O_RDONLY)).get() >= 0; }) == 0;
            }
    });
    if (steps == 0)
        return;
    CHECK(seen > 0);
    CHECK(read == 0);
    CHECK(readAll(one.other.path() + "/set/private") == "secret");
}

TEST_CASE("what a destination does not keep is told by the check, and nothing more is lost", "[act][hostile][mount]")
{
    if (!canMount())
        return;
    One one;
    const auto mine = one.t.folder("mine");
    REQUIRE(::chmod(one.t.path().c_str(), 0755) == 0);
    REQUIRE(::chmod(one.other.path().c_str(), 0777) == 0);
    one.t.folder("data");
    for (const auto& folder : {mine, one.t / "data"})
        REQUIRE(::chmod(folder.c_str(), 0777) == 0);
    one.t.text("mine/set/tool", "program");
    one.t.text("mine/set/other", "x");
    REQUIRE(::chown((mine + "/set").c_str(), 65534, 65534) == 0);
    REQUIRE(::chown((mine + "/set/other").c_str(), 65534, 65534) == 0);
    REQUIRE(::chmod((mine + "/set/other").c_str(), 0755) == 0);
    REQUIRE(::chmod((mine + "/set/tool").c_str(), 0755) == 0);
    const unsigned char caps[20] = {1, 0, 0, 2, 0, 0x20, 0, 0};
    REQUIRE(::setxattr((mine + "/set/other").c_str(), "security.capability", caps, sizeof caps, 0) == 0);
    CHECK(asNobody([&] {
              auto nobody = one.t.user();
              nobody.uid = 65534;
              one.options.guard = {nobody, {}, nullptr};
              one.planned(mine + "/set", Action::Move);
              const auto findings = checkPlan(one.plan, one.options.guard, {}, {});
              return findings.front().losses.owners && findings.front().losses.rights &&
                     findings.front().sentence.find("does not keep owners") != std::string::npos;
          }) == 0);
}

TEST_CASE("one owner that cannot be set takes no rights from the files after it", "[act][hostile][mount]")
{
    if (!canMount())
        return;
    One one;
    REQUIRE(::chmod(one.t.path().c_str(), 0755) == 0);
    REQUIRE(::chmod(one.other.path().c_str(), 0777) == 0);
    one.t.text("mine/set/a", "x"); // of a group that nobody is no member of, and the first
    one.t.text("mine/set/tool", "program");
    for (const auto* path : {"mine", "mine/set", "mine/set/a", "mine/set/tool"})
        REQUIRE(::chown((one.t / path).c_str(), 65534, path == std::string("mine/set/a") ? 4242 : 65534) == 0);
    REQUIRE(::chmod((one.t / "mine/set/tool").c_str(), 04755) == 0);
    CHECK(asNobody([&] {
              const auto from = openFolder(one.t / "mine"), to = openFolder(one.other.path());
              const auto copy =
                  copyTree(from->get(), "set", one.t / "mine/set", to->get(), "set", one.other.path() + "/set", {}, {});
              struct stat s { };
              return copy && copy->losses.owners && ::stat((one.other.path() + "/set/tool").c_str(), &s) == 0 &&
                     (s.st_mode & 07777) == 04755;
          }) == 0);
}

TEST_CASE("where a filesystem cannot be asked not to replace, things are trashed, restored and moved all the same",
          "[act][hostile][mount]")
{
    if (!canMount())
        return;
    One one;
    one.t.text("place/file", "x");
    one.t.text("place/folder/inside", "y");
    const pid_t child = ::fork();
    if (child == 0) {
        // renameat2(2) with any flag: EINVAL, as some filesystems have it.
        sock_filter program[] = {BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(seccomp_data, nr)),
                                 BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, SYS_renameat2, 0, 3),
                                 BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(seccomp_data, args[4])),
                                 BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, 0, 1, 0),
                                 BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ERRNO | EINVAL),
                                 BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW)};
        const sock_fprog filter{6, program};
        if (::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) != 0 || ::prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &filter) != 0)
            ::_exit(77);
        bool good = true;
        Logbook own(one.t / "data/logbook.db");
        for (const auto* name : {"file", "folder"}) {
            one.planned(one.t / "place/" + name, Action::Trash);
            good &= runPlan(own, one.plan, one.options)->done() == 1;
            good &= static_cast<bool>(undoRun(own, own.runs()->front().id, {}, one.options)->front().outcome);
            one.planned(one.t / "place/" + name, Action::Move);
            good &= runPlan(own, one.plan, one.options)->done() == 1;
        }
        // Something in the way is not replaced either.
        EntryStat stat;
        const auto late = one.t.text("place/late", "z");
        good &= statEntry(AT_FDCWD, late.c_str(), stat) == 0;
        const auto trashed = moveToTrash(late, stat, one.t.user());
        good &= static_cast<bool>(trashed);
        one.t.text("place/late", "newer");
        good &= !restoreFromTrash(*trashed) && readAll(late) == "newer";
        ::_exit(good ? 0 : 1);
    }
    int status = 0;
    REQUIRE(::waitpid(child, &status, 0) == child);
    CHECK((WEXITSTATUS(status) == 0 || WEXITSTATUS(status) == 77));
    if (WEXITSTATUS(status) == 0)
        CHECK(readAll(one.other.path() + "/folder/inside") == "y");
}

TEST_CASE("a full drive does not keep its own files from being deleted", "[act][hostile][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    One one;
    const LoopMount drive(one.t / "drive", "mkfs.ext4 -m 0", 8);
    fs::create_directories(drive.path() + "/mine/set");
    writeAll(drive.path() + "/mine/set/a", "a");
    one.t.folder("data");
    REQUIRE(::chmod(one.t.path().c_str(), 0755) == 0);
    REQUIRE(::chmod((one.t / "data").c_str(), 0777) == 0);
    REQUIRE(std::system(("chown -R 65534:65534 '" + drive.path() + "/mine'; head -c 99999999 /dev/zero >'" +
                         drive.path() + "/mine/filler' 2>/dev/null; chown 65534 '" + drive.path() + "/mine/filler'")
                            .c_str()) == 0);
    CHECK(asNobody([&] {
              auto nobody = one.t.user();
              nobody.uid = 65534;
              one.options.guard = {nobody, {}, nullptr};
              for (const auto* name : {"/mine/set", "/mine/filler"}) {
                  one.planned(drive.path() + name, Action::Delete);
                  if (one.run().state != StepState::Done)
                      return false;
              }
              return namesIn(drive.path() + "/mine").empty();
          }) == 0);
}

namespace {

/// What a process of root's does for the user nobody, in whose folders it works: as the helper.
int asHelper(const std::function<bool(RunOptions&)>& work, const TestFolder& t)
{
    const pid_t child = ::fork();
    if (child == 0) {
        auto user = t.user();
        user.uid = 65534;
        RunOptions options{{user, {}, nullptr}, {}, nullptr, {}};
        ::_exit(work(options) ? 0 : 1);
    }
    int status = 0;
    REQUIRE(::waitpid(child, &status, 0) == child);
    return WEXITSTATUS(status);
}

} // namespace

TEST_CASE("a user who swaps folders for links while root removes gets no mode of a file changed",
          "[act][hostile][kill][mount]")
{
    if (!canMount())
        return;
    One one;
    const auto program = one.t.text("system/tool", "root's");
    REQUIRE(::chmod(program.c_str(), 0755) == 0);
    REQUIRE(::chmod((one.t / "system").c_str(), 0755) == 0);
    const auto make = [&] {
        one.t.text("place/set/inner/a", "a");
        REQUIRE(::mkfifo((one.t / "place/set/pipe").c_str(), 04777) == 0);
        REQUIRE(::chmod((one.t / "place/set/inner").c_str(), 04177) == 0); // has to be widened to be emptied
    };
    make();
    const auto action = GENERATE(Action::Delete, Action::Move);
    one.planned(one.t / "place/set", action);
    // At each step whatever is named so becomes a link to root's program, wherever it is by then.
    unsigned at = 0, steps = 1;
    for (at = 1; at <= steps; at += std::getenv("KURVO_ALL_STEPS") ? 1 : 5) {
        steps = one.stepped([&](unsigned step) {
            if (step != at)
                return;
            std::vector<fs::path> found;
            for (const auto& start : {one.t / "place", one.other.path()})
                for (const auto& entry : fs::recursive_directory_iterator(start))
                    if (const auto name = entry.path().filename(); name == "inner" || name == "pipe")
                        found.push_back(entry.path());
            for (const auto& path : found) {
                fs::remove_all(path);
                fs::create_symlink(program, path);
            }
        });
        if (steps == 0)
            return;
        (void)recoverAll(one.logbook, one.t.user(), {});
        struct stat s { };
        REQUIRE(::stat(program.c_str(), &s) == 0);
        CHECK((s.st_mode & 07777) == 0755);
        CHECK(readAll(program) == "root's");
        for (const auto& left : {one.t / "place/set", one.other.path() + "/set"})
            fs::remove_all(left);
        make();
        one.planned(one.t / "place/set", action);
    }
}

TEST_CASE("root does not work through a swapped folder of a user's trash, nor restores what is not what went in",
          "[act][hostile][mount]")
{
    if (!canMount())
        return;
    One one;
    REQUIRE(::chmod(one.t.path().c_str(), 0755) == 0);
    one.t.text("system/secret.trashinfo", "root's");
    one.t.text("system/place/old", "was here");
    one.t.folder("home/data/Trash/files");
    one.t.folder("home/data/Trash/info");
    for (const auto* path : {"home", "home/data", "home/data/Trash", "home/data/Trash/files", "home/data/Trash/info"})
        REQUIRE(::chown((one.t / path).c_str(), 65534, 65534) == 0);
    const auto trash = one.t / "home/data/Trash";
    const auto carryOut = [&](RunOptions& options) {
        one.planned(one.t / "system/place/old", Action::Trash);
        Logbook root(one.t / "root.db");
        const auto result = runPlan(root, one.plan, options);
        return result && result->done() == 1;
    };
    SECTION("a link instead of its notes")
    {
        fs::remove_all(trash + "/info");
        fs::create_symlink(one.t / "system", trash + "/info");
        CHECK(asHelper(carryOut, one.t) == 1);
        CHECK(readAll(one.t / "system/place/old") == "was here");
        CHECK(namesIn(one.t / "system").size() == 2);
    }
    SECTION("a folder of root's instead of what it holds")
    {
        fs::remove_all(trash + "/files");
        fs::create_directories(trash + "/files");
        CHECK(asHelper(carryOut, one.t) == 1);
        CHECK(readAll(one.t / "system/place/old") == "was here");
    }
    SECTION("a file of the user's instead of what went in")
    {
        REQUIRE(asHelper(carryOut, one.t) == 0);
        CHECK(readAll(trash + "/files/old") == "was here");
        struct stat s { };
        REQUIRE(::stat((trash + "/info/old.trashinfo").c_str(), &s) == 0);
        CHECK(s.st_uid == 65534);
        fs::remove(trash + "/files/old");
        writeAll(trash + "/files/old", "was HERE"); // perhaps with the same inode
        REQUIRE(::chown((trash + "/files/old").c_str(), 65534, 65534) == 0);
        CHECK(asHelper(
                  [&](RunOptions& options) {
                      Logbook root(one.t / "root.db");
                      const auto undone = undoRun(root, 1, {}, options);
                      return undone && !undone->front().outcome;
                  },
                  one.t) == 0);
        CHECK_FALSE(exists(one.t / "system/place/old"));
        CHECK(readAll(trash + "/files/old") == "was HERE");
    }
    SECTION("a file of the user's instead of what is just going in: it gets no place of root's")
    {
        one.planned(one.t / "system/place/old", Action::Trash);
        auto user = one.t.user();
        user.uid = 65534;
        one.options.guard.user = user;
        bool swapped = false;
        const auto steps = one.stepped([&](unsigned) {
            if (swapped || !exists(trash + "/files/old"))
                return;
            swapped = asNobody([&] {
                          if (::rename((trash + "/files/old").c_str(), (trash + "/files/mine").c_str()) != 0)
                              return false;
                          writeAll(trash + "/files/old", "evil");
                          return true;
                      }) == 0;
        });
        if (steps == 0)
            return;
        CHECK(swapped);
        (void)recoverAll(one.logbook, user, {});
        CHECK_FALSE(exists(one.t / "system/place/old"));
        CHECK(readAll(trash + "/files/mine") == "was here");
        CHECK(readAll(trash + "/files/old") == "evil");
    }
    SECTION("and what went in comes back")
    {
        REQUIRE(asHelper(carryOut, one.t) == 0);
        CHECK(asHelper(
                  [&](RunOptions& options) {
                      Logbook root(one.t / "root.db");
                      const auto undone = undoRun(root, 1, {}, options);
                      return undone && undone->front().outcome;
                  },
                  one.t) == 0);
        CHECK(readAll(one.t / "system/place/old") == "was here");
        CHECK(namesIn(trash + "/info").empty());
    }
    for (const auto& name : namesIn(one.t / "system/place"))
        CHECK_FALSE(name.starts_with(".kurvo-"));
}

TEST_CASE("a user against the helper: whatever he swaps, adds or takes at any step, nothing of root's is touched",
          "[act][hostile][kill][mount]")
{
    if (!canMount())
        return;
    const bool all = std::getenv("KURVO_ALL_STEPS") != nullptr;
    const auto action = GENERATE(Action::Trash, Action::Delete, Action::Move);
    const auto hand =
        GENERATE(0, 1, 2, 3); // a link for a folder, an own file for what is there, one more, the private folder
    unsigned steps = 1, rounds = 0, acted = 0, refused = 0;
    for (unsigned at = 1; at <= steps; at += all ? 1 : 23) {
        One one;
        REQUIRE(::chmod(one.t.path().c_str(), 0755) == 0);
        one.t.text("system/inner/secret", "root's");
        one.t.text("system/secret", "root's");
        REQUIRE(::chmod((one.t / "system").c_str(), 0711) == 0);
        const auto secret = everythingOf(one.t / "system");
        // A folder of root's in one of the user's.
        one.t.text("user/item/inner/a", "plan a");
        one.t.text("user/item/b", "plan b");
        for (const auto* path : {"home", "home/data", "user"}) {
            one.t.folder(path);
            REQUIRE(::chown((one.t / path).c_str(), 65534, 65534) == 0);
        }
        REQUIRE(::chown(one.other.path().c_str(), 65534, 65534) == 0);
        one.planned(one.t / "user/item", action);
        auto user = one.t.user();
        user.uid = 65534;
        one.options.guard.user = user;
        // Before it begins nobody may ask what root's log says; it lies where he cannot get.
        const auto did = [&] {
            return asNobody([&] {
                       const auto item = one.t / "user/item";
                       std::string found = item; // wherever it is by its name
                       for (const auto& folder : {one.t / "user", one.other.path()})
                           for (const auto& entry : fs::directory_iterator(folder))
                               if (hand == 3 && entry.path().filename().string().starts_with(".kurvo-private-"))
                                   found = entry.path();
                       if (hand == 2) {
                           writeAll(one.t / "user/late", "mine");
                           return exists(one.t / "user/late");
                       }
                       if (::rename(found.c_str(), (one.t / "user/taken").c_str()) != 0)
                           return false;
                       if (hand == 1)
                           writeAll(found, "mine");
                       else
                           fs::create_symlink(one.t / "system", found);
                       return true;
                   }) == 0;
        };
        steps = std::max(steps, one.stepped([&](unsigned step) {
            if (step == at)
                acted += did() ? 1 : 0;
        }));
        if (steps == 1)
            return; // not allowed to trace here
        ++rounds;
        (void)recoverAll(one.logbook, user, {});
        const auto step = one.logbook.runs()->empty() ? LoggedStep() : one.logged();
        refused += step.state != StepState::Done ? 1 : 0;
        INFO(actionName(action) << ", hand " << hand << ", before step " << at << ": " << stateName(step.state) << ". "
                                << step.note);
        CHECK(everythingOf(one.t / "system") == secret);
        std::set<std::string> lines;
        for (const auto& entry : fs::recursive_directory_iterator(one.t.path()))
            if (entry.is_regular_file() && !entry.is_symlink())
                lines.insert(readAll(entry.path()));
        if (action != Action::Delete || step.state != StepState::Done)
            CHECK((lines.contains("plan a") && lines.contains("plan b")));
        if (exists(one.t / "user/late"))
            CHECK(readAll(one.t / "user/late") == "mine");
    }
    if (all)
        std::printf("the helper's %s, hand %d: %u steps, %u rounds, %u times acted, %u held back\n", actionName(action),
                    hand, steps, rounds, acted, refused);
}
