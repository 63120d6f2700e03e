// SPDX-License-Identifier: GPL-3.0-or-later
// Where the application keeps its data. With --demo everything lies in a folder of its own.
#pragma once

#include <cstdlib>
#include <string>

#include "core/base/text.h"
#include "core/platform/own_data.h"

namespace kurvo::app {

struct AppFolders {
    UserFolders user;
    std::string data;  ///< `$XDG_DATA_HOME/kurvo`, or `kurvo-demo`, or what --data says
    std::string state; ///< of the log: `$XDG_STATE_HOME/kurvo`, or in `data` where that is not the usual one
    bool demo = false;
    bool own = false;         ///< everything of it lies in `data`, settings and log as well
    std::string practice;     ///< the demo's folder of real files
    std::string system = "/"; ///< whose packages are installed here

    std::string snapshots() const { return joinPath(data, "snapshots"); }
    /// Of the rules of upkeep.
    std::string upkeep() const { return own ? joinPath(data, "upkeep") : joinPath(user.config, "kurvo/upkeep"); }
    std::string settings() const
    {
        return own ? joinPath(data, "settings.ini") : joinPath(user.config, "kurvo/settings.ini");
    }
};

inline AppFolders appFolders(bool demo, const std::string& data = {})
{
    AppFolders folders;
    folders.user = withCarried(userFolders());
    folders.demo = demo;
    folders.own = demo || !data.empty() || !carriedData().empty();
    folders.data = !data.empty()            ? data
                   : !demo                  ? ownDataFolder(folders.user)
                   : !carriedData().empty() ? joinPath(carriedData(), "demo")
                                            : joinPath(folders.user.data, "kurvo-demo");
    const auto* state = std::getenv("XDG_STATE_HOME"); // relative values are ignored
    folders.state = folders.own                ? joinPath(folders.data, "state")
                    : state && state[0] == '/' ? joinPath(state, "kurvo")
                                               : joinPath(folders.user.home, ".local/state/kurvo");
    return folders;
}

} // namespace kurvo::app
