// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/database.h"

#include <fcntl.h>
#include <sqlite3.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>

#include "core/base/text.h"
#include "core/platform/folders.h"

namespace kurvo {

Database::~Database()
{
    sqlite3_close(handle_);
}

Error Database::damaged(const std::string& why) const
{
    return {ErrorKind::Damaged, file_, 0, why + " The file is left as it is: move it away to begin anew."};
}

Error Database::error() const
{
    const auto shown = displayText(file_);
    const auto the = "The " + layout_.subject;
    switch (sqlite3_errcode(handle_) & 0xff) {
    case SQLITE_BUSY:
    case SQLITE_LOCKED:
        return {ErrorKind::System, file_, 0,
                "Another program is writing the " + layout_.subject + " (" + shown +
                    "). Nothing was changed; try again."};
    case SQLITE_READONLY:
    case SQLITE_PERM:
    case SQLITE_CANTOPEN:
    case SQLITE_AUTH:
        return {ErrorKind::NoPermission, file_, 0, the + " cannot be written: " + shown + " may not be changed."};
    case SQLITE_FULL:
        return {ErrorKind::NoSpace, file_, 0, the + " could not be kept: the drive of " + shown + " is full."};
    case SQLITE_CORRUPT:
    case SQLITE_NOTADB:
        return damaged(the + " in " + shown + " are damaged.");
    case SQLITE_IOERR:
        return {ErrorKind::System, file_, 0,
                the + " in " + shown + " could not be read or written: the drive reports an error."};
    default:
        return {ErrorKind::System, file_, 0,
                the + " in " + shown + " cannot be used: " + sqlite3_errmsg(handle_) + "."};
    }
}

Result<Done> Database::run(const char* sql)
{
    return sqlite3_exec(handle_, sql, nullptr, nullptr, nullptr) == SQLITE_OK ? Result<Done>(Done{}) : error();
}

Result<Done> Database::runWhole(const std::string& sql)
{
    auto done = run(("BEGIN IMMEDIATE;" + sql + "COMMIT;").c_str());
    if (!done)
        (void)run("ROLLBACK");
    return done;
}

std::int64_t Database::lastRow() const
{
    return sqlite3_last_insert_rowid(handle_);
}

Result<std::unique_ptr<Database>> Database::open(const std::string& file, const Layout& layout, bool make)
{
    struct stat s { };
    const bool there = ::stat(file.c_str(), &s) == 0 && s.st_size > 0;
    const auto shown = displayText(file);
    if (!there && !make)
        return Error{ErrorKind::NotFound, file, ENOENT, "There are no " + layout.subject + " yet."};
    if (make)
        if (const auto made = makeFolders(std::string(parentPath(file))); !made)
            return made.error();
    std::unique_ptr<Database> opened(new Database(file, layout));
    const bool writable = !there || ::faccessat(AT_FDCWD, file.c_str(), W_OK, AT_EACCESS) == 0;
    const int flags = (writable ? SQLITE_OPEN_READWRITE | (make ? SQLITE_OPEN_CREATE : 0) : SQLITE_OPEN_READONLY) |
                      SQLITE_OPEN_NOMUTEX;
    if (sqlite3_open_v2(file.c_str(), &opened->handle_, flags, nullptr) != SQLITE_OK)
        return opened->error();
    constexpr int patienceMs = 3000;
    sqlite3_busy_timeout(opened->handle_, patienceMs);
    Statement version(*opened, "PRAGMA user_version");
    if (!version || version.step() != SQLITE_ROW)
        return opened->error();
    const auto found = version.numberAt(0);
    version.reset();
    if (found > layout.version)
        return Error{ErrorKind::TooNew, file, 0,
                     "The " + layout.subject + " in " + shown +
                         " were written by a newer version of Kurvo. They are left as they are."};
    for (auto from = found; from > 0 && from < layout.version; ++from) {
        if (auto upgraded = opened->runWhole(layout.upgrades.at(static_cast<std::size_t>(from - 1))); !upgraded)
            return upgraded.error();
    }
    if (found == 0) {
        // One that was ended while it was made has nothing in it yet.
        Statement tables(*opened, "SELECT count(*) FROM sqlite_master");
        if (!tables || tables.step() != SQLITE_ROW)
            return opened->error();
        if (tables.numberAt(0) > 0)
            return opened->damaged(shown + " holds no " + layout.subject + ".");
        if (!make)
            return Error{ErrorKind::NotFound, file, ENOENT, "There are no " + layout.subject + " yet."};
        tables.reset();
        ::chmod(file.c_str(), 0600);
        const auto made = opened->runWhole(layout.make);
        // Another Kurvo may have made it meanwhile.
        if (!made && (version.step() != SQLITE_ROW || version.numberAt(0) != layout.version))
            return made.error();
    }
    return opened;
}

Statement::Statement(const Database& database, const char* sql)
{
    sqlite3_prepare_v2(database.handle(), sql, -1, &statement_, nullptr);
}

Statement::~Statement()
{
    sqlite3_finalize(statement_);
}

void Statement::text(int at, const std::string& value)
{
    sqlite3_bind_text(statement_, at, value.data(), static_cast<int>(value.size()), SQLITE_TRANSIENT);
}

void Statement::bytes(int at, const std::string& value)
{
    sqlite3_bind_blob(statement_, at, value.data(), static_cast<int>(value.size()), SQLITE_TRANSIENT);
}

void Statement::number(int at, std::int64_t value)
{
    sqlite3_bind_int64(statement_, at, value);
}

int Statement::step()
{
    return sqlite3_step(statement_);
}

void Statement::reset()
{
    sqlite3_reset(statement_);
}

std::string Statement::textAt(int column) const
{
    const auto* value = static_cast<const char*>(sqlite3_column_blob(statement_, column));
    return value ? std::string(value, static_cast<std::size_t>(sqlite3_column_bytes(statement_, column)))
                 : std::string();
}

std::int64_t Statement::numberAt(int column) const
{
    return sqlite3_column_int64(statement_, column);
}

} // namespace kurvo
