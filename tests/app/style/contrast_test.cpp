// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <cstdio>

#include "app/style/theme.h"

using namespace kurvo;
using namespace kurvo::app;

TEST_CASE("text and marks stand out from what they are on, in each theme", "[style][contrast]")
{
    const bool dark = GENERATE(false, true), more = GENERATE(false, true);
    const auto t = themeColours(dark, more);
    // WCAG 2.2: 4.5 for text, 3 for what has to be seen to use or to understand something; 7 where more is asked for.
    const double text = more ? 7 : 4.5, mark = 3;
    struct {
        const char* what;
        QColor front, back;
        double least;
    } const all[] = {{"text on a panel", t.text, t.panel, text},
                     {"text on the window", t.text, t.window, text},
                     {"text on what is selected", t.text, t.accentFill, text},
                     {"second text on a panel", t.textSecond, t.panel, text},
                     {"second text on the window", t.textSecond, t.window, text},
                     {"accent as text on a panel", t.accent, t.panel, text},
                     {"accent as text on the window", t.accent, t.window, text},
                     {"accent on what is selected", t.accent, t.accentFill, mark},
                     {"text on the accent", t.onAccent, t.accent, text},
                     {"warning on a panel", t.warning, t.panel, text},
                     {"warning on the window", t.warning, t.window, text},
                     {"danger on a panel", t.danger, t.panel, text},
                     {"danger on the window", t.danger, t.window, text},
                     {"filled part of a bar on a panel", t.seen, t.panel, mark}};
    const bool tell = std::getenv("KURVO_TELL_CONTRAST") != nullptr; // for docs/accessibility.md
    for (const auto& [what, front, back, least] : all) {
        INFO(what << (dark ? ", dark" : ", light") << (more ? ", more contrast" : ""));
        CHECK(contrastOf(front, back) >= least);
        if (tell)
            std::printf("%s | %s%s | %.1f\n", what, dark ? "dark" : "light", more ? ", more contrast" : "",
                        contrastOf(front, back));
    }
}
