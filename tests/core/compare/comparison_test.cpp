// SPDX-License-Identifier: GPL-3.0-or-later
// Two trees of real folders, changed at random in between, against a comparison of two listings made the slow way.
#include <catch2/catch.hpp>

#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <random>
#include <set>

#include "core/base/text.h"
#include "core/compare/comparison.h"
#include "core/compare/explain.h"
#include "core/scan/scanner.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;
namespace fs = std::filesystem;

namespace {

std::shared_ptr<const FileTree> scanned(const std::string& path)
{
    auto result = scan(path, {});
    REQUIRE(result);
    return result->tree;
}

struct Listed {
    std::uint64_t inode = 0, size = 0, disk = 0;
    std::int64_t modified = 0;
    bool folder = false, linked = false;
};
using Listing = std::map<std::string, Listed>;

Listing list(const std::string& top)
{
    Listing all;
    for (const auto& entry : fs::recursive_directory_iterator(top)) {
        struct stat s { };
        REQUIRE(::lstat(entry.path().c_str(), &s) == 0);
        all[entry.path()] = {s.st_ino,
                             static_cast<std::uint64_t>(s.st_size),
                             static_cast<std::uint64_t>(s.st_blocks) * 512,
                             s.st_mtim.tv_sec * 1000000000 + s.st_mtim.tv_nsec,
                             S_ISDIR(s.st_mode),
                             s.st_nlink > 1};
    }
    return all;
}

/// Changes a tree at random, the way people and programs do.
class Changer {
public:
    Changer(std::string top, unsigned seed) : top_(std::move(top)), random_(seed) { }

    void grow(int entries)
    {
        for (int i = 0; i < entries; ++i) {
            const auto folder = any(true);
            const auto path = folder + "/n" + std::to_string(++count_);
            switch (random_() % 8) {
            case 0:
            case 1:
                fs::create_directory(path);
                break;
            case 2:
                if (const auto other = any(false); !other.empty()) {
                    (void)!::link(other.c_str(), path.c_str());
                    break;
                }
                [[fallthrough]];
            default:
                writeAll(path, std::string(random_() % 9000, 'x'));
                setModified(path, 1700000000 + static_cast<std::int64_t>(random_() % 100000));
            }
        }
    }
    void change(int changes)
    {
        for (int i = 0; i < changes; ++i) {
            const bool folder = random_() % 3 == 0;
            const auto path = any(folder);
            if (path.empty() || path == top_)
                continue;
            switch (random_() % 4) {
            case 0:
                fs::remove_all(path);
                break;
            case 1:
                if (!folder)
                    writeAll(path, std::string(random_() % 20000, 'y'));
                break;
            default:
                if (const auto to = any(true); !isAtOrBelow(to, path))
                    (void)::rename(path.c_str(), (to + "/m" + std::to_string(++count_)).c_str());
            }
        }
        grow(changes / 2);
    }

private:
    std::string any(bool folder)
    {
        std::vector<std::string> all;
        if (folder)
            all.push_back(top_);
        for (const auto& entry : fs::recursive_directory_iterator(top_))
            if (entry.is_directory() == folder)
                all.push_back(entry.path());
        std::sort(all.begin(), all.end());
        return all.empty() ? std::string() : all[random_() % all.size()];
    }
    std::string top_;
    std::mt19937 random_;
    int count_ = 0;
};

std::int64_t difference(std::uint64_t a, std::uint64_t b)
{
    return static_cast<std::int64_t>(a) - static_cast<std::int64_t>(b);
}

const ChangeLine* lineAt(const Comparison& c, const std::vector<ChangeLine>& lines, const std::string& path,
                         Change change)
{
    for (const auto& line : lines)
        if (c.tree()->path(line.node) == path && line.change == change)
            return &line;
    return nullptr;
}

} // namespace

TEST_CASE("random pairs of trees: every change is said once, and at every folder it adds up", "[compare]")
{
    for (unsigned seed = 1; seed <= 30; ++seed) {
        INFO("seed " << seed);
        TestFolder t;
        const auto top = t.folder("top");
        Changer changer(top, seed);
        changer.grow(120);
        const auto oldList = list(top);
        const auto oldCount = recount(top);
        const auto before = scanned(top);
        changer.change(static_cast<int>(5 + seed % 40));
        const auto newList = list(top);
        const auto newCount = recount(top);
        const auto now = scanned(top);
        const auto c = Comparison::make(now, before);
        REQUIRE(c);

        // Each entry is found again from both sides; what moved or is gone at its own path only.
        std::size_t lost = 0;
        c->tree()->forEachBelow(rootNode, [&](NodeId node) {
            const auto change = c->change(node);
            if (change != Change::MovedAway && c->nowOf(node) != noNode)
                lost += c->atNow(c->nowOf(node)) == node ? 0 : 1;
            if (change != Change::Moved && c->beforeOf(node) != noNode)
                lost += c->atBefore(c->beforeOf(node)) == node ? 0 : 1;
        });
        CHECK(lost == 0);

        // The lines: their sum is the net change, and each file is matched with the one that it was.
        const auto lines = changeList(*c);
        std::int64_t sum = 0;
        std::map<std::string, std::string> movedFrom;
        std::set<std::string> appeared, vanished, differs;
        for (const auto& line : lines) {
            sum += line.delta;
            const auto path = c->tree()->path(line.node);
            INFO(changeName(line.change) << " " << path << " " << line.delta);
            if (line.change == Change::Moved) {
                movedFrom[path] = c->pathBefore(line.node);
                CHECK(oldList.count(c->pathBefore(line.node)) == 1);
            } else if (line.change == Change::Appeared) {
                CHECK(newList.count(path) == 1);
                appeared.insert(path);
            } else if (line.change == Change::Vanished) {
                CHECK(oldList.count(c->pathBefore(line.node)) == 1);
                vanished.insert(c->pathBefore(line.node));
            } else {
                differs.insert(path);
            }
        }
        CHECK(sum == c->net(rootNode, Measure::Disk));
        // Every folder: the net change is the difference of its totals; in a folder that moved, to where it was.
        std::set<std::string> folders;
        for (const auto* counts : {&oldCount, &newCount})
            for (const auto& [path, totals] : counts->folders)
                folders.insert(path);
        for (const auto& path : folders) {
            auto then = path;
            bool movedWith = false, leftWith = false;
            for (std::string up(parentPath(path)); up.size() > top.size(); up = parentPath(up)) {
                if (movedFrom.count(up) && !movedWith) {
                    then = movedFrom.at(up) + path.substr(up.size());
                    movedWith = true;
                }
                leftWith = leftWith || std::any_of(movedFrom.begin(), movedFrom.end(),
                                                   [&](const auto& moved) { return moved.second == up; });
            }
            if (leftWith)
                continue; // it is counted where it moved to
            const auto was = oldCount.folders.count(then) ? oldCount.folders.at(then) : Recount::Totals{};
            const auto is = newCount.folders.count(path) ? newCount.folders.at(path) : Recount::Totals{};
            ChangeSums disk, apparent, files;
            // By its path: what vanished or moved away and what is new of one name are two entries.
            c->tree()->forEachBelow(rootNode, [&](NodeId node) {
                if (c->tree()->path(node) != path || !c->tree()->isFolder(node))
                    return;
                disk.add(c->sums(node, Measure::Disk));
                apparent.add(c->sums(node, Measure::Apparent));
                files.add(c->sums(node, Measure::Files));
            });
            INFO(path);
            CHECK(disk.net() == difference(is.disk, was.disk));
            CHECK(apparent.net() == difference(is.apparent, was.apparent));
            CHECK(files.net() == difference(is.files, was.files));
        }

        const auto isBelow = [](const std::set<std::string>& tops, const std::string& path) {
            return std::any_of(tops.begin(), tops.end(), [&](const auto& one) { return isAtOrBelow(path, one); });
        };
        std::set<std::string> matched;
        for (const auto& [path, entry] : newList) {
            // The nearest that moved, or appeared, decides where it was.
            std::string was = path;
            for (std::string up = path; up.size() > top.size(); up = parentPath(up)) {
                if (movedFrom.count(up)) {
                    was = movedFrom.at(up) + path.substr(up.size());
                    break;
                }
                if (appeared.count(up)) {
                    was.clear();
                    break;
                }
            }
            INFO(path << " was " << was);
            if (was.empty())
                continue;
            REQUIRE(oldList.count(was) == 1);
            matched.insert(was);
            const auto& old = oldList.at(was);
            CHECK(old.folder == entry.folder);
            if (!entry.folder && !entry.linked && !old.linked)
                CHECK((old.disk != entry.disk) ==
                      (differs.count(path) == 1 || (movedFrom.count(path) && old.disk != entry.disk)));
        }
        for (const auto& [path, entry] : oldList) {
            INFO(path);
            CHECK((matched.count(path) == 1 || isBelow(vanished, path)));
            CHECK_FALSE((matched.count(path) == 1 && vanished.count(path) == 1));
        }
        // What only got another path was found there.
        std::map<std::uint64_t, std::string> byInode;
        for (const auto& [path, entry] : oldList)
            byInode[entry.inode] = path;
        for (const auto& [path, entry] : newList) {
            const auto old = byInode.find(entry.inode);
            if (entry.folder || entry.linked || old == byInode.end() || old->second == path)
                continue;
            const auto& then = oldList.at(old->second);
            if (then.modified != entry.modified || then.size != entry.size || then.linked)
                continue;
            if (oldList.count(path))
                continue; // something else had the path
            INFO(path << " was " << old->second);
            CHECK(matched.count(old->second) == 1);
            CHECK_FALSE(isBelow(appeared, path) & !std::any_of(movedFrom.begin(), movedFrom.end(), [&](const auto& m) {
                            return isAtOrBelow(path, m.first);
                        }));
        }
    }
}

TEST_CASE("a folder that moved is one line, and what changed in it are others", "[compare]")
{
    TestFolder t;
    for (int i = 0; i < 40; ++i)
        t.file("top/Desktop/Season 2024/rec/" + std::to_string(i) + ".wav", 8192);
    t.file("top/Desktop/Season 2024/notes", 4096);
    t.file("top/archive/old", 4096);
    const auto before = scanned(t / "top");
    REQUIRE(::rename((t / "top/Desktop/Season 2024").c_str(), (t / "top/archive/Season 2024").c_str()) == 0);
    t.file("top/archive/Season 2024/rec/new.wav", 16384);
    fs::remove(t / "top/archive/Season 2024/notes");
    const auto now = scanned(t / "top");
    for (const bool sameDrive : {true, false}) { // also by names alone, as on another drive
        const auto c = Comparison::make(now, before, {sameDrive});
        const auto lines = changeList(*c);
        const auto moved = lineAt(*c, lines, t / "top/archive/Season 2024", Change::Moved);
        REQUIRE(moved);
        CHECK(c->pathBefore(moved->node) == t / "top/Desktop/Season 2024");
        CHECK(std::count_if(lines.begin(), lines.end(), [](const auto& l) { return l.change == Change::Moved; }) == 1);
        const auto added = lineAt(*c, lines, t / "top/archive/Season 2024/rec/new.wav", Change::Appeared);
        REQUIRE(added);
        CHECK(added->delta == 16384);
        CHECK(std::count_if(lines.begin(), lines.end(), [](const auto& l) { return l.change == Change::Vanished; }) ==
              1);
        const auto sums = c->sums(rootNode, Measure::Disk);
        CHECK(sums.movedIn == sums.movedOut);
        CHECK(sums.movedIn > 40 * 8192);
        const auto desktop = c->atNow(*now->find(t / "top/Desktop"));
        REQUIRE(desktop != noNode);
        CHECK(c->sums(desktop, Measure::Disk).movedOut == sums.movedOut);
        CHECK(c->sums(desktop, Measure::Disk).shrunk <= 4096);
    }
}

TEST_CASE("what could not be seen in one of the two did not vanish or appear", "[compare]")
{
    auto whole =
        folder("/top", {folder("a", {file("x", 1 << 20), file("y", 1 << 20)}), folder("b", {file("z", 4096)})});
    const auto before = plant(whole);
    whole.children[0].children.clear();
    whole.children[1].children.push_back(file("new", 8192));
    const auto empty = plant(whole);
    auto store = std::const_pointer_cast<NodeStore>(std::const_pointer_cast<const NodeStore>(empty->sharedStore()));
    const auto closed = *empty->find("/top/a");
    store->addFlags(closed, FlagUnreadable);
    const auto now = std::make_shared<FileTree>(store);
    const auto c = Comparison::make(now, before);
    const auto lines = changeList(*c);
    REQUIRE(lines.size() == 1);
    CHECK(lines[0].change == Change::Appeared);
    const auto sums = c->sums(rootNode, Measure::Disk);
    CHECK(sums.notSeen == -(2 << 20));
    CHECK(sums.shrunk == 0);
    CHECK(sums.net() == difference(now->disk(rootNode), before->disk(rootNode)));
    // The other way round nothing appeared there.
    const auto back = Comparison::make(before, now);
    CHECK(back->sums(rootNode, Measure::Disk).notSeen == 2 << 20);
    CHECK(changeList(*back).size() == 1);
}

TEST_CASE("what only one of two scans left out did not vanish or appear", "[compare]")
{
    TestFolder t;
    t.file("top/a.iso", 8 << 20);
    t.file("top/cache/tile", 1 << 20);
    t.file("top/kept/cache/tile", 65536);
    t.file("top/gone/b.iso", 40960);
    t.file("top/notes", 4096);
    const auto scannedWithout = [&](std::vector<std::string> globs) {
        ScanOptions options;
        options.exclude = globs;
        const auto result = scan(t / "top", options);
        REQUIRE(result);
        auto info = describeScan(*result);
        info.exclude = std::move(globs);
        return Snapshot{info, result->tree};
    };
    const auto before = scannedWithout({});
    fs::remove_all(t / "top/gone");
    fs::remove(t / "top/notes");
    const auto now = scannedWithout({"*.iso", t / "top/cache"});
    const auto c = Comparison::make(now.tree, before.tree, compareOptions(now.info, before.info));
    const auto lines = changeList(*c);
    const auto sums = c->sums(rootNode, Measure::Disk);
    const auto size = [&](const char* path) {
        return static_cast<std::int64_t>(before.tree->disk(*before.tree->find(t / path)));
    };
    CHECK(sums.notSeen == -size("top/a.iso") - size("top/cache"));
    // A folder that is gone took along what would have been left out in it.
    CHECK(lineAt(*c, lines, t / "top/gone", Change::Vanished));
    CHECK(lineAt(*c, lines, t / "top/notes", Change::Vanished));
    CHECK_FALSE(lineAt(*c, lines, t / "top/a.iso", Change::Vanished));
    CHECK(sums.net() == difference(now.tree->disk(rootNode), before.tree->disk(rootNode)));
    // The other way round they did not appear, and are not taken for what moved.
    const auto back = Comparison::make(before.tree, now.tree, compareOptions(before.info, now.info));
    CHECK(back->sums(rootNode, Measure::Disk).notSeen == size("top/a.iso") + size("top/cache"));
    CHECK(back->sums(rootNode, Measure::Disk).movedIn == 0);
    CHECK_FALSE(lineAt(*back, changeList(*back), t / "top/cache", Change::Appeared));
}

TEST_CASE("a log that was rotated: moved, and another appeared at its path", "[compare]")
{
    TestFolder t;
    t.file("top/recorder.log", 40960);
    const auto before = scanned(t / "top");
    REQUIRE(::rename((t / "top/recorder.log").c_str(), (t / "top/recorder.log.1").c_str()) == 0);
    t.file("top/recorder.log", 4096, 1750000100);
    const auto c = Comparison::make(scanned(t / "top"), before);
    const auto lines = changeList(*c);
    CHECK(lineAt(*c, lines, t / "top/recorder.log.1", Change::Moved));
    CHECK(lineAt(*c, lines, t / "top/recorder.log", Change::Appeared));
    CHECK(lines.size() == 2);
    CHECK(c->net(rootNode, Measure::Disk) == 4096);
}

TEST_CASE("the same twice is no change; a comparison can be stopped", "[compare]")
{
    const auto tree = randomTree(7);
    const auto c = Comparison::make(tree, randomTree(7));
    REQUIRE(c);
    CHECK(changeList(*c).empty());
    CHECK(c->tree()->store().size() == 1);
    std::stop_source stop;
    stop.request_stop();
    CHECK_FALSE(Comparison::make(tree, randomTree(8), {}, stop.get_token()));
}

TEST_CASE("what explains most: a few places, at the depth where they mean something", "[compare]")
{
    auto top = folder("/", {folder("home", {folder("warden", {folder(".cache", {folder("tide-maps", {})}),
                                                              folder("Documents", {file("a", 4096)})})}),
                            folder("var", {folder("log", {file("recorder.log", 1 << 20)})})});
    const auto before = plant(top);
    auto& tiles = top.children[0].children[0].children[0].children[0];
    for (int z = 0; z < 20; ++z) {
        tiles.children.push_back(folder("z" + std::to_string(z), {}));
        for (int i = 0; i < 50; ++i)
            tiles.children.back().children.push_back(file("t" + std::to_string(i), 65536));
    }
    top.children[1].children[0].children[0].bytes = 30 << 20;
    top.children[0].children[0].children[1].children[0].bytes = 8192;
    const auto c = Comparison::make(plant(top), before);
    const auto places = placesThatExplain(*c, Measure::Disk);
    REQUIRE(places.nodes.size() == 2);
    CHECK(c->tree()->path(places.nodes[0]) == "/home/warden/.cache/tide-maps");
    CHECK(c->tree()->path(places.nodes[1]) == "/var/log/recorder.log");
    CHECK(places.share > 0.99);
}
