// SPDX-License-Identifier: GPL-3.0-or-later
// kurvo-fuzz TARGET SECONDS [SEED]: feeds what comes from outside (filter, rules, snapshot, columns, preview, plan,
// request, rows, logbook, tables) with
// seeds that were changed at random, until time is up. Made to be run under ASan+UBSan, which end it at the first
// fault:
//   ninja -C build/asan kurvo-fuzz && build/asan/tests/kurvo-fuzz filter 60
#include <sys/mman.h>
#include <unistd.h>
#include <xxhash.h>

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <functional>
#include <map>
#include <random>
#include <variant>

#include "core/act/act_helper.h"
#include "core/act/run_rows.h"
#include "core/advice/rule_book.h"
#include "core/direct/drive_account.h"
#include "core/direct/ext4_folder.h"
#include "core/direct/read_ahead.h"
#include "core/find/filter.h"
#include "core/preview/preview.h"
#include "core/snapshot/blocks.h"
#include "core/snapshot/snapshot.h"
#include "support/other_reader.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;
using namespace std::string_literals;

namespace {

std::mt19937_64 randomBits; // NOLINT: seeded in main

std::size_t below(std::size_t bound)
{
    return bound == 0 ? 0 : static_cast<std::size_t>(randomBits() % bound);
}

std::string changed(const std::vector<std::string>& seeds, const std::string& words)
{
    auto text = seeds[below(seeds.size())];
    for (std::size_t i = 0; i <= below(8); ++i) {
        const auto at = below(text.size() + 1);
        switch (below(6)) {
        case 0:
            text.erase(at, below(16));
            break;
        case 1:
            text.insert(at, text.substr(below(text.size() + 1), below(24)));
            break;
        case 2:
            text.insert(at, 1, words[below(words.size())]);
            break;
        case 3:
            text.insert(at, std::string(below(300), static_cast<char>(below(256))));
            break;
        default:
            if (at < text.size())
                text[at] =
                    below(2) == 0 ? static_cast<char>(below(256)) : static_cast<char>(text[at] ^ (1 << below(8)));
        }
    }
    return text;
}

PlanFile samplePlan()
{
    PlanFile plan;
    plan.host = "skerry-desk";
    plan.place = "/home/warden";
    plan.written = 1750000000;
    for (const auto action : {Action::Trash, Action::Delete, Action::Move, Action::EmptyTrash}) {
        PlannedItem planned;
        planned.item.action = action;
        planned.item.path =
            "/home/warden/item-" + std::to_string(static_cast<int>(action)) + (action == Action::Trash ? "\xff" : "");
        planned.item.destination = action == Action::Move ? "/media/skerry-archive" : "";
        planned.item.inode = 77;
        planned.note = "ask the warden";
        plan.items.push_back(planned);
    }
    return plan;
}

void fuzzPlan()
{
    static const std::vector<std::string> seeds{encodePlan(samplePlan())};
    const auto read = decodePlan(changed(seeds, "{}[]\":,0123456789-+.eE\\u"), "fuzz");
    if (!read)
        return;
    const auto again = decodePlan(encodePlan(*read), "fuzz"); // what was taken is what is written
    if (!again || again->items.size() != read->items.size())
        std::abort();
    for (std::size_t i = 0; i < read->items.size(); ++i)
        if (again->items[i].item.path != read->items[i].item.path ||
            again->items[i].item.action != read->items[i].item.action)
            std::abort();
}

void fuzzRequest()
{
    static const std::vector<std::string> seeds = [] {
        std::vector<std::string> all;
        ActRequest request;
        request.user = {"/home/warden", "/home/warden/.local/share", "/home/warden/.config", 1000};
        request.logbook = "/home/warden/logbook.db";
        for (const auto kind : {ActRequest::Kind::Apply, ActRequest::Kind::Undo, ActRequest::Kind::Recover}) {
            request.kind = kind;
            request.plan = samplePlan();
            request.forGood = request.plan.countForGood();
            request.run = 3;
            request.only = {0, 2};
            auto bytes = encodeActRequest(request);
            bytes.pop_back();
            all.push_back(bytes);
        }
        return all;
    }();
    (void)decodeActRequest(changed(seeds, "{}[]\":,0123456789%-\\"));
}

void fuzzRows()
{
    static const std::vector<std::string> seeds = [] {
        RunRecord record;
        record.run.rightsRun = 4;
        record.run.place = "/srv";
        for (const auto state : {StepState::Done, StepState::Removing, StepState::Failed}) {
            LoggedStep step;
            step.state = state;
            step.path = "/srv/item";
            step.trashed.name = "item";
            record.steps.push_back(step);
        }
        return std::vector<std::string>{encodeRun(record)};
    }();
    (void)decodeRun(changed(seeds, "{}[]\":,0123456789%-\\"));
}

/// A logbook with steps under way, altered: read, recovered from. What lies beside is never touched.
void fuzzLogbook()
{
    static const TestFolder folder;
    const auto file = folder / "logbook.db";
    static const std::vector<std::string> seeds = [&] {
        folder.text("precious/file", "stay");
        folder.folder("place");
        {
            Logbook logbook(file);
            LoggedRun run;
            run.place = folder / "place";
            std::vector<LoggedStep> steps;
            for (const auto action : {Action::Trash, Action::Delete, Action::Move, Action::EmptyTrash})
                for (const auto state : {StepState::Copying, StepState::Placing, StepState::SettingAside,
                                         StepState::Removing, StepState::Trashing, StepState::Restoring}) {
                    LoggedStep step;
                    step.run = 1;
                    step.action = action;
                    step.state = state;
                    step.path = folder / "place/item";
                    step.target = folder / "precious/item";
                    step.token = "0123456789ab";
                    step.trashed = {{folder / "place/Trash", ""}, "item", step.path, 5};
                    steps.push_back(step);
                }
            if (!logbook.begin(run) || !logbook.add(steps))
                std::abort();
        }
        return std::vector<std::string>{readAll(file)};
    }();
    for (const auto* beside : {"-wal", "-shm"})
        (void)std::remove((file + beside).c_str());
    writeAll(file, changed(seeds, std::string("\0/.\xff", 4)));
    Logbook logbook(file);
    (void)readHistory(logbook);
    (void)recoverAll(logbook, {folder / "home", folder / "home/data", folder / "home/config", 0}, {});
    if (readAll(folder / "precious/file") != "stay")
        std::abort();
}

void fuzzFilter()
{
    static const auto tree = randomTree(5);
    const auto line = changed({"*.wav size>500M age>1y owner:a,b", "(a or not b) family:audio,video changed<2025-03",
                               "under:/a/b mark:any advice:safe,leave is:hidden,sparse \"two words\" path:x/*"},
                              "():<>=,\"\\* ?[]ornot");
    const auto filter = Filter::parse(line);
    if (const auto* error = std::get_if<FilterError>(&filter)) {
        if (error->at > line.size() || error->sentence.empty())
            std::abort();
        return;
    }
    (void)matchingFiles(*tree, std::get<Filter>(filter).bind(*tree, {}));
    (void)filterOffers(line, {});
}

void fuzzRules()
{
    RuleBook book;
    (void)book.add(
        changed({"[[rule]]\nid = \"a\"\npath = [\"~/x/**\", \"**/*.y\"]\nlevel = \"your call\"\nwhat = \"A.\"\n"
                 "do = \"B.\"\ncommand = \"c FILE\"\ntest = \"/home/u/x/z\"\nnot = \"/q\"\n[[rule]]\nid = 'b'\n"
                 "path = '/s/*/t'\nlevel = 'leave alone'\nwhat = '''W.'''\ndo = \"\\u0041\"\n"},
                "[]=\"'\n{}.#\\*/~"),
        "fuzz.toml");
    for (const auto* path : {"/home/u/x/z", "/a/b.y", "/s/1/t", "/", ""})
        (void)book.find(path);
}

/// A whole snapshot and one that is packed against it, in a folder of their own.
const TestFolder& snapshotFolder()
{
    static const TestFolder folder;
    static const bool made = [] {
        for (const std::uint64_t seed : {3u, 8u}) {
            SnapshotInfo info;
            const auto name = folder / ("whole" + std::to_string(seed) + ".kurvo");
            const FileTree tree(randomTree(seed)->sharedStore());
            if (!writeSnapshot(name, info, tree) ||
                !writeSnapshot(folder / ("chained" + std::to_string(seed) + ".kurvo"), info, tree, name))
                std::abort();
        }
        return true;
    }();
    (void)made;
    return folder;
}

const std::vector<std::string>& snapshotSeeds()
{
    static const std::vector<std::string> seeds = [] {
        std::vector<std::string> all;
        for (const auto* name : {"whole3", "whole8", "chained3", "chained8"})
            all.push_back(readAll(snapshotFolder() / (std::string(name) + ".kurvo")));
        return all;
    }();
    return seeds;
}

void openSnapshot(const std::string& path)
{
    if (const auto read = readSnapshot(path))
        (void)read->tree->disk(rootNode);
    (void)readFigures(path, {"/random", "/random/a", ""});
}

void fuzzSnapshot()
{
    const auto path = snapshotFolder() / "x.kurvo";
    writeAll(path, changed(snapshotSeeds(), std::string(1, '\xff') + "\x01KURVO"));
    openSnapshot(path);
}

/// Good checksums over columns that are not: what is behind them is on its own.
void fuzzColumns()
{
    const auto seed = snapshotFolder() / (below(2) == 0 ? "chained3.kurvo" : "whole8.kurvo");
    auto file = SnapshotFile::open(seed);
    Columns columns;
    if (!file || !file->readColumns(columns))
        std::abort();
    auto header = file->header();
    std::string bytes;
    const ByteSink sink = [&bytes](const char* data, std::size_t size) { bytes.append(data, size); };
    const auto encoded = encodeHeader(header);
    bytes = snapshotMagic;
    putU32(bytes, snapshotVersion);
    putU32(bytes, static_cast<std::uint32_t>(encoded.size()));
    putU64(bytes, XXH3_64bits(encoded.data(), encoded.size()));
    bytes += encoded;
    BlockWriter out(sink);
    const auto worse = 1 + below(lastColumn);
    for (std::uint32_t c = 1; c <= lastColumn; ++c) {
        std::string column{std::string_view(columns[c])};
        if (c == worse || below(6) == 0)
            column = changed({column}, "\xff\x7f\x80\x01");
        if (!column.empty())
            out.put(static_cast<Column>(c), column,
                    static_cast<std::uint32_t>(std::min<std::uint64_t>(column.size(), header.info.entries + 1)));
    }
    out.finish();
    const auto path = snapshotFolder() / "y.kurvo";
    writeAll(path, bytes);
    openSnapshot(path);
}

void fuzzPreview()
{
    static const std::vector<std::string> seeds{
        "\0\0\0\x10"
        "ftypisom\0\0\0\0\0\0\0\x34moov\0\0\0\x2cmvhd\0\0\0\0\0\0\0\0\0\0\0\0\0\0\3\xe8\0\0\xf0\x3c...."s,
        "\x1a\x45\xdf\xa3\x84...."
        "\x18\x53\x80\x67\xa0\x15\x49\xa9\x66\x8b\x2a\xd7\xb1\x83\x0f\x42\x40\x44\x89\x84\x45\0\0\0\x16\x54"
        "\xae\x6b\x85\xae\x83\x86\x81V"s,
        "RIFF\0\0\0\0AVI "
        "LIST\0\0\0\0hdrlavih\x38\0\0\0\x40\x9c\0\0...................................................."s,
        "plain text\nof two lines",
        "\xff\xfe"
        "a",
        "Gr\xfc\xdf"};
    const auto bytes = changed(seeds, "ftypmoovtrakRIFF\x1a\x45\xdf\xa3");
    (void)previewKindOf(bytes);
    (void)asText(bytes, below(2) == 0);
    (void)hexLines(bytes);
    (void)mediaFacts([&bytes](std::uint64_t at,
                              std::size_t size) { return at < bytes.size() ? bytes.substr(at, size) : std::string(); },
                     bytes.size());
}

/// Images of small drives, made without a mount.
const std::vector<std::string>& driveSeeds()
{
    static const TestFolder folder;
    static const std::vector<std::string> seeds = [] {
        for (int i = 0; i < 40; ++i)
            folder.text("in/many/" + std::string(static_cast<std::size_t>(i % 9) * 20, 'n') + std::to_string(i),
                        "text");
        for (int i = 0; i < 6; ++i)
            folder.text("in/few-" + std::to_string(i) + "/f", std::string(static_cast<std::size_t>(i) * 700, 'x'));
        folder.symlink("many", "in/link");
        std::vector<std::string> all;
        for (const auto* line :
             {"-O ^metadata_csum,^has_journal,^resize_inode", "-O ^metadata_csum,^has_journal,inline_data -I 256",
              "-t ext2 -I 128 -O ^resize_inode", "-O ^has_journal,^resize_inode",
              "-O ^metadata_csum,^has_journal,meta_bg,^resize_inode -g 256"}) {
            const auto image = folder / "image";
            const auto command = std::string("mkfs.ext4 -q -F -b 1024 -N 128 -d '") + (folder / "in") + "' " + line +
                                 " '" + image + "' 700 >/dev/null 2>&1";
            (void)std::remove(image.c_str());
            if (std::system(command.c_str()) == 0)
                all.push_back(readAll(image));
        }
        if (all.empty())
            std::abort();
        return all;
    }();
    return seeds;
}

/// The tables of a drive, with bytes of its first half changed.
void fuzzTables()
{
    auto image = driveSeeds()[below(driveSeeds().size())];
    const auto bytes = 1 + below(12);
    for (std::size_t i = 0; i < bytes; ++i) {
        // The superblock and the descriptors are a small part of the whole, and half of what can go wrong.
        const auto at = below(3) == 0 ? 1024 + below(1400) : 1024 + below(image.size() / 2);
        image[at] = below(2) == 0 ? static_cast<char>(below(256)) : static_cast<char>(image[at] ^ (1 << below(8)));
    }
    UniqueFd file(::memfd_create("drive", MFD_CLOEXEC));
    if (::write(file.get(), image.data(), image.size()) != static_cast<ssize_t>(image.size()))
        std::abort();
    const auto drive = Ext4Drive::open(std::move(file));
    if (!drive)
        return;
    Ext4Reader reader(*drive, {std::int64_t{1} << 40, 0});
    std::vector<std::uint64_t> inodes;
    for (std::uint64_t inode = 1; inode <= std::min<std::uint64_t>((*drive)->inodes(), 200); ++inode) {
        inodes.push_back(inode);
        (void)reader.readFolder(inode, below(2) == 0 ? 0 : 2, nullptr, [](std::uint64_t, std::string_view name) {
            if (name.empty() || name.find('/') != name.npos)
                std::abort();
        });
    }
    reader.readInodes(inodes, [](std::size_t, const Ext4Inode*) {});
    TablePassProgress progress;
    readAhead(**drive, progress);
    (void)accountOf(**drive);
}

} // namespace

/// What is left here was broken on purpose: nobody else has to read it.
void kurvo::test::checkSnapshotsIn(const std::string&) { }

int main(int argc, char** argv)
{
    const std::map<std::string, std::function<void()>> targets{
        {"filter", fuzzFilter},   {"rules", fuzzRules},  {"snapshot", fuzzSnapshot}, {"columns", fuzzColumns},
        {"preview", fuzzPreview}, {"plan", fuzzPlan},    {"request", fuzzRequest},   {"rows", fuzzRows},
        {"logbook", fuzzLogbook}, {"tables", fuzzTables}};
    const auto target = argc >= 3 ? targets.find(argv[1]) : targets.end();
    if (target == targets.end()) {
        std::fputs("kurvo-fuzz filter|rules|snapshot|columns|preview|plan|request|rows|logbook|tables SECONDS [SEED]\n",
                   stderr);
        return 2;
    }
    randomBits.seed(argc > 3 ? std::strtoull(argv[3], nullptr, 10) : 1);
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(std::atoi(argv[2]));
    std::uint64_t rounds = 0;
    for (; std::chrono::steady_clock::now() < end; ++rounds)
        target->second();
    std::printf("%s: %llu rounds, clean\n", argv[1], static_cast<unsigned long long>(rounds));
    return 0;
}
