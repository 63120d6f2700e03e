// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/fleet/fleet_export.h"

#include <charconv>
#include <chrono>
#include <ctime>
#include <unordered_map>

#include <fmt/format.h>

#include "core/advice/tree_advice.h"
#include "core/base/text.h"
#include "core/platform/entry_kind_names.h"

namespace kurvo {
namespace {

bool isUtf8(std::string_view bytes)
{
    for (std::size_t i = 0; i < bytes.size();) {
        if (static_cast<unsigned char>(bytes[i]) < 0x80) {
            ++i;
            continue;
        }
        const auto length = utf8SequenceLength(bytes.substr(i));
        if (length == 0)
            return false;
        i += length;
    }
    return true;
}

/// In UTF-8, as the database takes it.
std::string textFor(std::string_view bytes)
{
    return isUtf8(bytes) ? std::string(bytes) : percentEncoded(bytes);
}

/// A snapshot that no file has an id for, such as one just scanned, has one by what it is.
std::string idOf(const SnapshotInfo& info)
{
    if (!info.id.empty())
        return info.id;
    std::uint64_t hash = 0xcbf29ce484222325; // FNV-1a (Fowler, Noll, Vo)
    for (const char c : info.host + '\0' + info.place + '\0' + std::to_string(info.taken))
        hash = (hash ^ static_cast<unsigned char>(c)) * 0x100000001b3;
    return fmt::format("{:016x}{:016x}", hash, static_cast<std::uint64_t>(info.taken));
}

std::string monthOf(std::int64_t time)
{
    const std::time_t seconds = time;
    std::tm parts{};
    ::gmtime_r(&seconds, &parts);
    return fmt::format("{:04}-{:02}-01", parts.tm_year + 1900, parts.tm_mon + 1);
}

std::string monthAfter(const std::string& month)
{
    int year = std::atoi(month.c_str()), number = std::atoi(month.c_str() + 5);
    if (++number > 12) {
        number = 1;
        ++year;
    }
    return fmt::format("{:04}-{:02}-01", year, number);
}

/// Partitions of one machine and month, named by the machine's number.
Result<Done> makePartitions(Postgres& database, const std::string& machine, const std::string& number,
                            const std::string& month)
{
    const auto quote = [](const std::string& text) {
        std::string out = "'";
        for (const char c : text)
            out += c == '\'' ? std::string("''") : std::string(1, c);
        return out + "'";
    };
    const auto ofMachine = fmt::format("kurvo.entry_m{}", number);
    const auto ofMonth = fmt::format("{}_{}{}", ofMachine, month.substr(0, 4), month.substr(5, 2));
    const auto made =
        database.run(fmt::format("CREATE TABLE IF NOT EXISTS {0} PARTITION OF kurvo.entry FOR VALUES IN ({1}) "
                                 "PARTITION BY RANGE (month); "
                                 "CREATE TABLE IF NOT EXISTS {2} PARTITION OF {0} FOR VALUES FROM ('{3}') TO ('{4}')",
                                 ofMachine, quote(machine), ofMonth, month, monthAfter(month)));
    return made ? Result<Done>(Done{}) : Result<Done>(made.error());
}

class Rows {
public:
    Rows(Postgres& database, const std::function<void(std::uint64_t)>& onRows) : database_(database), onRows_(onRows)
    {
        text_.reserve(2 * enough);
    }
    std::string& text() { return text_; }
    Result<Done> next()
    {
        ++count_;
        return text_.size() < enough ? Result<Done>(Done{}) : flush();
    }
    Result<Done> flush()
    {
        const auto sent = database_.copy(text_);
        text_.clear();
        if (onRows_)
            onRows_(count_);
        return sent;
    }
    std::uint64_t count() const { return count_; }

private:
    static constexpr std::size_t enough = 1 << 20;
    Postgres& database_;
    const std::function<void(std::uint64_t)>& onRows_;
    std::string text_;
    std::uint64_t count_ = 0;
};

void putNumber(std::string& row, std::int64_t number)
{
    char digits[24];
    const auto end = std::to_chars(digits, digits + sizeof digits, number).ptr;
    row.append(digits, end);
    row += '\t';
}

/// A moment in UTC, as COPY reads it.
void putTime(std::string& row, std::int64_t time)
{
    constexpr std::int64_t first = -62135596800, last = 253402300799; // years 1 to 9999
    if (time < first || time > last) {
        row += time < first ? "-infinity\t" : "infinity\t";
        return;
    }
    using namespace std::chrono;
    const sys_seconds moment{seconds(time)};
    const auto midnight = floor<days>(moment);
    const year_month_day date{midnight};
    const hh_mm_ss clock{moment - midnight};
    const auto two = [&row](unsigned number) {
        row += static_cast<char>('0' + number / 10);
        row += static_cast<char>('0' + number % 10);
    };
    const auto year = static_cast<unsigned>(static_cast<int>(date.year()));
    two(year / 100);
    two(year % 100);
    row += '-';
    two(static_cast<unsigned>(date.month()));
    row += '-';
    two(static_cast<unsigned>(date.day()));
    row += ' ';
    two(static_cast<unsigned>(clock.hours().count()));
    row += ':';
    two(static_cast<unsigned>(clock.minutes().count()));
    row += ':';
    two(static_cast<unsigned>(clock.seconds().count()));
    row += "+00\t";
}

/// What every row of one snapshot has in common, and the rows.
class EntryWriter {
public:
    EntryWriter(const SnapshotInfo& info, const FileTree& tree, const TreeAdvice& advice, std::string head)
        : info_(info), tree_(tree), advice_(advice), head_(std::move(head))
    {
    }

    Result<Done> write(Rows& rows, const std::stop_token& stop)
    {
        Result<Done> done = Done{};
        std::uint64_t seen = 0;
        // Depth first, so that a folder's path is built once.
        std::vector<NodeId> pending{rootNode};
        while (!pending.empty() && done) {
            const NodeId folder = pending.back();
            pending.pop_back();
            // Each path but its name is made once a folder.
            const auto path = tree_.path(folder);
            folder_.clear();
            Postgres::appendField(folder_, textFor(path));
            foreign_ = !isUtf8(path);
            if (folder == rootNode) {
                const auto above = folder_;
                folder_.clear();
                Postgres::appendField(folder_, textFor(parentPath(path)));
                done = put(rows, rootNode, above);
                folder_ = above;
            }
            tree_.forEachChild(folder, [&](NodeId child) {
                if (!done)
                    return;
                if ((++seen & 0xFFF) == 0 && stop.stop_requested()) {
                    done = Error{ErrorKind::Cancelled, {}, 0, "It was stopped; this snapshot was not written."};
                    return;
                }
                const auto name = tree_.name(child);
                path_.clear();
                if (foreign_ || !isUtf8(name)) {
                    Postgres::appendField(path_, textFor(joinPath(path, name)));
                } else {
                    path_ = folder_;
                    if (!path_.ends_with('/'))
                        path_ += '/';
                    Postgres::appendField(path_, name);
                }
                done = put(rows, child, path_);
                if (tree_.isFolder(child))
                    pending.push_back(child);
            });
        }
        return done ? rows.flush() : done;
    }

private:
    /// `path` as the row has it.
    Result<Done> put(Rows& rows, NodeId node, const std::string& path)
    {
        const auto& store = tree_.store();
        auto& row = rows.text();
        row += head_;
        row += path;
        row += '\t';
        row += folder_;
        row += '\t';
        row += entryKindNames[static_cast<std::size_t>(store.kind(node))];
        row += '\t';
        putNumber(row, static_cast<std::int64_t>(store.ownApparent(node)));
        // As Kurvo counts: a file with several links once, a folder's own blocks alone.
        const bool folder = tree_.isFolder(node);
        putNumber(row, static_cast<std::int64_t>(!folder                     ? tree_.disk(node)
                                                 : store.has(node, FlagDoor) ? 0
                                                                             : store.ownDisk(node)));
        putNumber(row, static_cast<std::int64_t>(tree_.disk(node)));
        putTime(row, store.modified(node));
        Postgres::appendField(row, owner(store.owner(node)));
        row += '\t';
        row += tree_.isHidden(node) ? "t\t" : "f\t";
        const auto& type = typeInfo(store.type(node));
        row += folder ? std::string_view() : type.extension;
        row += '\t';
        row += folder ? "" : familyName(type.family);
        row += '\t';
        row += roleName(advice_.roles[node]);
        row += '\n';
        return rows.next();
    }

    const std::string& owner(std::uint32_t uid)
    {
        auto known = owners_.find(uid);
        if (known == owners_.end())
            known = owners_.emplace(uid, textFor(ownerName(info_, uid))).first;
        return known->second;
    }

    const SnapshotInfo& info_;
    const FileTree& tree_;
    const TreeAdvice& advice_;
    std::string head_;
    std::string folder_, path_; ///< of the folder in work and of the entry, as a row has them
    bool foreign_ = false;      ///< that folder's path is no UTF-8
    std::unordered_map<std::uint32_t, std::string> owners_;
};

} // namespace

std::string fleetSchema()
{
    return R"(CREATE SCHEMA IF NOT EXISTS kurvo;
CREATE TABLE IF NOT EXISTS kurvo.machine (
    name text PRIMARY KEY,
    number integer GENERATED ALWAYS AS IDENTITY UNIQUE
);
CREATE TABLE IF NOT EXISTS kurvo.snapshot (
    id text NOT NULL,
    machine text NOT NULL,
    place text NOT NULL,
    mount_point text NOT NULL,
    filesystem text NOT NULL,
    taken timestamptz NOT NULL,
    capacity bigint NOT NULL,
    used bigint NOT NULL,
    free bigint NOT NULL,
    entries bigint NOT NULL,
    disk bigint NOT NULL,
    hidden_disk bigint NOT NULL,
    unreadable bigint NOT NULL,
    partial boolean NOT NULL,
    PRIMARY KEY (machine, id)
);
CREATE TABLE IF NOT EXISTS kurvo.entry (
    machine text NOT NULL,
    month date NOT NULL,
    snapshot text NOT NULL,
    path text NOT NULL,
    folder text NOT NULL,
    kind text NOT NULL,
    apparent bigint NOT NULL,
    disk bigint NOT NULL,
    total bigint NOT NULL,
    modified timestamptz NOT NULL,
    owner text NOT NULL,
    hidden boolean NOT NULL,
    type text NOT NULL,
    family text NOT NULL,
    role text NOT NULL
) PARTITION BY LIST (machine);
CREATE OR REPLACE VIEW kurvo.newest AS
    SELECT DISTINCT ON (machine, place) * FROM kurvo.snapshot WHERE NOT partial ORDER BY machine, place, taken DESC;
)";
}

Result<FleetWritten> writeToFleet(Postgres& database, const SnapshotInfo& info, const FileTree& tree,
                                  const RuleBook& book, std::stop_token stop,
                                  const std::function<void(std::uint64_t)>& onRows)
{
    FleetWritten written;
    const auto id = idOf(info), machine = textFor(info.host), month = monthOf(info.taken);
    // One at a time makes partitions, so that two exports do not trip over each other.
    for (const auto& sql : {std::string("BEGIN"), std::string("SELECT pg_advisory_xact_lock(5464834)"), fleetSchema()})
        if (const auto done = database.run(sql); !done)
            return done.error();
    const auto giveUp = [&](const Error& error) -> Error {
        (void)database.run("ROLLBACK");
        return error;
    };
    const auto there = database.run("SELECT 1 FROM kurvo.snapshot WHERE machine = $1 AND id = $2", {machine, id});
    if (!there)
        return giveUp(there.error());
    if (!there->empty()) {
        written.wasThere = true;
        (void)database.run("ROLLBACK");
        return written;
    }
    const auto known =
        database.run("INSERT INTO kurvo.machine (name) VALUES ($1) ON CONFLICT (name) DO UPDATE SET name "
                     "= excluded.name RETURNING number",
                     {machine});
    if (!known)
        return giveUp(known.error());
    if (const auto made = makePartitions(database, machine, known->front().front(), month); !made)
        return giveUp(made.error());
    const auto& sums = tree.sums(rootNode);
    const auto number = [](std::uint64_t n) { return std::to_string(n); };
    const auto noted =
        database.run("INSERT INTO kurvo.snapshot VALUES ($1, $2, $3, $4, $5, to_timestamp($6::bigint), $7, $8, $9, "
                     "$10, $11, $12, $13, "
                     "$14)",
                     {id, machine, textFor(info.place), textFor(info.mountPoint), textFor(info.filesystem),
                      std::to_string(info.taken), number(info.capacity.total), number(info.capacity.used),
                      number(info.capacity.free), number(std::uint64_t{sums.files} + sums.folders), number(sums.disk),
                      number(sums.hiddenDisk), number(info.unreadable), info.partial ? "t" : "f"});
    if (!noted)
        return giveUp(noted.error());
    const auto advice = adviseTree(book, tree);
    std::string head;
    Postgres::appendField(head, machine);
    head += '\t' + month + '\t';
    Postgres::appendField(head, textFor(id));
    head += '\t';
    if (const auto begun = database.beginCopy("COPY kurvo.entry FROM STDIN"); !begun)
        return giveUp(begun.error());
    Rows rows(database, onRows);
    auto sent = EntryWriter(info, tree, advice, std::move(head)).write(rows, stop);
    const auto ended = database.endCopy();
    if (sent && !ended)
        sent = ended.error();
    if (!sent)
        return giveUp(sent.error());
    if (const auto done = database.run("COMMIT"); !done)
        return done.error();
    written.rows = rows.count();
    return written;
}

} // namespace kurvo
