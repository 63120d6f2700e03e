// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done with an item outside of Kurvo: open it, show it in the file manager, copy its path.
#pragma once

#include <QPoint>
#include <QWidget>

#include <string>

#include "app/services/notices.h"

namespace kurvo::app {

/// Opens the file or folder with the program the desktop has for it. Says so when it is no longer there.
void openItem(Notices& notices, const std::string& path);

/// Shows it in the file manager (org.freedesktop.FileManager1 over D-Bus); where none answers, opens its folder.
void showInFileManager(Notices& notices, const std::string& path);

/// One a line.
void copyPaths(Notices& notices, const std::vector<std::string>& paths);

/// Starts a terminal in the folder, or in the folder that holds the file.
void openTerminal(Notices& notices, const std::string& path, bool isFolder);

/// Asks which program and opens the file with it: a menu at `at`.
void openItemWith(Notices& notices, const std::string& path, const QPoint& at, QWidget* parent);

} // namespace kurvo::app
