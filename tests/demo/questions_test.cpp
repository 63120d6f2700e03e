// SPDX-License-Identifier: GPL-3.0-or-later
// Every question finds its story in the demo world, and its figures are those of a count by hand: over paths alone,
// with nothing of what the questions are made of.
#include <catch2/catch.hpp>

#include <algorithm>
#include <functional>
#include <map>
#include <set>

#include "core/advice/tree_advice.h"
#include "core/find/duplicates.h"
#include "core/find/questions.h"
#include "core/scan/scanner.h"
#include "demo/practice.h"
#include "demo/world.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::uint64_t MiB = 1 << 20;

struct ByHand {
    std::uint64_t found = 0, disk = 0;
    std::set<std::string> paths;
};

const Snapshot& june()
{
    static const auto snapshot = demo::systemDrive(5);
    return snapshot;
}

ByHand count(const std::function<bool(const std::string& path, NodeId file)>& wanted)
{
    ByHand sum;
    const auto& tree = *june().tree;
    for (NodeId node = 1; node < tree.extent().nodes; ++node) {
        if (tree.isFolder(node))
            continue;
        const auto path = tree.path(node);
        if (!wanted(path, node))
            continue;
        ++sum.found;
        sum.disk += tree.disk(node);
        if (sum.paths.size() < 40)
            sum.paths.insert(path);
    }
    return sum;
}

} // namespace

TEST_CASE("each ready-made question finds its story, and counts as one does by hand", "[demo][questions]")
{
    const auto& tree = *june().tree;
    const auto& store = tree.store();
    const auto now = june().info.taken;
    const Questions questions(june().tree, now);
    const auto answers = questions.answers();
    const auto check = [&](Question question, const ByHand& byHand, const std::string& story) {
        INFO(static_cast<int>(question));
        const auto& answer = answers[static_cast<std::size_t>(question)];
        CHECK(answer.found == byHand.found);
        CHECK(answer.disk == byHand.disk);
        REQUIRE(tree.find(story));
        CHECK(questions.asks(question, *tree.find(story)));
    };
    const auto has = [](const std::string& text, const char* part) { return text.find(part) != std::string::npos; };
    const auto ends = [](const std::string& text, std::initializer_list<const char*> endings) {
        return std::any_of(endings.begin(), endings.end(), [&](const char* e) { return text.ends_with(e); });
    };

    check(Question::All, count([](const auto&, NodeId) { return true; }), "/home/ringing/machines/old-database.qcow2");
    check(Question::LargeHidden,
          count([&](const auto& path, NodeId file) { return has(path, "/.") && tree.disk(file) >= 10 * MiB; }),
          "/home/warden/.cache/tide-maps/index.sqlite");
    check(Question::OldLarge, count([&](const auto&, NodeId file) {
              return tree.disk(file) >= 10 * MiB && now - store.modified(file) >= 365 * 86400;
          }),
          "/home/guest/Downloads/field-guide.iso");
    check(Question::Caches,
          count([&](const auto& path, NodeId) { return has(path, "/.cache/") || path.starts_with("/var/cache/"); }),
          "/home/warden/.cache/tide-maps/index.sqlite");
    check(Question::LogsAndDumps, count([&](const auto& path, NodeId) {
              return path.starts_with("/var/log/") || path.starts_with("/var/lib/dumps/");
          }),
          "/var/log/recorder.log");
    check(Question::Leftovers, count([&](const auto& path, NodeId) {
              return has(path, "/.~lock.") || ends(path, {".tmp", ".part", ".bak", "~"});
          }),
          "/home/warden/Documents/.~lock.report-000.odt#");
    check(Question::Images, count([&](const auto& path, NodeId) {
              return ends(path, {".deb", ".iso", ".img", ".qcow2", ".AppImage"}) || path == "/swapfile";
          }),
          "/home/ringing/machines/old-database.qcow2");
    check(Question::OldKernels, count([&](const auto& path, NodeId) {
              const std::string_view series = "6.1.0-";
              const auto at = path.find(series);
              return at != std::string::npos &&
                     (path.starts_with("/boot/vmlinuz-") || path.starts_with("/boot/initrd.img-") ||
                      path.starts_with("/usr/lib/modules/")) &&
                     std::stoi(path.substr(at + series.size())) < 21;
          }),
          "/boot/vmlinuz-6.1.0-13-amd64");
    check(Question::Sparse, count([&](const auto&, NodeId file) {
              return store.kind(file) == EntryKind::File && store.ownDisk(file) + 4096 < store.ownApparent(file);
          }),
          "/var/lib/recorder/ring.buf");
    check(Question::Preallocated, count([&](const auto& path, NodeId) { return ends(path, {"/next-hour.wav"}); }),
          "/var/lib/recorder/next-hour.wav");
    check(Question::Linked, count([&](const auto& path, NodeId file) {
              return path.starts_with("/var/backups/") && store.has(file, FlagLinked);
          }),
          "/var/backups/desk/2026-06-30/file-0001.dat");

    // Folders.
    ByHand hidden;
    std::map<std::string, std::uint64_t> entries;
    for (NodeId node = 1; node < tree.extent().nodes; ++node) {
        const auto path = tree.path(node);
        ++entries[path.substr(0, path.rfind('/'))];
        const auto first = path.find("/.");
        if (tree.isFolder(node) && first != std::string::npos && path.find('/', first + 1) == std::string::npos &&
            tree.disk(node) >= 10 * MiB) {
            ++hidden.found;
            hidden.disk += tree.disk(node);
        }
    }
    check(Question::HiddenRoots, hidden, "/home/warden/.cache");
    const auto many =
        std::count_if(entries.begin(), entries.end(), [](const auto& entry) { return entry.second >= 1000; });
    CHECK(answers[static_cast<std::size_t>(Question::ManyFiles)].found == static_cast<std::uint64_t>(many));
    CHECK(questions.asks(Question::ManyFiles, *tree.find("/home/warden/Nest camera/box-01/2026-06")));
}

TEST_CASE("the season that was copied is found as two folders in the practice folder", "[demo][duplicates]")
{
    const TestFolder t;
    REQUIRE(demo::makePracticeFolder(t / "practice"));
    const auto scanned = scan(t / "practice");
    REQUIRE(scanned);
    DuplicateProgress progress;
    DuplicateOptions options;
    options.smallest = MiB;
    const auto found = findDuplicates({scanned->tree}, options, progress);
    REQUIRE(found.folders.size() == 1);
    CHECK(found.folders[0].files == 6);
    CHECK(scanned->tree->path(found.folders[0].folders[0].node) == t / "practice/ringing/Recordings copy");
    for (const auto& group : found.groups)
        CHECK(group.inFolders);
}

TEST_CASE("the advice knows the stories of the demo", "[demo][advice]")
{
    const std::map<std::string, AdviceLevel> known{
        {"/home/guest/.cache/player/buffer.tmp", AdviceLevel::UsuallySafe},
        {"/home/warden/.cache/tide-maps/index.sqlite", AdviceLevel::YourCall}, // a database may be open
        {"/home/warden/Documents/.~lock.report-000.odt#", AdviceLevel::UsuallySafe},
        {"/home/warden/Recordings/2025-autumn/dawn-003.flac", AdviceLevel::YourCall},
        {"/home/ringing/machines/old-database.qcow2", AdviceLevel::YourCall},
        {"/boot/vmlinuz-6.1.0-13-amd64", AdviceLevel::OwnTool},
        {"/usr/bin/tool-0001", AdviceLevel::LeaveAlone},
        {"/var/log/journal/4f1c/system-01.journal", AdviceLevel::OwnTool},
        {"/var/log/recorder.log", AdviceLevel::YourCall},
        {"/var/cache/packages/package-0001.deb", AdviceLevel::OwnTool},
        {"/swapfile", AdviceLevel::OwnTool}};
    const auto levels = adviseTree(RuleBook::builtIn(), *june().tree).levels;
    for (const auto& [path, level] : known) {
        INFO(path);
        const auto node = june().tree->find(path);
        REQUIRE(node);
        CHECK(adviceLevelName(levels[*node]) == std::string(adviceLevelName(level)));
    }
}
