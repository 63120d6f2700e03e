// SPDX-License-Identifier: GPL-3.0-or-later
// The only writer of a place's tree. What makes a new tree of the current one (folders read again, the whole place
// scanned again, items gone or back after a run, narrowing) waits here for its turn: one after the other for each
// place, each made off the interface thread from the tree that is current then. All that hangs on node ids is made with
// it, or carried over by the ids, and is put into the place in one go; then everybody is told.
//
// Interface thread only.
#pragma once

#include <QObject>

#include <deque>
#include <functional>
#include <map>
#include <memory>
#include <vector>

#include "app/model/place_store.h"
#include "core/scan/graft.h"
#include "core/scan/join.h"

namespace kurvo::app {

/// A folder as it was read again. Without a tree it is gone.
struct FreshFolder {
    std::string path;
    std::shared_ptr<const FileTree> tree;
    std::vector<Unreadable> unreadable;
};

/// What a scan found of a whole place.
struct ScannedPlace {
    SnapshotInfo info;
    std::shared_ptr<const FileTree> tree;
    std::shared_ptr<const std::vector<Family>> dominant;
    std::vector<Unreadable> unreadable;
    ScanOptions options;
    bool wholeDrive = false;
    bool withRights = false;             ///< read with administrator rights
    std::optional<DriveAccount> account; ///< then: what the drive's tables have in all

    /// As a place of its own.
    Place place() const;
};

/// One of several places that are looked at together, when they are joined anew.
struct JoinedPart {
    PlacePart part;
    std::shared_ptr<const FileTree> fresh; ///< its tree as it is now; null where what the others know of it is good
};

class TreeUpdater : public QObject {
    Q_OBJECT
public:
    /// Called once, when the update is in place or cannot be: the place was closed, or there was no memory for it.
    using Then = std::function<void(bool done)>;

    TreeUpdater(PlaceStore& places, Knowledge& knowledge, Notices& notices, QObject* parent = nullptr);

    /// A look at a scan that runs: the same store with more in it.
    void grow(std::uint64_t id, std::shared_ptr<const FileTree> tree,
              std::shared_ptr<const std::vector<Family>> dominant);
    /// Its end: the same store, so that focus, selection and the way back stay what they are.
    void finish(std::uint64_t id, const ScannedPlace& scanned);
    /// The place was scanned again. Waits while a plan is worked on.
    void replace(std::uint64_t id, ScannedPlace scanned, Then then = {});
    /// Several places that are looked at together are others now, or what was read again in them. `change` is called
    /// on a pool thread with the parts as they are when its turn comes. Waits while a plan is worked on.
    using ChangeParts = std::function<void(std::vector<JoinedPart>& parts, std::string& setName)>;
    void rejoin(std::uint64_t id, ChangeParts change, Then then = {});
    /// Some of its folders were read again. Waits while a plan is worked on.
    /// `withRights`: what could not be read was.
    void putIn(std::uint64_t id, std::vector<FreshFolder> fresh, Plan::IfChanged ifChanged, bool withRights,
               Then then = {});
    /// What is at these paths is gone, or back. Goes first while a plan is worked on.
    void takeOut(std::uint64_t id, std::vector<std::string> paths, Then then = {});
    void putBack(std::uint64_t id, std::vector<std::string> paths, Then then = {});
    /// Pictures and descent show only these entries (by id of `of`), with their sums; `words` says to people how they
    /// were asked for. Not while a scan runs. Nothing happens where the ids of `of` are not those of the place any
    /// more.
    void narrow(const FileTree& of, std::shared_ptr<const std::vector<bool>> wanted, const QString& words);
    void showAll();

    /// Nothing waits or is under way for the place.
    bool isIdle(std::uint64_t id) const { return !queues_.contains(id); }

signals:
    void treeChanged();              ///< the current place's tree, and all that hangs on it
    void carriedOver();              ///< right after it, where focus, selection or plan may be others
    void finished(std::uint64_t id); ///< a place that grew is whole
    void updated(std::uint64_t id);  ///< a place, current or not, has another tree now; not while it grows
    void shownChanged();             ///< narrowed to what was found, or all is shown again

private:
    struct Basis;
    struct Update;
    using Make = std::function<Update(const Basis&)>;
    struct Job {
        Make make;
        bool evenWhileLocked = false;
        std::function<void(Place&)> also; ///< facts that come with the tree
        Plan::IfChanged ifChanged = Plan::IfChanged::Keep;
        Then then;
    };
    struct Queue {
        std::deque<Job> jobs;
        bool running = false;
    };

    void enqueue(std::uint64_t id, Job job);
    void next(std::uint64_t id);
    Basis basisOf(const Place& place) const;
    void apply(Place& place, Update& update, const Job& job);
    void over(std::uint64_t id, bool done);

    PlaceStore& places_;
    Knowledge& knowledge_;
    Notices& notices_;
    std::map<std::uint64_t, Queue> queues_; ///< by place; none where nothing waits
    unsigned narrowRequest_ = 0;
};

} // namespace kurvo::app
