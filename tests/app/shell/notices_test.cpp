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

    // By the keyboard it is closed from anywhere, with what stands below it, once Escape has nothing nearer to do.
    w.t.file("place/film", 5000);
    w.scan(w.t / "place");
    const auto escape = [&](QWidget* at) {
        at->setFocus();
        QTest::keyClick(at, Qt::Key_Escape);
    };
    say("A warning.", Severity::Warning);
    auto* picture = w.window->exploreStage()->picture();
    w.models().cursor.select(w.node(w.t / "place/film"));
    escape(picture);
    CHECK(w.place()->selection == noNode);
    CHECK(bar->isVisible());
    escape(picture);
    CHECK_FALSE(bar->isVisible());
    auto* trail = w.window->exploreStage()->trail();
    trail->setFocus();
    QTest::keyClicks(trail, "/x");
    say("A warning.", Severity::Warning);
    escape(trail);
    CHECK(bar->isVisible());
    CHECK_FALSE(trail->text().endsWith("/x"));
    for (auto* at : {static_cast<QWidget*>(trail), static_cast<QWidget*>(w.window->exploreStage()->descent()->list()),
                     w.child<QWidget>("legend"), static_cast<QWidget*>(w.child<QPushButton>("place"))}) {
        say("A warning.", Severity::Warning);
        escape(at);
        CHECK_FALSE(bar->isVisible());
    }
    say("Saved.");
    CHECK(w.notice() == "Saved.");
    CHECK(bar->property("severity") == "info");
}
