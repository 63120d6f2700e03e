// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot/together.h"

#include <algorithm>

namespace kurvo {

bool isOfOneMachine(const SnapshotInfo& a, const SnapshotInfo& b)
{
    return a.host == b.host && a.sample == b.sample;
}

SnapshotInfo addedUp(const std::vector<SnapshotInfo>& parts, std::string placeName)
{
    SnapshotInfo all;
    all.placeName = std::move(placeName);
    all.host = parts.front().host;
    all.sample = parts.front().sample;
    all.taken = parts.front().taken;
    std::vector<const SnapshotInfo*> counted;
    for (const auto& part : parts) {
        all.taken = std::min(all.taken, part.taken);
        all.seconds += part.seconds;
        all.partial |= part.partial;
        all.crossMounts |= part.crossMounts;
        all.unreadable += part.unreadable;
        all.entries += part.entries;
        all.diskBytes += part.diskBytes;
        for (const auto& glob : part.exclude)
            if (std::find(all.exclude.begin(), all.exclude.end(), glob) == all.exclude.end())
                all.exclude.push_back(glob);
        all.owners.insert(all.owners.end(), part.owners.begin(), part.owners.end());
        if (std::any_of(counted.begin(), counted.end(),
                        [&](const SnapshotInfo* known) { return isOneFilesystem(*known, part); }))
            continue;
        counted.push_back(&part);
        all.capacity.total += part.capacity.total;
        all.capacity.used += part.capacity.used;
        all.capacity.reserved += part.capacity.reserved;
        all.capacity.free += part.capacity.free;
    }
    auto& owners = all.owners;
    std::stable_sort(owners.begin(), owners.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    owners.erase(
        std::unique(owners.begin(), owners.end(), [](const auto& a, const auto& b) { return a.first == b.first; }),
        owners.end());
    return all;
}

std::string namesOf(const std::vector<SnapshotInfo>& parts)
{
    std::string names;
    for (const auto& part : parts)
        names += (names.empty() ? "" : ", ") + (part.placeName.empty() ? part.place : part.placeName);
    return names;
}

} // namespace kurvo
