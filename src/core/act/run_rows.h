// SPDX-License-Identifier: GPL-3.0-or-later
// A run of the logbook as one line of JSON: how the helper with rights tells what its own log says.
#pragma once

#include <string>

#include "core/act/run_history.h"

namespace kurvo {

/// Without a line break.
std::string encodeRun(const RunRecord& record);
/// WrongFormat for anything that encodeRun() would not have made.
Result<RunRecord> decodeRun(const std::string& line);

} // namespace kurvo
