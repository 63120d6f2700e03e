// SPDX-License-Identifier: GPL-3.0-or-later
// The log: what was scanned, asked, carried out, refused, in `$XDG_STATE_HOME/kurvo/kurvo.log`. Written by a thread of
// its own (spdlog); three files of a megabyte at most. At the level info no name of a file is written unless it was
// acted on. Where it cannot be written, nothing is.
#pragma once

#include <QString>

#include <string>

namespace kurvo::app {

enum class LogLevel { Error, Warn, Info, Debug };

/// "error", "warn", "info", "debug"; false for anything else.
bool logLevelOf(const QString& word, LogLevel& level);

/// From now on. Before it and after endLog() nothing is kept. Interface thread.
void beginLog(const std::string& folder, LogLevel least);
/// Writes what is left to be written.
void endLog();

/// Any thread; returns at once. A line break is written as a space.
void log(LogLevel level, const QString& line);

/// The newest of what was written, at most so many bytes. Reads the disk: not on the interface thread.
std::string lastOfLog(const std::string& folder, std::size_t most);

} // namespace kurvo::app
