// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <sys/socket.h>
#include <sys/un.h>

#include <cstring>

#include "core/platform/journal.h"
#include "core/platform/unique_fd.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("the journal is told field by field, whatever bytes are in a name", "[journal]")
{
    TestFolder t;
    const auto path = t / "socket";
    const JournalField fields[] = {{"MESSAGE", "trash /a: done"}, {"KURVO_PATH", "/new\nline"}};
    CHECK_FALSE(Journal(path).tell(fields)); // nobody there
    const UniqueFd journal(::socket(AF_UNIX, SOCK_DGRAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0));
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    std::strncpy(address.sun_path, path.c_str(), sizeof address.sun_path - 1);
    REQUIRE(::bind(journal.get(), reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0);
    CHECK(Journal(path).tell(fields));
    std::string got(4096, '\0');
    const auto size = ::recv(journal.get(), got.data(), got.size(), 0);
    REQUIRE(size > 0);
    got.resize(static_cast<std::size_t>(size));
    CHECK(got == std::string("MESSAGE=trash /a: done\nKURVO_PATH\n\x09\0\0\0\0\0\0\0/new\nline\n", 52));
    CHECK_FALSE(Journal(std::string(300, 'x')).tell(fields));
}
