// SPDX-License-Identifier: GPL-3.0-or-later
// Acting with administrator rights: `kurvoctl act-helper --digest HEX`, started as root by pkexec (or in a terminal by
// sudo), carries out a plan whose list the user has seen, takes a run back, or ends what was left under way.
//
// It trusts nobody. The request is bound to the digest (SHA-256 of its bytes) on the command line, which the window has
// shown and the question for the password shows again, so that nothing else is done than what was agreed to. What was
// done is written to a log in a folder of root's, and only from that it recovers and takes back; the user's own logbook
// gets a copy of the rows, to be shown (Logbook::take()).
//
// The request, on its standard input: a JSON object and a NUL byte, at most 64 MiB. Once it has been read and found
// sound, the helper answers "ready" and waits for the line "go"; until then nothing is done. After it lines "stop",
// "pause" and "go on". The end of the input means stop, at any moment; from a file there is no waiting and no stop.
// The answer, on its standard output: lines "ready", "progress ...", "run JSON" (run_rows.h), "failed SENTENCE", "end".
// Progress is left out while nobody reads.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "core/act/plan_run.h"
#include "core/act/run_history.h"
#include "core/platform/journal.h"

namespace kurvo {

struct ActRequest {
    enum class Kind { Apply, Undo, Recover };
    Kind kind = Kind::Recover;
    UserFolders user;        ///< whose trash; `uid` is not taken from the request
    std::string ownData;     ///< Kurvo's own data, which is protected
    std::string logbook;     ///< the user's; written, as the user, only where nobody reads the answer (a terminal)
    PlanFile plan;           ///< Apply
    std::size_t forGood = 0; ///< Apply: how many items cannot be taken back, as the user confirmed
    std::int64_t run = 0;    ///< Undo: its number in the helper's log
    std::vector<std::size_t> only; ///< Undo: which of its steps, from 0; none for all
};

std::string encodeActRequest(const ActRequest& request);
/// WrongFormat, or what is wrong with its plan. `bytes` without the NUL.
Result<ActRequest> decodeActRequest(const std::string& bytes);
/// Of an encoded request: what the command line has to say.
std::string requestDigest(const std::string& encoded);
/// The digest as people compare it: its first 16 digits in groups of four.
std::string shownDigest(const std::string& digest);

/// Where root keeps the helper's logs, one a user.
inline constexpr const char* rightsLogFolder = "/var/lib/kurvo";

/// The helper's side. `journal`, opened before the rights were given up, is told each step. Throws nothing.
Result<Done> serveActRequest(int in, int out, const std::string& digest, const std::string& logFolder = rightsLogFolder,
                             const Journal* journal = nullptr) noexcept;

/// What the helper told.
struct ActAnswer {
    Result<Done> acted;
    bool begun = false;             ///< it was told to go: something may have been done
    std::vector<RunRecord> records; ///< `run.rightsRun` is set
};

/// The window's side: starts `command` with the digest as its last words, sends the request, tells progress, passes
/// stop and pause on. NoPermission when the rights were refused, Unsupported when nobody can be asked, Cancelled when
/// it was stopped before anything was done.
ActAnswer runActHelper(std::vector<std::string> command, const ActRequest& request, std::stop_token stop,
                       const PauseGate* pause, const std::function<void(const RunProgress&)>& onProgress);

} // namespace kurvo
