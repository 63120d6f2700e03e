// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done with an item outside of Kurvo: open it, show it in the file manager, copy its path.
#pragma once

#include <string>

#include "app/session.h"

namespace kurvo::app {

/// Opens the file or folder with the program the desktop has for it. Says so when it is no longer there.
void openItem(Session& session, const std::string& path);

/// Shows it in the file manager (org.freedesktop.FileManager1 over D-Bus); where none answers, opens its folder.
void showInFileManager(Session& session, const std::string& path);

void copyPath(Session& session, const std::string& path);

} // namespace kurvo::app
