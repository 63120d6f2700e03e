// SPDX-License-Identifier: GPL-3.0-or-later
#include <sqlite3.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>

#include "core/base/text.h"
#include "core/marks/marks.h"
#include "core/platform/folders.h"

namespace kurvo {
namespace {

constexpr int layout = 1; ///< PRAGMA user_version

constexpr const char* makeTables = "CREATE TABLE IF NOT EXISTS kind (position INTEGER PRIMARY KEY, id TEXT NOT NULL UNIQUE,"
                                   " name TEXT NOT NULL, colour INTEGER NOT NULL, sign TEXT NOT NULL);"
                                   "CREATE TABLE IF NOT EXISTS mark (host TEXT NOT NULL, path BLOB NOT NULL,"
                                   " kind TEXT NOT NULL, note TEXT NOT NULL, changed INTEGER NOT NULL,"
                                   " PRIMARY KEY (host, path)) WITHOUT ROWID;"
                                   "PRAGMA user_version = 1;";

} // namespace

/// The connection, with what SQLite's answers mean in words.
struct MarkStore::Database {
    sqlite3* handle = nullptr;
    std::string file;

    ~Database() { sqlite3_close(handle); }

    Error error() const
    {
        const auto shown = displayText(file);
        switch (sqlite3_errcode(handle) & 0xff) {
        case SQLITE_BUSY:
        case SQLITE_LOCKED:
            return {ErrorKind::System, file, 0, "Another program is writing the marks (" + shown + "). Nothing was changed; try again."};
        case SQLITE_READONLY:
        case SQLITE_PERM:
        case SQLITE_CANTOPEN:
        case SQLITE_AUTH:
            return {ErrorKind::NoPermission, file, 0, "The marks cannot be written: " + shown + " may not be changed."};
        case SQLITE_FULL:
            return {ErrorKind::NoSpace, file, 0, "The mark could not be kept: the drive of " + shown + " is full."};
        case SQLITE_CORRUPT:
        case SQLITE_NOTADB:
            return {ErrorKind::Damaged, file, 0,
                    "The marks in " + shown + " are damaged. The file is left as it is: move it away to begin anew."};
        case SQLITE_IOERR:
            return {ErrorKind::System, file, 0, "The marks in " + shown + " could not be read or written: the drive reports an error."};
        default:
            return {ErrorKind::System, file, 0, "The marks in " + shown + " cannot be used: " + sqlite3_errmsg(handle) + "."};
        }
    }

    Result<Done> run(const char* sql)
    {
        return sqlite3_exec(handle, sql, nullptr, nullptr, nullptr) == SQLITE_OK ? Result<Done>(Done{}) : error();
    }
};

namespace {

class Statement {
public:
    Statement(sqlite3* db, const char* sql) { sqlite3_prepare_v2(db, sql, -1, &statement_, nullptr); }
    ~Statement() { sqlite3_finalize(statement_); }
    Statement(const Statement&) = delete;
    Statement& operator=(const Statement&) = delete;

    explicit operator bool() const { return statement_ != nullptr; }
    void text(int at, const std::string& value)
    {
        sqlite3_bind_text(statement_, at, value.data(), static_cast<int>(value.size()), SQLITE_TRANSIENT);
    }
    void bytes(int at, const std::string& value)
    {
        sqlite3_bind_blob(statement_, at, value.data(), static_cast<int>(value.size()), SQLITE_TRANSIENT);
    }
    void number(int at, std::int64_t value) { sqlite3_bind_int64(statement_, at, value); }
    int step() { return sqlite3_step(statement_); }
    void reset() { sqlite3_reset(statement_); }

    std::string textAt(int column) const
    {
        const auto* data = static_cast<const char*>(sqlite3_column_blob(statement_, column));
        return data ? std::string(data, static_cast<std::size_t>(sqlite3_column_bytes(statement_, column))) : std::string();
    }
    std::int64_t numberAt(int column) const { return sqlite3_column_int64(statement_, column); }

private:
    sqlite3_stmt* statement_ = nullptr;
};

} // namespace

MarkStore::MarkStore(std::string file) : file_(std::move(file)) { }
MarkStore::~MarkStore() = default;

/// Opens it where it is not open. Without `make` a missing file is NotFound.
Result<Done> MarkStore::open(bool make)
{
    struct stat s { };
    const bool there = ::stat(file_.c_str(), &s) == 0 && s.st_size > 0;
    if (database_ && there)
        return Done{};
    database_.reset(); // the file was taken away meanwhile
    if (!there && !make)
        return Error{ErrorKind::NotFound, file_, ENOENT, "There are no marks yet."};
    if (make)
        if (const auto made = makeFolders(std::string(parentPath(file_))); !made)
            return made.error();
    auto opened = std::make_unique<Database>();
    opened->file = file_;
    const bool writable = !there || ::access(file_.c_str(), W_OK) == 0;
    const int flags = (writable ? SQLITE_OPEN_READWRITE | (make ? SQLITE_OPEN_CREATE : 0) : SQLITE_OPEN_READONLY) | SQLITE_OPEN_NOMUTEX;
    if (sqlite3_open_v2(file_.c_str(), &opened->handle, flags, nullptr) != SQLITE_OK)
        return opened->error();
    constexpr int patienceMs = 3000;
    sqlite3_busy_timeout(opened->handle, patienceMs);
    Statement version(opened->handle, "PRAGMA user_version");
    if (!version || version.step() != SQLITE_ROW)
        return opened->error();
    if (version.numberAt(0) > layout)
        return Error{ErrorKind::TooNew, file_, 0,
                     "The marks in " + displayText(file_) + " were written by a newer version of Kurvo. They are left as they are."};
    if (version.numberAt(0) < layout) {
        if (there && !make)
            return Error{ErrorKind::Damaged, file_, 0,
                         displayText(file_) + " holds no marks. The file is left as it is: move it away to begin anew."};
        if (there) {
            Statement tables(opened->handle, "SELECT count(*) FROM sqlite_master");
            if (!tables || tables.step() != SQLITE_ROW || tables.numberAt(0) > 0)
                return Error{ErrorKind::Damaged, file_, 0,
                             displayText(file_) + " holds no marks. The file is left as it is: move it away to begin anew."};
        }
        ::chmod(file_.c_str(), 0600); // paths can be private
        if (auto made = opened->run(makeTables); !made)
            return made;
    }
    database_ = std::move(opened);
    return Done{};
}

Result<MarkBook> MarkStore::read(const std::string& host)
{
    const std::lock_guard lock(mutex_);
    MarkBook book;
    if (const auto opened = open(false); !opened)
        return opened.error().kind == ErrorKind::NotFound ? Result<MarkBook>(std::move(book)) : opened.error();
    Statement kinds(database_->handle, "SELECT id, name, colour, sign FROM kind ORDER BY position");
    int step = SQLITE_ERROR;
    while (kinds && (step = kinds.step()) == SQLITE_ROW)
        if (book.kinds.size() < mostMarkKinds && !book.kindIndex(kinds.textAt(0)))
            book.kinds.push_back({kinds.textAt(0), kinds.textAt(1), static_cast<std::uint32_t>(kinds.numberAt(2)) & 0xffffff,
                                  kinds.textAt(3)});
    if (step != SQLITE_DONE)
        return database_->error();
    Statement marks(database_->handle, "SELECT path, kind, note, changed FROM mark WHERE host = ?");
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
    const std::lock_guard lock(mutex_);
    if (auto opened = open(true); !opened)
        return opened;
    if (auto begun = database_->run("BEGIN IMMEDIATE"); !begun)
        return begun;
    const auto give_up = [this] {
        auto error = database_->error();
        (void)database_->run("ROLLBACK");
        return error;
    };
    Statement set(database_->handle, "INSERT OR REPLACE INTO mark (host, path, kind, note, changed) VALUES (?, ?, ?, ?, ?)");
    Statement remove(database_->handle, "DELETE FROM mark WHERE host = ? AND path = ?");
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
    if (sqlite3_exec(database_->handle, "COMMIT", nullptr, nullptr, nullptr) != SQLITE_OK)
        return give_up();
    return Done{};
}

Result<Done> MarkStore::writeKinds(const std::vector<MarkKind>& own)
{
    const std::lock_guard lock(mutex_);
    if (auto opened = open(true); !opened)
        return opened;
    if (auto begun = database_->run("BEGIN IMMEDIATE; DELETE FROM kind;"); !begun) {
        (void)database_->run("ROLLBACK");
        return begun;
    }
    Statement add(database_->handle, "INSERT INTO kind (position, id, name, colour, sign) VALUES (?, ?, ?, ?, ?)");
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
    if (!done || sqlite3_exec(database_->handle, "COMMIT", nullptr, nullptr, nullptr) != SQLITE_OK) {
        auto error = database_->error();
        (void)database_->run("ROLLBACK");
        return error;
    }
    return Done{};
}

} // namespace kurvo
