// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot/listing.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <charconv>
#include <fstream>
#include <iterator>
#include <unordered_map>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/entry_kind_names.h"
#include "core/snapshot/node_source.h"
#include "core/types/file_types.h"

namespace kurvo {
namespace {

constexpr const char* csvHead = "path,kind,size,blocks,modified,modified_ns,inode,device,links,owner,flags";
constexpr std::size_t columns = 11;
constexpr std::uint16_t keptFlags = FlagDoor | FlagUnreadable | FlagUnfinished;

/// One line of it.
struct Row {
    std::string path;
    EntryStat stat;
    std::uint16_t flags = 0;
    std::size_t line = 0;
};

struct Wrong {
    std::string sentence;
};

std::uint64_t linksOf(const NodeStore& store, NodeId node)
{
    return store.has(node, FlagLinked) ? store.linkSets()[store.linkSetOf(node)].links : 1;
}

/// JSON for a parser that takes no lone surrogates: \udcXX, which stands for a byte, becomes U+0001 and two digits, and
/// so does U+0001 itself.
std::string withoutSurrogates(const std::string& line)
{
    std::string out;
    for (std::size_t i = 0; i < line.size(); ++i) {
        if (line[i] != '\\' || i + 1 == line.size()) {
            out += line[i];
            continue;
        }
        const auto escape = std::string_view(line).substr(i, 6);
        if (escape.size() == 6 && escape.starts_with("\\udc"))
            out += "\\u0001" + line.substr(i + 4, 2);
        else if (escape == "\\u0001")
            out += "\\u000101";
        else {
            out += line.substr(i, 2);
            i += 1;
            continue;
        }
        i += 5;
    }
    return out;
}

std::string bytesFrom(const std::string& text)
{
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        unsigned byte = 0;
        if (text[i] == 1 && i + 2 < text.size() &&
            std::from_chars(text.data() + i + 1, text.data() + i + 3, byte, 16).ec == std::errc{}) {
            out += static_cast<char>(byte);
            i += 2;
        } else {
            out += text[i];
        }
    }
    return out;
}

template <typename T>
T number(std::string_view text, const char* name)
{
    T value{};
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc{} || end != text.data() + text.size())
        throw Wrong{std::string(name) + " is no number"};
    return value;
}

EntryKind kindFrom(const std::string& name)
{
    const auto found = std::find(entryKindNames.begin(), entryKindNames.end(), name);
    if (found == entryKindNames.end())
        throw Wrong{"\"" + displayText(name) + "\" is no kind"};
    return static_cast<EntryKind>(found - entryKindNames.begin());
}

/// The fields of a line, in their order.
Row rowOf(const std::array<std::string, columns>& f)
{
    Row row;
    row.path = f[0];
    row.stat.kind = kindFrom(f[1]);
    row.stat.size = number<std::uint64_t>(f[2], "size");
    row.stat.blocks = number<std::uint64_t>(f[3], "blocks");
    row.stat.modified = number<std::int64_t>(f[4], "modified");
    row.stat.modifiedNs = number<std::uint32_t>(f[5], "modified_ns");
    row.stat.inode = number<std::uint64_t>(f[6], "inode");
    row.stat.device = number<std::uint64_t>(f[7], "device");
    row.stat.links = number<std::uint32_t>(f[8], "links");
    row.stat.uid = number<std::uint32_t>(f[9], "owner");
    row.flags = number<std::uint16_t>(f[10], "flags") & keptFlags;
    constexpr std::uint64_t mostBlocks = std::uint64_t{1} << 54; // as snapshots have it
    if (row.stat.modifiedNs >= 1000000000 || row.stat.blocks >= mostBlocks || row.stat.size > INT64_MAX)
        throw Wrong{"a number is larger than it can be"};
    return row;
}

Row rowFromJson(const std::string& line)
{
    const auto object = nlohmann::json::parse(withoutSurrogates(line), nullptr, false);
    if (!object.is_object())
        throw Wrong{"it is not a valid JSON object"};
    std::array<std::string, columns> fields;
    static constexpr std::array names{"path",  "kind",   "size",  "blocks", "modified", "modified_ns",
                                      "inode", "device", "links", "owner",  "flags"};
    for (std::size_t i = 0; i < columns; ++i) {
        const auto found = object.find(names[i]);
        if (found == object.end())
            throw Wrong{std::string("\"") + names[i] + "\" is missing"};
        fields[i] = found->is_string() ? bytesFrom(found->get<std::string>()) : found->dump();
    }
    return rowOf(fields);
}

/// One record of CSV, which may span lines; false at the end.
bool nextRecord(std::istream& in, std::vector<std::string>& fields, std::size_t& line)
{
    fields.assign(1, {});
    bool quoted = false, any = false;
    for (int c; (c = in.get()) != EOF;) {
        any = true;
        line += c == '\n' ? 1 : 0;
        if (quoted) {
            if (c != '"')
                fields.back() += static_cast<char>(c);
            else if (in.peek() == '"')
                fields.back() += static_cast<char>(in.get());
            else
                quoted = false;
        } else if (c == '"' && fields.back().empty()) {
            quoted = true;
        } else if (c == ',') {
            fields.emplace_back();
        } else if (c == '\n') {
            return true;
        } else if (c != '\r' || in.peek() != '\n') {
            fields.back() += static_cast<char>(c);
        }
    }
    if (quoted)
        throw Wrong{"a quotation mark is not closed"};
    return any;
}

void readHead(const nlohmann::json& head, SnapshotInfo& info)
{
    info.placeName = head.value("place_name", std::string());
    info.host = head.value("host", std::string());
    info.filesystem = head.value("filesystem", std::string());
    info.filesystemUuid = head.value("filesystem_uuid", std::string());
    info.mountPoint = bytesFrom(head.value("mount_point", std::string()));
    info.mountRoot = bytesFrom(head.value("mount_root", std::string("/")));
    info.taken = head.value("taken", std::int64_t{0});
    info.partial = head.value("partial", false);
    info.unreadable = head.value("unreadable", std::uint64_t{0});
    if (const auto capacity = head.find("capacity"); capacity != head.end())
        info.capacity = {capacity->value("total", std::uint64_t{0}), capacity->value("used", std::uint64_t{0}),
                         capacity->value("reserved", std::uint64_t{0}), capacity->value("free", std::uint64_t{0})};
}

/// Folders before what is in them, each with all its children.
std::shared_ptr<const FileTree> plant(const std::vector<Row>& rows)
{
    if (rows.empty() || rows.front().stat.kind != EntryKind::Folder || !rows.front().path.starts_with('/') ||
        !isRootName(rows.front().path))
        throw Wrong{"the first entry is not the folder that was scanned"};
    std::unordered_map<std::string_view, std::vector<const Row*>> below;
    std::unordered_map<std::string_view, const Row*> known;
    for (const auto& row : rows) {
        if (!known.emplace(row.path, &row).second)
            throw Wrong{displayText(row.path) + " is there twice"};
        if (&row != &rows.front())
            below[parentPath(row.path)].push_back(&row);
    }
    auto store = std::make_shared<NodeStore>(rows.front().path);
    NodeStore::NameWriter names(*store);
    store->setRoot(rows.front().stat, names);
    store->addFlags(rootNode, rows.front().flags);
    std::vector<std::pair<NodeId, const Row*>> pending{{rootNode, &rows.front()}};
    std::size_t planted = 1;
    for (std::size_t i = 0; i < pending.size(); ++i) {
        const auto [folder, row] = pending[i];
        const auto found = below.find(row->path);
        if (found == below.end())
            continue;
        std::vector<NewNode> group;
        const bool programs = holdsPrograms(store->name(folder));
        for (const auto* child : found->second) {
            NewNode node;
            node.name = fileName(child->path);
            if (node.name.empty() || node.name == "/")
                throw Wrong{displayText(child->path) + " has no name"};
            node.stat = child->stat;
            node.flags = child->flags;
            node.type = child->stat.kind == EntryKind::Folder ? FileType{0} : typeOfName(node.name);
            if (programs && node.type == 0 && child->stat.kind != EntryKind::Folder)
                node.type = typeAmongPrograms(node.name);
            group.push_back(node);
        }
        const auto first = store->append(folder, group, names).first;
        planted += group.size();
        for (std::uint32_t k = 0; k < group.size(); ++k)
            if (group[k].stat.kind == EntryKind::Folder)
                pending.emplace_back(first + k, found->second[k]);
    }
    if (planted != rows.size())
        throw Wrong{formatItems(rows.size() - planted, "entry", "entries") + " lie in folders that are not listed"};
    store->seal();
    return std::make_shared<FileTree>(std::move(store));
}

} // namespace

void writeListing(const ByteSink& write, const SnapshotInfo& info, const FileTree& tree, ListingFormat format)
{
    const auto& store = tree.store();
    std::string out;
    const auto flush = [&](std::size_t least) {
        if (out.size() > least) {
            write(out.data(), out.size());
            out.clear();
        }
    };
    const bool json = format == ListingFormat::JsonLines;
    if (json)
        fmt::format_to(
            std::back_inserter(out),
            "{{\"place\": {}, \"place_name\": {}, \"host\": {}, \"filesystem\": {}, \"filesystem_uuid\": {}, "
            "\"mount_point\": {}, \"mount_root\": {}, \"taken\": {}, \"partial\": {}, \"unreadable\": {}, "
            "\"capacity\": {{\"total\": {}, "
            "\"used\": {}, \"reserved\": {}, \"free\": {}}}}}\n",
            jsonText(tree.path(rootNode)), jsonText(info.placeName), jsonText(info.host), jsonText(info.filesystem),
            jsonText(info.filesystemUuid), jsonText(info.mountPoint), jsonText(info.mountRoot), info.taken,
            info.partial, info.unreadable, info.capacity.total, info.capacity.used, info.capacity.reserved,
            info.capacity.free);
    else
        out += std::string(csvHead) + "\r\n";
    tree.forEachBelow(rootNode, [&](NodeId node) {
        const auto path = tree.path(node);
        const auto kind = entryKindNames[static_cast<std::size_t>(store.kind(node))];
        if (json)
            fmt::format_to(
                std::back_inserter(out),
                "{{\"path\": {}, \"kind\": \"{}\", \"size\": {}, \"blocks\": {}, \"modified\": {}, "
                "\"modified_ns\": {}, \"inode\": {}, \"device\": {}, \"links\": {}, \"owner\": {}, \"flags\": {}}}\n",
                jsonText(path), kind, store.ownApparent(node), store.ownDisk(node) / 512, store.modified(node),
                store.modifiedNs(node), store.inode(node), store.device(node), linksOf(store, node), store.owner(node),
                store.flags(node) & keptFlags);
        else
            fmt::format_to(std::back_inserter(out), "{},{},{},{},{},{},{},{},{},{},{}\r\n", csvField(path), kind,
                           store.ownApparent(node), store.ownDisk(node) / 512, store.modified(node),
                           store.modifiedNs(node), store.inode(node), store.device(node), linksOf(store, node),
                           store.owner(node), store.flags(node) & keptFlags);
        flush(1 << 16);
    });
    flush(0);
}

Result<Snapshot> readListing(const std::string& path)
{
    std::ifstream in(path, std::ios::binary);
    if (!in)
        return systemError("open", path, errno);
    Snapshot snapshot;
    std::vector<Row> rows;
    std::size_t line = 1;
    try {
        if (in.peek() == '{') {
            for (std::string text; std::getline(in, text); ++line) {
                if (text.empty())
                    continue;
                if (line == 1) {
                    const auto head = nlohmann::json::parse(withoutSurrogates(text), nullptr, false);
                    if (!head.is_object() || !head.contains("place"))
                        throw Wrong{"it does not say which place was scanned"};
                    readHead(head, snapshot.info);
                    continue;
                }
                rows.push_back(rowFromJson(text));
            }
        } else {
            std::vector<std::string> fields;
            std::size_t next = 1; // where the next record begins
            if (!nextRecord(in, fields, next) || fields.front() != "path" || fields.size() != columns)
                return Error{ErrorKind::WrongFormat, path, 0, displayText(path) + " is no listing of a snapshot."};
            std::array<std::string, columns> row;
            while ((line = next, nextRecord(in, fields, next))) {
                if (fields.size() != columns)
                    throw Wrong{"it has another number of fields"};
                std::move(fields.begin(), fields.end(), row.begin());
                rows.push_back(rowOf(row));
            }
        }
        line = 0;
        snapshot.tree = plant(rows);
    } catch (const Wrong& wrong) {
        return Error{ErrorKind::Damaged, path, 0,
                     displayText(path) + (line > 0 ? ", line " + std::to_string(line) : std::string()) +
                         ", cannot be used: " + wrong.sentence + "."};
    } catch (const nlohmann::json::exception&) {
        return Error{ErrorKind::Damaged, path, 0,
                     displayText(path) + ", line " + std::to_string(line) + ", cannot be used."};
    }
    snapshot.info.place = snapshot.tree->path(rootNode);
    if (snapshot.info.placeName.empty())
        snapshot.info.placeName = std::string(fileName(snapshot.info.place));
    return snapshot;
}

} // namespace kurvo
