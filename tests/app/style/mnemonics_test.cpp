// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <set>

#include "app/style/mnemonics.h"

using namespace kurvo::app;

TEST_CASE("no two words have the same letter, and first letters come first", "[mnemonics]")
{
    CHECK(withMnemonics({"Copy path", "Close", "Open", ""}) == QStringList{"&Copy path", "C&lose", "&Open", ""});
    CHECK(withMnemonics({"Scan", "S&ort", "Other", "o"}) == QStringList{"&Scan", "S&ort", "O&ther", "o"});
    CHECK(withMnemonics({"Rescan this folder", "Rescan what changed"}) ==
          QStringList{"&Rescan this folder", "Rescan &what changed"});
    CHECK(withMnemonics({"90 % of it\tCtrl+9", "…"}) == QStringList{"&90 % of it\tCtrl+9", "…"});
    CHECK(withMnemonics({asRead("a&b")}) == QStringList{"&a&&b"});
    QStringList many;
    for (int i = 0; i < 60; ++i)
        many << QStringLiteral("item");
    std::set<QString> marked;
    for (const auto& one : withMnemonics(many))
        if (one.contains('&'))
            CHECK(marked.insert(one).second);
    CHECK(marked.size() == 4);
}
