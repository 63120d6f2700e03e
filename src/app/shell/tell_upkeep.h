// SPDX-License-Identifier: GPL-3.0-or-later
// `kurvo --tell-upkeep`: no window, only a notification of what rules did, with a way back. Started by kurvoctl.
#pragma once

namespace kurvo::app {

/// Waits until the notification is closed, or some minutes. Returns an exit status.
int tellUpkeep(int argc, char** argv);

} // namespace kurvo::app
