// SPDX-License-Identifier: GPL-3.0-or-later
// What the program itself is read from.
#pragma once

namespace kurvo::app {

/// Has the program and the libraries that it draws with read from disk in one go, and does not wait for it: else each
/// part is read in small pieces when it is used for the first time, while somebody waits for a stage to open. Nothing
/// is done for what is in memory already. For any thread.
void bringProgramIn();

} // namespace kurvo::app
