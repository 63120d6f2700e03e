// SPDX-License-Identifier: GPL-3.0-or-later
// kurvoctl: the core for terminals and scripts.
#include <cerrno>
#include <cstdio>
#include <system_error>

#include "cli/apart.h"
#include "cli/arguments.h"
#include "cli/completion.h"
#include "cli/manual.h"
#include "cli/output.h"
#include "core/base/text.h"
#include "core/platform/own_data.h"

using namespace kurvo::cli;

int main(int argc, char** argv)
{
    CLI::App app{"kurvoctl: see what fills a drive, from a terminal.\n"
                 "Exit status: 0 done; 1 done, but something could not be read; 2 wrong usage; 3 failed."};
    Arguments arguments(app);
    describeCommands(app);

    // What is typed is taken as it is, whatever it begins with.
    if (argc >= 2 && std::string_view(argv[1]) == "complete") {
        const int begin = argc >= 3 && std::string_view(argv[2]) == "--" ? 3 : 2;
        return runComplete(app, std::vector<std::string>(argv + begin, argv + argc));
    }
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app.exit(error) == 0 ? ExitDone : ExitUsage;
    }
    if (arguments.readsConfig()) {
        const auto folder = kurvo::withCarried(kurvo::userFolders()).config;
        if (const auto read = readConfig(kurvo::joinPath(folder, "kurvo/kurvoctl.toml"), output()); !read) {
            complain(read.error().sentence);
            return ExitUsage;
        }
    }
    arguments.settle();
    const auto toTheEnd = [&arguments]() -> int {
        int status = ExitFailed;
        try {
            status = arguments.chosen();
            if (std::fflush(stdout) != 0)
                throw std::system_error(errno, std::generic_category());
        } catch (const std::system_error& error) { // fmt reports a failed write this way
            complain("Could not write the output: " + kurvo::systemErrorText(error.code().value()) + ".");
            return ExitFailed;
        }
        return status;
    };
    return !arguments.endsByItself && anyDriveMayHang() ? runApart(toTheEnd) : toTheEnd();
}
