// SPDX-License-Identifier: GPL-3.0-or-later
// Giving up rights that are not needed (capabilities(7)).
#pragma once

#include "core/base/result.h"

namespace kurvo {

/// For a program started as root on behalf of a user (pkexec, sudo, set-user-ID): becomes that user again, with nothing
/// kept but the right to read any file and folder (CAP_DAC_READ_SEARCH), and no way to get more. Whatever goes wrong
/// afterwards, nothing can be changed that the user could not change himself. Does nothing for anybody but root.
Result<Done> keepOnlyTheRightToRead();

} // namespace kurvo
