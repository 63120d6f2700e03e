// SPDX-License-Identifier: GPL-3.0-or-later
#include "demo/sketch.h"

#include <xxhash.h>

#include <ctime>
#include <span>

#include "core/base/text.h"
#include "core/types/file_types.h"

namespace kurvo::demo {
namespace {

constexpr std::uint64_t seed = 20260630;
constexpr std::uint64_t device = std::uint64_t{259} << 32 | 2;

} // namespace

std::int64_t day(int year, int month, int dayOfMonth, int hour)
{
    std::tm parts{};
    parts.tm_year = year - 1900;
    parts.tm_mon = month - 1;
    parts.tm_mday = dayOfMonth;
    parts.tm_hour = hour;
    return timegm(&parts);
}

std::uint64_t chance(std::string_view key, std::uint64_t below)
{
    return below == 0 ? 0 : XXH3_64bits_withSeed(key.data(), key.size(), seed) % below;
}

Sketch::Sketch(const std::string& rootPath)
{
    Entry root;
    root.name = rootPath;
    root.stat.kind = EntryKind::Folder;
    root.stat.device = device;
    root.stat.inode = 2;
    root.stat.blocks = 8;
    root.stat.modified = day(2025, 9, 1);
    entries_.push_back(root);
    paths_.push_back("/");
}

std::size_t Sketch::folder(const std::string& path, std::uint32_t uid, std::int64_t modified)
{
    std::size_t at = 0;
    for (std::size_t begin = 1; begin < path.size();) {
        const auto end = std::min(path.find('/', begin), path.size());
        const auto name = path.substr(begin, end - begin);
        std::size_t found = 0;
        for (const auto child : entries_[at].children)
            if (entries_[child].stat.kind == EntryKind::Folder && entries_[child].name == name)
                found = child;
        if (found == 0) {
            found = entries_.size();
            Entry entry;
            entry.name = name;
            entry.stat.kind = EntryKind::Folder;
            entry.stat.device = device;
            entry.stat.uid = uid;
            entry.stat.blocks = 8;
            entry.stat.modified = modified;
            entry.stat.inode = 1000 + chance("inode:" + path.substr(0, end), std::uint64_t{1} << 40);
            entries_.push_back(std::move(entry));
            paths_.push_back(path.substr(0, end));
            entries_[at].children.push_back(found);
        }
        at = found;
        begin = end + 1;
    }
    return at;
}

Sketch::Entry& Sketch::file(std::size_t folder, const std::string& name, std::uint64_t size, std::int64_t modified,
                            std::uint32_t uid, const std::string& identity)
{
    const auto path = joinPath(paths_[folder], name);
    Entry entry;
    entry.name = name;
    entry.stat.device = device;
    entry.stat.uid = uid;
    entry.stat.links = 1;
    entry.stat.size = size;
    entry.stat.blocks = (size + 4095) / 4096 * 8;
    entry.stat.modified = modified;
    const auto& key = identity.empty() ? path : identity;
    entry.stat.inode = 1000 + chance("inode:" + key, std::uint64_t{1} << 40);
    entry.stat.modifiedNs = static_cast<std::uint32_t>(chance("ns:" + key, 1000000000));
    entries_[folder].children.push_back(entries_.size());
    entries_.push_back(std::move(entry));
    paths_.emplace_back();
    return entries_.back();
}

std::shared_ptr<const NodeStore> Sketch::build() const
{
    auto store = std::make_shared<NodeStore>(entries_[0].name);
    NodeStore::NameWriter names(*store);
    store->setRoot(entries_[0].stat, names);
    std::vector<std::pair<NodeId, std::size_t>> folders{{rootNode, 0}};
    std::vector<NewNode> group;
    for (std::size_t i = 0; i < folders.size(); ++i) {
        const auto [node, index] = folders[i];
        group.clear();
        for (const auto child : entries_[index].children) {
            const auto& entry = entries_[child];
            const bool isFile = entry.stat.kind != EntryKind::Folder;
            group.push_back({entry.name, entry.stat, entry.flags, isFile ? typeOfName(entry.name) : FileType{0}});
        }
        const auto first = store->append(node, group, names).first;
        NodeId id = first;
        for (const auto child : entries_[index].children) {
            if (entries_[child].stat.kind == EntryKind::Folder)
                folders.emplace_back(id, child);
            ++id;
        }
    }
    store->seal();
    return store;
}

} // namespace kurvo::demo
