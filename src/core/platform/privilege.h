// SPDX-License-Identifier: GPL-3.0-or-later
// Giving up rights that are not needed (capabilities(7)).
#pragma once

#include <sys/types.h>

#include "core/base/result.h"

namespace kurvo {

/// For a program started as root on behalf of a user (pkexec, sudo, set-user-ID): becomes that user again, with nothing
/// kept but the right to read any file and folder (CAP_DAC_READ_SEARCH), and no way to get more. Whatever goes wrong
/// afterwards, nothing can be changed that the user could not change himself. Does nothing for anybody but root.
Result<Done> keepOnlyTheRightToRead();

/// For a program that acts as root on behalf of a user: keeps of root's rights those that changing files takes (to pass
/// permissions, to give files their owners, capabilities and attributes back, to see who has a file open), and gives up
/// the others for good; then no new program can be started, nothing mounted, traced, sent or loaded (seccomp(2)). Does
/// nothing for anybody but root.
Result<Done> keepOnlyTheRightsToAct();

/// Becomes that user for good, with no rights beside: for a process of root's that goes on with what belongs to the
/// user.
Result<Done> becomeUser(uid_t user);

/// Who asked for this process: pkexec and sudo say so in the environment, which nobody else can set for a process of
/// root's. Otherwise who runs it.
uid_t askingUser();

/// While it lives, this thread opens and makes files with no more rights than that user, and what it makes is that
/// user's (setfsuid(2)). Nothing changes for a process that is not root's. May be nested.
class FilesAs {
public:
    explicit FilesAs(uid_t user);
    ~FilesAs();
    FilesAs(const FilesAs&) = delete;
    FilesAs& operator=(const FilesAs&) = delete;

private:
    bool changed_ = false;
    int user_ = 0, group_ = 0; ///< as they were before
};

} // namespace kurvo
