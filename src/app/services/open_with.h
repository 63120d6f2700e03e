// SPDX-License-Identifier: GPL-3.0-or-later
// The programs that the desktop knows for a file, by its MIME type (through GIO).
#pragma once

#include <string>
#include <vector>

namespace kurvo::app {

struct OpenProgram {
    std::string id; ///< of its desktop entry
    std::string name;
};

/// Reads the file's type and the installed desktop entries: not for the interface thread. The default one first.
std::vector<OpenProgram> programsFor(const std::string& path);

/// Starts one of them with the file. False when it could not be started.
bool openWithProgram(const std::string& id, const std::string& path);

} // namespace kurvo::app
