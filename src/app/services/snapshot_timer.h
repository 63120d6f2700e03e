// SPDX-License-Identifier: GPL-3.0-or-later
// The weekly snapshot of a place, taken by the user's own systemd: the units are shipped (packaging/systemd), and here
// they are switched on and off.
#pragma once

#include <QObject>
#include <QString>

#include <functional>
#include <string>

namespace kurvo::app {

/// "kurvo-snapshot@home-warden.timer": the path as systemd.unit(5) escapes it.
QString snapshotTimerOf(const std::string& path);

/// Asks whether it is switched on; answers later, where `context` is still there.
void askSnapshotTimer(QObject* context, const std::string& path, const std::function<void(bool on)>& answer);

/// Switches it; an empty sentence where that was done, else why not.
void setSnapshotTimer(QObject* context, const std::string& path, bool on,
                      const std::function<void(const QString& problem)>& answer);

} // namespace kurvo::app
