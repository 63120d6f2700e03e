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
    for (int month = monthCount; month-- > -1 && !stop.stop_requested();) {
        const auto path = month < 0
                              ? joinPath(folders.snapshots, "skerry-archive-2026-06.kurvo")
                              : joinPath(folders.snapshots, fmt::format("skerry-system-2026-{:02}.kurvo", month + 1));
        if (exists(path))
            continue;
        say(month < 0 ? "Making the snapshot of skerry-archive"
                      : fmt::format("Making the snapshot of month {} of {}", month + 1, monthCount));
        const auto snapshot = month < 0 ? archiveDrive() : systemDrive(month);
        if (auto written = writeSnapshot(path, snapshot.info, *snapshot.tree); !written)
            return written.error();
    }
    return Done{};
}

} // namespace kurvo::demo
