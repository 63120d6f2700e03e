// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/ledger/ledger.h"

#include <fcntl.h>

#include <algorithm>
#include <array>
#include <cerrno>

#include <fmt/format.h>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/direct/direct_access.h"

namespace kurvo {
namespace {

struct PartWords {
    const char* name;
    const char* title;
};
constexpr std::array<PartWords, static_cast<std::size_t>(LedgerPart::Unexplained) + 1> parts{
    {{"seen", "Seen"},
     {"in_trash", "In the trash since the scan"},
     {"deleted_open", "Deleted, still held open"},
     {"beneath_mounts", "Below other mounts"},
     {"unreachable", "In no folder"},
     {"structures", "The filesystem's own structures"},
     {"not_readable", "Could not be read"},
     {"not_scanned", "Not scanned"},
     {"elsewhere", "Elsewhere on the drive"},
     {"unexplained", "Not explained"}}};

LedgerLine lineOf(LedgerPart part, std::optional<std::uint64_t> bytes, std::string evidence = {})
{
    return {part, bytes, ledgerPartTitle(part), std::move(evidence), {}};
}

constexpr std::size_t mostItems = 1000;
constexpr const char* needsRights = "Administrator rights are needed to look below what is mounted here.";

/// The path of a folder as seen from the mount that holds it.
std::string within(const std::string& path, const std::string& mountPoint)
{
    auto relative = path.substr(mountPoint == "/" ? 1 : mountPoint.size() + 1);
    return relative;
}

/// Entries that share an inode count once; those of other mounts not at all.
struct SeenHere {
    std::uint64_t disk = 0;
    std::uint64_t inodes = 0;
};

SeenHere seenOnThisMount(const FileTree& tree, const LedgerFacts& facts)
{
    const auto& sums = tree.sums(rootNode);
    SeenHere seen{sums.disk, std::uint64_t{sums.files} + sums.folders + 1};
    for (const auto& set : tree.store().linkSets()) {
        std::uint64_t here = 0;
        for (const NodeId member : tree.store().linkMembers(set))
            here += tree.removed().empty() || tree.contains(member) ? 1 : 0;
        seen.inodes -= here > 0 ? here - 1 : 0;
    }
    for (const auto& mount : facts.beneath) {
        const auto node = tree.find(mount.path);
        if (!node || !tree.isFolder(*node))
            continue;
        const auto& below = tree.sums(*node);
        seen.disk -= below.disk; // nothing for a door
        seen.inodes -= std::min(seen.inodes, std::uint64_t{below.files} + below.folders + 1);
    }
    return seen;
}

std::string count(std::uint64_t n, const char* one, const char* many = "")
{
    return formatItems(n, one, many);
}

LedgerLine namelessLine(const NamelessFiles& nameless, const std::optional<DriveAccount>& tables)
{
    auto line = lineOf(LedgerPart::Nameless, tables ? tables->orphans : nameless.disk());
    for (const auto& file : nameless.files) {
        if (line.items.size() == mostItems)
            break;
        line.items.push_back(
            {file.path, file.disk, fmt::format("held by {}, process {}", displayText(file.program), file.pid)});
    }
    line.evidence = nameless.files.empty()
                        ? "No program holds a deleted file open"
                        : fmt::format("{} without a name, from /proc; free once the program closes {} or ends",
                                      count(nameless.files.size(), "file"), nameless.files.size() == 1 ? "it" : "them");
    if (nameless.notLookedInto > 0)
        line.evidence += fmt::format("; {} of other users could not be looked into",
                                     count(nameless.notLookedInto, "process", "processes"));
    if (tables && tables->orphanInodes > 0)
        line.evidence += fmt::format("; {} by the drive's own tables", count(tables->orphanInodes, "such file"));
    line.evidence += '.';
    return line;
}

/// What the tables have in use beside what was seen, and beside what lies below mounts.
std::optional<LedgerLine> unreachableLine(const DriveAccount& tables, std::uint64_t seen)
{
    const auto named = tables.named - std::min(tables.twice, tables.named);
    if (named <= seen)
        return std::nullopt;
    return lineOf(LedgerPart::Unreachable, named - seen,
                  "In use by the drive's own tables, and in no folder that was seen: below a mount that could not be "
                  "looked into, made since the scan, or lost, which a check of the filesystem finds.");
}

/// What is the filesystem's own, and how much of it counts as used.
LedgerLine ownLine(const DriveAccount& tables, const Capacity& capacity)
{
    // What statfs(2) leaves out of the capacity is the filesystem's own as well.
    const auto own = tables.layout + tables.journal + tables.reserved;
    const auto outside = tables.total - std::min(capacity.total, tables.total);
    auto line = lineOf(LedgerPart::Structures, own - std::min(outside, own));
    line.evidence = fmt::format("By the drive's own tables it keeps {}, of which {} count neither as capacity nor as "
                                "used.",
                                formatBytes(own), formatBytes(std::min(outside, own)));
    const auto part = [&line](std::uint64_t bytes, const char* note) {
        if (bytes > 0)
            line.items.push_back({{}, bytes, note});
    };
    part(tables.layout, "inode tables, bitmaps, superblocks and descriptors");
    part(tables.journal, "the journal");
    part(tables.reserved, "its own inodes");
    std::stable_sort(line.items.begin(), line.items.end(),
                     [](const LedgerItem& a, const LedgerItem& b) { return *a.bytes > *b.bytes; });
    return line;
}

std::optional<LedgerLine> beneathLine(const std::vector<Beneath>& beneath)
{
    if (beneath.empty())
        return std::nullopt;
    auto line = lineOf(LedgerPart::Beneath, std::nullopt);
    std::uint64_t sum = 0;
    std::size_t unknown = 0;
    for (const auto& b : beneath) {
        sum += b.disk;
        unknown += b.problem.empty() ? 0 : 1;
        line.items.push_back({b.path, b.problem.empty() ? std::optional(b.disk) : std::nullopt,
                              b.problem.empty() ? fmt::format("{} below {}", count(b.entries, "entry", "entries"),
                                                              displayText(b.filesystem))
                                                : b.problem});
    }
    std::stable_sort(line.items.begin(), line.items.end(), [](const LedgerItem& a, const LedgerItem& b) {
        return a.bytes.value_or(0) > b.bytes.value_or(0);
    });
    if (line.items.size() > mostItems)
        line.items.resize(mostItems);
    if (unknown == 0)
        line.evidence =
            fmt::format("What lies in {} with something else mounted on top.", count(beneath.size(), "folder"));
    else
        line.evidence = fmt::format("{} with something else mounted on top could not be looked into; administrator "
                                    "rights are needed.",
                                    count(unknown, "folder"));
    if (unknown < beneath.size())
        line.bytes = sum;
    return line;
}

} // namespace

Result<LedgerFacts> readLedgerFacts(const std::string& mountPoint, std::stop_token stop)
{
    LedgerFacts facts;
    facts.mountPoint = mountPoint;
    auto filesystem = readFilesystemFacts(mountPoint);
    if (!filesystem)
        return filesystem.error();
    facts.filesystem = std::move(*filesystem);
    if (auto nameless = readNamelessFiles(mountPoint))
        facts.nameless = std::move(*nameless);
    if (const auto drive = readDrive(mountPoint))
        facts.outside = readOutside(*drive);
    if (EntryStat root; statEntry(AT_FDCWD, mountPoint.c_str(), root) == 0)
        if (const auto tables = openTables(root.device, nullptr); tables && !(*tables)->hasClusters())
            if (auto account = accountOf(**tables, stop); account && account->notRead == 0)
                facts.tables = *account;
    const auto mounts = mountsBelow(mountPoint);
    if (!mounts)
        return mounts.error();
    if (mounts->empty())
        return facts;

    auto view = openWithoutMountsOnTop(mountPoint);
    for (const auto& mount : *mounts) {
        const auto covered = std::any_of(facts.beneath.begin(), facts.beneath.end(),
                                         [&](const Beneath& b) { return isAtOrBelow(mount.path, b.path); });
        if (covered)
            continue; // lies on that other mount, or is a second one at the same place
        Beneath beneath;
        beneath.path = mount.path;
        beneath.filesystem = mount.filesystem;
        if (stop.stop_requested())
            break;
        if (!view) {
            beneath.problem = view.error().kind == ErrorKind::NoPermission ? needsRights : view.error().sentence;
            facts.beneath.push_back(std::move(beneath));
            continue;
        }
        UniqueFd folder(::openat(view->get(), within(mount.path, mountPoint).c_str(),
                                 O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
        if (!folder) {
            if (errno == ENOTDIR)
                continue; // a single file is mounted over another
            beneath.problem = systemError("look into", mount.path, errno).sentence;
        } else if (const auto found = scanOpenFolder(std::move(folder), mount.path, {}, stop)) {
            const auto& sums = found->tree->sums(rootNode);
            beneath.disk = sums.disk;
            beneath.entries = std::uint64_t{sums.files} + sums.folders + 1;
        } else {
            beneath.problem = found.error().sentence;
        }
        facts.beneath.push_back(std::move(beneath));
    }
    return facts;
}

const char* ledgerPartName(LedgerPart part)
{
    return parts[static_cast<std::size_t>(part)].name;
}

const char* ledgerPartTitle(LedgerPart part)
{
    return parts[static_cast<std::size_t>(part)].title;
}

Ledger writeLedger(const LedgerScan& scan, const LedgerFacts& facts)
{
    Ledger ledger;
    ledger.mountPoint = facts.mountPoint;
    ledger.capacity = facts.filesystem.capacity;
    ledger.outside = facts.outside;
    const auto& tree = *scan.tree;
    const auto& sums = tree.sums(rootNode);
    const auto seen = seenOnThisMount(tree, facts);
    const auto& tables = facts.tables ? facts.tables : scan.account;

    ledger.lines.push_back(
        lineOf(LedgerPart::Seen, seen.disk,
               fmt::format("{} in {}, by their blocks on disk; files with several links once.",
                           count(sums.files, "file"), count(sums.folders + std::uint64_t{1}, "folder"))));
    if (scan.inTrash > 0)
        ledger.lines.push_back(
            lineOf(LedgerPart::InTrash, scan.inTrash, "Put there from this place; free once the trash is emptied."));
    ledger.lines.push_back(namelessLine(facts.nameless, tables));
    std::uint64_t below = 0;
    if (auto line = beneathLine(facts.beneath)) {
        below = line->bytes.value_or(0);
        ledger.lines.push_back(std::move(*line));
    }
    const bool isWhole = tables && scan.wholeDrive && !scan.partial && scan.excluded.empty();
    if (isWhole)
        if (auto line = unreachableLine(*tables, seen.disk + scan.inTrash + below))
            ledger.lines.push_back(std::move(*line));
    if (tables)
        ledger.lines.push_back(ownLine(*tables, ledger.capacity));
    else if (facts.filesystem.structures > 0 || !facts.filesystem.structuresEvidence.empty()) {
        auto evidence = facts.filesystem.structuresEvidence;
        if (!evidence.empty() && evidence[0] >= 'a' && evidence[0] <= 'z')
            evidence[0] = static_cast<char>(evidence[0] - 'a' + 'A');
        ledger.lines.push_back(lineOf(LedgerPart::Structures, facts.filesystem.structures, evidence + "."));
    }
    std::uint64_t known = 0;
    for (const auto& line : ledger.lines)
        known += line.bytes.value_or(0);

    if (scan.unreadableCount > 0) {
        auto line = lineOf(LedgerPart::NotReadable, std::nullopt);
        line.evidence = fmt::format("{}; how much is in there is part of what is not explained.",
                                    count(scan.unreadableCount, "folder or entry", "folders or entries"));
        for (const auto& u : scan.unreadable) {
            if (line.items.size() == mostItems)
                break;
            line.items.push_back({u.path, std::nullopt, u.sysError != 0 ? systemErrorText(u.sysError) : std::string()});
        }
        ledger.lines.push_back(std::move(line));
    }
    if (scan.partial || !scan.excluded.empty()) {
        auto line = lineOf(LedgerPart::NotScanned, std::nullopt);
        line.evidence = scan.partial ? "The scan was stopped before its end." : "Left out on request.";
        for (const auto& glob : scan.excluded)
            line.items.push_back({glob, std::nullopt, "left out on request"});
        ledger.lines.push_back(std::move(line));
    }

    const auto used = ledger.capacity.used;
    ledger.unexplained = used > known ? used - known : 0;
    ledger.excess = known > used ? known - used : 0;
    if (!scan.wholeDrive) {
        ledger.lines.push_back(lineOf(LedgerPart::Elsewhere, ledger.unexplained,
                                      "Only this place was scanned. Scan the whole drive to account for the rest."));
        ledger.unexplained = 0;
        ledger.excess = 0;
        return ledger;
    }
    auto remainder = lineOf(LedgerPart::Unexplained, ledger.unexplained);
    if (ledger.excess > 0)
        remainder.evidence = fmt::format("{} more was seen than is used: blocks that several files share (copies by "
                                         "reference), or compressed ones.",
                                         formatBytes(ledger.excess));
    else if (!facts.filesystem.shownPart.empty() && facts.filesystem.shownPart != "/")
        remainder.evidence =
            fmt::format("This mount shows only {} of its filesystem; the rest of it is used elsewhere.",
                        displayText(facts.filesystem.shownPart));
    else if (facts.filesystem.structuresEvidence.empty())
        remainder.evidence = "Used less all lines above. This filesystem does not tell the size of its own structures.";
    else
        remainder.evidence = "Used less all lines above.";
    ledger.lines.push_back(std::move(remainder));

    if (facts.filesystem.inodesUsed > 0) {
        InodeCheck check;
        check.used = facts.filesystem.inodesUsed;
        check.found = seen.inodes + (tables ? tables->orphanInodes + tables->reservedInodes + tables->attributeInodes
                                            : facts.nameless.files.size() + facts.filesystem.namelessInodes);
        for (const auto& b : facts.beneath)
            check.found += b.entries;
        ledger.inodes = check;
    }
    return ledger;
}

LedgerFigures ledgerFigures(const LedgerScan& scan, const std::string& mountPoint, const Capacity& capacity)
{
    LedgerFigures figures;
    auto facts = readLedgerFacts(mountPoint);
    if (!facts)
        return figures;
    facts->filesystem.capacity = capacity;
    for (const auto& line : writeLedger(scan, *facts).lines)
        if (line.bytes)
            figures.emplace_back(ledgerPartName(line.part), *line.bytes);
    return figures;
}

Ledger ledgerFrom(const LedgerFigures& figures, const std::string& mountPoint, const Capacity& capacity)
{
    Ledger ledger;
    ledger.mountPoint = mountPoint;
    ledger.capacity = capacity;
    std::uint64_t known = 0;
    for (const auto& [name, bytes] : figures) {
        const auto found = std::find_if(parts.begin(), parts.end(),
                                        [&name = name](const PartWords& part) { return name == part.name; });
        if (found == parts.end())
            continue;
        const auto part = static_cast<LedgerPart>(found - parts.begin());
        ledger.lines.push_back(lineOf(part, bytes));
        if (part == LedgerPart::Unexplained)
            ledger.unexplained = bytes;
        else
            known += bytes;
    }
    ledger.excess = known > capacity.used ? known - capacity.used : 0;
    if (!ledger.lines.empty())
        ledger.lines.front().evidence = "All lines as they were added up when the snapshot was taken.";
    return ledger;
}

} // namespace kurvo
