// SPDX-License-Identifier: GPL-3.0-or-later
// What carrying out a step, recovering it and taking it back have in common: entries found through open folders, the
// original set aside into a private folder and given back, and the states in the logbook.
//
// The one rule of it: a step ends (Done, Failed, Undone) only when nothing of it is left in a private folder. What
// cannot be given back yet stays under way, and the next start tries again.
#pragma once

#include <unistd.h>

#include <optional>
#include <string>

#include "core/act/execute.h"
#include "core/act/manifest.h"
#include "core/base/text.h"
#include "core/platform/private_folder.h"

namespace kurvo {

/// An entry in a folder that is held open, found without following a link.
struct At {
    UniqueFd folder;
    std::string name;
    std::string path;

    static Result<At> open(const std::string& path);
    int fd() const { return folder.get(); }
    /// 0 or errno.
    int stat(EntryStat& out) const { return statEntry(fd(), name.c_str(), out, StatSync::Fresh); }
    /// Something stands there, or the drive does not say.
    bool mayExist() const
    {
        EntryStat s;
        return stat(s) != ENOENT;
    }
    /// Another name in the same folder.
    At beside(const std::string& otherName) const;
    std::string readLink() const;
};

/// The same entry, also after the machine was started again (device numbers are given anew) or on a filesystem whose
/// inodes are new with each mount.
bool sameAfterRestart(const EntryStat& now, const EntryStat& then);

/// The same owner, mode and, of what is no folder, size and time.
bool isUnchangedFor(const EntryStat& now, const EntryStat& then);

/// An original out of everybody's paths.
struct Held {
    std::optional<PrivateFolder> folder; ///< none where the drive had no room for one: then it stands beside its place
    int fd = -1;                         ///< the open folder that it is in now
    std::string name;
    std::string path;
    UniqueFd lease; ///< of a file: nobody opens it for writing without waiting for this
};

class StepWork {
public:
    StepWork(Logbook& logbook, LoggedStep& step, const ActOptions& options)
        : logbook_(logbook), step_(step), options_(options)
    {
    }

protected:
    std::string shown() const { return displayText(step_.path); }
    Error replaced() const;
    Result<Done> note(StepState state);
    /// Over, with nothing changed.
    Result<Done> failed(const Error& error);

    /// Notes it, and renames the original into a private folder beside it. What came out is looked at: something else
    /// goes back at once. `expected`: what it was, with the time of its last change where that is known. On an error
    /// the original has its place, or the step stays under way (`stuck_`).
    Result<Held> setAside(const At& source, const EntryStat& expected);
    /// One that an ended run set aside, by this version or an older one; nothing where there is none.
    Result<std::optional<Held>> findHeld(const At& source) const;
    /// The original gets its place again, or where something stands there by now a name beside it, which the sentence
    /// tells. Empty: all as before.
    std::string giveBack(const At& source, const Held& held);
    /// `why`, and what became of the original.
    Result<Done> failedWith(const At& source, const Held& held, Error why);
    /// The empty private folder goes; something that was put into it meanwhile gets a name that people see. Then all
    /// that was done beside it is on the disk: 0 or errno.
    int closeFolder(const At& source, const PrivateFolder& folder);
    /// The drive reported an error, so that nobody knows what will be there after a power cut: said, and the step stays
    /// under way. True for 0.
    bool isOnDisk(int error);
    enum class Removal {
        All,
        Part,  ///< what is left was given back, and the note says so
        Unsure ///< the drive failed meanwhile: still under way
    };
    /// Removes what is held as far as it is what the manifest lists.
    Removal removeHeld(const At& source, const Held& held, const Manifest& manifest);
    /// The error of a step that is still under way.
    Error unsure();

    /// Removes the copy that was being made in the private folder beside the target; Done as well where there is none.
    Result<Done> removeCopy(const At& target);

    /// Whether this is what was trashed or moved by this step. Root, for a user, asks for owner, mode, size and time as
    /// well: what it gives a place must be nothing that the user made instead.
    bool isWhatWentIn(const EntryStat& now) const;
    /// This process works for a user with more rights than he has.
    bool withRights() const { return ::geteuid() == 0 && options_.user.uid != 0; }

    Logbook& logbook_;
    LoggedStep& step_;
    const ActOptions& options_;
    bool stuck_ = false; ///< something could not be given back: the step stays under way

private:
    /// Gives an entry of a private folder a place in `folder`: its own name, or one beside that. The path it got; empty
    /// where it could not be renamed at all.
    std::string rescue(int from, const std::string& name, const At& place);
};

} // namespace kurvo
