// SPDX-License-Identifier: GPL-3.0-or-later
// How kurvoctl writes: units, colour, progress, and what is usual on this machine. Set once, before anything runs.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/figures.h"
#include "core/base/result.h"
#include "core/scan/scanner.h"

namespace kurvo::cli {

struct Output {
    SizeUnits units = SizeUnits::Binary;
    bool bytes = false;       ///< sizes as plain numbers
    bool quiet = false;       ///< no progress and no remarks; errors are said
    bool progress = true;     ///< where standard error is a terminal
    bool colour = false;      ///< of standard output
    ScanOptions scan;         ///< of every command that scans
    std::string snapshots;    ///< folder of the catalogue; the user's own when empty
    bool sudo = false;        ///< on another machine: with administrator rights
    bool sendScanner = false; ///< on another machine: the scanner may be sent
};
/// The one of this process.
Output& output();

/// A size, and a difference of sizes, as wanted.
std::string sizeText(std::uint64_t bytes);
std::string differenceText(std::int64_t bytes);

enum class Ink { Strong, Second, Hidden, Good };
/// With colour where standard output is a terminal.
std::string inked(std::string_view text, Ink ink);
/// A bar of ten characters.
std::string barText(std::uint64_t part, std::uint64_t whole);

/// A word beside the point on standard error, unless it shall be quiet.
void remark(const std::string& sentence);

/// Reads kurvoctl.toml of the user's settings into `into`: what is usual, which options replace. A file that is not
/// there says nothing. WrongFormat, with the line, for a mistake.
Result<Done> readConfig(const std::string& file, Output& into);

/// The folder of the catalogue: the one given, else the configured one, else the user's own.
std::string snapshotsFolder(const std::string& given);

} // namespace kurvo::cli
