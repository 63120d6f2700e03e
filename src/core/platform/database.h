// SPDX-License-Identifier: GPL-3.0-or-later
// A SQLite file of ours, with what SQLite's answers mean in words. One thread at a time.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "core/base/result.h"

struct sqlite3;
struct sqlite3_stmt;

namespace kurvo {

class Database {
public:
    struct Layout {
        std::string subject;        ///< what it holds, in the plural: "marks"
        int version = 1;            ///< PRAGMA user_version
        const char* make = nullptr; ///< the SQL that makes the tables and sets the version
        /// The SQL that makes version 2 of version 1, 3 of 2, and so on; each sets the version.
        std::vector<const char*> upgrades = {};
    };

    /// Without `make` a missing file is NotFound. TooNew and Damaged leave the file as it is. A new file can only be
    /// read by its owner, because paths can be private.
    static Result<std::unique_ptr<Database>> open(const std::string& file, const Layout& layout, bool make);
    ~Database();
    Database(const Database&) = delete;
    Database& operator=(const Database&) = delete;

    /// What the last call met.
    Error error() const;
    Result<Done> run(const char* sql);
    /// All of the statements or, when one fails or the process is ended, none.
    Result<Done> runWhole(const std::string& sql);
    std::int64_t lastRow() const;
    sqlite3* handle() const { return handle_; }

private:
    Database(std::string file, Layout layout) : file_(std::move(file)), layout_(std::move(layout)) { }
    Error damaged(const std::string& why) const;

    sqlite3* handle_ = nullptr;
    std::string file_;
    Layout layout_;
};

/// One SQL statement. False where it could not be prepared; Database::error() says why.
class Statement {
public:
    Statement(const Database& database, const char* sql);
    ~Statement();
    Statement(const Statement&) = delete;
    Statement& operator=(const Statement&) = delete;

    explicit operator bool() const { return statement_ != nullptr; }
    void text(int at, const std::string& value);
    void bytes(int at, const std::string& value);
    void number(int at, std::int64_t value);
    /// SQLITE_ROW, SQLITE_DONE or an error.
    int step();
    void reset();
    std::string textAt(int column) const;
    std::int64_t numberAt(int column) const;

private:
    sqlite3_stmt* statement_ = nullptr;
};

} // namespace kurvo
