// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/journal.h"

#include <sys/socket.h>
#include <sys/un.h>

#include <cstdint>
#include <cstring>

namespace kurvo {

std::string journalMessage(std::span<const JournalField> fields)
{
    std::string message;
    for (const auto& [name, value] : fields) {
        message += name;
        if (value.find('\n') == value.npos) {
            message += '=' + value + '\n';
            continue;
        }
        message += '\n';
        const std::uint64_t size = value.size();
        for (unsigned byte = 0; byte < 8; ++byte)
            message += static_cast<char>(size >> (8 * byte) & 0xff);
        message += value + '\n';
    }
    return message;
}

Journal::Journal(const std::string& socket)
{
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    if (socket.size() >= sizeof address.sun_path)
        return;
    std::memcpy(address.sun_path, socket.data(), socket.size());
    UniqueFd out(::socket(AF_UNIX, SOCK_DGRAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0));
    if (out && ::connect(out.get(), reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0)
        out_ = std::move(out);
}

bool Journal::tell(std::span<const JournalField> fields) const
{
    const auto message = journalMessage(fields);
    return out_ &&
           ::send(out_.get(), message.data(), message.size(), MSG_NOSIGNAL) == static_cast<ssize_t>(message.size());
}

} // namespace kurvo
