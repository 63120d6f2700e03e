// SPDX-License-Identifier: GPL-3.0-or-later
// Where a place on another machine is: "user@host:/path" or "ssh://user@host:port/path"
// (draft-ietf-secsh-scp-sftp-ssh-uri).
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace kurvo {

struct RemoteAddress {
    std::string user; ///< empty: as ssh's settings say
    std::string host; ///< name, address, or a Host of ssh's settings
    int port = 0;     ///< 0: as ssh's settings say
    std::string path; ///< bytes; empty or relative: from the home folder there

    /// "user@host", for ssh.
    std::string login() const;
    /// As one types it.
    std::string text() const;
};

/// Nothing for what is no such address: a path, a file's name. A host never begins with a dash, so that it is not an
/// option of ssh's.
std::optional<RemoteAddress> parseAddress(std::string_view text);

} // namespace kurvo
