// SPDX-License-Identifier: GPL-3.0-or-later
// The logbook: every plan that was carried out, step by step, in a SQLite file with a write-ahead log
// (docs/logbook.md). A step is noted before it happens and again after, each time on the disk before anything else is
// done, so that after a kill or a power cut it is known what was under way.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/plan/plan.h"
#include "core/platform/trash.h"

namespace kurvo {

class Database;

/// How far a step came. Those from Copying to Restoring are under way; recover() ends them.
enum class StepState {
    Planned,      ///< nothing was done yet
    Copying,      ///< move: the copy is being made in a private folder beside its place
    Placing,      ///< move: copy and original were verified, and the copy gets its name
    SettingAside, ///< the original is being renamed into a private folder beside it
    Removing,     ///< move, delete: the original is being removed; for a move the copy is in its place
    Trashing,     ///< the rename into the trash
    Restoring,    ///< the rename out of it, when the step is taken back
    Done,
    Failed, ///< it was left as it was; `note` says why
    Undone, ///< taken back later
    Emptied ///< trash: removed from there for good later
};

struct LoggedStep {
    std::int64_t id = 0;
    std::int64_t run = 0;
    Action action = Action::Trash;
    StepState state = StepState::Planned;
    std::string path;
    EntryStat stat; ///< kind, device, inode, size, time, mode and owner when it was checked
    std::uint64_t disk = 0;
    std::uint64_t frees = 0; ///< of it, what comes free when it is gone: the rest has further links elsewhere
    bool heldOpen = false;   ///< a program had it open when it went: its space comes free when that ends
    std::string target;      ///< move: where it goes
    bool leaveLink = false;
    std::string token;           ///< makes the names of what is under way its own
    std::uint64_t copyInode = 0; ///< move: of the copy
    std::string sourceDrive;     ///< which drive the item is on (driveIdentity()); empty where that is not known
    std::string targetDrive;     ///< and which it goes to
    std::int64_t sealed = 0;     ///< nanoseconds since 1970: when all of the original was last shown to be what it was
    TrashedItem trashed;         ///< trash
    std::string note;            ///< a sentence
    std::int64_t changed = 0;    ///< UTC seconds

    /// The name of the private folders of this step, beside its path and beside its target.
    std::string privateName() const { return ".kurvo-private-" + token; }
    /// Beside the original: where it stands while it is removed and there was no room for a private folder; until
    /// version 2 always.
    std::string asideName() const { return ".kurvo-aside-" + token; }
    /// Beside the target, until version 2: a copy that was not verified yet.
    std::string partialName() const { return ".kurvo-partial-" + token; }
    bool isUnderWay() const { return state > StepState::Planned && state < StepState::Done; }
};

/// The note of a step that moved back what an earlier run had moved.
inline constexpr const char* undoingNote = "This took back an earlier move.";

struct LoggedRun {
    std::int64_t id = 0;
    std::int64_t began = 0; ///< UTC seconds
    std::int64_t ended = 0; ///< 0 while it runs, or was killed
    std::string place;
    std::string host;
    std::uint64_t freeBefore = 0, freeAfter = 0; ///< bytes, of the place's drive
    /// Carried out with administrator rights: this is a copy of what the helper's own log says, which has it under this
    /// number. Nothing is recovered or taken back from such a copy. 0 for what was done without.
    std::int64_t rightsRun = 0;
    std::string rule; ///< of upkeep, by which it was carried out; empty for a plan made by hand
    /// The helper was told to go and has not answered: the copy is not there yet.
    static constexpr std::int64_t awaited = -1;
};

/// One thread at a time.
class Logbook {
public:
    explicit Logbook(std::string file);
    /// For a process of root's that writes what is another user's: see FilesAs.
    Logbook(std::string file, std::uint32_t owner);
    ~Logbook();

    /// Only one Kurvo at a time carries anything out: holds a lock until it is destroyed. Unsupported, with a sentence,
    /// where another has it.
    class Turn {
    public:
        Turn(Turn&&) noexcept = default;
        Turn& operator=(Turn&&) noexcept = default;

    private:
        friend class Logbook;
        explicit Turn(UniqueFd fd) : fd_(std::move(fd)) { }
        UniqueFd fd_;
    };
    Result<Turn> takeTurn();

    /// Sets `id`.
    Result<Done> begin(LoggedRun& run);
    Result<Done> end(const LoggedRun& run);
    /// Sets `id` of each; all or none.
    Result<Done> add(std::vector<LoggedStep>& steps);
    /// On the disk when it returns.
    Result<Done> update(LoggedStep& step);
    /// Many that nothing depends on, at once.
    Result<Done> update(std::vector<LoggedStep>& steps);

    /// Newest first.
    Result<std::vector<LoggedRun>> runs();
    /// In the order they were added.
    Result<std::vector<LoggedStep>> steps(std::int64_t run);
    /// What was under way when a run on this host was ended from outside; not of runs with rights.
    Result<std::vector<LoggedStep>> unfinished();
    /// Writes down what the log of the helper with rights says of a run, in place of what was known of it before.
    Result<Done> take(const LoggedRun& run, const std::vector<LoggedStep>& steps);
    /// Takes such a copy out again.
    Result<Done> forget(std::int64_t rightsRun);
    /// Lets go of runs that began before, but of none with anything that is under way or could still be taken back.
    /// Returns how many. Read the history first: it notes what has left the trash.
    Result<std::size_t> prune(std::int64_t before);

private:
    Result<Done> open(bool make);
    Result<std::vector<LoggedStep>> read(const char* where, std::int64_t value, const std::string& text);

    Result<Done> put(class Statement& statement, LoggedStep& step);

    std::string file_;
    std::uint32_t owner_;
    std::unique_ptr<Database> database_;
};

/// "copying", "done", ... as the file and JSON have it.
const char* stateName(StepState state);
const char* actionName(Action action);

} // namespace kurvo
