// SPDX-License-Identifier: GPL-3.0-or-later
// What another process may do between any two steps of ours, one step after the other and not by chance.
#pragma once

#include <functional>

namespace kurvo::test {

enum class AtStep { GoOn, Kill };

enum class Steps {
    Names, ///< what finds an entry of a folder by its name, to open, look at or change it; but not below /proc and /sys
    Changes, ///< what changes something on a drive: entries, what is written, what is synced
    All      ///< both
};

/// Runs `work` in a child process and stops it, whichever of its threads it is, before every system call of this sort.
/// `before` is called then with how many there were, from 1, while that thread waits (ptrace(2), seccomp(2)).
/// Returns how many there were; 0 where processes cannot be traced here.
unsigned stepThrough(Steps steps, const std::function<void()>& work, const std::function<AtStep(unsigned)>& before);

} // namespace kurvo::test
