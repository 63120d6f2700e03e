// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <QTest>

#include <new>
#include <stdexcept>
#include <thread>

#include "app/services/async.h"
#include "app/style/plurals.h"

using namespace kurvo::app;

TEST_CASE("work that throws ends, and whoever began it hears why", "[model][async]")
{
    QObject context;
    QString problem;
    runAsync(
        &context, []() -> int { throw std::bad_alloc(); }, [](int) { FAIL("there is no result"); },
        [&](const QString& sentence) { problem = sentence; });
    REQUIRE(QTest::qWaitFor([&] { return !problem.isEmpty(); }, 5000));
    CHECK(problem.contains("not enough memory"));

    QString told;
    QObject::connect(&AsyncProblems::instance(), &AsyncProblems::told, &context,
                     [&](const QString& sentence) { told = sentence; });
    runAsync(&context, []() -> int { throw std::runtime_error("no such column"); }, [](int) { FAIL("no result"); });
    REQUIRE(QTest::qWaitFor([&] { return !told.isEmpty(); }, 5000));
    CHECK(told.contains("no such column"));
}

TEST_CASE("nobody is told of work whose asker is gone", "[model][async]")
{
    auto context = std::make_unique<QObject>();
    std::atomic<bool> over = false;
    runAsync(
        context.get(),
        [&over] {
            std::this_thread::sleep_for(std::chrono::milliseconds(30));
            over = true;
            return 1;
        },
        [](int) { FAIL("it is gone"); });
    context.reset();
    REQUIRE(QTest::qWaitFor([&] { return over.load(); }, 5000));
    QTest::qWait(20);
}

TEST_CASE("plurals are written as an Englishman would", "[model][words]")
{
    const EnglishPlurals plurals;
    const auto of = [&](const char* text, int n) { return plurals.translate("", text, nullptr, n); };
    CHECK(of("%n item(s) back in place.", 1) == "%n item back in place.");
    CHECK(of("%n item(s) back in place.", 2) == "%n items back in place.");
    CHECK(of("%n entr(y|ies) (hidden)", 0) == "%n entries (hidden)");
    CHECK(of("%n entr(y|ies) (hidden)", 1) == "%n entry (hidden)");
    CHECK(of("no number (s)", -1).isNull());
}
