// SPDX-License-Identifier: GPL-3.0-or-later
#include <sqlite3.h>
#include <sys/stat.h>

#include <algorithm>

#include "core/base/text.h"
#include "core/marks/marks.h"
#include "core/platform/database.h"

namespace kurvo {
namespace {

constexpr int layout = 1; ///< PRAGMA user_version

constexpr const char* makeTables =
    "CREATE TABLE IF NOT EXISTS kind (position INTEGER PRIMARY KEY, id TEXT NOT NULL UNIQUE,"
    " name TEXT NOT NULL, colour INTEGER NOT NULL, sign TEXT NOT NULL);"
    "CREATE TABLE IF NOT EXISTS mark (host TEXT NOT NULL, path BLOB NOT NULL,"
    " kind TEXT NOT NULL, note TEXT NOT NULL, changed INTEGER NOT NULL,"
    " PRIMARY KEY (host, path)) WITHOUT ROWID;"
    "PRAGMA user_version = 1;";

const Database::Layout marksLayout{"marks", layout, makeTables};

} // namespace

MarkStore::MarkStore(std::string file) : file_(std::move(file)) { }
MarkStore::~MarkStore() = default;

/// Opens it where it is not open. Without `make` a missing file is NotFound.
Result<Done> MarkStore::open(bool make)
{
    struct stat s { };
    if (database_ && ::stat(file_.c_str(), &s) == 0 && s.st_size > 0)
        return Done{};
    database_.reset(); // the file was taken away meanwhile
    auto opened = Database::open(file_, marksLayout, make);
    if (!opened)
        return opened.error();
    database_ = std::move(*opened);
    return Done{};
}

Result<MarkBook> MarkStore::read(const std::string& host)
{
    const Lock lock(mutex_);
    MarkBook book;
    if (const auto opened = open(false); !opened)
        return opened.error().kind == ErrorKind::NotFound ? Result<MarkBook>(std::move(book)) : opened.error();
    Statement kinds(*database_, "SELECT id, name, colour, sign FROM kind ORDER BY position");
    int step = SQLITE_ERROR;
    while (kinds && (step = kinds.step()) == SQLITE_ROW)
        if (book.kinds.size() < mostMarkKinds && !book.kindIndex(kinds.textAt(0)))
            book.kinds.push_back({kinds.textAt(0), kinds.textAt(1),
                                  static_cast<std::uint32_t>(kinds.numberAt(2)) & 0xffffff, kinds.textAt(3)});
    if (step != SQLITE_DONE)
        return database_->error();
    Statement marks(*database_, "SELECT path, kind, note, changed FROM mark WHERE host = ?");
    if (!marks)
        return database_->error();
    marks.text(1, host);
    while ((step = marks.step()) == SQLITE_ROW) {
        Mark mark{marks.textAt(0), marks.textAt(1), marks.textAt(2), marks.numberAt(3)};
        auto path = mark.path;
        book.marks.emplace(std::move(path), std::move(mark));
    }
    if (step != SQLITE_DONE)
        return database_->error();
    return book;
}

Result<Done> MarkStore::write(const std::string& host, const std::vector<Mark>& marks)
{
    const Lock lock(mutex_);
    if (auto opened = open(true); !opened)
        return opened;
    if (auto begun = database_->run("BEGIN IMMEDIATE"); !begun)
        return begun;
    const auto give_up = [this]() KURVO_REQUIRES(mutex_) {
        auto error = database_->error();
        (void)database_->run("ROLLBACK");
        return error;
    };
    Statement set(*database_, "INSERT OR REPLACE INTO mark (host, path, kind, note, changed) VALUES (?, ?, ?, ?, ?)");
    Statement remove(*database_, "DELETE FROM mark WHERE host = ? AND path = ?");
    if (!set || !remove)
        return give_up();
    for (const auto& mark : marks) {
        auto& statement = mark.kind.empty() ? remove : set;
        statement.text(1, host);
        statement.bytes(2, mark.path);
        if (!mark.kind.empty()) {
            statement.text(3, mark.kind);
            statement.text(4, mark.note);
            statement.number(5, mark.changed);
        }
        if (statement.step() != SQLITE_DONE)
            return give_up();
        statement.reset();
    }
    if (!database_->run("COMMIT"))
        return give_up();
    return Done{};
}

Result<Done> MarkStore::writeKinds(const std::vector<MarkKind>& own)
{
    const Lock lock(mutex_);
    if (auto opened = open(true); !opened)
        return opened;
    if (auto begun = database_->run("BEGIN IMMEDIATE; DELETE FROM kind;"); !begun) {
        (void)database_->run("ROLLBACK");
        return begun;
    }
    Statement add(*database_, "INSERT INTO kind (position, id, name, colour, sign) VALUES (?, ?, ?, ?, ?)");
    bool done = static_cast<bool>(add);
    for (std::size_t i = 0; i < own.size() && done; ++i) {
        add.number(1, static_cast<std::int64_t>(i));
        add.text(2, own[i].id);
        add.text(3, own[i].name);
        add.number(4, own[i].colour);
        add.text(5, own[i].sign);
        done = add.step() == SQLITE_DONE;
        add.reset();
    }
    if (!done || !database_->run("COMMIT")) {
        auto error = database_->error();
        (void)database_->run("ROLLBACK");
        return error;
    }
    return Done{};
}

} // namespace kurvo
