// SPDX-License-Identifier: GPL-3.0-or-later
// The demo's data folder: snapshots and the practice folder, made where they are missing.
#pragma once

#include <functional>
#include <stop_token>
#include <string>

#include "core/base/result.h"

namespace kurvo::demo {

struct DemoFolders {
    std::string snapshots; ///< `DATA/snapshots`
    std::string practice;  ///< `DATA/practice`
};

DemoFolders demoFolders(const std::string& data);

/// Makes what is missing below `data`; what is there stays as it is. `onStep` gets a short text before each step, from
/// the calling thread. Blocks for some seconds the first time.
Result<Done> prepareDemoData(const std::string& data, std::stop_token stop = {},
                             const std::function<void(const std::string&)>& onStep = {});

} // namespace kurvo::demo
