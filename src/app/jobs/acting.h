// SPDX-License-Identifier: GPL-3.0-or-later
// What carrying out, undoing and recovering have in common: the helper with rights, what it left, and what a run did in
// words. Any thread, but for the words.
#pragma once

#include <QString>

#include <functional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/act/act_helper.h"
#include "core/act/logbook.h"
#include "core/act/plan_run.h"
#include "core/act/run_history.h"

namespace kurvo::app {

/// Where nobody can be asked for rights: the request as a file, and the command for a terminal that takes it. Always an
/// error: nothing was done yet.
Error terminalCommand(const ActRequest& request, const std::vector<std::string>& command, const std::string& data);

/// Has the helper with rights do it, and puts what it tells of its log into the user's. Blocks.
Result<Done> actWithRights(Logbook& logbook, const std::vector<std::string>& command, const ActRequest& request,
                           std::stop_token stop, const PauseGate* pause,
                           const std::function<void(const RunProgress&)>& onProgress);

/// What a helper with rights left under way, or never told of. `asked`: just now.
std::vector<RecoveredStep> leftWithRights(Logbook& logbook, bool asked);

/// What a run did, one sentence a kind of act.
QString doneSentence(const RunRecord& record, std::size_t held);

/// The newest, once it has ended; null where there is none.
const RunRecord* lastRun(const std::vector<RunRecord>& history);

} // namespace kurvo::app
