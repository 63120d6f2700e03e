// SPDX-License-Identifier: GPL-3.0-or-later
// What changed between two snapshots, for scripts, for a table program, and to be handed over.
#pragma once

#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "core/base/figures.h"
#include "core/compare/comparison.h"
#include "core/snapshot/snapshot.h"

namespace kurvo {

struct ChangeReport {
    std::shared_ptr<const Comparison> comparison;
    std::vector<ChangeLine> lines;                             ///< in the order to be written; measured on disk
    std::int64_t before = 0, now = 0;                          ///< UTC seconds, when each was scanned
    std::string host;                                          ///< where the later was
    std::vector<std::pair<std::uint32_t, std::string>> owners; ///< names by uid
};

/// One object a line: docs/kurvoctl.md.
std::string changesAsJsonLines(const ChangeReport& report);
/// RFC 4180: change, delta in bytes on disk, size, files, path, path before.
std::string changesAsCsv(const ChangeReport& report);
/// A page that prints on one or two: the sums, what explains most, by family and owner, and the largest changes.
std::string changesAsHtml(const ChangeReport& report, SizeUnits units = SizeUnits::Binary);

} // namespace kurvo
