// SPDX-License-Identifier: GPL-3.0-or-later
#include "demo/demo_data.h"

#include <sys/stat.h>

#include <fmt/format.h>

#include "core/base/text.h"
#include "core/platform/folders.h"
#include "demo/practice.h"
#include "demo/world.h"

namespace kurvo::demo {
namespace {

bool exists(const std::string& path)
{
    struct stat s { };
    return ::lstat(path.c_str(), &s) == 0;
}

} // namespace

DemoFolders demoFolders(const std::string& data)
{
    return {joinPath(data, "snapshots"), joinPath(data, "practice")};
}

Result<Done> prepareDemoData(const std::string& data, std::stop_token stop,
                             const std::function<void(const std::string&)>& onStep)
{
    const auto folders = demoFolders(data);
    const auto say = [&onStep](const std::string& text) {
        if (onStep)
            onStep(text);
    };
    if (auto made = makeFolders(folders.snapshots); !made)
        return made.error();
    if (!exists(folders.practice)) {
        say("Making the practice folder");
        if (auto made = makePracticeFolder(folders.practice); !made)
            return made.error();
    }
    struct Wanted {
        std::string file, what;
        std::function<Snapshot()> make;
    };
    std::vector<Wanted> all;
    for (int month = monthCount; month-- > 0;) {
        all.push_back({fmt::format("skerry-system-2026-{:02}.kurvo", month + 1),
                       fmt::format("month {} of {}", month + 1, monthCount), [month] { return systemDrive(month); }});
        if (month % 2 == 1)
            all.push_back({fmt::format("skerry-archive-2026-{:02}.kurvo", month + 1),
                           fmt::format("skerry-archive, month {}", month + 1),
                           [month] { return archiveDrive(month); }});
    }
    for (const auto& one : all) {
        if (stop.stop_requested())
            break;
        const auto path = joinPath(folders.snapshots, one.file);
        if (exists(path))
            continue;
        say("Making the snapshot of " + one.what);
        const auto snapshot = one.make();
        if (auto written = writeSnapshot(path, snapshot.info, *snapshot.tree); !written)
            return written.error();
    }
    return Done{};
}

} // namespace kurvo::demo
