// SPDX-License-Identifier: GPL-3.0-or-later
// Whether a tree that was read from a drive's own tables is what the kernel says: a sample of it, asked for. Internal
// to core/scan.
#pragma once

#include <string>

#include "core/direct/direct_access.h"
#include "core/scan/scanner.h"

namespace kurvo {

/// Asks for some thousand entries, and counts the names in some hundred folders, chosen at random. Empty where all is
/// as it was read, or was changed since; else a sentence.
std::string checkSample(int root, const NodeStore& store, const DirectAccess& access, const ScanOptions& options,
                        std::stop_token stop);

} // namespace kurvo
