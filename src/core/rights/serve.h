// SPDX-License-Identifier: GPL-3.0-or-later
// The other end of an SSH connection: what `kurvoctl serve` and kurvo-scan do. See core/remote/ssh_scan.h.
#pragma once

namespace kurvo {

/// The version of what is spoken over a connection; another one does not fit.
inline constexpr int remoteProtocol = 4;

/// Answers one request. As root it keeps nothing but the right to read, before it reads a byte. Returns an exit status.
int serveRemote(int in, int out);

} // namespace kurvo
