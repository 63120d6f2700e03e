// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <random>
#include <set>

#include "core/plan/duplicate_removals.h"
#include "core/platform/file_content.h"
#include "core/scan/scanner.h"
#include "support/mounts.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;
namespace fs = std::filesystem;

namespace {

using Trees = std::vector<std::shared_ptr<const FileTree>>;
using Groups = std::set<std::set<std::string>>;

Trees scanned(const std::vector<std::string>& folders)
{
    Trees trees;
    for (const auto& folder : folders) {
        const auto found = scan(folder);
        REQUIRE(found);
        trees.push_back(found->tree);
    }
    return trees;
}

Duplicates search(const Trees& trees, const DuplicateOptions& options = {})
{
    DuplicateProgress progress;
    return findDuplicates(trees, options, progress);
}

Groups pathsOf(const Duplicates& found, const Trees& trees)
{
    Groups groups;
    for (const auto& group : found.groups) {
        std::set<std::string> paths;
        for (const auto& file : group.files)
            paths.insert(trees[file.tree]->path(file.node));
        groups.insert(paths);
    }
    return groups;
}

Groups foldersOf(const Duplicates& found, const Trees& trees)
{
    Groups groups;
    for (const auto& group : found.folders) {
        std::set<std::string> paths;
        for (const auto& folder : group.folders)
            paths.insert(trees[folder.tree]->path(folder.node));
        groups.insert(paths);
    }
    return groups;
}

/// Every file's content against every other's; of hard links the path that is first in byte order.
Groups bruteForce(const std::string& root)
{
    std::map<std::pair<std::uint64_t, std::uint64_t>, std::string> files;
    for (const auto& entry : fs::recursive_directory_iterator(root))
        if (entry.is_regular_file() && !entry.is_symlink() && entry.file_size() > 0) {
            struct stat s { };
            REQUIRE(::lstat(entry.path().c_str(), &s) == 0);
            auto& path = files[{s.st_dev, s.st_ino}];
            if (path.empty() || entry.path().string() < path)
                path = entry.path().string();
        }
    std::map<std::string, std::set<std::string>> byContent;
    for (const auto& [id, path] : files)
        byContent[readAll(path)].insert(path);
    Groups groups;
    for (const auto& [content, paths] : byContent)
        if (paths.size() > 1)
            groups.insert(paths);
    return groups;
}

bool clone(const std::string& from, const std::string& to)
{
    const UniqueFd in(::open(from.c_str(), O_RDONLY)), out(::open(to.c_str(), O_WRONLY | O_CREAT | O_EXCL, 0600));
    return in && out && ::ioctl(out.get(), FICLONE, in.get()) == 0;
}

std::string content(std::mt19937& random)
{
    // Few sizes and few contents, among them such that differ only in the middle, which no block at the ends shows.
    static constexpr std::size_t sizes[] = {0, 1, 4095, 4096, 8192, 8193, 20000, 300000};
    std::string text(sizes[random() % std::size(sizes)], static_cast<char>('a' + random() % 2));
    if (text.size() > 1 && random() % 3 == 0)
        text[text.size() / 2] = 'x';
    return text;
}

void makeRandom(const TestFolder& t, const std::string& base, unsigned seed, bool reflinks)
{
    std::mt19937 random(seed);
    std::vector<std::string> files;
    for (int i = 0; i < 60; ++i) {
        const auto name =
            base + "/d" + std::to_string(random() % 5) + "/e" + std::to_string(random() % 3) + "/f" + std::to_string(i);
        if (!files.empty() && random() % 6 == 0) {
            t.folder(std::string(fs::path(name).parent_path()));
            t.link(files[random() % files.size()], name);
        } else if (reflinks && !files.empty() && random() % 4 == 0) {
            t.folder(std::string(fs::path(name).parent_path()));
            REQUIRE(clone(t / files[random() % files.size()], t / name));
        } else if (random() % 12 == 0) {
            t.folder(std::string(fs::path(name).parent_path()));
            t.symlink("nowhere", name);
            continue;
        } else {
            t.text(name, content(random));
        }
        files.push_back(name);
    }
}

} // namespace

TEST_CASE("duplicates agree with a comparison of everything with everything", "[duplicates]")
{
    for (unsigned seed = 1; seed <= 12; ++seed) {
        INFO(seed);
        const TestFolder t;
        makeRandom(t, "place", seed, false);
        const auto trees = scanned({t / "place"});
        const auto found = search(trees);
        CHECK(pathsOf(found, trees) == bruteForce(t / "place"));
        CHECK_FALSE(found.stopped);
        CHECK(found.changed + found.unreadable == 0);
        std::uint64_t sum = 0, last = UINT64_MAX;
        for (const auto& group : found.groups) {
            sum += group.freeable;
            CHECK(group.freeable <= last);
            last = group.freeable;
        }
        CHECK(sum == found.freeable);
        // The threads change nothing.
        DuplicateOptions alone;
        alone.threads = 1;
        CHECK(pathsOf(search(trees, alone), trees) == pathsOf(found, trees));
    }
}

TEST_CASE("reflinks are the same content, and removing one frees nothing", "[duplicates][mount]")
{
    if (!canLoopMount("mkfs.btrfs"))
        return;
    const TestFolder t;
    const LoopMount mount(t / "m", "mkfs.btrfs", 128);
    for (unsigned seed = 21; seed <= 24; ++seed) {
        INFO(seed);
        makeRandom(t, "m/place" + std::to_string(seed), seed, true);
        ::sync();
        const auto root = t / ("m/place" + std::to_string(seed));
        const auto trees = scanned({root});
        CHECK(pathsOf(search(trees), trees) == bruteForce(root));
    }
    t.text("m/pair/a", std::string(300000, 'q'));
    REQUIRE(clone(t / "m/pair/a", t / "m/pair/b"));
    ::sync();
    const auto shared = scanned({t / "m/pair"});
    auto found = search(shared);
    REQUIRE(found.groups.size() == 1);
    CHECK(found.groups[0].freeable == 0);
    CHECK(found.groups[0].files[0].sharedBlocks != 0);
    CHECK(found.groups[0].files[0].sharedBlocks == found.groups[0].files[1].sharedBlocks);
    t.text("m/pair/c", std::string(300000, 'q')); // a copy of its own
    ::sync();
    const auto three = scanned({t / "m/pair"});
    found = search(three);
    REQUIRE(found.groups.size() == 1);
    CHECK(found.groups[0].freeable == three[0]->store().ownDisk(*three[0]->find(t / "m/pair/c")));
    CHECK(found.groups[0].files[2].sharedBlocks == 0);
}

TEST_CASE("what changed, vanished or is no file any more is left out and counted", "[duplicates]")
{
    const TestFolder t;
    for (const auto* name : {"a", "b", "c", "d", "e", "f"})
        t.text(std::string("place/") + name, std::string(20000, 'z'));
    const auto trees = scanned({t / "place"});
    writeAll(t / "place/b", std::string(20000, 'y')); // another time
    fs::remove(t / "place/c");
    fs::remove(t / "place/d");
    REQUIRE(::mkfifo((t / "place/d").c_str(), 0600) == 0);
    fs::remove(t / "place/e");
    t.symlink("a", "place/e");
    const auto found = search(trees);
    CHECK(pathsOf(found, trees) == Groups{{t / "place/a", t / "place/f"}});
    CHECK(found.changed == 4);
}

TEST_CASE("what may not be read is left out and counted", "[duplicates]")
{
    const TestFolder t;
    for (const auto* name : {"a", "b", "c"})
        t.text(std::string("place/") + name, std::string(20000, 'z'));
    for (const auto& path : {t.path(), t / "place"})
        ::chmod(path.c_str(), 0755);
    for (const auto* name : {"place/a", "place/b"})
        ::chmod((t / name).c_str(), 0644);
    ::chmod((t / "place/c").c_str(), 0);
    CHECK(asNobody([&] {
              if (::geteuid() != 65534 && ::geteuid() == 0)
                  return false;
              const auto result = scan(t / "place");
              const Trees trees{result->tree};
              const auto found = search(trees);
              return found.groups.size() == 1 && found.groups[0].files.size() == 2 && found.unreadable == 1;
          }) == 0);
}

TEST_CASE("smallest size, places to leave out, several places", "[duplicates]")
{
    const TestFolder t;
    for (const auto* name : {"one/small", "two/small"})
        t.text(name, "tiny");
    for (const auto* name : {"one/large", "two/large", "one/keep/large"})
        t.text(name, std::string(30000, 'l'));
    const auto trees = scanned({t / "one", t / "two", t / "one/keep"}); // the last lies in the first
    CHECK(pathsOf(search(trees), trees).size() == 2);
    DuplicateOptions options;
    options.smallest = 5;
    CHECK(pathsOf(search(trees, options), trees) == Groups{{t / "one/large", t / "two/large", t / "one/keep/large"}});
    options.leaveOut = {t / "one/keep"};
    const auto two = scanned({t / "one", t / "two"});
    CHECK(pathsOf(search(two, options), two) == Groups{{t / "one/large", t / "two/large"}});
}

TEST_CASE("folders with the same content are shown as a whole, the topmost only", "[duplicates]")
{
    const TestFolder t;
    for (const auto* copy : {"place/season", "place/backup/season copy"}) {
        t.text(std::string(copy) + "/day/one.wav", std::string(50000, '1'));
        t.text(std::string(copy) + "/day/two.wav", std::string(60000, '2'));
        t.text(std::string(copy) + "/notes.txt", "few words");
        t.text(std::string(copy) + "/empty", "");
        t.symlink("day/one.wav", std::string(copy) + "/best");
    }
    t.text("place/other/day/one.wav", std::string(50000, '1')); // another two: not the same folder
    t.text("place/other/day/two.wav", std::string(60000, '3'));
    t.text("place/loose.wav", std::string(60000, '2'));
    const auto trees = scanned({t / "place"});
    DuplicateOptions options;
    options.smallest = 1000; // the notes are read all the same, for the folders
    const auto found = search(trees, options);
    CHECK(foldersOf(found, trees) == Groups{{t / "place/season", t / "place/backup/season copy"}});
    REQUIRE(found.folders.size() == 1);
    CHECK(found.folders[0].files == 5);
    CHECK(found.folders[0].freeable >= 110000);
    CHECK(found.groups.size() == 2); // no notes
    for (const auto& group : found.groups)
        CHECK_FALSE(group.inFolders); // one in "other", one loose
    // One note more, and they are not the same.
    t.text("place/season/more.txt", "x");
    const auto again = scanned({t / "place"});
    CHECK(foldersOf(search(again, options), again) ==
          Groups{{t / "place/season/day", t / "place/backup/season copy/day"}});
    // Another target of a link as well.
    fs::remove(t / "place/season/more.txt");
    fs::remove(t / "place/season/best");
    t.symlink("day/two.wav", "place/season/best");
    const auto link = scanned({t / "place"});
    CHECK(foldersOf(search(link, options), link) ==
          Groups{{t / "place/season/day", t / "place/backup/season copy/day"}});
}

TEST_CASE("a search that is stopped keeps what it knows", "[duplicates]")
{
    const TestFolder t;
    for (int i = 0; i < 30; ++i)
        for (const auto* copy : {"a", "b"})
            t.text("place/" + std::string(copy) + std::to_string(i),
                   std::string(20000 + static_cast<std::size_t>(i), 'k'));
    const auto trees = scanned({t / "place"});
    DuplicateProgress progress;
    std::stop_source stop;
    stop.request_stop();
    const auto found = findDuplicates(trees, {}, progress, stop.get_token());
    CHECK(found.stopped);
    CHECK(found.groups.empty());
    CHECK(progress.stage == DuplicateProgress::Stage::Done);
}

TEST_CASE("one of a group is always kept", "[duplicates]")
{
    const TestFolder t;
    t.text("place/deep/er/a", "same text");
    t.text("place/b", "same text");
    t.text("place/c/c", "same text");
    setModified(t / "place/deep/er/a", 1000);
    setModified(t / "place/b", 2000);
    setModified(t / "place/c/c", 3000);
    const auto trees = scanned({t / "place"});
    const auto found = search(trees);
    REQUIRE(found.groups.size() == 1);
    const auto& files = found.groups[0].files;
    const auto left = [&](Keep keep, const std::string& folder = {}) {
        std::set<std::string> all;
        for (const auto& file : files)
            all.insert(trees[0]->path(file.node).substr(t.path().size() + 7));
        for (const auto& file : chooseToRemove(files, trees, keep, folder))
            all.erase(trees[0]->path(file.node).substr(t.path().size() + 7));
        return all;
    };
    using Names = std::set<std::string>;
    CHECK(left(Keep::Oldest) == Names{"deep/er/a"});
    CHECK(left(Keep::Newest) == Names{"c/c"});
    CHECK(left(Keep::ShortestPath) == Names{"b"});
    CHECK(left(Keep::InFolder, t / "place/c") == Names{"c/c"});
    CHECK(left(Keep::InFolder, t / "place") == Names{"b", "c/c", "deep/er/a"});
    CHECK(left(Keep::InFolder, t / "elsewhere") == Names{"b", "c/c", "deep/er/a"});
}

TEST_CASE("what may be gone tomorrow is not what is kept", "[duplicates]")
{
    const TestFolder t;
    // What lies in the trash is on its way out: no copy of anything.
    for (const auto* name : {"place/.local/share/Trash/files/film", "place/.Trash-1000/files/film", "place/film",
                             "place/alone", "place/.Trash-1000/files/alone"})
        t.text(name, std::string(name).ends_with("film") ? "a film" : "alone");
    setModified(t / "place/.local/share/Trash/files/film", 1000);
    // Nor is a cache a place to keep something.
    t.text("place/.cache/viewer/letter", "Dear keeper");
    t.text("place/Letters/letter", "Dear keeper");
    setModified(t / "place/.cache/viewer/letter", 1000);
    setModified(t / "place/Letters/letter", 2000);
    const auto trees = scanned({t / "place"});
    const auto found = search(trees);
    REQUIRE(found.groups.size() == 1);
    REQUIRE(found.groups[0].files.size() == 2);
    for (const auto keep : {Keep::Oldest, Keep::Newest, Keep::ShortestPath}) {
        const auto goes = chooseToRemove(found.groups[0].files, trees, keep);
        REQUIRE(goes.size() == 1);
        CHECK(trees[0]->path(goes[0].node) == t / "place/.cache/viewer/letter");
    }
    // Where somebody looks into the trash itself, its files are compared.
    const auto trash = scanned({t / "place/.Trash-1000", t / "place/.local/share/Trash"});
    CHECK(search(trash).groups.size() == 1);
}

TEST_CASE("byte by byte", "[duplicates]")
{
    const TestFolder t;
    const auto a = t.text("a", std::string(700000, 'a')), b = t.text("b", std::string(700000, 'a'));
    auto other = std::string(700000, 'a');
    other[650000] = 'b';
    const auto c = t.text("c", other);
    const auto seen = [](const std::string& path) {
        struct stat s { };
        REQUIRE(::stat(path.c_str(), &s) == 0);
        return SeenFile{s.st_ino, static_cast<std::uint64_t>(s.st_size), s.st_mtim.tv_sec,
                        static_cast<std::uint32_t>(s.st_mtim.tv_nsec)};
    };
    CHECK(*sameContent(a, seen(a), b, seen(b)));
    CHECK_FALSE(*sameContent(a, seen(a), c, seen(c)));
    auto wrong = seen(b);
    ++wrong.modifiedNs;
    CHECK(sameContent(a, seen(a), b, wrong).error().kind == ErrorKind::Changed);
    CHECK(sameContent(a, seen(a), t / "gone", seen(b)).error().kind == ErrorKind::NotFound);
}

TEST_CASE("what stays for one group never goes with another", "[duplicates]")
{
    const TestFolder t;
    for (const auto* name : {"place/season/x", "place/copy/x", "place/loose"})
        t.text(name, "same text");
    const auto trees = scanned({t / "place"});
    const auto at = [&](const char* name) { return *trees[0]->find(t / name); };
    const auto season = at("place/season"), copy = at("place/copy"), loose = at("place/loose");
    const auto inSeason = at("place/season/x"), inCopy = at("place/copy/x");
    const auto goes = [&](const std::vector<NodeId>& planned, const std::vector<DuplicateRemoval>& removals) {
        std::vector<NodeId> nodes;
        for (const auto& removal : consistentRemovals(*trees[0], planned, removals))
            nodes.push_back(removal.goes);
        return nodes;
    };
    using Nodes = std::vector<NodeId>;
    // The folder goes, and the file that would have stayed lies in it.
    CHECK(goes({}, {{copy, season}, {loose, inCopy}, {inSeason, inCopy}}) == Nodes{copy});
    // The other way round: what stays is in the folder that would go.
    CHECK(goes({}, {{loose, inCopy}, {copy, season}}) == Nodes{loose});
    // A folder that stays stays whole.
    CHECK(goes({}, {{copy, season}, {inSeason, loose}}) == Nodes{copy});
    // What is planned already does not stay for anything.
    CHECK(goes({loose}, {{inSeason, loose}, {inCopy, inSeason}}) == Nodes{inCopy});
    CHECK(goes({}, {{inSeason, inCopy}, {inCopy, inSeason}}) == Nodes{inSeason});
}
