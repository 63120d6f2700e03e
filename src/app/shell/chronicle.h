// SPDX-License-Identifier: GPL-3.0-or-later
// What the log keeps of a window's life (app/services/log.h), and the report for support that is made of it.
#pragma once

#include <QObject>
#include <QString>

#include "app/jobs/models.h"
#include "app/services/settings.h"

namespace kurvo::app {

/// From now on what the models do stands in the log, until `window` is gone.
void keepChronicle(QObject* window, Models& models);

/// What support needs to know and nobody minds to send: versions, the machine, settings that hold no path, the end of
/// the log. Reads the disk: `settingsFile` and the log in `state`. Any thread.
QString supportReport(const std::string& settingsFile, const std::string& state, const QString& screens);

} // namespace kurvo::app
