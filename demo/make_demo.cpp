// SPDX-License-Identifier: GPL-3.0-or-later
// kurvo-make-demo FOLDER: writes the demo's snapshots and practice folder there.
#include <fmt/format.h>

#include "demo/demo_data.h"

int main(int argc, char** argv)
{
    if (argc != 2) {
        fmt::print(stderr, "usage: kurvo-make-demo FOLDER\n");
        return 2;
    }
    const auto made =
        kurvo::demo::prepareDemoData(argv[1], {}, [](const std::string& step) { fmt::print("{}\n", step); });
    if (!made) {
        fmt::print(stderr, "kurvo-make-demo: {}\n", made.error().sentence);
        return 3;
    }
    return 0;
}
