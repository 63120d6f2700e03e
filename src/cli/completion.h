// SPDX-License-Identifier: GPL-3.0-or-later
// Completion for shells. The shells know nothing: their few lines ask `kurvoctl complete` what can come next.
#pragma once

#include <string>
#include <vector>

namespace CLI {
class App;
}

namespace kurvo::cli {

/// What can stand in place of the last of `words` (those behind "kurvoctl"; the last may be empty), one a line, with a
/// tab and what it is where that is known. ":files", ":folders" ask the shell for its own.
std::vector<std::string> offersFor(const CLI::App& app, const std::vector<std::string>& words);
int runComplete(const CLI::App& app, const std::vector<std::string>& words);

/// Prints what makes bash, zsh or fish complete.
int runCompletion(const std::string& shell);

} // namespace kurvo::cli
