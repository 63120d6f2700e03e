// SPDX-License-Identifier: GPL-3.0-or-later
// A process cannot end while one of its threads waits for a drive that never answers (a FUSE mount whose server is
// gone, for one). So where such drives are mounted the work is done by a child, and this process ends when that says
// so.
#pragma once

#include <functional>

namespace kurvo::cli {

/// Some mounted drive may stop answering. Reads the table of mounts only, which never hangs.
bool anyDriveMayHang();

/// Runs `work` in a child and returns what it returned; signals that end a program are passed on. Call it while there
/// is one thread.
int runApart(const std::function<int()>& work);

} // namespace kurvo::cli
