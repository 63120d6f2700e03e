// SPDX-License-Identifier: GPL-3.0-or-later
// The report on what was carried out, to be handed over: HTML that prints on one or two pages, CSV and JSON.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/act/run_history.h"
#include "core/base/figures.h"
#include "core/leads/leads.h"
#include "core/marks/marks.h"

namespace kurvo {

struct RunReport {
    RunRecord record;
    Proof proof;
    std::string drive;          ///< name and mount point of the place's drive, for people
    std::uint64_t capacity = 0; ///< bytes, of that drive; 0 where it is not known

    struct Remaining {
        std::string path; ///< bytes
        std::uint64_t disk = 0;
        std::int64_t modified = 0;
    };
    std::vector<Remaining> largest; ///< what is largest in the place now; empty where nothing is known of it
    std::optional<Leads> leads;     ///< what stands out there now
    std::vector<Mark> questions;    ///< marked "ask", for the owner; by path
};

/// The largest files of a tree, for the report.
std::vector<RunReport::Remaining> largestOf(const FileTree& tree, NodeId top = rootNode);

/// The marks "ask" of a machine at or below a place, by path.
std::vector<Mark> questionsOf(const MarkBook& book, const std::string& place);

/// A page of its own, without anything from outside: UTF-8, prints in black on A4 and Letter. Of more steps than fit on
/// two pages it lists the largest and counts the rest; CSV and JSON have all.
std::string reportHtml(const RunReport& report, SizeUnits units = SizeUnits::Binary);

/// RFC 4180, one step a line: run, date (UTC), action, outcome, bytes on disk, path, target, note.
std::string reportCsv(const RunReport& report);

/// One object; paths as kurvoctl writes them (docs/kurvoctl.md).
std::string reportJson(const RunReport& report);

} // namespace kurvo
