// SPDX-License-Identifier: GPL-3.0-or-later
// The open places, which of them is current, and how new ones are looked at. Everybody reads a place; only the models
// of this room change one.
//
// Interface thread only.
#pragma once

#include <QObject>

#include <functional>
#include <memory>
#include <optional>
#include <vector>

#include "app/model/place.h"
#include "app/services/app_folders.h"
#include "app/services/knowledge.h"
#include "app/services/notices.h"
#include "core/advice/evidence.h"

namespace kurvo::app {

class PlaceStore : public QObject {
    Q_OBJECT
public:
    PlaceStore(const AppFolders& folders, Knowledge& knowledge, Notices& notices, QObject* parent = nullptr);

    /// The current one, or null.
    const Place* place() const { return current_ < places_.size() ? places_[current_].get() : nullptr; }
    const std::vector<std::unique_ptr<Place>>& places() const { return places_; }
    /// Null when it was closed.
    const Place* placeOf(std::uint64_t id) const { return const_cast<PlaceStore*>(this)->edit(id); }
    bool isCurrent(std::uint64_t id) const { return place() && place()->id == id; }
    void showPlace(std::size_t index);
    void bringUp(const Place& place);
    /// How figures are written has changed: all views show the place anew.
    void tellAgain() { emit placeChanged(); }
    /// The same of the capacity alone, which has figures in the accent colour.
    void tellCapacity() { emit capacityChanged(); }
    /// Refused while a plan is worked on.
    void closePlace(std::size_t index);

    /// Closes one that cannot become whole.
    void drop(std::uint64_t id);

    /// Opens a place and makes it current; a snapshot that is open already is brought up instead. Returns its id.
    std::uint64_t add(Place place);
    /// The live place at this path, or null.
    const Place* liveAt(const std::string& path) const;

    const ViewState& view() const { return place() ? place()->view : lastView_; }
    Measure measure() const { return view().measure; }
    /// How new places are looked at, and one that was not kept.
    void setLastView(const ViewState& view) { lastView_ = view; }
    /// Recalls how a place was looked at last time; asked when one is opened.
    void setViewMemory(std::function<std::optional<ViewState>(const std::string& place)> memory)
    {
        viewMemory_ = std::move(memory);
    }

    /// While a plan is worked on: no place is closed and no plan changed.
    bool isLocked() const { return locked_; }
    void setLocked(bool locked);
    /// Says that the plan is worked on; true where it is.
    bool refusesWhileLocked();

    /// Whether this is a scan of this machine, whose packages and programs can be asked.
    bool isThisMachine(const Place& place) const;
    /// Why an item of the current place is protected.
    std::optional<Protection> protectionOf(NodeId node) const;
    /// By the rules alone; evidence is asked for with gatherEvidence().
    Advice adviceFor(NodeId node) const;
    /// Where Kurvo's own data lies, which nothing may touch.
    std::string ownData() const;

    /// Makes the totals of a plan anew: at once where there is little to add up, else on a pool thread, and then tells
    /// as a change of capacity.
    void addUpPlan(std::uint64_t id);
    /// Reads the capacity of a drive again.
    void refreshCapacity(std::uint64_t id);
    /// Something happened in this folder of the current place.
    void noteChanged(const std::string& folder);
    /// What was found out of `of`; nothing happens where the ids are not those of the place any more.
    void setLeads(std::uint64_t id, const FileTree& of, std::shared_ptr<const Leads> leads,
                  std::shared_ptr<const TreeAdvice> advice);
    void setSnapshotFile(std::uint64_t id, const std::string& file);
    /// Each place gets the runs that changed something in it; newest first.
    void shareHistory(std::shared_ptr<const std::vector<RunRecord>> history);

signals:
    void placeChanged();          ///< another place, or none
    void capacityChanged();       ///< what is free, now or after the plan
    void changedFoldersChanged(); ///< of the current place
    void opened(std::uint64_t id);
    void aboutToClose(std::uint64_t id); ///< what works for it ends
    void locked(bool locked);
    void runsShared();
    void guardsChanged(); ///< what is known of the system is read in

private:
    friend class TreeUpdater;
    friend class Cursor;
    friend class PlaceView;
    friend class PlanModel;
    Place* edit(std::uint64_t id);
    void refreshParts(std::uint64_t id);
    Place* edit() { return current_ < places_.size() ? places_[current_].get() : nullptr; }
    void setGuard(Place& place) const;
    void makeCurrent(std::size_t index);
    /// The disk is asked what of the plan really comes free: of the largest so many files, then of all.
    void askWhatComesFree(std::uint64_t id, std::shared_ptr<const PlanBasis> basis, std::uint64_t request,
                          std::size_t mostFiles);

    const AppFolders& folders_;
    Knowledge& knowledge_;
    Notices& notices_;
    std::vector<std::unique_ptr<Place>> places_;
    std::size_t current_ = 0;
    std::uint64_t lastId_ = 0;
    bool locked_ = false;
    std::shared_ptr<const std::vector<RunRecord>> history_ = std::make_shared<const std::vector<RunRecord>>();
    ViewState lastView_;
    std::function<std::optional<ViewState>(const std::string&)> viewMemory_;
};

} // namespace kurvo::app
