// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/manifest.h"

#include <algorithm>
#include <ctime>
#include <map>

#include "core/act/folder_cursor.h"
#include "core/act/tree_copy.h"
#include "core/base/text.h"

namespace kurvo {
namespace {

ContentSummary& operator+=(ContentSummary& sum, const ContentSummary& more)
{
    sum.entries += more.entries;
    sum.apparent += more.apparent;
    sum.fingerprint += more.fingerprint;
    return sum;
}

ContentSummary summaryOf(const ListedFile& file)
{
    const bool counts = file.kind == EntryKind::File || file.kind == EntryKind::SymbolicLink;
    const auto apparent = counts ? file.size : 0;
    return {1, apparent, entryFingerprint(file.kind, file.inode, apparent, file.modified, file.modifiedNs), 0};
}

ContentSummary summaryOf(const ListedFolder& folder)
{
    ContentSummary sum{1, 0, entryFingerprint(EntryKind::Folder, folder.stat.inode, 0, 0, 0), 0};
    for (const auto& file : folder.files)
        sum += summaryOf(file);
    return sum;
}

} // namespace

std::int64_t momentNow()
{
    timespec now{};
    ::clock_gettime(CLOCK_REALTIME, &now);
    return momentOf(now.tv_sec, static_cast<std::uint32_t>(now.tv_nsec));
}

void ListedFolder::add(std::string_view fileName, const EntryStat& s)
{
    files.push_back({static_cast<std::uint32_t>(names.size()), static_cast<std::uint16_t>(fileName.size()), s.kind,
                     false, s.links > 1, s.inode, s.size, s.modified, s.changed, s.modifiedNs, s.changedNs});
    names += fileName;
}

Manifest::Manifest() : folders_(1) { }

Manifest Manifest::of(const TreeCopy& copy)
{
    Manifest manifest;
    std::vector<ListedFolder*> at(copy.entries.size(), nullptr);
    for (std::size_t i = 0; i < copy.entries.size(); ++i) {
        const auto& entry = copy.entries[i];
        auto* parent = entry.parent == CopiedEntry::top ? &manifest.folders_.front() : at[entry.parent];
        if (entry.stat.kind != EntryKind::Folder) {
            parent->add(entry.name, entry.stat);
            continue;
        }
        auto& made = manifest.folders_.emplace_back();
        made.parent = parent;
        made.depth = parent->depth + 1;
        made.name = entry.name;
        made.stat = entry.stat;
        parent->folders.push_back(&made);
        at[i] = &made;
    }
    return manifest;
}

std::uint64_t Manifest::entries() const
{
    std::uint64_t sum = folders_.size() - 1;
    for (const auto& folder : folders_)
        sum += folder.files.size();
    return sum;
}

ContentSummary Manifest::summary() const
{
    ContentSummary sum;
    for (const auto& folder : folders_)
        sum += summaryOf(folder);
    sum.entries -= 1; // the folder that it is in
    sum.fingerprint -= entryFingerprint(EntryKind::Folder, folders_.front().stat.inode, 0, 0, 0);
    return sum;
}

std::vector<std::pair<std::string, ContentSummary>> Manifest::summariesIn(const std::string& name) const
{
    std::vector<std::pair<std::string, ContentSummary>> all;
    const auto& top = folders_.front().folders;
    const auto& below = top.empty() ? top : top.front()->folders;
    const auto found = std::find_if(below.begin(), below.end(), [&](const ListedFolder* f) { return f->name == name; });
    if (found == below.end())
        return all;
    for (const auto& file : (*found)->files)
        all.emplace_back((*found)->nameOf(file), summaryOf(file));
    for (const auto* item : (*found)->folders) {
        ContentSummary sum;
        std::vector<const ListedFolder*> left{item};
        while (!left.empty()) {
            const auto* folder = left.back();
            left.pop_back();
            sum += summaryOf(*folder);
            left.insert(left.end(), folder->folders.begin(), folder->folders.end());
        }
        all.emplace_back(item->name, sum);
    }
    return all;
}

namespace {

Error notTheSame(const std::string& path, const std::string& what)
{
    return {ErrorKind::Changed, path, 0, displayText(path) + " " + what + " meanwhile. It was left as it is."};
}

/// The files of a folder by name.
std::vector<const ListedFile*> byName(const ListedFolder& folder)
{
    std::vector<const ListedFile*> files;
    for (const auto& file : folder.files)
        files.push_back(&file);
    std::sort(files.begin(), files.end(),
              [&](const ListedFile* a, const ListedFile* b) { return folder.nameOf(*a) < folder.nameOf(*b); });
    return files;
}

bool sameFile(const ListedFile& now, const ListedFile& then, bool top)
{
    return now.kind == then.kind && now.inode == then.inode && now.size == then.size && now.modified == then.modified &&
           now.modifiedNs == then.modifiedNs &&
           (top || (now.changed == then.changed && now.changedNs == then.changedNs));
}

} // namespace

Result<Done> Manifest::sameAs(const Manifest& then, const std::string& shown) const
{
    std::vector<std::pair<const ListedFolder*, const ListedFolder*>> left{{&folders_.front(), &then.folders_.front()}};
    while (!left.empty()) {
        const auto [now, was] = left.back();
        left.pop_back();
        const bool top = !now->parent; // whose entry is the item itself
        const auto a = byName(*now), b = byName(*was);
        for (std::size_t i = 0, j = 0; i < a.size() || j < b.size(); ++i, ++j) {
            if (j == b.size() || (!top && i < a.size() && now->nameOf(*a[i]) < was->nameOf(*b[j])))
                return notTheSame(pathOf(now, now->nameOf(*a[i]), shown), "was added");
            if (i == a.size() || (!top && was->nameOf(*b[j]) < now->nameOf(*a[i])))
                return notTheSame(pathOf(was, was->nameOf(*b[j]), shown), "was taken away");
            if (!sameFile(*a[i], *b[j], top))
                return notTheSame(pathOf(now, now->nameOf(*a[i]), shown), "was written to or replaced");
        }
        if (now->folders.size() != was->folders.size())
            return notTheSame(pathOf(now, shown), "gained or lost a folder");
        std::map<std::string_view, const ListedFolder*> known;
        for (const auto* folder : was->folders)
            known.emplace(top ? std::string_view() : std::string_view(folder->name), folder);
        for (const auto* folder : now->folders) {
            const auto found = known.find(top ? std::string_view() : std::string_view(folder->name));
            if (found == known.end() || !folder->stat.sameObject(found->second->stat))
                return notTheSame(pathOf(folder, shown), "was added or replaced");
            left.emplace_back(folder, found->second);
        }
    }
    return Done{};
}

Result<Done> Manifest::unchangedSince(std::int64_t moment, const std::string& shown, Top top) const
{
    const auto now = momentNow();
    const auto since = [&](const ListedFile& file) { // a time that is still to come says that a clock was wrong once
        const auto changed = momentOf(file.changed, file.changedNs);
        return changed > moment && changed <= now;
    };
    for (const auto& folder : folders_)
        for (const auto& file : folder.files)
            if ((folder.parent || top == Top::Too) && since(file))
                return notTheSame(pathOf(&folder, folder.nameOf(file), shown), "was changed");
    return Done{};
}

} // namespace kurvo
