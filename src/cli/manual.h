// SPDX-License-Identifier: GPL-3.0-or-later
// What kurvoctl says of itself: longer words on its commands, pages to read, manual pages made from its own options.
#pragma once

#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace CLI {
class App;
}

namespace kurvo::cli {

/// The pages of docs that `kurvoctl help TOPIC` prints, by their name.
const std::vector<std::pair<std::string_view, std::string_view>>& topics();

/// Puts more words below the commands' --help.
void describeCommands(CLI::App& app);

/// Prints a page, or the help of a command; the list of both when `topic` is empty.
int runHelp(CLI::App& app, const std::string& topic);

/// Writes kurvoctl.1 and a page for each command, as man(7) has it, into the folder.
int runManual(const CLI::App& app, const std::string& folder);

} // namespace kurvo::cli
