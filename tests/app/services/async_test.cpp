// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <QDirIterator>
#include <QFile>
#include <QRegularExpression>
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
    runAsync(
        &context, []() -> int { throw std::runtime_error("no such column"); }, [](int) { FAIL("no result"); });
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
    CHECK(of("%n place(s) explain(s|) it", 1) == "%n place explains it");
    CHECK(of("%n place(s) explain(s|) it", 3) == "%n places explain it");
    CHECK(of("no number (s)", -1).isNull());
}

TEST_CASE("no visible text is glued from parts that a translator could not turn round", "[model][words]")
{
    // In the sources of the window: what tr() is given, its pieces put together.
    static const QRegularExpression call(R"re(\btr\(\s*((?:"(?:[^"\\]|\\.)*"\s*)+))re"),
        piece(R"re("((?:[^"\\]|\\.)*)")re");
    int seen = 0;
    for (QDirIterator files(KURVO_APP_SOURCES, {"*.cpp", "*.h"}, QDir::Files, QDirIterator::Subdirectories);
         files.hasNext();) {
        QFile file(files.next());
        REQUIRE(file.open(QIODevice::ReadOnly));
        const auto source = QString::fromUtf8(file.readAll());
        for (auto calls = call.globalMatch(source); calls.hasNext();) {
            QString text;
            for (auto pieces = piece.globalMatch(calls.next().captured(1)); pieces.hasNext();)
                text += pieces.next().captured(1);
            INFO(file.fileName().toStdString() << ": \"" << text.toStdString() << '"');
            CHECK_FALSE(text.startsWith(' '));
            CHECK_FALSE(text.startsWith(','));
            CHECK_FALSE(text.startsWith(';'));
            CHECK_FALSE(text.endsWith(' '));
            ++seen;
        }
    }
    CHECK(seen > 500);
}
