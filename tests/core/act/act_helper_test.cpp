// SPDX-License-Identifier: GPL-3.0-or-later
// The helper with rights: what it refuses, what it waits for, what it believes.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <signal.h>
#include <sys/mount.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <sys/wait.h>
#include <unistd.h>

#include <thread>

#include "act_fixture.h"
#include "core/act/act_helper.h"
#include "core/act/run_rows.h"
#include "core/base/figures.h"
#include "core/platform/privilege.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// A user's place, and a helper that keeps its log elsewhere.
struct Helper {
    TestFolder t;
    ActRequest request;

    Helper()
    {
        ::signal(SIGPIPE, SIG_IGN); // as the program does
        request.kind = ActRequest::Kind::Apply;
        request.user = t.user();
        request.logbook = t / "data/logbook.db";
        request.plan.place = t / "place";
        request.plan.written = currentTime();
        t.folder("home/data");
    }
    void plan(const std::string& path, Action action)
    {
        const auto planned = readPlannedItem(path, {action, {}, false});
        REQUIRE(planned);
        request.plan.items.push_back(*planned);
        request.forGood = request.plan.countForGood();
    }
    std::string logFolder() const { return t / "root"; }
    const Journal* journal = nullptr;

    struct Answer {
        Result<Done> served;
        std::string text;
        ssize_t taken; ///< bytes of the input
    };
    /// All of `input` at once, which ends when it was read, or stays open until the helper has ended.
    Answer serve(const std::string& input, const std::string& digest, bool staysOpen) const
    {
        int in[2], out[2];
        REQUIRE((::pipe(in) == 0 && ::pipe(out) == 0));
        ssize_t taken = 0;
        std::thread sender([&] {
            taken = ::write(in[1], input.data(), input.size());
            if (!staysOpen)
                ::close(in[1]);
        });
        auto served = serveActRequest(in[0], out[1], digest, logFolder(), journal);
        ::close(in[0]);
        ::close(out[1]);
        sender.join();
        if (staysOpen)
            ::close(in[1]);
        std::string text;
        char part[4096];
        for (ssize_t n = 0; (n = ::read(out[0], part, sizeof part)) > 0;)
            text.append(part, static_cast<std::size_t>(n));
        ::close(out[0]);
        return {std::move(served), std::move(text), taken};
    }
    Answer serve(const std::string& orders = "go\n") const
    {
        const auto bytes = encodeActRequest(request);
        return serve(bytes + orders, requestDigest(bytes), true);
    }
};

} // namespace

TEST_CASE("the helper refuses what is not the request that was agreed to", "[act][helper]")
{
    Helper h;
    h.plan(h.t.text("place/file", "x"), Action::Delete);
    const auto good = encodeActRequest(h.request);
    const auto bare = good.substr(0, good.size() - 1);
    std::vector<std::string> bad{std::string("rubbish\0", 8),
                                 std::string("{}\0", 3),
                                 "",
                                 bare,
                                 std::string(1, '\0'),
                                 std::string("{\"format\": 5}\0", 15),
                                 std::string("[[[[[[[[\0", 9),
                                 std::string("{\"format\": \"kurvo-act\", \"version\": \"2\"}\0", 41)};
    auto unconfirmed = h.request;
    unconfirmed.forGood = 0;
    bad.push_back(encodeActRequest(unconfirmed));
    for (std::size_t at = 5; at < bare.size(); at += 37) { // cut, and with one byte altered
        bad.push_back(bare.substr(0, at) + '\0');
        auto altered = good;
        altered[at] = '\x01';
        bad.push_back(altered);
    }
    for (const auto& bytes : bad) {
        INFO(bytes.substr(0, 200));
        // Also when the digest is that of the rubbish.
        const auto [served, text, taken] = h.serve(bytes + "go\n", requestDigest(bytes), false);
        CHECK_FALSE(served);
        CHECK(text.find("ready") == text.npos);
        CHECK(readAll(h.t / "place/file") == "x");
    }
    // Another plan than the one whose digest was shown.
    auto other = h.request;
    other.plan.items.front().item.path = h.t / "place";
    const auto [served, text, taken] = h.serve(encodeActRequest(other) + "go\n", requestDigest(good), true);
    CHECK_FALSE(served);
    CHECK(text.find("agreed to") != text.npos);
    CHECK(readAll(h.t / "place/file") == "x");
}

TEST_CASE("a request without an end is given up", "[act][helper]")
{
    Helper h;
    const auto [served, text, taken] = h.serve(std::string(70u << 20, 'x'), "", false);
    REQUIRE_FALSE(served);
    CHECK(taken < ssize_t{66} << 20); // it did not read on for the end of it
    CHECK(served.error().kind == ErrorKind::WrongFormat);
}

TEST_CASE("nothing is done before the word to go, and whoever asked is gone means stop", "[act][helper]")
{
    Helper h;
    h.plan(h.t.text("place/file", "x"), Action::Delete);
    const auto bytes = encodeActRequest(h.request);
    const auto orders = GENERATE(std::string(), std::string("stop\n"), std::string("pause\n"),
                                 std::string("stop\ngo\n"), std::string(1000, 'g'));
    const auto [served, text, taken] = h.serve(bytes + orders, requestDigest(bytes), false);
    CHECK_FALSE(served);
    CHECK(text.starts_with("ready\n"));
    CHECK(text.find("Stopped before anything was done") != text.npos);
    CHECK(readAll(h.t / "place/file") == "x");
    CHECK_FALSE(exists(h.logFolder() + "/" + std::to_string(askingUser()) + ".db"));
}

TEST_CASE("as long as nobody says go, nothing is done", "[act][helper]")
{
    Helper h;
    h.plan(h.t.text("place/file", "x"), Action::Delete);
    const auto bytes = encodeActRequest(h.request);
    int in[2], out[2];
    REQUIRE((::pipe(in) == 0 && ::pipe(out) == 0));
    REQUIRE(::write(in[1], bytes.data(), bytes.size()) == static_cast<ssize_t>(bytes.size()));
    std::thread helper([&] { (void)serveActRequest(in[0], out[1], requestDigest(bytes), h.logFolder()); });
    char ready[6];
    REQUIRE(::read(out[0], ready, sizeof ready) == 6);
    ::usleep(200000); // long enough for one that does not wait
    CHECK(readAll(h.t / "place/file") == "x");
    CHECK_FALSE(exists(h.logFolder() + "/" + std::to_string(askingUser()) + ".db"));
    ::close(in[1]);
    helper.join();
    CHECK(readAll(h.t / "place/file") == "x");
    for (const int fd : {in[0], out[0], out[1]})
        ::close(fd);
}

TEST_CASE("the machine's journal has what was done, for whom, by which plan", "[act][helper][journal]")
{
    Helper h;
    const UniqueFd listens(::socket(AF_UNIX, SOCK_DGRAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0));
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    const auto path = h.t / "journal";
    std::copy(path.begin(), path.end(), address.sun_path);
    REQUIRE(::bind(listens.get(), reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0);
    const Journal journal(path);
    h.journal = &journal;
    h.plan(h.t.text("place/gone", "x"), Action::Delete);
    const auto bytes = encodeActRequest(h.request);
    REQUIRE(h.serve(bytes + "go\n", requestDigest(bytes), true).served);
    std::string told(1 << 16, '\0');
    const auto size = ::recv(listens.get(), told.data(), told.size(), 0);
    REQUIRE(size > 0);
    told.resize(static_cast<std::size_t>(size));
    for (const auto& field : {"KURVO_ACTION=delete\n", "KURVO_STATE=done\n", "SYSLOG_IDENTIFIER=kurvoctl\n"})
        CHECK(told.find(field) != told.npos);
    CHECK(told.find("KURVO_PATH=" + (h.t / "place/gone") + "\n") != told.npos);
    CHECK(told.find("KURVO_USER=" + std::to_string(h.request.user.uid) + "\n") != told.npos);
    CHECK(told.find("KURVO_PLAN=" + requestDigest(bytes) + "\n") != told.npos);
    CHECK(::recv(listens.get(), told.data(), told.size(), 0) < 0); // one step, one message
}

TEST_CASE("told to go it acts, and tells what its own log says", "[act][helper]")
{
    Helper h;
    h.plan(h.t.text("place/gone", "x"), Action::Delete);
    h.plan(h.t.text("place/old", "y"), Action::Trash);
    auto [served, text, taken] = h.serve();
    INFO(text);
    REQUIRE(served);
    CHECK(text.ends_with("end\n"));
    CHECK_FALSE(exists(h.t / "place/gone"));
    CHECK_FALSE(exists(h.t / "data/logbook.db")); // the user's is the window's to write
    const auto at = text.find("run {");
    REQUIRE(at != text.npos);
    const auto record = decodeRun(text.substr(at + 4, text.find('\n', at) - at - 4));
    REQUIRE(record);
    CHECK(record->steps.size() == 2);
    CHECK(record->count(StepState::Done) == 2);

    // A copy in the user's logbook is shown, and neither recovered nor taken back from.
    Logbook logbook(h.t / "data/logbook.db");
    REQUIRE(logbook.take(record->run, record->steps));
    REQUIRE(logbook.take(record->run, record->steps)); // again: in its place
    const auto history = readHistory(logbook);
    REQUIRE(history);
    REQUIRE(history->size() == 1);
    CHECK(history->front().run.rightsRun == record->run.rightsRun);
    const auto refused =
        undoRun(logbook, history->front().run.id, {}, {{h.request.user, {}, nullptr}, {}, nullptr, {}});
    REQUIRE(refused);
    for (const auto& [step, outcome] : *refused)
        CHECK_FALSE(outcome);
    CHECK_FALSE(exists(h.t / "place/old"));

    ActRequest back;
    back.kind = ActRequest::Kind::Undo;
    back.user = h.request.user;
    back.run = record->run.rightsRun;
    for (std::size_t i = 0; i < record->steps.size(); ++i)
        if (record->steps[i].action == Action::Trash)
            back.only = {i};
    h.request = back;
    const auto undone = h.serve();
    INFO(undone.text);
    CHECK(undone.served);
    CHECK(readAll(h.t / "place/old") == "y");
}

TEST_CASE("rows that the user planted in his logbook are not acted on", "[act][helper]")
{
    Helper h;
    h.t.text("precious/file", "stay");
    h.t.text("place/loot", "x");
    // As if a move had been killed: the helper would remove one and place the other.
    Logbook planted(h.t / "data/logbook.db");
    LoggedRun run;
    run.place = h.t / "place";
    REQUIRE(planted.begin(run));
    LoggedStep step;
    step.run = run.id;
    step.action = Action::Delete;
    step.state = StepState::Removing;
    step.path = h.t / "precious/x";
    step.token = "../file";
    // As well formed as one of Kurvo's own: the loot would get a place in a folder of root's.
    auto wellFormed = step;
    wellFormed.state = StepState::SettingAside;
    wellFormed.path = h.t / "precious/loot";
    wellFormed.token = freshToken();
    h.t.text("precious/" + wellFormed.privateName() + "/loot", "x");
    REQUIRE(::chmod((h.t / "precious/" + wellFormed.privateName()).c_str(), 0700) == 0);
    std::vector<LoggedStep> steps{step, wellFormed};
    REQUIRE(planted.add(steps));
    h.request = {};
    h.request.user = h.t.user();
    h.request.logbook = h.t / "data/logbook.db";
    h.request.kind = GENERATE(ActRequest::Kind::Recover, ActRequest::Kind::Undo);
    h.request.run = run.id;
    (void)h.serve();
    CHECK(readAll(h.t / "precious/file") == "stay");
    CHECK(readAll(h.t / "place/loot") == "x");
    CHECK_FALSE(exists(wellFormed.path));
    // Nor are they by the user's own recovery: a token is a part of a name.
    const auto recovered = recoverAll(planted, h.t.user(), {});
    REQUIRE(recovered);
    CHECK(readAll(h.t / "precious/file") == "stay");
    CHECK(exists(wellFormed.path)); // as the user's own it is believed, with the user's rights
    CHECK(planted.steps(run.id)->front().note.find("not one that Kurvo wrote") != std::string::npos);
}

TEST_CASE("who does not read the answer does not keep the log locked", "[act][helper]")
{
    Helper h;
    for (int i = 0; i < 40; ++i)
        h.plan(h.t.text("place/f" + std::to_string(i) + std::string(200, 'f'), "x"), Action::Delete); // fills the pipe
    const auto bytes = encodeActRequest(h.request) + "go\n";
    const auto digest = requestDigest(bytes);
    int in[2], out[2];
    REQUIRE((::pipe(in) == 0 && ::pipe2(out, O_CLOEXEC) == 0));
    REQUIRE(::fcntl(out[1], F_SETPIPE_SZ, 4096) == 4096);
    REQUIRE(::write(in[1], bytes.data(), bytes.size()) == static_cast<ssize_t>(bytes.size()));
    std::thread helper([&] {
        (void)serveActRequest(in[0], out[1], digest, h.logFolder());
        ::close(out[1]);
    });
    for (int i = 0; i < 200 && !namesIn(h.t / "place").empty(); ++i)
        ::usleep(50000);
    CHECK(namesIn(h.t / "place").empty()); // nobody has read a byte
    Logbook log(h.logFolder() + "/" + std::to_string(askingUser()) + ".db");
    bool free = false;
    for (int i = 0; i < 200 && !free; ++i) {
        free = static_cast<bool>(log.takeTurn());
        ::usleep(50000);
    }
    CHECK(free);
    char part[4096];
    while (::read(out[0], part, sizeof part) > 0) { }
    helper.join();
    for (const int fd : {in[0], in[1], out[0]})
        ::close(fd);
}

TEST_CASE("of root's rights the helper keeps those to change files, and starts nothing", "[act][helper]")
{
    if (::geteuid() != 0)
        return;
    const pid_t child = ::fork();
    if (child == 0) {
        if (!keepOnlyTheRightsToAct())
            ::_exit(1);
        ::execl("/bin/true", "true", nullptr);
        if (errno != EPERM)
            ::_exit(2);
        if (::mknod("/tmp/kurvo-test-device", S_IFCHR | 0600, 0x103) == 0 ||
            ::mount("none", "/mnt", "tmpfs", 0, nullptr) == 0)
            ::_exit(3);
        ::_exit(::setgid(0) == 0 ? 0 : 4); // it may still be the user for a file
    }
    int status = 0;
    REQUIRE(::waitpid(child, &status, 0) == child);
    CHECK(WEXITSTATUS(status) == 0);
}
