// SPDX-License-Identifier: GPL-3.0-or-later
// Acting with administrator rights: `kurvoctl act-helper`, started as root by pkexec (or in a terminal by sudo), carries
// out a plan whose list the user has seen, takes a run back, or ends what was left under way. It writes the user's own
// logbook, as that user, so that history, undo and recovery are the same as without rights.
//
// The request, on its standard input: a JSON object and a NUL byte; after it lines "stop", "pause" and "go on". The
// end of the input means stop, unless the input is a file. The answer, on its standard output: lines "progress", "failed SENTENCE" and "end".
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "core/act/plan_run.h"

namespace kurvo {

struct ActRequest {
    enum class Kind { Apply, Undo, Recover };
    Kind kind = Kind::Recover;
    UserFolders user;    ///< whose trash and logbook; `uid` is not taken from the request
    std::string ownData; ///< Kurvo's own data, which is protected
    std::string logbook; ///< file
    PlanFile plan;       ///< Apply
    std::size_t forGood = 0;        ///< Apply: how many items cannot be taken back, as the user confirmed
    std::int64_t run = 0;           ///< Undo
    std::vector<std::int64_t> only; ///< Undo: steps
};

std::string encodeActRequest(const ActRequest& request);
/// WrongFormat, or what is wrong with its plan.
Result<ActRequest> decodeActRequest(const std::string& bytes);

/// The helper's side.
Result<Done> serveActRequest(int in, int out);

/// The window's side: starts `command`, sends the request, tells progress, passes stop and pause on. When it returns
/// the logbook says what was done. NoPermission when the rights were refused, Unsupported when nobody can be asked.
Result<Done> runActHelper(const std::vector<std::string>& command, const ActRequest& request, std::stop_token stop,
                          const PauseGate* pause, const std::function<void(const RunProgress&)>& onProgress);

} // namespace kurvo
