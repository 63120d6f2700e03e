// SPDX-License-Identifier: GPL-3.0-or-later
// Looking at a tree while it is being built.
#include <catch2/catch.hpp>

#include <random>
#include <thread>

#include "core/tree/growing_tree.h"
#include "core/types/file_types.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

NewNode entry(std::string_view name, bool isFolder, std::uint64_t blocks, std::uint64_t inode, std::uint32_t links = 1)
{
    NewNode node;
    node.name = name;
    node.stat.kind = isFolder ? EntryKind::Folder : EntryKind::File;
    node.stat.blocks = isFolder ? 0 : blocks;
    node.stat.size = node.stat.blocks * 512;
    node.stat.inode = inode;
    node.stat.links = links;
    node.stat.modified = 1700000000 + static_cast<std::int64_t>(inode);
    node.type = typeOfName(name);
    return node;
}

/// Reads a finished tree folder by folder into a new store, in an order of its own, as a scan would.
class Regrower {
public:
    Regrower(const FileTree& model, std::uint64_t seed)
        : model_(model), random_(seed), store_(std::make_shared<NodeStore>(model.name(rootNode))), names_(*store_)
    {
        waiting_.emplace_back(rootNode, rootNode);
    }
    bool step()
    {
        if (waiting_.empty())
            return false;
        std::swap(waiting_[random_() % waiting_.size()], waiting_.back());
        const auto [from, to] = waiting_.back();
        waiting_.pop_back();
        std::vector<NewNode> group;
        std::vector<NodeId> sources;
        const auto& s = model_.store();
        model_.forEachChild(from, [&](NodeId child) {
            auto node = entry(s.name(child), s.isFolder(child), s.ownDisk(child) / 512, s.inode(child),
                              s.has(child, FlagLinked) ? s.linkSets()[s.linkSetOf(child)].links : 1);
            node.stat.size = s.ownApparent(child);
            node.stat.modified = s.modified(child);
            group.push_back(node);
            sources.push_back(child);
        });
        const auto first = store_->append(to, group, names_).first;
        for (std::uint32_t i = 0; i < group.size(); ++i)
            if (s.isFolder(sources[i]))
                waiting_.emplace_back(sources[i], first + i);
        return true;
    }
    const std::shared_ptr<NodeStore>& store() const { return store_; }

private:
    const FileTree& model_;
    std::mt19937_64 random_;
    std::shared_ptr<NodeStore> store_;
    NodeStore::NameWriter names_;
    std::vector<std::pair<NodeId, NodeId>> waiting_;
};

void sameSums(const FolderSums& a, const FolderSums& b)
{
    CHECK(a.disk == b.disk);
    CHECK(a.apparent == b.apparent);
    CHECK(a.files == b.files);
    CHECK(a.folders == b.folders);
    CHECK(a.hiddenFiles == b.hiddenFiles);
    CHECK(a.newest == b.newest);
    CHECK(a.oldest == b.oldest);
}

} // namespace

TEST_CASE("a growing tree says at each look what a sum over all would", "[tree]")
{
    for (std::uint64_t seed = 1; seed <= 20; ++seed) {
        const auto model = randomTree(seed);
        Regrower regrower(*model, seed);
        GrowingTree growing(regrower.store());
        GrowingFamilies families;
        std::mt19937_64 random(seed);
        std::uint64_t before = 0;
        do {
            if (random() % 3 != 0)
                continue;
            const auto look = growing.look();
            CHECK(look->isGrowing());
            CHECK(look->disk(rootNode) >= before); // it only grows
            before = look->disk(rootNode);
            // Every folder is the sum of its children.
            look->forEachBelow(rootNode, [&](NodeId node) {
                if (!look->isFolder(node))
                    return;
                std::uint64_t disk = 0, files = 0;
                look->forEachChild(node, [&](NodeId child) {
                    disk += look->disk(child);
                    files += look->files(child);
                });
                CHECK(look->disk(node) == disk);
                CHECK(look->files(node) == files);
            });
            CHECK(*families.look(*look) == *dominantFamilies(*look));
        } while (regrower.step());
        const auto last = growing.look();
        const auto lastFamilies = families.look(*last);
        regrower.store()->seal();
        const FileTree finished(regrower.store());
        CHECK_FALSE(finished.isGrowing());
        // Where a linked file counts may move at the end, from a hidden path to one that is not: the whole stays.
        sameSums(last->sums(rootNode), finished.sums(rootNode));
        CHECK(last->disk(rootNode) == model->disk(rootNode));
        CHECK(lastFamilies->size() == finished.extent().folders);
    }
}

TEST_CASE("of a file with several links a growing tree counts the path met first, the finished one the first by name",
          "[tree]")
{
    auto store = std::make_shared<NodeStore>("/p");
    NodeStore::NameWriter names(*store);
    const NewNode folders[] = {entry("a", true, 0, 2), entry("z", true, 0, 3)};
    const auto first = store->append(rootNode, folders, names).first;
    const NewNode late[] = {entry("same", false, 8, 9, 2)};
    const auto inZ = store->append(first + 1, late, names);
    CHECK(inZ.diskBytes == 4096);
    GrowingTree growing(store);
    CHECK(growing.look()->disk(first + 1) == 4096);
    const NewNode early[] = {entry("same", false, 8, 9, 2)};
    const auto inA = store->append(first, early, names);
    CHECK(inA.diskBytes == 0); // met before
    const auto look = growing.look();
    CHECK(look->disk(rootNode) == 4096);
    CHECK(look->countedAt(inZ.first) == inZ.first);
    CHECK(look->countedAt(inA.first) == noNode);
    store->seal();
    const FileTree finished(store);
    CHECK(finished.disk(first) == 4096);
    CHECK(finished.disk(first + 1) == 0);
    CHECK(finished.countedAt(inZ.first) == inA.first);
}

TEST_CASE("looks are taken while several threads append", "[tree][scan]")
{
    auto store = std::make_shared<NodeStore>("/p");
    constexpr std::uint32_t workers = 4, rounds = 300, each = 40;
    NodeStore::NameWriter names(*store);
    std::vector<NewNode> tops;
    const std::string topNames[] = {"one", "two", ".three", "four"};
    for (const auto& name : topNames)
        tops.push_back(entry(name, true, 0, 1));
    const auto first = store->append(rootNode, tops, names).first;
    std::vector<std::thread> team;
    std::atomic<std::uint32_t> running{workers};
    for (std::uint32_t w = 0; w < workers; ++w)
        team.emplace_back([&, w] {
            NodeStore::NameWriter own(*store);
            NodeId at = first + w;
            for (std::uint32_t r = 0; r < rounds; ++r) {
                std::vector<std::string> texts;
                for (std::uint32_t i = 0; i < each; ++i)
                    texts.push_back("entry-" + std::to_string(r) + "-" + std::to_string(i));
                std::vector<NewNode> group{entry("deeper", true, 0, r)};
                for (std::uint32_t i = 0; i < each; ++i)
                    group.push_back(
                        entry(texts[i], false, 8, std::uint64_t{w} << 32 | (r * each + i), i % 10 == 0 ? 2 : 1));
                at = store->append(at, group, own).first;
                store->addFlags(at, FlagUnreadable);
            }
            --running;
        });
    GrowingTree growing(store);
    std::uint32_t files = 0;
    while (running > 0) {
        const auto look = growing.look();
        CHECK(look->sums(rootNode).files >= files);
        files = look->sums(rootNode).files;
        std::uint64_t seen = 0;
        look->forEachBelow(rootNode,
                           [&](NodeId node) { seen += look->isFolder(node) ? 0 : look->name(node).size() > 0; });
        CHECK(seen == files);
    }
    for (auto& thread : team)
        thread.join();
    CHECK(growing.look()->sums(rootNode).files == workers * rounds * each);
    store->seal();
    CHECK(FileTree(store).disk(rootNode) == std::uint64_t{workers} * rounds * each * 4096);
}
