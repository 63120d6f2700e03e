// SPDX-License-Identifier: GPL-3.0-or-later
// The other process: started with administrator rights by pkexec or whatever stands in for it, with a pipe each way.
#pragma once

#include <sys/types.h>

#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

struct HelperProcess {
    pid_t pid = 0;
    UniqueFd to;   ///< its standard input
    UniqueFd from; ///< its standard output

    /// Unsupported where there is no such program.
    /// `errorsTo`: a descriptor that takes its standard error; where it is -1 that is this process's own.
    static Result<HelperProcess> start(const std::vector<std::string>& command, int errorsTo = -1);
    /// Waits for its end and says what became of it: Done, NoPermission when the rights were refused, Unsupported when
    /// nobody could be asked for them, Damaged otherwise.
    Result<Done> wait();
};

/// All of it, without SIGPIPE; false when nobody reads any more.
bool sendTo(int fd, std::string_view bytes);

} // namespace kurvo
