// SPDX-License-Identifier: GPL-3.0-or-later
// export --to: snapshots into a database.
#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "core/base/text.h"
#include "core/fleet/fleet_export.h"
#include "core/platform/own_data.h"

namespace kurvo::cli {

int runFleetExport(const std::vector<std::string>& sources, const std::string& to)
{
    if (!to.starts_with("postgresql://") && !to.starts_with("postgres://") && to.find('=') == to.npos) {
        complain("--to takes a database such as postgresql://user@host/name.");
        return ExitUsage;
    }
    const auto rules = readUserRules(withCarried(userFolders()).config).book;
    int status = ExitDone;
    for (const auto& source : sources) {
        const auto loaded = loadSource(source);
        if (!loaded) {
            complain(loaded.error().sentence);
            status = ExitFailed;
            continue;
        }
        // Each by a connection of its own: one that was lost costs one snapshot.
        auto database = Postgres::connect(to);
        if (!database) {
            complain(database.error().sentence);
            return ExitFailed;
        }
        std::optional<Result<FleetWritten>> written;
        std::atomic<std::uint64_t> rows{0};
        runInterruptible(
            [&](std::stop_token stop) {
                written.emplace(writeToFleet(*database, loaded->info, *loaded->tree, rules, stop,
                                             [&](std::uint64_t sent) { rows = sent; }));
            },
            [&] { return formatItems(rows, "row") + " sent"; });
        if (!*written) {
            complain(displayText(source) + ": " + written->error().sentence);
            if (written->error().kind == ErrorKind::Cancelled)
                return ExitIncomplete;
            status = ExitFailed;
            continue;
        }
        if (!output().quiet)
            fmt::print("{}  {}\n",
                       (*written)->wasThere ? std::string("there already") : formatItems((*written)->rows, "row"),
                       displayText(source));
    }
    return status;
}

} // namespace kurvo::cli
