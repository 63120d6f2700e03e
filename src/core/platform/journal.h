// SPDX-License-Identifier: GPL-3.0-or-later
// The machine's journal, in systemd's native protocol (systemd.io/JOURNAL_NATIVE_PROTOCOL): fields in one datagram.
#pragma once

#include <span>
#include <string>
#include <utility>

#include "core/platform/unique_fd.h"

namespace kurvo {

/// Name (capitals, digits, underscores) and value, any bytes.
using JournalField = std::pair<std::string, std::string>;

/// As the datagram has them.
std::string journalMessage(std::span<const JournalField> fields);

/// A way to it, opened when it is made (a process that gives up its rights makes it before).
class Journal {
public:
    explicit Journal(const std::string& socket = "/run/systemd/journal/socket");
    /// False where there is no journal, or it does not take the message now; nothing waits for it. Any thread.
    bool tell(std::span<const JournalField> fields) const;

private:
    UniqueFd out_;
};

} // namespace kurvo
