// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/logbook.h"

#include <fcntl.h>
#include <sqlite3.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cerrno>

#include <fmt/format.h>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/database.h"
#include "core/platform/folders.h"
#include "core/platform/privilege.h"

namespace kurvo {
namespace {

constexpr std::array stateNames{"planned",   "copying", "placing", "setting aside", "removing", "trashing",
                                "restoring", "done",    "failed",  "undone",        "emptied"};
constexpr std::array actionNames{"trash", "delete", "move", "empty trash"};

const Database::Layout layout{
    "runs of the logbook",
    4,
    "CREATE TABLE run (id INTEGER PRIMARY KEY, began INTEGER NOT NULL, ended INTEGER NOT NULL, place BLOB NOT NULL,"
    " host TEXT NOT NULL, free_before INTEGER NOT NULL, free_after INTEGER NOT NULL, rights_run INTEGER NOT NULL "
    "DEFAULT 0, rule TEXT NOT NULL DEFAULT '');"
    "CREATE TABLE step (id INTEGER PRIMARY KEY, run INTEGER NOT NULL REFERENCES run(id), action TEXT NOT NULL,"
    " state TEXT NOT NULL, path BLOB NOT NULL, kind INTEGER NOT NULL, device INTEGER NOT NULL, inode INTEGER NOT NULL,"
    " size INTEGER NOT NULL, modified INTEGER NOT NULL, modified_ns INTEGER NOT NULL, disk INTEGER NOT NULL,"
    " target BLOB NOT NULL, leave_link INTEGER NOT NULL, token TEXT NOT NULL, copy_inode INTEGER NOT NULL,"
    " trash BLOB NOT NULL, trash_top BLOB NOT NULL, trash_name BLOB NOT NULL, trashed INTEGER NOT NULL,"
    " note TEXT NOT NULL, changed INTEGER NOT NULL, frees INTEGER NOT NULL, held_open INTEGER NOT NULL,"
    " mode INTEGER NOT NULL, uid INTEGER NOT NULL, gid INTEGER NOT NULL, source_drive TEXT NOT NULL,"
    " target_drive TEXT NOT NULL, sealed INTEGER NOT NULL);"
    "CREATE INDEX step_run ON step (run);"
    "CREATE INDEX step_state ON step (state);"
    "PRAGMA user_version = 4;",
    {"ALTER TABLE step ADD COLUMN frees INTEGER NOT NULL DEFAULT 0;"
     "ALTER TABLE step ADD COLUMN held_open INTEGER NOT NULL DEFAULT 0;"
     "UPDATE step SET frees = disk;"
     "PRAGMA user_version = 2;",
     "ALTER TABLE run ADD COLUMN rights_run INTEGER NOT NULL DEFAULT 0;"
     "ALTER TABLE step ADD COLUMN mode INTEGER NOT NULL DEFAULT 0;"
     "ALTER TABLE step ADD COLUMN uid INTEGER NOT NULL DEFAULT 0;"
     "ALTER TABLE step ADD COLUMN gid INTEGER NOT NULL DEFAULT 0;"
     "ALTER TABLE step ADD COLUMN source_drive TEXT NOT NULL DEFAULT '';"
     "ALTER TABLE step ADD COLUMN target_drive TEXT NOT NULL DEFAULT '';"
     "ALTER TABLE step ADD COLUMN sealed INTEGER NOT NULL DEFAULT 0;"
     "PRAGMA user_version = 3;",
     "ALTER TABLE run ADD COLUMN rule TEXT NOT NULL DEFAULT '';"
     "PRAGMA user_version = 4;"}};

/// What is written of a step, in the order of put(); `id` follows.
#define KURVO_STEP_COLUMNS                                                                                             \
    "run, action, state, path, kind, device, inode, size, modified, modified_ns, disk, target, leave_link, token,"     \
    " copy_inode, trash, trash_top, trash_name, trashed, note, changed, frees, held_open, mode, uid, gid, "            \
    "source_drive,"                                                                                                    \
    " target_drive, sealed"
constexpr int stepColumns = 29;

template <typename Names>
std::size_t indexOf(const Names& names, const std::string& name, std::size_t otherwise)
{
    const auto found = std::find(names.begin(), names.end(), name);
    return found == names.end() ? otherwise : static_cast<std::size_t>(found - names.begin());
}

std::int64_t signedOf(std::uint64_t value)
{
    return static_cast<std::int64_t>(value);
}

std::uint64_t unsignedOf(std::int64_t value)
{
    return static_cast<std::uint64_t>(value);
}

bool isWholePath(const std::string& path)
{
    const auto framed = path + "/";
    return path.starts_with('/') && framed.find("/../") == framed.npos && framed.find("/./") == framed.npos &&
           path.find('\0') == path.npos;
}

/// Paths are whole, and what becomes a name on a drive is one. Rows can be written by others than Kurvo.
bool isSound(const LoggedStep& step)
{
    const auto isName = [](const std::string& name) {
        return name.find('/') == name.npos && name.find('\0') == name.npos && name != "." && name != "..";
    };
    return isWholePath(step.path) && (step.target.empty() || isWholePath(step.target)) &&
           (step.trashed.folder.path.empty() || isWholePath(step.trashed.folder.path)) && isName(step.trashed.name) &&
           std::all_of(step.token.begin(), step.token.end(), [](unsigned char c) { return std::isalnum(c) != 0; }) &&
           step.stat.kind <= EntryKind::CharacterDevice;
}

} // namespace

const char* stateName(StepState state)
{
    return stateNames[static_cast<std::size_t>(state)];
}

const char* actionName(Action action)
{
    return actionNames[static_cast<std::size_t>(action)];
}

Logbook::Logbook(std::string file) : Logbook(std::move(file), ::geteuid()) { }
Logbook::Logbook(std::string file, std::uint32_t owner) : file_(std::move(file)), owner_(owner) { }
Logbook::~Logbook()
{
    const FilesAs as(owner_); // closing the last one folds its log into the file
    database_.reset();
}

Result<Done> Logbook::open(bool make)
{
    struct stat s { };
    if (database_ && ::stat(file_.c_str(), &s) == 0 && s.st_size > 0)
        return Done{};
    database_.reset();
    auto opened = Database::open(file_, layout, make);
    if (!opened)
        return opened.error();
    if (make) {
        // Each commit reaches the disk before anything is done that it speaks of.
        if (auto set = (*opened)->run("PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL;"); !set)
            return set;
    }
    database_ = std::move(*opened);
    return Done{};
}

Result<Logbook::Turn> Logbook::takeTurn()
{
    const FilesAs as(owner_);
    if (auto made = makeFolders(std::string(parentPath(file_))); !made)
        return made.error();
    const auto lock = file_ + ".lock";
    UniqueFd fd(::open(lock.c_str(), O_RDWR | O_CREAT | O_NOFOLLOW | O_CLOEXEC, 0600));
    if (!fd)
        return systemError("lock", lock, errno);
    if (::flock(fd.get(), LOCK_EX | LOCK_NB) != 0)
        return errno == EWOULDBLOCK
                   ? Error{ErrorKind::Unsupported, lock, errno,
                           "Another Kurvo is carrying out a plan now. Wait until it has ended; nothing was changed."}
                   : systemError("lock", lock, errno);
    return Turn(std::move(fd));
}

Result<Done> Logbook::begin(LoggedRun& run)
{
    const FilesAs as(owner_);
    if (auto opened = open(true); !opened)
        return opened;
    Statement add(*database_, "INSERT INTO run (began, ended, place, host, free_before, free_after, rights_run, rule) "
                              "VALUES (?, 0, ?, ?, ?, 0, 0, ?)");
    if (!add)
        return database_->error();
    add.number(1, run.began);
    add.bytes(2, run.place);
    add.text(3, run.host);
    add.number(4, signedOf(run.freeBefore));
    add.text(5, run.rule);
    if (add.step() != SQLITE_DONE)
        return database_->error();
    run.id = database_->lastRow();
    return Done{};
}

Result<Done> Logbook::end(const LoggedRun& run)
{
    const FilesAs as(owner_);
    if (auto opened = open(true); !opened)
        return opened;
    Statement set(*database_, "UPDATE run SET ended = ?, free_after = ? WHERE id = ?");
    if (!set)
        return database_->error();
    set.number(1, run.ended);
    set.number(2, signedOf(run.freeAfter));
    set.number(3, run.id);
    return set.step() == SQLITE_DONE ? Result<Done>(Done{}) : database_->error();
}

Result<Done> Logbook::put(Statement& statement, LoggedStep& step)
{
    step.changed = currentTime();
    statement.number(1, step.run);
    statement.text(2, actionName(step.action));
    statement.text(3, stateName(step.state));
    statement.bytes(4, step.path);
    statement.number(5, static_cast<std::int64_t>(step.stat.kind));
    statement.number(6, signedOf(step.stat.device));
    statement.number(7, signedOf(step.stat.inode));
    statement.number(8, signedOf(step.stat.size));
    statement.number(9, step.stat.modified);
    statement.number(10, step.stat.modifiedNs);
    statement.number(11, signedOf(step.disk));
    statement.bytes(12, step.target);
    statement.number(13, step.leaveLink ? 1 : 0);
    statement.text(14, step.token);
    statement.number(15, signedOf(step.copyInode));
    statement.bytes(16, step.trashed.folder.path);
    statement.bytes(17, step.trashed.folder.topFolder);
    statement.bytes(18, step.trashed.name);
    statement.number(19, step.trashed.deleted);
    statement.text(20, step.note);
    statement.number(21, step.changed);
    statement.number(22, signedOf(step.frees));
    statement.number(23, step.heldOpen ? 1 : 0);
    statement.number(24, step.stat.mode);
    statement.number(25, step.stat.uid);
    statement.number(26, step.stat.gid);
    statement.text(27, step.sourceDrive);
    statement.text(28, step.targetDrive);
    statement.number(29, step.sealed);
    const bool written = statement.step() == SQLITE_DONE;
    statement.reset();
    return written ? Result<Done>(Done{}) : database_->error();
}

Result<Done> Logbook::add(std::vector<LoggedStep>& steps)
{
    const FilesAs as(owner_);
    if (auto opened = open(true); !opened)
        return opened;
    if (auto begun = database_->run("BEGIN IMMEDIATE"); !begun)
        return begun;
    const auto giveUp = [this](Error error) {
        (void)database_->run("ROLLBACK");
        return error;
    };
    std::string marks = "?";
    for (int i = 1; i < stepColumns; ++i)
        marks += ", ?";
    Statement add(*database_, ("INSERT INTO step (" KURVO_STEP_COLUMNS ") VALUES (" + marks + ")").c_str());
    if (!add)
        return giveUp(database_->error());
    for (auto& step : steps) {
        if (auto written = put(add, step); !written)
            return giveUp(written.error());
        step.id = database_->lastRow();
    }
    auto kept = database_->run("COMMIT");
    return kept ? kept : giveUp(kept.error());
}

Result<Done> Logbook::update(LoggedStep& step)
{
    std::vector<LoggedStep> one{std::move(step)};
    auto updated = update(one);
    step = std::move(one.front());
    return updated;
}

Result<Done> Logbook::update(std::vector<LoggedStep>& steps)
{
    const FilesAs as(owner_);
    if (auto opened = open(true); !opened)
        return opened;
    std::string marks = "?";
    for (int i = 1; i < stepColumns; ++i)
        marks += ", ?";
    Statement set(*database_, ("UPDATE step SET (" KURVO_STEP_COLUMNS ") = (" + marks + ") WHERE id = ?").c_str());
    if (!set)
        return database_->error();
    if (auto begun = database_->run("BEGIN IMMEDIATE"); !begun)
        return begun;
    for (auto& step : steps) {
        set.number(stepColumns + 1, step.id);
        if (auto written = put(set, step); !written) {
            auto error = written.error();
            (void)database_->run("ROLLBACK");
            return error;
        }
    }
    auto kept = database_->run("COMMIT");
    if (!kept) {
        auto error = kept.error();
        (void)database_->run("ROLLBACK");
        return error;
    }
    return kept;
}

Result<std::vector<LoggedRun>> Logbook::runs()
{
    const FilesAs as(owner_);
    std::vector<LoggedRun> all;
    if (auto opened = open(false); !opened)
        return opened.error().kind == ErrorKind::NotFound ? Result<std::vector<LoggedRun>>(all) : opened.error();
    Statement read(
        *database_,
        "SELECT id, began, ended, place, host, free_before, free_after, rights_run, rule FROM run ORDER BY id DESC");
    int got = SQLITE_ERROR;
    while (read && (got = read.step()) == SQLITE_ROW)
        all.push_back({read.numberAt(0), read.numberAt(1), read.numberAt(2), read.textAt(3), read.textAt(4),
                       unsignedOf(read.numberAt(5)), unsignedOf(read.numberAt(6)), read.numberAt(7), read.textAt(8)});
    return got == SQLITE_DONE ? Result<std::vector<LoggedRun>>(std::move(all)) : database_->error();
}

Result<std::vector<LoggedStep>> Logbook::read(const char* where, std::int64_t value, const std::string& text)
{
    const FilesAs as(owner_);
    std::vector<LoggedStep> all;
    if (auto opened = open(false); !opened)
        return opened.error().kind == ErrorKind::NotFound ? Result<std::vector<LoggedStep>>(all) : opened.error();
    const auto sql = std::string("SELECT " KURVO_STEP_COLUMNS ", id FROM step WHERE ") + where + " ORDER BY id";
    Statement read(*database_, sql.c_str());
    if (!read)
        return database_->error();
    read.number(1, value);
    read.text(2, text);
    int got = SQLITE_ERROR;
    while ((got = read.step()) == SQLITE_ROW) {
        LoggedStep step;
        step.run = read.numberAt(0);
        step.action = static_cast<Action>(indexOf(actionNames, read.textAt(1), 0));
        step.state =
            static_cast<StepState>(indexOf(stateNames, read.textAt(2), static_cast<std::size_t>(StepState::Failed)));
        step.path = read.textAt(3);
        step.stat.kind = static_cast<EntryKind>(read.numberAt(4));
        step.stat.device = unsignedOf(read.numberAt(5));
        step.stat.inode = unsignedOf(read.numberAt(6));
        step.stat.size = unsignedOf(read.numberAt(7));
        step.stat.modified = read.numberAt(8);
        step.stat.modifiedNs = static_cast<std::uint32_t>(read.numberAt(9));
        step.disk = unsignedOf(read.numberAt(10));
        step.target = read.textAt(11);
        step.leaveLink = read.numberAt(12) != 0;
        step.token = read.textAt(13);
        step.copyInode = unsignedOf(read.numberAt(14));
        step.trashed = {{read.textAt(15), read.textAt(16)}, read.textAt(17), step.path, read.numberAt(18)};
        step.note = read.textAt(19);
        step.changed = read.numberAt(20);
        step.frees = unsignedOf(read.numberAt(21));
        step.heldOpen = read.numberAt(22) != 0;
        step.stat.mode = static_cast<std::uint32_t>(read.numberAt(23));
        step.stat.uid = static_cast<std::uint32_t>(read.numberAt(24));
        step.stat.gid = static_cast<std::uint32_t>(read.numberAt(25));
        step.sourceDrive = read.textAt(26);
        step.targetDrive = read.textAt(27);
        step.sealed = read.numberAt(28);
        step.id = read.numberAt(29);
        if (!isSound(step)) {
            step.state = StepState::Failed;
            step.note = "This row of the logbook is not one that Kurvo wrote. Nothing is done by it.";
        }
        all.push_back(std::move(step));
    }
    return got == SQLITE_DONE ? Result<std::vector<LoggedStep>>(std::move(all)) : database_->error();
}

Result<std::vector<LoggedStep>> Logbook::steps(std::int64_t run)
{
    return read("run = ?1 AND ?2 = ?2", run, {});
}

Result<std::vector<LoggedStep>> Logbook::unfinished()
{
    return read("state NOT IN ('planned', 'done', 'failed', 'undone', 'emptied') AND ?1 = ?1 AND run IN"
                " (SELECT id FROM run WHERE rights_run = 0 AND host IN ('', ?2))",
                0, hostName());
}

Result<Done> Logbook::take(const LoggedRun& run, const std::vector<LoggedStep>& steps)
{
    std::int64_t id = 0;
    {
        const FilesAs as(owner_);
        if (auto opened = open(true); !opened)
            return opened;
        Statement known(*database_, "SELECT id FROM run WHERE rights_run = ?");
        if (!known)
            return database_->error();
        known.number(1, run.rightsRun);
        id = known.step() == SQLITE_ROW ? known.numberAt(0) : 0;
    }
    if (auto gone = forget(run.rightsRun); !gone)
        return gone;
    const FilesAs as(owner_);
    Statement put(*database_, "INSERT INTO run (id, began, ended, place, host, free_before, free_after, rights_run)"
                              " VALUES (?, ?, ?, ?, ?, ?, ?, ?)");
    if (!put)
        return database_->error();
    if (id != 0) // it keeps the number that people know it by
        put.number(1, id);
    put.number(2, run.began);
    put.number(3, run.ended);
    put.bytes(4, run.place);
    put.text(5, run.host);
    put.number(6, signedOf(run.freeBefore));
    put.number(7, signedOf(run.freeAfter));
    put.number(8, run.rightsRun);
    if (put.step() != SQLITE_DONE)
        return database_->error();
    auto rows = steps;
    for (auto& step : rows)
        step.run = database_->lastRow();
    return add(rows);
}

Result<Done> Logbook::forget(std::int64_t rightsRun)
{
    const FilesAs as(owner_);
    if (auto opened = open(true); !opened)
        return opened;
    for (const auto* sql :
         {"DELETE FROM step WHERE run IN (SELECT id FROM run WHERE rights_run = ?1 AND rights_run <> 0)",
          "DELETE FROM run WHERE rights_run = ?1 AND rights_run <> 0"}) {
        Statement gone(*database_, sql);
        if (!gone)
            return database_->error();
        gone.number(1, rightsRun);
        if (gone.step() != SQLITE_DONE)
            return database_->error();
    }
    return Done{};
}

Result<std::size_t> Logbook::prune(std::int64_t before)
{
    const FilesAs as(owner_);
    if (auto opened = open(false); !opened)
        return opened.error().kind == ErrorKind::NotFound ? Result<std::size_t>(std::size_t{0}) : opened.error();
    std::vector<std::int64_t> old;
    {
        // Nothing under way, and nothing left that could be taken back.
        Statement read(*database_,
                       "SELECT id FROM run WHERE began < ?1 AND ended <> 0 AND NOT EXISTS (SELECT 1 FROM step "
                       "WHERE step.run = run.id AND (state NOT IN ('done', 'failed', 'undone', 'emptied', "
                       "'planned') OR (state = 'done' AND action IN ('trash', 'move'))))");
        if (!read)
            return database_->error();
        read.number(1, before);
        int got = SQLITE_ERROR;
        while ((got = read.step()) == SQLITE_ROW)
            old.push_back(read.numberAt(0));
        if (got != SQLITE_DONE)
            return database_->error();
    }
    for (const auto id : old)
        if (auto gone = database_->runWhole(
                fmt::format("DELETE FROM step WHERE run = {0}; DELETE FROM run WHERE id = {0};", id));
            !gone)
            return gone.error();
    return old.size();
}

} // namespace kurvo
