// SPDX-License-Identifier: GPL-3.0-or-later
// The administrator helper from both sides.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <random>
#include <thread>

#include "core/platform/privilege.h"
#include "core/platform/unique_fd.h"
#include "core/rights/ask_helper.h"
#include "core/rights/reading_helper.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

HelperRequest asking(std::vector<std::string> paths)
{
    HelperRequest request;
    request.paths = std::move(paths);
    return request;
}

/// The bytes the helper answers to these bytes.
std::string served(const std::string& request)
{
    int in[2], out[2];
    REQUIRE(::pipe(in) == 0);
    REQUIRE(::pipe(out) == 0);
    std::thread helper([&] {
        (void)static_cast<bool>(serveRequest(in[0], out[1]));
        ::close(out[1]);
    });
    REQUIRE(::write(in[1], request.data(), request.size()) == static_cast<ssize_t>(request.size()));
    ::close(in[1]);
    std::string answer;
    char buffer[65536];
    for (ssize_t n = 0; (n = ::read(out[0], buffer, sizeof buffer)) > 0;)
        answer.append(buffer, static_cast<std::size_t>(n));
    helper.join();
    ::close(in[0]);
    ::close(out[0]);
    return answer;
}

Result<std::vector<ReadFolder>> received(const TestFolder& t, const std::string& answer, const HelperRequest& request)
{
    const UniqueFd file(::open(t.text("answer", answer).c_str(), O_RDONLY | O_CLOEXEC));
    return readAnswer(file.get(), request);
}

} // namespace

TEST_CASE("a request is read as it was written, and nothing else is taken for one", "[helper]")
{
    auto request = asking({"/home/warden/.cache", "/odd\nname\xff", "/"});
    request.exclude = {"*.iso", "with space"};
    const auto bytes = encodeRequest(request);
    const auto read = decodeRequest(bytes);
    REQUIRE(read);
    CHECK(read->paths == request.paths);
    CHECK(read->exclude == request.exclude);

    CHECK_FALSE(decodeRequest(""));
    CHECK_FALSE(decodeRequest("rubbish"));
    CHECK_FALSE(decodeRequest(bytes + "more"));
    CHECK_FALSE(decodeRequest(encodeRequest({}))); // nothing to scan
    CHECK_FALSE(decodeRequest(encodeRequest(asking({"relative"}))));
    using namespace std::string_literals;
    CHECK_FALSE(decodeRequest("kurvo-request 4\0delete /home\0end\0"s));
    CHECK_FALSE(decodeRequest("kurvo-request 3\0path /home\0end\0"s));
    for (std::size_t cut = 0; cut < bytes.size(); ++cut)
        CHECK_FALSE(decodeRequest(std::string_view(bytes).substr(0, cut)));
    CHECK_FALSE(decodeRequest(encodeRequest(asking(std::vector<std::string>(20001, "/x")))));
}

TEST_CASE("the helper scans what it was asked for and says what failed", "[helper]")
{
    TestFolder t;
    t.file("locked/inside/file", 90000);
    t.file("locked/.hidden", 4000);
    t.file("locked/skip.iso", 4000);
    t.symlink(t / "locked", "link");
    auto request = asking({t / "locked", t / "gone", t / "link"});
    request.exclude = {"*.iso"};
    const auto answer = received(t, served(encodeRequest(request)), request);
    REQUIRE(answer);
    REQUIRE(answer->size() == 3);
    const auto& first = answer->front();
    CHECK(first.path == t / "locked");
    REQUIRE(first.tree);
    CHECK(first.tree->sums(rootNode).files == 2);
    CHECK(first.tree->find(t / "locked/inside/file"));
    CHECK(first.tree->apparent(rootNode) == 94000);
    CHECK_FALSE((*answer)[1].tree);
    CHECK((*answer)[1].problem.find("not there") != std::string::npos);
    CHECK_FALSE((*answer)[2].tree); // a link would lead elsewhere
    CHECK((*answer)[2].problem.find("link") != std::string::npos);
}

TEST_CASE("what the helper reads is held, goes on, and is ended with what was found", "[helper]")
{
    const bool toItsEnd = GENERATE(true, false);
    TestFolder t;
    for (int i = 0; i < 40; ++i)
        t.file("place/folder-" + std::to_string(i) + "/file", 4000);
    const auto request = asking({t / "place"});
    int in[2], out[2];
    REQUIRE(::pipe(in) == 0);
    REQUIRE(::pipe(out) == 0);
    std::thread helper([&] {
        (void)static_cast<bool>(serveRequest(in[0], out[1]));
        ::close(out[1]);
    });
    const auto bytes = encodeRequest(request) + "pause\n"; // an order may come with the request
    REQUIRE(::write(in[1], bytes.data(), bytes.size()) == static_cast<ssize_t>(bytes.size()));

    ScanProgress held;
    std::stop_source stop;
    held.setPaused(true);
    std::vector<std::uint64_t> seen;
    const Listening how{.onProgress =
                            [&](const HelperProgress& progress) {
                                seen.push_back(progress.entries);
                                if (seen.size() < 8)
                                    return;
                                if (toItsEnd)
                                    held.setPaused(false);
                                else
                                    stop.request_stop();
                            },
                        .stop = stop.get_token(),
                        .orders = in[1],
                        .held = &held};
    const auto answer = readAnswer(out[0], request, how);
    helper.join();
    for (const int fd : {in[0], in[1], out[0]})
        ::close(fd);
    REQUIRE(answer);
    REQUIRE(answer->size() == 1);
    const auto& read = answer->front();
    REQUIRE(read.tree);
    REQUIRE(seen.size() >= 8);
    CHECK(seen[7] == seen[0]); // nothing was read meanwhile
    CHECK(seen[7] < 40);
    CHECK(read.info.partial == !toItsEnd);
    CHECK((read.tree->sums(rootNode).files == 40) == toItsEnd);
}

TEST_CASE("an answer that is cut, altered or made up is refused as a whole", "[helper]")
{
    TestFolder t;
    t.file("place/a", 1000);
    t.file("place/b/c", 1000);
    const auto request = asking({t / "place"});
    const auto good = served(encodeRequest(request));
    REQUIRE(received(t, good, request));

    for (std::size_t cut = 0; cut < good.size(); cut += 7)
        CHECK_FALSE(received(t, good.substr(0, cut), request));
    CHECK_FALSE(received(t, "", request));
    CHECK_FALSE(received(t, std::string(5000, 'x'), request));
    CHECK_FALSE(received(t, "KURVOANS" + std::string(64, '\xff'), request));

    std::mt19937 random(7);
    for (int i = 0; i < 300; ++i) {
        auto bad = good;
        bad[random() % bad.size()] ^= static_cast<char>(1 + random() % 255);
        const auto taken = received(t, bad, request);
        // Whatever was flipped: what is taken in is what was asked for, or nothing.
        if (taken)
            for (const auto& scan : *taken)
                CHECK((!scan.tree || scan.tree->name(rootNode) == t / "place"));
    }
    SECTION("a tree of another place")
    {
        t.file("other/secret", 1);
        const auto other = served(encodeRequest(asking({t / "other"})));
        const auto taken = received(t, other, request);
        REQUIRE_FALSE(taken);
        CHECK(taken.error().kind == ErrorKind::WrongFormat);
    }
}

TEST_CASE("a helper that is not there, refused, killed or talks nonsense is said in words", "[helper]")
{
    TestFolder t;
    t.file("place/a", 1000);
    const auto request = asking({t / "place"});
    const auto run = [&](std::vector<std::string> command) { return runHelper(command, request, {}); };
    const auto kind = [](const Result<std::vector<ReadFolder>>& answer) {
        REQUIRE_FALSE(answer);
        CHECK_FALSE(answer.error().sentence.empty());
        return answer.error().kind;
    };
    CHECK(kind(run({})) == ErrorKind::Unsupported);
    CHECK(kind(run({t / "no-such-program", "helper"})) == ErrorKind::Unsupported);
    CHECK(kind(run({"sh", "-c", "exit 127"})) == ErrorKind::Unsupported);
    CHECK(kind(run({"sh", "-c", "exit 126"})) == ErrorKind::NoPermission);
    CHECK(kind(run({"sh", "-c", "kill -9 $$"})) == ErrorKind::Damaged);
    CHECK(kind(run({"sh", "-c", "printf KURVOANS; kill -9 $$"})) == ErrorKind::Damaged);
    CHECK(kind(run({"sh", "-c", "cat /dev/zero | head -c 100000"})) == ErrorKind::WrongFormat);
    CHECK(kind(run({"yes", "rubbish"})) == ErrorKind::WrongFormat); // and it does not go on for ever

    std::stop_source stop;
    std::thread later([&] {
        std::this_thread::sleep_for(std::chrono::milliseconds(100));
        stop.request_stop();
    });
    const auto stopped = runHelper({"sleep", "600"}, request, {.stop = stop.get_token()});
    later.join();
    CHECK(kind(stopped) == ErrorKind::Cancelled);
    // One that has begun and does not obey is not waited for, either.
    std::stop_source again;
    Listening how{.stop = again.get_token(), .patience = std::chrono::milliseconds(100)};
    std::thread soon([&] {
        std::this_thread::sleep_for(std::chrono::milliseconds(300));
        again.request_stop();
    });
    CHECK(kind(runHelper({"sh", "-c", "printf KURVOANS; exec sleep 600"}, request, how, true)) == ErrorKind::Cancelled);
    soon.join();
}

TEST_CASE("with its rights given up the helper reads everything and can change nothing", "[helper]")
{
    if (::geteuid() != 0)
        return;
    TestFolder t;
    t.file("locked/file", 1000);
    REQUIRE(::chmod((t / "locked").c_str(), 0700) == 0);
    REQUIRE(::chmod(t.path().c_str(), 0755) == 0);
    const auto child = ::fork();
    if (child == 0) {
        ::setenv("SUDO_UID", "65534", 1);
        ::unsetenv("PKEXEC_UID");
        bool good = static_cast<bool>(keepOnlyTheRightToRead());
        good = good && ::geteuid() == 65534 && ::getuid() == 65534;
        const auto seen = scan(t / "locked");
        good = good && seen && seen->tree->sums(rootNode).files == 1;
        good = good && ::unlink((t / "locked/file").c_str()) != 0 && ::mkdir((t / "new").c_str(), 0700) != 0;
        good = good && ::chmod((t / "locked").c_str(), 0777) != 0 && ::setuid(0) != 0;
        ::_exit(good ? 0 : 1);
    }
    int status = 1;
    REQUIRE(::waitpid(child, &status, 0) == child);
    CHECK(status == 0);
    CHECK(std::filesystem::exists(t / "locked/file"));
}
