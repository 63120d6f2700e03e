// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot/catalogue.h"

#include <fcntl.h>
#include <sys/stat.h>

#include <algorithm>
#include <cctype>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/entry_stat.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

Catalogue readCatalogue(const std::string& folder)
{
    Catalogue catalogue;
    UniqueFd fd(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (!fd)
        return catalogue;
    FolderReader reader;
    reader.start(fd.get());
    while (const char* entry = reader.next()) {
        const std::string_view name(entry);
        if (!name.ends_with(snapshotSuffix) || name.starts_with('.'))
            continue;
        const auto path = joinPath(folder, name);
        auto info = readSnapshotInfo(path);
        if (info)
            catalogue.entries.push_back({path, *info});
        else
            catalogue.damaged.push_back(info.error());
    }
    std::sort(catalogue.entries.begin(), catalogue.entries.end(), [](const CatalogueEntry& a, const CatalogueEntry& b) {
        return a.info.taken != b.info.taken ? a.info.taken > b.info.taken : a.path > b.path;
    });
    return catalogue;
}

std::string snapshotPathFor(const std::string& folder, const SnapshotInfo& info)
{
    std::string base;
    for (const char c : info.place) {
        if (std::isalnum(static_cast<unsigned char>(c)) != 0)
            base += c;
        else if (!base.empty() && base.back() != '-')
            base += '-';
    }
    while (base.ends_with('-'))
        base.pop_back();
    if (base.empty())
        base = "root";
    if (base.size() > 120)
        base = base.substr(base.size() - 120);
    auto stamp = formatTime(info.taken);
    stamp[10] = '-';
    stamp.erase(std::remove(stamp.begin(), stamp.end(), ':'), stamp.end());
    for (int attempt = 1;; ++attempt) {
        const auto path =
            joinPath(folder, base + "-" + stamp + (attempt == 1 ? "" : "-" + std::to_string(attempt)) + snapshotSuffix);
        struct stat s { };
        if (::lstat(path.c_str(), &s) != 0)
            return path;
    }
}

} // namespace kurvo
