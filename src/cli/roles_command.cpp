// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include <fmt/format.h>

#include "cli/command.h"
#include "core/advice/tree_advice.h"
#include "core/base/figures.h"
#include "core/platform/own_data.h"

namespace kurvo::cli {

int runRoles(const std::string& source, bool json)
{
    auto loaded = loadSource(source);
    if (!loaded) {
        complain(loaded.error().sentence);
        return ExitFailed;
    }
    const auto& tree = *loaded->tree;
    const auto sums = rolesBelow(tree, adviseTree(readUserRules(withCarried(userFolders()).config).book, tree));
    std::vector<std::size_t> order;
    for (std::size_t role = 0; role < roleCount; ++role)
        if (sums[role].disk > 0 || sums[role].files > 0)
            order.push_back(role);
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return sums[a].disk > sums[b].disk; });
    for (const auto role : order) {
        const auto& sum = sums[role];
        if (json)
            fmt::print("{{\"role\": \"{}\", \"files\": {}, \"apparent_bytes\": {}, \"disk_bytes\": {}}}\n",
                       roleName(static_cast<Role>(role)), sum.files, sum.apparent, sum.disk);
        else
            fmt::print("{:>10}  {:>9}  {:>16}  {}\n", formatBytes(sum.disk), formatShare(sum.disk, tree.disk(rootNode)),
                       formatItems(sum.files, "file"), roleTitle(static_cast<Role>(role)));
    }
    return loaded->finish();
}

} // namespace kurvo::cli
