// SPDX-License-Identifier: GPL-3.0-or-later
// The side of the helper that reads: `kurvoctl helper` with administrator rights, or `kurvoctl serve` on another
// machine.
#pragma once

#include <memory>

#include "core/base/result.h"
#include "core/direct/direct_access.h"

namespace kurvo {

/// Reads a request from `in`, scans, answers on `out`, entries while they are found, and obeys what comes on `in`
/// meanwhile (reading_protocol.h). Rights must have been given up before. `devices`: opened before that. Blocks.
Result<Done> serveRequest(int in, int out, std::shared_ptr<const OpenDevices> devices = {});

} // namespace kurvo
