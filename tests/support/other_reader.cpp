// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/other_reader.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <memory>

#include "core/snapshot/snapshot.h"

namespace kurvo::test {
namespace fs = std::filesystem;

void checkWithOtherReader(const std::string& script, const std::vector<std::string>& snapshots)
{
    if (snapshots.empty())
        return;
    std::string command = "/usr/bin/python3 '" + script + "'";
    for (const auto& path : snapshots)
        command += " '" + path + "'";
    const std::unique_ptr<FILE, int (*)(FILE*)> pipe(::popen((command + " 2>&1").c_str(), "r"), ::pclose);
    char buffer[8192];
    for (const auto& path : snapshots) {
        const bool isThere = pipe && std::fgets(buffer, sizeof buffer, pipe.get());
        const std::string line(isThere ? buffer : "nothing");
        const auto read = readSnapshot(path);
        INFO(path << ": " << line);
        CHECK(read);
        if (!read)
            continue;
        const auto& sums = read->tree->sums(rootNode);
        CHECK(line.find(fmt::format("\"files\": {}, \"folders\": {}, \"apparent_bytes\": {}, \"disk_bytes\": {}",
                                    sums.files, sums.folders, sums.apparent, sums.disk)) != std::string::npos);
    }
}

void checkSnapshotsIn(const std::string& folder)
{
    const char* script = std::getenv("KURVO_OTHER_READER");
    if (!script || ::access(script, R_OK) != 0) // who runs as nobody may not come to it
        return;
    std::vector<std::string> sound;
    std::error_code error;
    for (fs::recursive_directory_iterator at(folder, fs::directory_options::skip_permission_denied, error), end;
         !error && at != end; at.increment(error)) {
        const auto& path = at->path().native();
        if (path.ends_with(snapshotSuffix) && path.find('\'') == std::string::npos && at->is_regular_file(error) &&
            readSnapshot(path))
            sound.push_back(path);
    }
    checkWithOtherReader(script, sound);
}

} // namespace kurvo::test
