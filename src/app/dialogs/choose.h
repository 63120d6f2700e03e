// SPDX-License-Identifier: GPL-3.0-or-later
// Asks for a file or folder that is there, or for a name, without holding up the window.
#pragma once

#include <QString>

#include <functional>
#include <string>

class QWidget;

namespace kurvo::app {

/// What is done with the path that was chosen, as bytes. Not called when the dialog was left.
using Chosen = std::function<void(const std::string& path)>;

/// Both: a dialog over `parent`, which goes with it; it begins in the folder `from`. Interface thread.
void chooseFolder(QWidget* parent, const QString& title, const QString& from, const Chosen& then);

/// `kind` as the file dialog has it: "Plan (*.json)".
void chooseFile(QWidget* parent, const QString& title, const QString& from, const QString& kind, const Chosen& then);

/// A name for something; `then` is not called for an empty one, nor when the dialog was left.
void askForName(QWidget* parent, const QString& dialogName, const QString& title, const QString& label,
                const QString& name, const std::function<void(const QString& name)>& then);

} // namespace kurvo::app
