// SPDX-License-Identifier: GPL-3.0-or-later
// The one way to write a file that a person named.
#pragma once

#include <functional>
#include <string>
#include <string_view>

#include "core/platform/atomic_file.h"

namespace kurvo {

/// Of a file that stands there already: whether its first bytes (64 at most) are those of the kind that is to be
/// written.
using IsOwnKind = std::function<bool(std::string_view begin)>;

/// Whether `path` can be written, asked before the work whose result it is to hold. Refused is what is not an ordinary
/// file (a link, a device, a folder), what stands there already unless `force`, and with it what is not of its own
/// kind; and a folder in which nothing can be made. What the answer says is to be given to AtomicFile::create().
/// `what`: the kind with its article, for the sentence: "a snapshot".
Result<AtomicFile::Existing> mayWrite(const std::string& path, const std::string& what, bool force,
                                      const IsOwnKind& isOwnKind);

} // namespace kurvo
