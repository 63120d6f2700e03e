// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/remote/address.h"

#include <algorithm>
#include <charconv>

#include "core/base/text.h"

namespace kurvo {
namespace {

bool isName(std::string_view text)
{
    return !text.empty() && !text.starts_with('-') && std::all_of(text.begin(), text.end(), [](char c) {
        const auto b = static_cast<unsigned char>(c);
        return b > ' ' && b != 0x7F && c != '/' && c != '@' && c != '\'' && c != '"' && c != '\\' && c != '`' &&
               c != '$';
    });
}

std::optional<RemoteAddress> withLogin(std::string_view login, RemoteAddress address)
{
    if (const auto at = login.rfind('@'); at != login.npos) {
        address.user = login.substr(0, at);
        if (!isName(address.user))
            return std::nullopt;
        login.remove_prefix(at + 1);
    }
    if (login.starts_with('[') && login.ends_with(']')) // a literal of IPv6
        login = login.substr(1, login.size() - 2);
    if (!isName(login))
        return std::nullopt;
    address.host = login;
    return address;
}

} // namespace

std::string RemoteAddress::login() const
{
    return user.empty() ? host : user + "@" + host;
}

std::string RemoteAddress::text() const
{
    if (port == 0)
        return (host.find(':') == host.npos ? login() : (user.empty() ? "" : user + "@") + "[" + host + "]") + ":" +
               path;
    return "ssh://" + login() + ":" + std::to_string(port) + (path.starts_with('/') ? path : "/~/" + path);
}

std::optional<RemoteAddress> parseAddress(std::string_view text)
{
    RemoteAddress address;
    constexpr std::string_view scheme = "ssh://";
    if (text.starts_with(scheme)) {
        text.remove_prefix(scheme.size());
        const auto slash = text.find('/');
        auto login = text.substr(0, slash);
        address.path = slash == text.npos ? std::string() : percentDecoded(text.substr(slash));
        if (address.path == "/~" || address.path.starts_with("/~/"))
            address.path.erase(0, std::min<std::size_t>(3, address.path.size()));
        const auto colon = login.rfind(':');
        if (colon != login.npos && (login.find(']') == login.npos || colon > login.find(']'))) {
            const auto number = login.substr(colon + 1);
            const auto read = std::from_chars(number.data(), number.data() + number.size(), address.port);
            if (read.ec != std::errc{} || read.ptr != number.data() + number.size() || address.port < 1 ||
                address.port > 65535)
                return std::nullopt;
            login = login.substr(0, colon);
        }
        return withLogin(login, std::move(address));
    }
    // The first colon, with no slash before it; an IPv6 literal stands in brackets.
    const auto bracket = text.find(']');
    const auto open = text.find('[');
    auto colon = open != text.npos && bracket != text.npos && open < bracket ? text.find(':', bracket) : text.find(':');
    const auto slash = text.find('/');
    if (colon == text.npos || colon == 0 || (slash != text.npos && slash < colon))
        return std::nullopt;
    address.path = text.substr(colon + 1);
    return withLogin(text.substr(0, colon), std::move(address));
}

} // namespace kurvo
