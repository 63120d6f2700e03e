// SPDX-License-Identifier: GPL-3.0-or-later
// Nobody who was killed can put a terminal back. So the view runs in a child, and its parent does nothing but wait:
// when the child ended in another way than by itself, the parent puts the terminal back.
#pragma once

#include <functional>

namespace kurvo::terminal {

/// Runs `view` in a child and returns what it returned; 128 and the signal where it was killed. Stopping (Ctrl+Z) and
/// signals that end a program work as for one process. Call it while there is one thread.
int runKept(const std::function<int()>& view);

} // namespace kurvo::terminal
