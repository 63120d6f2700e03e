// SPDX-License-Identifier: GPL-3.0-or-later
// What the line of notices keeps, and what it lets go.
#include <catch2/catch.hpp>

#include "app/window_fixture.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Severity;

TEST_CASE("what went wrong stays until it is closed, however much is told after it", "[window][notices]")
{
    Window w;
    auto* bar = w.window->findChild<app::NoticeBar*>();
    const auto say = [&](const char* sentence, Severity severity = Severity::Info) {
        w.models().notices.say(sentence, severity);
    };
    say("That place is not there.", Severity::Problem);
    for (const auto* month : {"Making July.", "Making August.", "Making September.", "Making October.", "Making it."})
        say(month);
    CHECK(w.notice() == "That place is not there.\nMaking it.");
    CHECK(bar->property("severity") == "danger");

    // Good news goes with the stage, and nothing else does.
    w.key(Qt::Key_3, Qt::ControlModifier);
    w.key(Qt::Key_1, Qt::ControlModifier);
    CHECK(w.notice() == "That place is not there.");
    CHECK(bar->isVisible());
    for (const auto* warning : {"One.", "Two.", "Two.", "Three.", "Four."})
        say(warning, Severity::Warning);
    CHECK(w.notice() == "That place is not there.\nTwo.\nThree.\nFour.");
    say("Copied.");
    CHECK(w.notice().endsWith("Four.\nCopied."));

    // By the keyboard it is closed from anywhere, with what stands below it.
    w.key(Qt::Key_4, Qt::ControlModifier);
    w.key(Qt::Key_Escape);
    CHECK_FALSE(bar->isVisible());
    say("Saved.");
    CHECK(w.notice() == "Saved.");
    CHECK(bar->property("severity") == "info");
}
