// SPDX-License-Identifier: GPL-3.0-or-later
// A tree of a million files in memory: home-like, about 13 files a folder, the same every time.
#pragma once

#include <memory>
#include <random>
#include <string>
#include <vector>

#include "core/types/file_types.h"

namespace kurvo::bench {

inline std::shared_ptr<const FileTree> bigTree(std::uint32_t files, const std::string& root = "/big")
{
    static constexpr const char* endings[] = {".jpg", ".png",  ".txt", ".o",   ".flac", ".mp4",
                                              ".log", ".json", ".zip", ".pdf", ".dat",  ""};
    std::mt19937_64 random(7);
    auto store = std::make_shared<NodeStore>(root);
    NodeStore::NameWriter names(*store);
    // First the folders, each hung below one made before it, then their files.
    const std::size_t folderCount = files / 13 + 1;
    std::vector<std::vector<std::uint32_t>> below(folderCount);
    for (std::uint32_t i = 1; i < folderCount; ++i)
        below[random() % std::min<std::size_t>(i, random() % 3 == 0 ? i : 1 + i / 9)].push_back(i);
    std::vector<std::pair<NodeId, std::uint32_t>> pending{{rootNode, 0}};
    std::uint32_t made = 0;
    for (std::size_t next = 0; next < pending.size(); ++next) {
        const auto [parent, index] = pending[next];
        const auto own = std::min<std::uint32_t>(files - made, 1 + static_cast<std::uint32_t>(random() % 25));
        std::vector<std::string> text;
        std::vector<NewNode> group;
        for (std::uint32_t i = 0; i < own; ++i)
            text.push_back((random() % 30 == 0 ? ".file-" : "file-") + std::to_string(random() % 1000000) +
                           endings[random() % std::size(endings)]);
        for (const auto folder : below[index])
            text.push_back((random() % 40 == 0 ? ".dir-" : "dir-") + std::to_string(folder));
        for (std::uint32_t i = 0; i < text.size(); ++i) {
            NewNode n;
            n.name = text[i];
            n.stat.kind = i < own ? EntryKind::File : EntryKind::Folder;
            n.stat.links = 1;
            n.stat.inode = made + i;
            // Sizes over many orders, as they are in homes.
            n.stat.size = std::uint64_t{1} << (10 + random() % 20);
            n.stat.blocks = (n.stat.size + 4095) / 4096 * 8;
            n.stat.modified = 1500000000 + static_cast<std::int64_t>(random() % 250000000);
            n.type = i < own ? typeOfName(n.name) : FileType{0};
            group.push_back(n);
        }
        const auto first = store->append(parent, group, names).first;
        for (std::uint32_t i = own; i < group.size(); ++i)
            pending.emplace_back(first + i, below[index][i - own]);
        made += own;
    }
    store->seal();
    return std::make_shared<FileTree>(std::move(store));
}

/// /flat/many with so many equal files, and one file beside it.
inline std::shared_ptr<const FileTree> flatTree(std::uint32_t files)
{
    auto store = std::make_shared<NodeStore>("/flat");
    NodeStore::NameWriter names(*store);
    std::vector<NewNode> top(2);
    top[0].name = "many";
    top[0].stat.kind = EntryKind::Folder;
    top[1].name = "beside.iso";
    top[1].stat.size = 1 << 30;
    top[1].stat.blocks = top[1].stat.size / 512;
    const auto first = store->append(rootNode, top, names).first;
    std::vector<std::string> text(files);
    std::vector<NewNode> group(files);
    for (std::uint32_t i = 0; i < files; ++i) {
        text[i] = "frame-" + std::to_string(i) + ".jpg";
        group[i].name = text[i];
        group[i].stat.inode = i + 10;
        group[i].stat.size = 4096;
        group[i].stat.blocks = 8;
        group[i].type = typeOfName(text[i]);
    }
    store->append(first, group, names);
    store->seal();
    return std::make_shared<FileTree>(std::move(store));
}

} // namespace kurvo::bench
