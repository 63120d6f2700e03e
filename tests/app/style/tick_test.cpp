// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <QApplication>
#include <QCheckBox>

#include "app/style/theme.h"

using namespace kurvo::app;

TEST_CASE("a box to tick is seen in every theme, and whether it is ticked", "[contrast]")
{
    ThemeControl control;
    control.laySheet();
    const auto choice = GENERATE(ThemeChoice::Light, ThemeChoice::Dark);
    control.setMoreContrast(GENERATE(false, true));
    control.choose(choice);
    QCheckBox box;
    box.resize(40, 30);
    const auto farthest = [&] {
        const auto picture = box.grab().toImage();
        double most = 1;
        for (int y = 0; y < picture.height(); ++y)
            for (int x = 0; x < picture.width(); ++x)
                most = std::max(most, contrastOf(picture.pixelColor(x, y), theme().window));
        return most;
    };
    CHECK(farthest() >= 3);
    const auto without = box.grab().toImage();
    box.setChecked(true);
    CHECK(farthest() >= 3);
    CHECK(box.grab().toImage() != without);
    control.setMoreContrast(false);
    control.choose(ThemeChoice::Light);
}
