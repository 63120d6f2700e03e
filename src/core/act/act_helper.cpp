// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/act_helper.h"

#include <poll.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <condition_variable>
#include <csignal>
#include <cstdio>
#include <ctime>
#include <exception>
#include <memory>
#include <mutex>
#include <thread>

#include <nlohmann/json.hpp>

#include "core/act/run_rows.h"
#include "core/base/locks.h"
#include "core/base/text.h"
#include "core/platform/digest.h"
#include "core/platform/privilege.h"
#include "core/rights/helper_process.h"

namespace kurvo {
namespace {

using Json = nlohmann::json;

constexpr std::array kinds{"apply", "undo", "recover"};
constexpr std::size_t largestRequest = 64u << 20, largestAnswer = 256u << 20;
constexpr std::size_t runsTold = 20; ///< of the newest, so that a copy that missed something gets whole again

Error rubbish()
{
    return {
        ErrorKind::WrongFormat, {}, 0, "What came on standard input is not a request of Kurvo's. Nothing was done."};
}

Error stoppedBefore()
{
    return {ErrorKind::Cancelled, {}, 0, "Stopped before anything was done."};
}

std::string progressLine(const RunProgress& p)
{
    constexpr std::size_t longest = 1200; // the whole line fits what a pipe takes at once
    auto path = percentEncoded(p.path);
    path.resize(std::min(path.size(), longest));
    return "progress " + std::to_string(p.done) + ' ' + std::to_string(p.of) + ' ' + std::to_string(p.bytesDone) + ' ' +
           std::to_string(p.bytesOf) + ' ' + std::to_string(p.movedNow) + ' ' + path + '\n';
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

/// Nobody waits for whoever does not read.
bool canWriteNow(int fd)
{
    pollfd wait{fd, POLLOUT, 0};
    return ::poll(&wait, 1, 0) == 1 && (wait.revents & POLLOUT) != 0;
}

/// What comes after the request, heard from the first moment.
class Orders {
public:
    Orders(int in, std::string rest)
        : rest_(std::move(rest)), in_(in), listener_([this](std::stop_token over) { listen(over); })
    {
    }

    std::stop_token stopToken() const { return stop_.get_token(); }
    std::stop_source& stop() { return stop_; }
    PauseGate& gate() { return gate_; }
    /// True when it may begin.
    bool waitForGo()
    {
        Lock lock(mutex_);
        while (!go_ && !stop_.stop_requested())
            heard_.wait(lock.forWaiting());
        return go_ && !stop_.stop_requested();
    }

private:
    void listen(std::stop_token over)
    {
        char more[256];
        while (!over.stop_requested()) {
            takeLines(rest_, [this](std::string_view line) { heed(line); });
            if (rest_.size() > sizeof more) // no order is as long
                return end();
            pollfd wait{in_, POLLIN, 0};
            if (::poll(&wait, 1, 100) <= 0)
                continue;
            const auto n = ::read(in_, more, sizeof more);
            if (n == 0 || (n < 0 && errno != EINTR && errno != EAGAIN))
                return end(); // whoever asked is gone
            if (n > 0)
                rest_.append(more, static_cast<std::size_t>(n));
        }
    }
    void heed(std::string_view line)
    {
        if (line == "stop")
            return end();
        if (line == "pause" || line == "go on")
            return gate_.setPaused(line == "pause");
        if (line != "go")
            return;
        const Lock lock(mutex_);
        go_ = true;
        heard_.notify_all();
    }
    void end()
    {
        stop_.request_stop();
        gate_.setPaused(false);
        const Lock lock(mutex_);
        heard_.notify_all();
    }

    std::string rest_;
    int in_;
    std::stop_source stop_;
    PauseGate gate_;
    Mutex mutex_;
    std::condition_variable heard_;
    bool go_ KURVO_GUARDED_BY(mutex_) = false;
    std::jthread listener_;
};

/// The request up to its NUL; what came after it in `rest`.
Result<std::string> readRequest(int in, std::string& rest)
{
    std::string bytes;
    std::vector<char> buffer(1 << 16);
    for (;;) {
        const auto n = ::read(in, buffer.data(), buffer.size());
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0)
            return rubbish();
        const auto end = std::find(buffer.data(), buffer.data() + n, '\0');
        bytes.append(buffer.data(), end);
        if (bytes.size() > largestRequest)
            return rubbish();
        if (end == buffer.data() + n)
            continue;
        rest.assign(end + 1, buffer.data() + n);
        return bytes;
    }
}

/// The helper's own log of what was done for this user.
std::string rightsLog(const std::string& folder, uid_t user)
{
    return joinPath(folder, std::to_string(user) + ".db");
}

Result<Done> makeLogFolder(const std::string& folder)
{
    if (auto made = makeFolders(folder); !made)
        return made;
    struct stat s { };
    if (::lstat(folder.c_str(), &s) != 0 || !S_ISDIR(s.st_mode) || s.st_uid != ::geteuid() || (s.st_mode & 022) != 0)
        return Error{ErrorKind::NoPermission, folder, EPERM,
                     displayText(folder) + " is not a folder of this system alone. Nothing was done."};
    return Done{};
}

class Server {
public:
    Server(ActRequest request, const std::string& logFolder)
        : request_(std::move(request)), logbook_(rightsLog(logFolder, request_.user.uid))
    {
    }

    Result<Done> carryOut(std::stop_token stop, PauseGate& gate,
                          const std::function<void(const RunProgress&)>& onProgress)
    {
        const auto packages = PackageDatabase::read();
        RunOptions options;
        options.guard = {request_.user, request_.ownData, packages ? &*packages : nullptr};
        options.stop = stop;
        options.pause = &gate;
        options.onProgress = onProgress;
        const auto recovered = recoverAll(logbook_, request_.user, stop);
        if (!recovered)
            return recovered.error();
        for (const auto& [step, outcome] : *recovered)
            touched_.push_back(step.run);
        if (stop.stop_requested())
            return stoppedBefore();
        if (request_.kind == ActRequest::Kind::Apply) {
            const auto run = runPlan(logbook_, request_.plan, options);
            return run ? Result<Done>(Done{}) : run.error();
        }
        if (request_.kind == ActRequest::Kind::Recover)
            return Done{};
        touched_.push_back(request_.run);
        const auto steps = logbook_.steps(request_.run);
        if (!steps)
            return steps.error();
        std::vector<std::int64_t> only;
        for (const auto place : request_.only)
            only.push_back(place < steps->size() ? (*steps)[place].id : 0);
        const auto undone = undoRun(logbook_, request_.run, only, options);
        if (!undone)
            return undone.error();
        for (const auto& [step, outcome] : *undone)
            if (!outcome && !isForGood(step.action))
                return outcome.error();
        return Done{};
    }

    /// What changed, and the newest runs.
    std::vector<RunRecord> records()
    {
        std::vector<RunRecord> all;
        const auto history = readHistory(logbook_);
        for (std::size_t i = 0; history && i < history->size(); ++i) {
            auto record = (*history)[i];
            if (i >= runsTold && std::find(touched_.begin(), touched_.end(), record.run.id) == touched_.end())
                continue;
            record.run.rightsRun = record.run.id;
            all.push_back(std::move(record));
        }
        std::reverse(all.begin(), all.end()); // they get their numbers in the order they were carried out
        return all;
    }
    const ActRequest& request() const { return request_; }

    /// The machine's journal keeps what was changed as root, for whom, and by which plan (its digest).
    void tellMachine(const Journal* journal, const std::string& digest)
    {
        if (!journal)
            return;
        const auto history = readHistory(logbook_);
        for (std::size_t i = 0; history && i < history->size(); ++i) {
            const auto& record = (*history)[i];
            if (record.run.began < began_ &&
                std::find(touched_.begin(), touched_.end(), record.run.id) == touched_.end())
                continue;
            for (const auto& step : record.steps) {
                const auto user = std::to_string(request_.user.uid);
                const JournalField fields[] = {{"MESSAGE", std::string(actionName(step.action)) + " " +
                                                               displayText(step.path) + ": " + stateName(step.state) +
                                                               ", for user " + user},
                                               {"PRIORITY", "5"},
                                               {"SYSLOG_IDENTIFIER", "kurvoctl"},
                                               {"KURVO_ACTION", actionName(step.action)},
                                               {"KURVO_STATE", stateName(step.state)},
                                               {"KURVO_PATH", step.path},
                                               {"KURVO_USER", user},
                                               {"KURVO_RUN", std::to_string(record.run.id)},
                                               {"KURVO_PLAN", digest}};
                (void)journal->tell(fields);
            }
        }
    }

private:
    ActRequest request_;
    Logbook logbook_;
    std::vector<std::int64_t> touched_;
    std::int64_t began_ = std::time(nullptr);
};

/// In a terminal nobody takes the rows in: they are put into the user's logbook by a process that is the user's.
void tellLogbook(const std::string& file, uid_t user, const std::vector<RunRecord>& records)
{
    const pid_t child = ::fork();
    if (child == 0) {
        bool all = static_cast<bool>(becomeUser(user));
        Logbook logbook(file);
        for (const auto& record : records)
            all = all && static_cast<bool>(logbook.take(record.run, record.steps));
        ::_exit(all ? 0 : 1);
    }
    if (child > 0)
        while (::waitpid(child, nullptr, 0) < 0 && errno == EINTR) { }
}

Result<Done> serve(int in, int out, const std::string& digest, const std::string& logFolder, const Journal* journal)
{
    const auto refuse = [out](const Error& error) {
        if (canWriteNow(out))
            (void)sendTo(out, "failed " + error.sentence + "\n");
        return error;
    };
    std::string rest;
    const auto bytes = readRequest(in, rest);
    if (!bytes)
        return refuse(bytes.error());
    if (digestOf(*bytes) != digest)
        return refuse({ErrorKind::Unsupported,
                       {},
                       0,
                       "The request is not the one that was agreed to (its digest is another). Nothing was done."});
    auto request = decodeActRequest(*bytes);
    if (!request)
        return refuse(request.error());
    if (auto made = makeLogFolder(logFolder); !made)
        return refuse(made.error());
    struct stat s { };
    const bool fromFile = ::fstat(in, &s) == 0 && S_ISREG(s.st_mode);
    Server server(std::move(*request), logFolder);
    if (fromFile) {
        PauseGate gate;
        const auto done = server.carryOut({}, gate, {});
        server.tellMachine(journal, digest);
        const auto records = server.records();
        if (!server.request().logbook.empty())
            tellLogbook(server.request().logbook, server.request().user.uid, records);
        (void)sendTo(out, done ? std::string("Done. Kurvo's window shows what came of it.\n") : std::string());
        return done; // an error is said by whoever called
    }
    Orders orders(in, std::move(rest));
    (void)sendTo(out, "ready\n");
    if (!orders.waitForGo())
        return refuse(stoppedBefore());
    auto last = std::chrono::steady_clock::time_point();
    std::string lastPath;
    const auto done = server.carryOut(orders.stopToken(), orders.gate(), [&](const RunProgress& p) {
        const auto now = std::chrono::steady_clock::now();
        if ((p.path == lastPath && now - last < std::chrono::milliseconds(100)) || !canWriteNow(out))
            return;
        last = now;
        lastPath = p.path;
        if (!sendTo(out, progressLine(p)))
            orders.stop().request_stop();
    });
    server.tellMachine(journal, digest);
    // All is done and nothing is locked any more: who does not read keeps nobody waiting but this process.
    for (const auto& record : server.records())
        if (!sendTo(out, "run " + encodeRun(record) + "\n"))
            break;
    (void)sendTo(out, done ? std::string("end\n") : "failed " + done.error().sentence + "\n");
    return done;
}

} // namespace

std::string encodeActRequest(const ActRequest& request)
{
    const Json json{{"format", "kurvo-act"},
                    {"version", 2},
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

std::string requestDigest(const std::string& encoded)
{
    return digestOf(std::string_view(encoded).substr(0, encoded.find('\0')));
}

std::string shownDigest(const std::string& digest)
{
    std::string shown;
    for (std::size_t i = 0; i < 16 && i < digest.size(); ++i)
        shown += (i > 0 && i % 4 == 0 ? "-" : "") + digest.substr(i, 1);
    return shown;
}

Result<ActRequest> decodeActRequest(const std::string& bytes)
{
    const auto json = Json::parse(bytes, nullptr, false);
    ActRequest request;
    try {
        if (!json.is_object() || json.at("format").get<std::string>() != "kurvo-act" ||
            json.at("version").get<int>() != 2)
            return rubbish();
        const auto path = [&json](const char* name) { return percentDecoded(json.at(name).get<std::string>()); };
        const auto kind = std::find(kinds.begin(), kinds.end(), json.at("kind").get<std::string>());
        if (kind == kinds.end())
            return rubbish();
        request.kind = static_cast<ActRequest::Kind>(kind - kinds.begin());
        request.user = {path("home"), path("data"), path("config"), askingUser()};
        request.ownData = path("own_data");
        request.logbook = path("logbook");
        for (const auto* whole : {&request.user.home, &request.user.data, &request.user.config, &request.ownData})
            if (whole->find('\0') != whole->npos)
                return rubbish();
        request.forGood = json.at("for_good").get<std::size_t>();
        request.run = json.at("run").get<std::int64_t>();
        request.only = json.at("only").get<std::vector<std::size_t>>();
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

Result<Done> serveActRequest(int in, int out, const std::string& digest, const std::string& logFolder,
                             const Journal* journal) noexcept
{
    try {
        return serve(in, out, digest, logFolder, journal);
    } catch (const std::exception& error) {
        return Error{ErrorKind::System,
                     {},
                     0,
                     std::string("The helper had to give up (") + error.what() +
                         "). What was under way is seen to when it is next started."};
    }
}

ActAnswer runActHelper(std::vector<std::string> command, const ActRequest& request, std::stop_token stop,
                       const PauseGate* pause, const std::function<void(const RunProgress&)>& onProgress)
{
    ActAnswer answer{Done{}, false, {}};
    const auto encoded = encodeActRequest(request);
    if (!command.empty()) {
        command.emplace_back("--digest");
        command.push_back(requestDigest(encoded));
    }
    auto started = HelperProcess::start(command);
    if (!started) {
        answer.acted = started.error();
        return answer;
    }
    // Kept by the thread that sends, too: a question for a password may outlive this call.
    const auto process = std::make_shared<HelperProcess>(std::move(*started));
    std::thread sender([process, encoded] { (void)sendTo(process->to.get(), encoded); });
    std::string bytes, problem;
    bool ended = false, stopped = false, paused = false;
    std::vector<char> buffer(1 << 16);
    for (;;) {
        if (stop.stop_requested() && !answer.begun) {
            // It was not told to go, and will find that it never is: nothing is done, whatever becomes of the question.
            ::kill(process->pid, SIGTERM);
            std::thread([process, sender = std::move(sender)]() mutable {
                process->from.reset();
                sender.join();
                process->to.reset();
                (void)process->wait();
            }).detach();
            answer.acted = stoppedBefore();
            return answer;
        }
        if (stop.stop_requested() && !stopped) {
            stopped = true;
            (void)sendTo(process->to.get(), "stop\n");
        }
        if (pause && answer.begun && pause->isPaused() != paused) {
            paused = !paused;
            (void)sendTo(process->to.get(), paused ? "pause\n" : "go on\n");
        }
        pollfd wait{process->from.get(), POLLIN, 0};
        if (::poll(&wait, 1, 100) <= 0)
            continue;
        const auto n = ::read(process->from.get(), buffer.data(), buffer.size());
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0)
            break;
        bytes.append(buffer.data(), static_cast<std::size_t>(n));
        if (bytes.size() > largestAnswer)
            break;
        takeLines(bytes, [&](std::string_view line) {
            RunProgress progress;
            if (line == "ready" && !answer.begun) {
                answer.begun = true;
                if (sender.joinable())
                    sender.join();
                (void)sendTo(process->to.get(), "go\n");
            } else if (line == "end") {
                ended = true;
            } else if (line.starts_with("failed ")) {
                problem = displayText(line.substr(7));
            } else if (line.starts_with("run ")) {
                if (auto record = decodeRun(std::string(line.substr(4))))
                    answer.records.push_back(std::move(*record));
            } else if (readProgress(line, progress) && onProgress) {
                onProgress(progress);
            }
        });
    }
    if (sender.joinable()) {
        process->from.reset();
        sender.join();
    }
    process->to.reset();
    const auto waited = process->wait();
    if (!problem.empty())
        answer.acted = Error{ErrorKind::System, {}, 0, problem};
    else if (!ended)
        answer.acted =
            waited ? Error{ErrorKind::Damaged, {}, 0, "The helper ended before its work was done."} : waited.error();
    return answer;
}

} // namespace kurvo
