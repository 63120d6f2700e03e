// SPDX-License-Identifier: GPL-3.0-or-later
#include <sys/stat.h>

#include "cli/command.h"
#include "cli/output.h"
#include "cli/remote.h"
#include "core/base/text.h"
#include "core/platform/own_data.h"
#include "terminal/browser.h"

namespace kurvo::cli {

int runBrowse(const BrowseArguments& arguments)
{
    terminal::BrowseWish wish;
    wish.desk.user = withCarried(userFolders());
    wish.desk.data = arguments.data.empty() ? ownDataFolder(wish.desk.user) : arguments.data;
    wish.desk.snapshots = arguments.folder.empty() && !arguments.data.empty() ? joinPath(wish.desk.data, "snapshots")
                                                                              : snapshotsFolder(arguments.folder);
    wish.desk.scan = output().scan;
    wish.desk.units = output().units;
    wish.source = arguments.now.empty() ? arguments.source : arguments.now;
    wish.before = arguments.now.empty() ? std::string() : arguments.source;
    wish.screen.mouse = arguments.mouse;
    if (const auto address = remoteAddress(wish.source)) {
        wish.begin = [address] { return beginRemoteScan(*address); };
        if (wish.before.empty())
            return terminal::browse(wish);
        complain("A comparison with a place on another machine: \"kurvoctl snapshot take\" it first.");
        return ExitUsage;
    }
    // What is not there is said before the screen is taken.
    for (const auto& path : {arguments.source, arguments.now}) {
        if (path.empty())
            continue;
        if (!answers(path))
            return ExitFailed;
        struct stat s { };
        if (::stat(path.c_str(), &s) != 0) {
            complain(systemError("open", path, errno).sentence);
            return ExitFailed;
        }
    }
    return terminal::browse(wish);
}

} // namespace kurvo::cli
