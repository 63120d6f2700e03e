// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/logbook.h"

#include <fcntl.h>
#include <sqlite3.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/database.h"
#include "core/platform/folders.h"

namespace kurvo {
namespace {

constexpr std::array stateNames{"planned",  "copying", "placing", "setting aside", "removing",
                                "trashing", "done",    "failed",  "undone"};
constexpr std::array actionNames{"trash", "delete", "move"};

const Database::Layout layout{
    "runs of the logbook", 1,
    "CREATE TABLE run (id INTEGER PRIMARY KEY, began INTEGER NOT NULL, ended INTEGER NOT NULL, place BLOB NOT NULL,"
    " host TEXT NOT NULL, free_before INTEGER NOT NULL, free_after INTEGER NOT NULL);"
    "CREATE TABLE step (id INTEGER PRIMARY KEY, run INTEGER NOT NULL REFERENCES run(id), action TEXT NOT NULL,"
    " state TEXT NOT NULL, path BLOB NOT NULL, kind INTEGER NOT NULL, device INTEGER NOT NULL, inode INTEGER NOT NULL,"
    " size INTEGER NOT NULL, modified INTEGER NOT NULL, modified_ns INTEGER NOT NULL, disk INTEGER NOT NULL,"
    " target BLOB NOT NULL, leave_link INTEGER NOT NULL, token TEXT NOT NULL, copy_inode INTEGER NOT NULL,"
    " trash BLOB NOT NULL, trash_top BLOB NOT NULL, trash_name BLOB NOT NULL, trashed INTEGER NOT NULL,"
    " note TEXT NOT NULL, changed INTEGER NOT NULL);"
    "CREATE INDEX step_run ON step (run);"
    "CREATE INDEX step_state ON step (state);"
    "PRAGMA user_version = 1;"};

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

} // namespace

const char* stateName(StepState state)
{
    return stateNames[static_cast<std::size_t>(state)];
}

const char* actionName(Action action)
{
    return actionNames[static_cast<std::size_t>(action)];
}

std::string LoggedStep::partialPath() const
{
    return joinPath(parentPath(target), ".kurvo-partial-" + token);
}

std::string LoggedStep::asidePath() const
{
    return joinPath(parentPath(path), ".kurvo-aside-" + token);
}

Logbook::Logbook(std::string file) : file_(std::move(file)) { }
Logbook::~Logbook() = default;

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
    if (auto opened = open(true); !opened)
        return opened;
    Statement add(*database_,
                  "INSERT INTO run (began, ended, place, host, free_before, free_after) VALUES (?, 0, ?, ?, ?, 0)");
    if (!add)
        return database_->error();
    add.number(1, run.began);
    add.bytes(2, run.place);
    add.text(3, run.host);
    add.number(4, signedOf(run.freeBefore));
    if (add.step() != SQLITE_DONE)
        return database_->error();
    run.id = database_->lastRow();
    return Done{};
}

Result<Done> Logbook::end(const LoggedRun& run)
{
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

Result<Done> Logbook::add(std::vector<LoggedStep>& steps)
{
    if (auto opened = open(true); !opened)
        return opened;
    if (auto begun = database_->run("BEGIN IMMEDIATE"); !begun)
        return begun;
    const auto giveUp = [this] {
        auto error = database_->error();
        (void)database_->run("ROLLBACK");
        return error;
    };
    Statement add(*database_,
                  "INSERT INTO step (run, action, state, path, kind, device, inode, size, modified, modified_ns, disk,"
                  " target, leave_link, token, copy_inode, trash, trash_top, trash_name, trashed, note, changed)"
                  " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 0, x'', x'', x'', 0, ?, ?)");
    if (!add)
        return giveUp();
    for (auto& step : steps) {
        add.number(1, step.run);
        add.text(2, actionName(step.action));
        add.text(3, stateName(step.state));
        add.bytes(4, step.path);
        add.number(5, static_cast<std::int64_t>(step.stat.kind));
        add.number(6, signedOf(step.stat.device));
        add.number(7, signedOf(step.stat.inode));
        add.number(8, signedOf(step.stat.size));
        add.number(9, step.stat.modified);
        add.number(10, step.stat.modifiedNs);
        add.number(11, signedOf(step.disk));
        add.bytes(12, step.target);
        add.number(13, step.leaveLink ? 1 : 0);
        add.text(14, step.token);
        add.text(15, step.note);
        add.number(16, currentTime());
        if (add.step() != SQLITE_DONE)
            return giveUp();
        step.id = database_->lastRow();
        add.reset();
    }
    return database_->run("COMMIT") ? Result<Done>(Done{}) : giveUp();
}

Result<Done> Logbook::update(LoggedStep& step)
{
    if (auto opened = open(true); !opened)
        return opened;
    step.changed = currentTime();
    Statement set(*database_,
                  "UPDATE step SET state = ?, device = ?, inode = ?, size = ?, modified = ?, modified_ns = ?,"
                  " copy_inode = ?, trash = ?, trash_top = ?, trash_name = ?, trashed = ?, note = ?,"
                  " changed = ?, kind = ? WHERE id = ?");
    if (!set)
        return database_->error();
    set.text(1, stateName(step.state));
    set.number(2, signedOf(step.stat.device));
    set.number(3, signedOf(step.stat.inode));
    set.number(4, signedOf(step.stat.size));
    set.number(5, step.stat.modified);
    set.number(6, step.stat.modifiedNs);
    set.number(7, signedOf(step.copyInode));
    set.bytes(8, step.trashed.folder.path);
    set.bytes(9, step.trashed.folder.topFolder);
    set.bytes(10, step.trashed.name);
    set.number(11, step.trashed.deleted);
    set.text(12, step.note);
    set.number(13, step.changed);
    set.number(14, static_cast<std::int64_t>(step.stat.kind));
    set.number(15, step.id);
    return set.step() == SQLITE_DONE ? Result<Done>(Done{}) : database_->error();
}

Result<std::vector<LoggedRun>> Logbook::runs()
{
    std::vector<LoggedRun> all;
    if (auto opened = open(false); !opened)
        return opened.error().kind == ErrorKind::NotFound ? Result<std::vector<LoggedRun>>(all) : opened.error();
    Statement read(*database_,
                   "SELECT id, began, ended, place, host, free_before, free_after FROM run ORDER BY id DESC");
    int got = SQLITE_ERROR;
    while (read && (got = read.step()) == SQLITE_ROW)
        all.push_back({read.numberAt(0), read.numberAt(1), read.numberAt(2), read.textAt(3), read.textAt(4),
                       unsignedOf(read.numberAt(5)), unsignedOf(read.numberAt(6))});
    return got == SQLITE_DONE ? Result<std::vector<LoggedRun>>(std::move(all)) : database_->error();
}

Result<std::vector<LoggedStep>> Logbook::read(const char* where, std::int64_t value)
{
    std::vector<LoggedStep> all;
    if (auto opened = open(false); !opened)
        return opened.error().kind == ErrorKind::NotFound ? Result<std::vector<LoggedStep>>(all) : opened.error();
    const auto sql =
        std::string("SELECT id, run, action, state, path, kind, device, inode, size, modified, modified_ns,"
                    " disk, target, leave_link, token, copy_inode, trash, trash_top, trash_name, trashed,"
                    " note, changed FROM step WHERE ") +
        where + " ORDER BY id";
    Statement read(*database_, sql.c_str());
    if (!read)
        return database_->error();
    read.number(1, value);
    int got = SQLITE_ERROR;
    while ((got = read.step()) == SQLITE_ROW) {
        LoggedStep step;
        step.id = read.numberAt(0);
        step.run = read.numberAt(1);
        step.action = static_cast<Action>(indexOf(actionNames, read.textAt(2), 0));
        step.state =
            static_cast<StepState>(indexOf(stateNames, read.textAt(3), static_cast<std::size_t>(StepState::Failed)));
        step.path = read.textAt(4);
        step.stat.kind = static_cast<EntryKind>(read.numberAt(5));
        step.stat.device = unsignedOf(read.numberAt(6));
        step.stat.inode = unsignedOf(read.numberAt(7));
        step.stat.size = unsignedOf(read.numberAt(8));
        step.stat.modified = read.numberAt(9);
        step.stat.modifiedNs = static_cast<std::uint32_t>(read.numberAt(10));
        step.disk = unsignedOf(read.numberAt(11));
        step.target = read.textAt(12);
        step.leaveLink = read.numberAt(13) != 0;
        step.token = read.textAt(14);
        step.copyInode = unsignedOf(read.numberAt(15));
        step.trashed = {{read.textAt(16), read.textAt(17)}, read.textAt(18), step.path, read.numberAt(19)};
        step.note = read.textAt(20);
        step.changed = read.numberAt(21);
        all.push_back(std::move(step));
    }
    return got == SQLITE_DONE ? Result<std::vector<LoggedStep>>(std::move(all)) : database_->error();
}

Result<std::vector<LoggedStep>> Logbook::steps(std::int64_t run)
{
    return read("run = ?", run);
}

Result<std::vector<LoggedStep>> Logbook::unfinished()
{
    return read("state NOT IN ('planned', 'done', 'failed', 'undone') AND ?1 = ?1", 0);
}

} // namespace kurvo
