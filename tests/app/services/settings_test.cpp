// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <QTest>

#include "app/model/view_memory.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;
using namespace kurvo::app;

namespace {

struct Told {
    QStringList sentences;
    explicit Told(Settings& settings)
    {
        QObject::connect(&settings, &Settings::fellBack, &settings,
                         [this](const QString& sentence) { sentences << sentence; });
    }
    QString all()
    {
        QTest::qWait(5);
        return sentences.join('\n');
    }
};

} // namespace

TEST_CASE("settings come back as they were set, whatever is in them", "[services][settings]")
{
    TestFolder t;
    const auto file = t / "settings.ini";
    const QStringList odd{QStringLiteral("a, b"), QStringLiteral("@Invalid()"), QStringLiteral("\"x\" = 1;"),
                          QString()};
    {
        Settings settings(file);
        settings.set(setting::theme, 2);
        settings.set(setting::crossMounts, true);
        settings.set(setting::moveTo, QStringLiteral("/media/a, b"));
        settings.set(setting::keptFilters, odd);
        settings.set(setting::recentPlaces, {QStringLiteral("/one")});
        settings.set(setting::geometry, QByteArray("\0\1x", 3));
        settings.setLeftOut("/home/\xff", QStringLiteral("*.iso, *.tmp"));
    }
    Settings settings(file);
    Told told(settings);
    CHECK(settings.of(setting::theme) == 2);
    CHECK(settings.of(setting::crossMounts));
    CHECK(settings.of(setting::moveTo) == "/media/a, b");
    CHECK(settings.of(setting::keptFilters) == odd);
    CHECK(settings.of(setting::recentPlaces) == QStringList{"/one"});
    CHECK(settings.of(setting::geometry) == QByteArray("\0\1x", 3));
    CHECK(settings.leftOut("/home/\xff") == "*.iso, *.tmp");
    CHECK(settings.of(setting::weightThreshold) == 80); // never set
    CHECK(told.all() == "");
}

TEST_CASE("a setting that cannot be meant falls back to its default, and that is told once", "[services][settings]")
{
    TestFolder t;
    const auto file = t.text("settings.ini", "[window]\ntheme=purple\ndecimal=perhaps\ngeometry=wide\n"
                                             "[explore]\nthreshold=900\ndescentSort=1, 2\nview=1-2\n"
                                             "[plan]\nmoveTo=a, b\n[scan]\nwithRights=1\n"
                                             "[find]\nkept=@ByteArray(x)\n");
    {
        Settings settings(file);
        Told told(settings);
        CHECK(settings.of(setting::theme) == 0);
        CHECK_FALSE(settings.of(setting::decimalSizes));
        CHECK(settings.of(setting::geometry).isEmpty());
        CHECK(settings.of(setting::weightThreshold) == 80);
        CHECK(settings.of(setting::descentSort) == 0);
        CHECK(ViewMemory(settings).last() == ViewState{});
        CHECK(settings.of(setting::moveTo).isEmpty());
        CHECK(settings.of(setting::keptFilters).isEmpty());
        CHECK(settings.of(setting::withRights));
        const auto said = told.all();
        CHECK(told.sentences.size() == 1);
        for (const auto* key : {"window/theme", "window/decimal", "window/geometry", "explore/threshold",
                                "explore/descentSort", "explore/view", "plan/moveTo", "find/kept"})
            CHECK(said.contains(QLatin1String(key)));
        CHECK_FALSE(said.contains("withRights"));
    }
    Settings again(file);
    Told told(again);
    CHECK(again.of(setting::theme) == 0);
    CHECK(told.all() == "");
}

TEST_CASE("a damaged file of settings is read as far as it goes, told, and kept beside", "[services][settings]")
{
    TestFolder t;
    const std::string damaged = "[window]\ntheme=1\n[scan\ncrossMounts=true\n";
    const auto file = t.text("settings.ini", damaged);
    {
        Settings settings(file);
        Told told(settings);
        CHECK(settings.of(setting::theme) == 1);
        CHECK(told.all().contains("damaged"));
        settings.set(setting::theme, 2);
    }
    CHECK(readAll(file + ".damaged") == damaged);
    Settings settings(file);
    CHECK(settings.of(setting::theme) == 2);
}

TEST_CASE("settings that cannot be saved are told once, and hold until the end", "[services][settings]")
{
    TestFolder t;
    t.text("in the way", "a file where the folder should be");
    Settings settings(t / "in the way/settings.ini");
    Told told(settings);
    settings.set(setting::weightThreshold, 70);
    REQUIRE(QTest::qWaitFor([&] { return told.all().contains("cannot be saved"); }));
    settings.set(setting::weightThreshold, 75);
    QTest::qWait(700);
    CHECK(told.sentences.size() == 1);
    CHECK(settings.of(setting::weightThreshold) == 75);
}
