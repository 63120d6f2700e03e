// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot/catalogue.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <fstream>
#include <set>

#include <nlohmann/json.hpp>
#include <toml++/toml.h>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/file_facts.h"
#include "core/platform/atomic_file.h"
#include "core/platform/entry_stat.h"
#include "core/platform/folders.h"
#include "core/platform/trash.h"
#include "core/platform/unique_fd.h"
#include "core/snapshot/listing.h"

namespace kurvo {
namespace {

constexpr std::int64_t day = 86400;
constexpr const char* aboutSuffix = ".about";

SnapshotAbout readAbout(const std::string& snapshot)
{
    SnapshotAbout about;
    std::ifstream file(snapshot + aboutSuffix);
    if (!file)
        return about;
    const auto json = nlohmann::json::parse(file, nullptr, false);
    if (!json.is_object())
        return about; // it says nothing that could be believed
    const auto text = [&](const char* key) {
        const auto found = json.find(key);
        return found != json.end() && found->is_string() ? found->get<std::string>() : std::string();
    };
    about.name = text("name");
    about.note = text("note");
    about.pinned = json.contains("pinned") && json["pinned"].is_boolean() && json["pinned"].get<bool>();
    return about;
}

std::string basesOf(std::string_view folder)
{
    return joinPath(folder, ".bases");
}

/// Calls `visit(path, links)` for each base that is kept.
template <typename Visit>
void forEachBase(const std::string& folder, Visit&& visit)
{
    UniqueFd fd(::open(basesOf(folder).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC | O_NOFOLLOW));
    if (!fd)
        return;
    FolderReader reader;
    reader.start(fd.get());
    while (const char* entry = reader.next()) {
        const std::string_view name(entry);
        struct stat s { };
        const auto path = joinPath(basesOf(folder), name);
        if (name.ends_with(snapshotSuffix) && ::lstat(path.c_str(), &s) == 0 && S_ISREG(s.st_mode))
            visit(path, s);
    }
}

/// A base goes with the last snapshot that needs it.
void removeUnusedBases(const std::string& folder)
{
    std::set<std::string> needed;
    const auto catalogue = readCatalogue(folder);
    if (!catalogue.damaged.empty())
        return; // who knows what those need
    for (const auto& entry : catalogue.entries)
        needed.insert(entry.info.baseId);
    forEachBase(folder, [&](const std::string& path, const struct stat&) {
        const auto name = fileName(path);
        if (!needed.count(std::string(name.substr(0, name.size() - std::string_view(snapshotSuffix).size()))))
            ::unlink(path.c_str());
    });
}

} // namespace

Catalogue readCatalogue(const std::string& folder)
{
    Catalogue catalogue;
    UniqueFd fd(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (!fd)
        return catalogue;
    FolderReader reader;
    reader.start(fd.get());
    while (const char* entry = reader.next()) {
        const std::string_view name(entry);
        if (!name.ends_with(snapshotSuffix) || name.starts_with('.'))
            continue;
        const auto path = joinPath(folder, name);
        auto info = readSnapshotInfo(path);
        struct stat s { };
        if (info)
            catalogue.entries.push_back({path, *info,
                                         ::stat(path.c_str(), &s) == 0 ? static_cast<std::uint64_t>(s.st_size) : 0,
                                         readAbout(path)});
        else
            catalogue.damaged.push_back(info.error());
    }
    std::sort(catalogue.entries.begin(), catalogue.entries.end(), [](const CatalogueEntry& a, const CatalogueEntry& b) {
        return a.info.taken != b.info.taken ? a.info.taken > b.info.taken : a.path > b.path;
    });
    return catalogue;
}

std::string snapshotPathFor(const std::string& folder, const SnapshotInfo& info)
{
    std::string base;
    for (const char c : info.place) {
        if (std::isalnum(static_cast<unsigned char>(c)) != 0)
            base += c;
        else if (!base.empty() && base.back() != '-')
            base += '-';
    }
    while (base.ends_with('-'))
        base.pop_back();
    if (base.empty())
        base = "root";
    if (base.size() > 120)
        base = base.substr(base.size() - 120);
    auto stamp = formatTime(info.taken);
    stamp[10] = '-';
    stamp.erase(std::remove(stamp.begin(), stamp.end(), ':'), stamp.end());
    for (int attempt = 1;; ++attempt) {
        const auto path =
            joinPath(folder, base + "-" + stamp + (attempt == 1 ? "" : "-" + std::to_string(attempt)) + snapshotSuffix);
        struct stat s { };
        if (::lstat(path.c_str(), &s) != 0)
            return path;
    }
}

std::vector<CatalogueEntry> snapshotsOf(const Catalogue& catalogue, const SnapshotInfo& place)
{
    std::vector<CatalogueEntry> entries;
    for (const auto& entry : catalogue.entries)
        if (isOnePlace(entry.info, place))
            entries.push_back(entry);
    return entries;
}

std::vector<CatalogueEntry> snapshotsOf(const std::string& folder, const std::string& open, const SnapshotInfo& place)
{
    auto entries = snapshotsOf(readCatalogue(folder), place);
    const std::string beside(parentPath(open));
    if (open.starts_with('/') && beside != folder)
        for (auto& entry : snapshotsOf(readCatalogue(beside), place))
            entries.push_back(std::move(entry));
    return entries;
}

const CatalogueEntry* wholeBefore(const std::vector<CatalogueEntry>& entries, const SnapshotInfo& than)
{
    const CatalogueEntry* best = nullptr;
    for (const auto& entry : entries)
        if (!entry.info.partial && entry.info.taken < than.taken && entry.info.exclude == than.exclude &&
            entry.info.crossMounts == than.crossMounts && (!best || entry.info.taken > best->info.taken))
            best = &entry;
    return best;
}

Result<Done> writeAbout(const std::string& snapshot, const SnapshotAbout& about)
{
    const auto path = snapshot + aboutSuffix;
    if (about.isEmpty()) {
        if (::unlink(path.c_str()) != 0 && errno != ENOENT)
            return systemError("remove", path, errno);
        return Done{};
    }
    auto file = AtomicFile::create(path);
    if (!file)
        return file.error();
    const auto text = "{\"name\": " + jsonText(displayText(about.name)) +
                      ", \"note\": " + jsonText(displayText(about.note)) +
                      ", \"pinned\": " + (about.pinned ? "true" : "false") + "}\n";
    file->write(text.data(), text.size());
    return file->commit();
}

std::vector<CatalogueEntry> superfluous(const std::vector<CatalogueEntry>& newestFirst, const KeepingPolicy& policy)
{
    std::vector<CatalogueEntry> gone;
    std::set<std::int64_t> weeks, months;
    bool wholeSeen = false;
    unsigned count = 0;
    for (const auto& entry : newestFirst) {
        const bool newestWhole = !entry.info.partial && !wholeSeen;
        wholeSeen = wholeSeen || !entry.info.partial;
        if (!entry.about.isEmpty() || newestWhole || count < policy.last) {
            ++count;
            continue;
        }
        // A partial one does not stand for its week.
        const auto week = entry.info.taken / (7 * day), month = entry.info.taken / (28 * day);
        if (!entry.info.partial && weeks.size() < policy.weeks && weeks.insert(week).second)
            continue;
        if (!entry.info.partial && weeks.size() >= policy.weeks && months.size() < policy.months &&
            months.insert(month).second)
            continue;
        gone.push_back(entry);
    }
    return gone;
}

const KeepingPolicy& Keeping::of(const std::string& place) const
{
    for (const auto& [path, policy] : places)
        if (path == place)
            return policy;
    return usual;
}

void Keeping::set(const std::string& place, const KeepingPolicy& policy)
{
    for (auto& [path, known] : places)
        if (path == place) {
            known = policy;
            return;
        }
    places.emplace_back(place, policy);
}

Result<Keeping> readKeeping(const std::string& folder)
{
    Keeping keeping;
    const auto path = joinPath(folder, "keeping.toml");
    std::ifstream file(path);
    if (!file)
        return keeping;
    // What is not understood would let snapshots go that someone meant to keep.
    const auto wrongAt = [&path](const toml::source_region& where) {
        return Error{ErrorKind::Damaged, path, 0,
                     displayText(path) + ", line " + std::to_string(where.begin.line) +
                         ", cannot be understood. Nothing is removed until it is put right."};
    };
    try {
        const auto table = toml::parse(file, path);
        const toml::node* wrong = nullptr;
        const auto policy = [&wrong](const toml::table& from, KeepingPolicy otherwise, std::string_view alsoKnown) {
            for (const auto& [name, value] : from) {
                const std::string_view key = name.str();
                auto* number = key == "last"     ? &otherwise.last
                               : key == "weeks"  ? &otherwise.weeks
                               : key == "months" ? &otherwise.months
                                                 : nullptr;
                if (number && value.is_integer() && *value.value<std::int64_t>() >= 0)
                    *number = static_cast<unsigned>(std::min<std::int64_t>(*value.value<std::int64_t>(), 100000));
                else if (key != alsoKnown)
                    wrong = &value;
            }
            return otherwise;
        };
        keeping.usual = policy(table, {}, "place");
        if (const auto& places = table["place"]; places && !places.is_array_of_tables())
            wrong = places.node();
        else if (places)
            for (const auto& one : *places.as_array()) {
                const auto& place = *one.as_table();
                if (!place["path"].is_string())
                    wrong = &place;
                keeping.places.emplace_back(percentDecoded(place["path"].value_or(std::string())),
                                            policy(place, keeping.usual, "path"));
            }
        if (wrong)
            return wrongAt(wrong->source());
    } catch (const toml::parse_error& error) {
        return wrongAt(error.source());
    }
    return keeping;
}

Result<Done> writeKeeping(const std::string& folder, const Keeping& keeping)
{
    if (auto made = makeFolders(folder); !made)
        return made.error();
    auto file = AtomicFile::create(joinPath(folder, "keeping.toml"));
    if (!file)
        return file.error();
    const auto lines = [](const KeepingPolicy& policy) {
        return "last = " + std::to_string(policy.last) + "\nweeks = " + std::to_string(policy.weeks) +
               "\nmonths = " + std::to_string(policy.months) + "\n";
    };
    auto text =
        "# Which snapshots are kept: the last ones, then one a week, then one a month.\n" + lines(keeping.usual);
    for (const auto& [path, policy] : keeping.places)
        text += "\n[[place]]\npath = \"" + percentEncoded(path) + "\"\n" + lines(policy);
    file->write(text.data(), text.size());
    return file->commit();
}

Result<std::string> addSnapshot(const std::string& folder, const SnapshotInfo& info, const FileTree& tree,
                                std::size_t* removed)
{
    if (auto made = makeFolders(folder); !made)
        return made.error();
    const auto earlier = snapshotsOf(readCatalogue(folder), info);
    const auto base =
        std::find_if(earlier.begin(), earlier.end(), [](const CatalogueEntry& entry) { return !entry.info.partial; });
    auto path = snapshotPathFor(folder, info);
    if (auto written = writeSnapshot(path, info, tree, base == earlier.end() ? std::string() : base->path); !written)
        return written.error();
    if (const auto keeping = readKeeping(folder))
        for (const auto& entry : superfluous(snapshotsOf(readCatalogue(folder), info), keeping->of(info.place)))
            if (entry.path != path && removeSnapshot(entry.path) && removed)
                ++*removed;
    return path;
}

Result<Done> exportSnapshot(const std::string& snapshot, const std::string& to, AtomicFile::Existing existing)
{
    auto read = readSnapshot(snapshot);
    if (!read)
        return read.error();
    auto written = writeSnapshot(to, read->info, *read->tree, {}, existing);
    if (!written)
        return written.error();
    return Done{};
}

Result<std::string> importSnapshot(const std::string& folder, const std::string& file)
{
    if (auto made = makeFolders(folder); !made)
        return made.error();
    // By its content: what came through a pipe has no name of its own.
    constexpr std::size_t enough = 64;
    const auto begin = readBeginning(file, enough);
    const bool isSnapshot = file.ends_with(snapshotSuffix) || (begin && beginsAsSnapshot(*begin));
    const auto read = isSnapshot ? readSnapshot(file) : readListing(file);
    if (!read)
        return read.error();
    for (const auto& entry : readCatalogue(folder).entries)
        if ((!read->info.id.empty() && entry.info.id == read->info.id) ||
            (entry.info.taken == read->info.taken && isOnePlace(entry.info, read->info)))
            return Error{ErrorKind::Unsupported, file, 0,
                         "This snapshot is there already, as " + displayText(fileName(entry.path)) + "."};
    auto path = snapshotPathFor(folder, read->info);
    if (auto written = writeSnapshot(path, read->info, *read->tree); !written)
        return written.error();
    return path;
}

Result<Done> removeSnapshot(const std::string& snapshot)
{
    if (::unlink(snapshot.c_str()) != 0)
        return systemError("remove", snapshot, errno);
    ::unlink((snapshot + aboutSuffix).c_str());
    removeUnusedBases(std::string(parentPath(snapshot)));
    return Done{};
}

Result<Done> trashSnapshot(const std::string& folder, const std::string& snapshot, const UserFolders& user)
{
    const auto shown = displayText(snapshot);
    const auto catalogue = readCatalogue(folder);
    const auto entry = std::find_if(catalogue.entries.begin(), catalogue.entries.end(),
                                    [&](const CatalogueEntry& e) { return e.path == snapshot; });
    struct stat s { };
    const bool isFile = ::lstat(snapshot.c_str(), &s) == 0 && S_ISREG(s.st_mode);
    const bool isDamaged = std::any_of(catalogue.damaged.begin(), catalogue.damaged.end(),
                                       [&](const Error& e) { return e.path == snapshot; });
    if (!isFile || (entry == catalogue.entries.end() && !isDamaged))
        return Error{ErrorKind::Unsupported, snapshot, 0,
                     shown + " is not a snapshot of the catalogue in " + displayText(folder) + ". It was left alone."};
    if (entry != catalogue.entries.end() && entry->about.pinned)
        return Error{ErrorKind::Unsupported, snapshot, 0, shown + " is pinned. Unpin it first."};
    // Out of the trash it may come back when what it was packed against is gone.
    if (entry != catalogue.entries.end() && !entry->info.baseId.empty())
        if (auto whole = exportSnapshot(snapshot, snapshot); !whole)
            return whole;
    for (const auto& path : {snapshot, snapshot + aboutSuffix}) {
        EntryStat stat;
        if (statEntry(AT_FDCWD, path.c_str(), stat, StatSync::Fresh) != 0)
            continue; // nothing was said of it
        if (const auto moved = moveToTrash(path, stat, user); !moved)
            return moved.error();
    }
    removeUnusedBases(folder);
    return Done{};
}

Result<Done> catalogueIsThere(const std::string& folder)
{
    const UniqueFd fd(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (fd)
        return Done{};
    if (errno == ENOENT)
        return Error{ErrorKind::NotFound, folder, ENOENT,
                     "There is no catalogue of snapshots at " + displayText(folder) + " yet."};
    return systemError("read the snapshots in", folder, errno);
}

std::uint64_t bytesOfBases(const std::string& folder)
{
    std::uint64_t bytes = 0;
    forEachBase(folder, [&](const std::string&, const struct stat& s) {
        if (s.st_nlink == 1)
            bytes += static_cast<std::uint64_t>(s.st_size);
    });
    return bytes;
}

} // namespace kurvo
