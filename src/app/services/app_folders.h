// SPDX-License-Identifier: GPL-3.0-or-later
// Where the application keeps its data. With --demo everything lies in a folder of its own.
#pragma once

#include <cstdlib>
#include <string>

#include "core/base/text.h"
#include "core/platform/folders.h"

namespace kurvo::app {

struct AppFolders {
    UserFolders user;
    std::string data;  ///< `$XDG_DATA_HOME/kurvo`, or `kurvo-demo`, or what --data says
    std::string state; ///< of the log: `$XDG_STATE_HOME/kurvo`, or in `data` where that is not the usual one
    bool demo = false;
    std::string practice; ///< the demo's folder of real files

    std::string snapshots() const { return joinPath(data, "snapshots"); }
    std::string settings() const
    {
        return demo ? joinPath(data, "settings.ini") : joinPath(user.config, "kurvo/settings.ini");
    }
};

inline AppFolders appFolders(bool demo, const std::string& data = {})
{
    AppFolders folders;
    folders.user = userFolders();
    folders.demo = demo;
    folders.data = !data.empty() ? data : joinPath(folders.user.data, demo ? "kurvo-demo" : "kurvo");
    const auto* state = std::getenv("XDG_STATE_HOME"); // relative values are ignored
    folders.state = demo || !data.empty()      ? joinPath(folders.data, "state")
                    : state && state[0] == '/' ? joinPath(state, "kurvo")
                                               : joinPath(folders.user.home, ".local/state/kurvo");
    return folders;
}

} // namespace kurvo::app
