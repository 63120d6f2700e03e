// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <QProcess>

TEST_CASE("the window is driven at random", "[window][random]")
{
    // In a process of its own, so that a fall is seen for what it is: tools/random_hands.cpp.
    QProcess hands;
    hands.setProcessChannelMode(QProcess::MergedChannels);
    hands.start(QStringLiteral(KURVO_RANDOM_HANDS), {QStringLiteral("7"), QStringLiteral("1500")});
    REQUIRE(hands.waitForFinished(600000));
    const auto said = hands.readAll();
    INFO(said.toStdString());
    CHECK(hands.exitStatus() == QProcess::NormalExit);
    CHECK(hands.exitCode() == 0);
}
