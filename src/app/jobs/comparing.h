// SPDX-License-Identifier: GPL-3.0-or-later
// What is compared: the snapshots of the current place as points in time, the two that are chosen, and what changed
// between them. Interface thread only; reading and comparing run elsewhere and arrive here.
#pragma once

#include <QObject>
#include <QString>

#include <memory>
#include <optional>
#include <stop_token>
#include <vector>

#include "app/jobs/snapshot_keeper.h"
#include "app/model/cursor.h"
#include "app/model/joint_scans.h"
#include "app/model/place_view.h"
#include "core/compare/comparison.h"
#include "core/compare/explain.h"
#include "core/compare/place_history.h"

namespace kurvo::app {

/// A scan of the place: a snapshot, or what is open; of several places the newest scan of each at one time.
struct ComparePoint {
    std::optional<CatalogueEntry> entry; ///< nothing for what is open and not kept as a file, and for several places
    SnapshotInfo info;
    bool isOpen = false;             ///< its tree is the one that the other stages show
    std::optional<JointPoint> joint; ///< of several places
    std::uint64_t used() const { return usedOf(info); }
};

/// The size of a part over time, beside that of the whole.
struct PartCurve {
    std::string path;                                ///< of a folder; empty for one of several places
    QString name;                                    ///< for people
    std::vector<std::optional<std::uint64_t>> sizes; ///< by point; nothing where it is not known
};

using ChangeLines = std::shared_ptr<const std::vector<ChangeLine>>;

class Comparing : public QObject {
    Q_OBJECT
public:
    Comparing(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& view,
              SnapshotKeeper& snapshots, QObject* parent = nullptr);
    ~Comparing() override;

    Measure measure() const { return places_.measure(); }
    /// Oldest first.
    const std::vector<ComparePoint>& points() const { return points_; }
    std::size_t from() const { return from_; }
    std::size_t to() const { return to_; }
    /// Chooses; the earlier is always the one that is compared with.
    void choose(std::size_t from, std::size_t to);
    /// With a snapshot from elsewhere instead of the earlier one.
    void compareWith(const std::string& file);
    /// The snapshot from elsewhere, if one is compared with.
    const std::optional<SnapshotInfo>& stranger() const { return stranger_; }
    const PlaceForecast& forecast() const { return forecast_; }
    /// Of several places each has one; then those of folders.
    const std::vector<PartCurve>& curves() const { return curves_; }
    /// Adds the curve of a folder, or takes it away again.
    void toggleCurve(const std::string& path);

    bool isBusy() const { return busy_; }
    const QString& problem() const { return problem_; }
    /// Null while nothing is compared.
    const std::shared_ptr<const Comparison>& comparison() const { return comparison_; }
    /// All changes, largest first; null while nothing is compared.
    const ChangeLines& lines() const { return lines_; }
    const Explanation& explanation() const { return explanation_; }
    const SnapshotInfo& infoBefore() const { return stranger_ ? *stranger_ : points_[from_].info; }
    const SnapshotInfo& infoNow() const { return points_[to_].info; }

    /// Of the tree of changes.
    NodeId focus() const { return focus_; }
    NodeId selection() const { return selection_; }
    void setFocus(NodeId folder);
    void select(NodeId node);
    void goUp();
    /// The entry of the place that is open, for an entry of the tree of changes; noNode where it is not there any more.
    NodeId openNode(NodeId node) const;

    /// Reads the catalogue again; compares as soon as somebody looks.
    void refresh();
    /// Nothing is compared before the stage is looked at.
    void setWatched(bool watched);

signals:
    void pointsChanged(); ///< snapshots, choice, forecast, curves
    void changed();       ///< comparison, busy or problem
    void focusChanged();
    void selectionChanged();

private:
    struct Answer;
    void takePoints(std::vector<ComparePoint> points);
    void forecast(const Place& place);
    void takePartCurves(const Place& place);
    void compare();
    void drop();
    void readCurves();

    const AppFolders& folders_;
    PlaceStore& places_;
    Cursor& cursor_;
    std::vector<ComparePoint> points_;
    std::vector<PartCurve> curves_;
    PlaceForecast forecast_;
    std::size_t from_ = 0, to_ = 0;
    std::optional<SnapshotInfo> stranger_;
    std::string strangerFile_;
    std::shared_ptr<const Comparison> comparison_;
    ChangeLines lines_;
    Explanation explanation_;
    QString problem_;
    NodeId focus_ = rootNode, selection_ = noNode;
    std::stop_source stop_;
    bool busy_ = false, watched_ = false, stale_ = true;
    unsigned request_ = 0, listRequest_ = 0, curveRequest_ = 0;
    std::uint64_t placeId_ = 0;
    std::int64_t taken_ = 0; ///< when that was scanned; UTC seconds
};

/// "+61.0 GiB", "−6.00 GiB", "0"; by number of files: "+12".
QString signedText(std::int64_t amount, Measure measure);

} // namespace kurvo::app
