// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/act_helper.h"

#include <poll.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <memory>
#include <thread>

#include <nlohmann/json.hpp>

#include "core/base/text.h"
#include "core/helper/helper_process.h"
#include "core/platform/privilege.h"

namespace kurvo {
namespace {

using Json = nlohmann::json;

constexpr std::array kinds{"apply", "undo", "recover"};
constexpr std::size_t largest = 256u << 20;

Error rubbish()
{
    return {ErrorKind::WrongFormat, {}, 0, "What came on standard input is no request of Kurvo's."};
}

std::string progressLine(const RunProgress& p)
{
    return "progress " + std::to_string(p.done) + ' ' + std::to_string(p.of) + ' ' + std::to_string(p.bytesDone) + ' ' +
           std::to_string(p.bytesOf) + ' ' + std::to_string(p.movedNow) + ' ' + percentEncoded(p.path) + '\n';
}

/// False for anything but such a line.
bool readProgress(std::string_view line, RunProgress& p)
{
    const std::string text(line);
    unsigned long long done = 0, of = 0, bytesDone = 0, bytesOf = 0, now = 0;
    int at = 0;
    if (std::sscanf(text.c_str(), "progress %llu %llu %llu %llu %llu %n", &done, &of, &bytesDone, &bytesOf, &now, &at) <
            5 ||
        at == 0)
        return false;
    p = {done, of, bytesDone, bytesOf, now, percentDecoded(text.substr(static_cast<std::size_t>(at)))};
    return true;
}

/// Calls `line` for each whole line of `bytes` and takes it off.
template <typename Line>
void takeLines(std::string& bytes, const Line& line)
{
    std::size_t begin = 0;
    for (auto end = bytes.find('\n'); end != bytes.npos; end = bytes.find('\n', begin)) {
        line(std::string_view(bytes).substr(begin, end - begin));
        begin = end + 1;
    }
    bytes.erase(0, begin);
}

Result<Done> carryOut(const ActRequest& request, std::stop_token stop, PauseGate& gate,
                      const std::function<void(const RunProgress&)>& onProgress)
{
    const auto packages = PackageDatabase::read();
    RunOptions options;
    options.guard = {request.user, request.ownData, packages ? &*packages : nullptr};
    options.stop = stop;
    options.pause = &gate;
    options.onProgress = onProgress;
    Logbook logbook(request.logbook, request.user.uid);
    if (const auto recovered = recoverAll(logbook, request.user, stop); !recovered)
        return recovered.error();
    if (request.kind == ActRequest::Kind::Apply) {
        const auto run = runPlan(logbook, request.plan, options);
        return run ? Result<Done>(Done{}) : run.error();
    }
    if (request.kind == ActRequest::Kind::Undo) {
        const auto undone = undoRun(logbook, request.run, request.only, options);
        return undone ? Result<Done>(Done{}) : undone.error();
    }
    return Done{};
}

} // namespace

std::string encodeActRequest(const ActRequest& request)
{
    const Json json{{"format", "kurvo-act"},
                    {"version", 1},
                    {"kind", kinds[static_cast<std::size_t>(request.kind)]},
                    {"home", percentEncoded(request.user.home)},
                    {"data", percentEncoded(request.user.data)},
                    {"config", percentEncoded(request.user.config)},
                    {"own_data", percentEncoded(request.ownData)},
                    {"logbook", percentEncoded(request.logbook)},
                    {"plan", encodePlan(request.plan)},
                    {"for_good", request.forGood},
                    {"run", request.run},
                    {"only", request.only}};
    return json.dump() + '\0';
}

Result<ActRequest> decodeActRequest(const std::string& bytes)
{
    const auto json = Json::parse(bytes, nullptr, false);
    if (!json.is_object() || json.value("format", "") != "kurvo-act" || json.value("version", 0) != 1)
        return rubbish();
    ActRequest request;
    try {
        const auto path = [&json](const char* name) {
            return percentDecoded(json.at(name).get<std::string>());
        };
        const auto kind = std::find(kinds.begin(), kinds.end(), json.at("kind").get<std::string>());
        if (kind == kinds.end())
            return rubbish();
        request.kind = static_cast<ActRequest::Kind>(kind - kinds.begin());
        request.user = {path("home"), path("data"), path("config"), askingUser()};
        request.ownData = path("own_data");
        request.logbook = path("logbook");
        request.forGood = json.at("for_good").get<std::size_t>();
        request.run = json.at("run").get<std::int64_t>();
        request.only = json.at("only").get<std::vector<std::int64_t>>();
        if (request.kind != ActRequest::Kind::Apply)
            return request;
        auto plan = decodePlan(json.at("plan").get<std::string>(), "the plan");
        if (!plan)
            return plan.error();
        request.plan = std::move(*plan);
    } catch (const Json::exception&) {
        return rubbish();
    }
    if (request.plan.countForGood() != request.forGood)
        return Error{ErrorKind::Unsupported, {}, 0, "What is deleted for good was not confirmed as the plan has it."};
    return request;
}

Result<Done> serveActRequest(int in, int out)
{
    std::string bytes;
    char buffer[1 << 14];
    while (bytes.find('\0') == bytes.npos) {
        const auto n = ::read(in, buffer, sizeof buffer);
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0 || bytes.size() > largest)
            return rubbish();
        bytes.append(buffer, static_cast<std::size_t>(n));
    }
    const auto request = decodeActRequest(bytes.substr(0, bytes.find('\0')));
    if (!request) {
        (void)sendTo(out, "failed " + request.error().sentence + "\n");
        return request.error();
    }
    std::stop_source stop;
    PauseGate gate;
    struct stat s { };
    const bool fromFile = ::fstat(in, &s) == 0 && S_ISREG(s.st_mode); // in a terminal: its end means nothing
    std::jthread listener([&, rest = bytes.substr(bytes.find('\0') + 1)](std::stop_token ended) mutable {
        char more[256];
        while (!fromFile && !ended.stop_requested()) {
            takeLines(rest, [&](std::string_view line) {
                if (line == "stop")
                    stop.request_stop();
                else if (line == "pause" || line == "go on")
                    gate.setPaused(line == "pause");
            });
            pollfd wait{in, POLLIN, 0};
            if (::poll(&wait, 1, 100) <= 0)
                continue;
            const auto n = ::read(in, more, sizeof more);
            if (n == 0)
                return (void)stop.request_stop(); // whoever asked is gone
            if (n > 0)
                rest.append(more, static_cast<std::size_t>(n));
        }
    });
    auto last = std::chrono::steady_clock::time_point();
    std::string lastPath;
    const auto done = carryOut(*request, stop.get_token(), gate, [&](const RunProgress& p) {
        const auto now = std::chrono::steady_clock::now();
        if (p.path == lastPath && now - last < std::chrono::milliseconds(100))
            return;
        last = now;
        lastPath = p.path;
        if (!sendTo(out, progressLine(p)))
            stop.request_stop();
    });
    (void)sendTo(out, done ? std::string("end\n") : "failed " + done.error().sentence + "\n");
    return done;
}

Result<Done> runActHelper(const std::vector<std::string>& command, const ActRequest& request, std::stop_token stop,
                          const PauseGate* pause, const std::function<void(const RunProgress&)>& onProgress)
{
    auto started = HelperProcess::start(command);
    if (!started)
        return started.error();
    // Kept by the thread that sends, too: a question for a password may outlive this call.
    const auto process = std::make_shared<HelperProcess>(std::move(*started));
    std::thread sender([process, bytes = encodeActRequest(request)] { (void)sendTo(process->to.get(), bytes); });
    std::string bytes, problem;
    bool ended = false, stopped = false, paused = false, begun = false;
    char buffer[1 << 14];
    for (;;) {
        if (stop.stop_requested() && !stopped && begun) {
            stopped = true;
            (void)sendTo(process->to.get(), "stop\n");
        }
        if (stop.stop_requested() && !begun) {
            // Nothing has begun: whoever is asked for a password finds the question gone.
            ::kill(process->pid, SIGTERM);
            sender.detach();
            std::thread([process] { (void)process->wait(); }).detach();
            return Error{ErrorKind::Cancelled, {}, 0, "Stopped before anything was done."};
        }
        if (pause && begun && pause->isPaused() != paused) {
            paused = !paused;
            (void)sendTo(process->to.get(), paused ? "pause\n" : "go on\n");
        }
        pollfd wait{process->from.get(), POLLIN, 0};
        if (::poll(&wait, 1, 100) <= 0)
            continue;
        const auto n = ::read(process->from.get(), buffer, sizeof buffer);
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0)
            break;
        begun = true;
        bytes.append(buffer, static_cast<std::size_t>(n));
        if (bytes.size() > largest)
            break;
        takeLines(bytes, [&](std::string_view line) {
            RunProgress progress;
            if (line == "end")
                ended = true;
            else if (line.starts_with("failed "))
                problem = displayText(line.substr(7));
            else if (readProgress(line, progress) && onProgress)
                onProgress(progress);
        });
    }
    sender.join();
    process->to.reset();
    const auto waited = process->wait();
    if (!problem.empty())
        return Error{ErrorKind::System, {}, 0, problem};
    if (ended)
        return Done{};
    return waited ? Error{ErrorKind::Damaged, {}, 0, "The helper ended before its work was done."} : waited.error();
}

} // namespace kurvo
