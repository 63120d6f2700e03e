// SPDX-License-Identifier: GPL-3.0-or-later
// Marks: a label with a note that stays with a path across scans. They are kept in an SQLite database of their own
// (docs/marks.md), by machine and path, so that they can be handed on; in memory they are plain values.
#pragma once

#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

#include "core/base/locks.h"
#include "core/base/result.h"
#include "core/tree/file_tree.h"

namespace kurvo {

class Database;

/// What a mark says.
struct MarkKind {
    std::string id;           ///< as it stands in the database and in filters: "clear-out"
    std::string name;         ///< for people: "clear out"
    std::uint32_t colour = 0; ///< 0xRRGGBB
    std::string sign;         ///< one character, UTF-8: never colour alone
    bool operator==(const MarkKind&) const = default;
};
/// As many as there are keys for them, and classes beside "no mark" to colour by.
inline constexpr std::size_t mostMarkKinds = 9;
/// keep, ask, archive, clear out: always there, first, in this order.
const std::vector<MarkKind>& builtInMarkKinds();

struct Mark {
    std::string path; ///< bytes
    std::string kind; ///< the id of a MarkKind
    std::string note;
    std::int64_t changed = 0; ///< UTC seconds
    bool operator==(const Mark&) const = default;
};

/// All kinds, and the marks of one machine by path.
struct MarkBook {
    std::vector<MarkKind> kinds = builtInMarkKinds();
    std::unordered_map<std::string, Mark> marks;

    /// Its place among the kinds; nothing for one that is not there (any more).
    std::optional<std::size_t> kindIndex(const std::string& id) const;
};

/// The database. Made on the first write; a damaged one is never touched. Safe from any thread; waits up to three
/// seconds for another program that writes.
class MarkStore {
public:
    explicit MarkStore(std::string file);
    ~MarkStore();
    MarkStore(const MarkStore&) = delete;
    MarkStore& operator=(const MarkStore&) = delete;

    const std::string& file() const { return file_; }
    /// What is known of one machine. An empty book where there is no database yet.
    Result<MarkBook> read(const std::string& host);
    /// Sets these marks, all or none; one with an empty kind is taken away.
    Result<Done> write(const std::string& host, const std::vector<Mark>& marks);
    /// Replaces the kinds beyond those that are built in. Marks of a kind that is gone stay and come back with it.
    Result<Done> writeKinds(const std::vector<MarkKind>& own);

private:
    Result<Done> open(bool make) KURVO_REQUIRES(mutex_);

    std::string file_;
    Mutex mutex_;
    std::unique_ptr<Database> database_ KURVO_GUARDED_BY(mutex_);
};

/// The marks of a book on the entries of a tree; what lies in a marked folder has its mark, unless it has one of its
/// own. Immutable once made; may be read from any thread.
class TreeMarks {
public:
    /// One pass over the folders where anything is marked.
    TreeMarks(std::shared_ptr<const FileTree> tree, std::shared_ptr<const MarkBook> book);

    const MarkBook& book() const { return *book_; }
    bool any() const { return !own_.empty(); }
    /// The mark of the entry itself, or null.
    const Mark* own(NodeId node) const;
    /// Its own or the one it inherits, and from where; null where there is none.
    struct Found {
        const Mark* mark = nullptr;
        NodeId from = noNode;
    };
    Found of(NodeId node) const;
    /// Its place among the kinds; book().kinds.size() where there is none.
    std::size_t kindOf(NodeId node) const;

private:
    std::shared_ptr<const FileTree> tree_;
    std::shared_ptr<const MarkBook> book_;
    std::unordered_map<NodeId, const Mark*> own_;
    std::vector<NodeId> from_; ///< by folder index: the marked folder it is or lies in; empty where nothing is marked
};

/// Marks as CSV (RFC 4180), to be handed over: mark, note, changed, path; by path.
std::string marksAsCsv(const MarkBook& book);

} // namespace kurvo
