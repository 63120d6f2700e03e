// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/comparing.h"

#include <algorithm>
#include <cstdlib>

#include "app/services/async.h"
#include "app/services/listen.h"
#include "app/style/words.h"
#include "core/base/text.h"

namespace kurvo::app {

QString signedText(std::int64_t amount, Measure measure)
{
    if (measure != Measure::Files || amount == 0)
        return signedSizeText(amount);
    return (amount < 0 ? QString(QChar(0x2212)) : QStringLiteral("+")) +
           countText(static_cast<std::uint64_t>(std::llabs(amount)));
}

struct Comparing::Answer {
    std::shared_ptr<const Comparison> comparison;
    ChangeLines lines;
    Explanation explanation;
    std::optional<SnapshotInfo> before;
    QString problem;
};

Comparing::Comparing(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& view,
                     SnapshotKeeper& snapshots, QObject* parent)
    : QObject(parent), folders_(folders), places_(places), cursor_(cursor)
{
    listen(this, &Comparing::refresh, places_, &PlaceStore::placeChanged, trees, &TreeUpdater::treeChanged, snapshots,
           &SnapshotKeeper::snapshotSaved);
    connect(&view, &PlaceView::measureChanged, this, [this] {
        stale_ = true;
        if (watched_)
            compare();
    });
}

Comparing::~Comparing()
{
    stop_.request_stop();
}

void Comparing::setWatched(bool watched)
{
    watched_ = watched;
    if (watched && stale_)
        refresh();
}

void Comparing::refresh()
{
    const auto* place = places_.place();
    stale_ = true;
    if (!watched_ && !points_.empty() && place && comparison_ &&
        comparison_->now().sharedStore() != place->tree->sharedStore())
        drop(); // a tree that is shown no more is not kept for nobody
    if (!watched_)
        return;
    if (!place) {
        points_.clear();
        drop();
        emit pointsChanged();
        return;
    }
    runAsync(
        this,
        [folder = folders_.snapshots(), open = place->snapshotFile, info = place->info] {
            return snapshotsOf(folder, open, info);
        },
        [this, request = ++listRequest_](std::vector<CatalogueEntry> entries) {
            if (request == listRequest_)
                takePoints(std::move(entries));
        });
}

/// What is still being read or compared is of no use any more, nor what was.
void Comparing::drop()
{
    stop_.request_stop();
    stop_ = {};
    ++request_;
    ++listRequest_;
    busy_ = false;
    if (comparison_)
        discard(std::make_shared<std::shared_ptr<const Comparison>>(std::move(comparison_)));
    comparison_ = nullptr;
    lines_ = nullptr;
    emit changed();
}

void Comparing::takePoints(std::vector<CatalogueEntry> entries)
{
    const auto* place = places_.place();
    if (!place)
        return;
    // Scanned again, it is another one: the new scan is compared with the one before.
    const bool samePlace = placeId_ == place->id && taken_ == place->info.taken;
    std::vector<ComparePoint> points;
    for (auto& entry : entries) {
        const bool open = place->snapshotFile.empty()
                              ? entry.info.taken == place->info.taken && entry.info.entries == place->info.entries
                              : entry.path == place->snapshotFile;
        auto info = entry.info;
        if (open && std::any_of(points.begin(), points.end(), [](const auto& point) { return point.isOpen; }))
            continue;
        points.push_back({std::move(entry), std::move(info), open});
    }
    if (std::none_of(points.begin(), points.end(), [](const auto& point) { return point.isOpen; }))
        points.push_back({std::nullopt, place->info, true});
    std::sort(points.begin(), points.end(), [](const ComparePoint& a, const ComparePoint& b) {
        return a.info.taken != b.info.taken ? a.info.taken < b.info.taken : a.isOpen < b.isOpen;
    });
    // A choice stays where it is still there.
    const auto taken = [&](std::size_t i) { return i < points_.size() ? points_[i].info.taken : 0; };
    const auto oldFrom = samePlace ? taken(from_) : 0, oldTo = samePlace ? taken(to_) : 0;
    points_ = std::move(points);
    // Of two in the same second the first is the earlier choice, the last the later.
    const auto firstAt = [this](std::int64_t time, std::size_t otherwise) {
        for (std::size_t i = 0; i < points_.size(); ++i)
            if (points_[i].info.taken == time)
                return i;
        return otherwise;
    };
    const auto lastAt = [this](std::int64_t time, std::size_t otherwise) {
        for (auto i = points_.size(); i-- > 0;)
            if (points_[i].info.taken == time)
                return i;
        return otherwise;
    };
    const auto open = static_cast<std::size_t>(
        std::find_if(points_.begin(), points_.end(), [](const auto& point) { return point.isOpen; }) - points_.begin());
    // With the one before; the first with the one after.
    to_ = lastAt(oldTo, open > 0 ? open : std::min<std::size_t>(1, points_.size() - 1));
    std::size_t before = to_ > 0 ? to_ - 1 : 0;
    while (before > 0 && points_[before].info.partial)
        --before;
    from_ = std::min(firstAt(oldFrom, before), to_);
    if (!samePlace) {
        comparison_ = nullptr;
        lines_ = nullptr;
        stranger_.reset();
        strangerFile_.clear();
        curves_.clear();
        focus_ = rootNode;
        selection_ = noNode;
    }
    placeId_ = place->id;
    taken_ = place->info.taken;

    PlaceHistory history;
    for (const auto& point : points_)
        if (!point.info.partial)
            history.points.push_back({{}, point.info, {}, {}});
    forecast_ = place->wholeDrive ? forecastOf(history, place->info.taken) : PlaceForecast{};
    stale_ = false;
    emit pointsChanged();
    readCurves();
    compare();
}

void Comparing::choose(std::size_t from, std::size_t to)
{
    if (points_.empty())
        return;
    from = std::min(from, points_.size() - 1);
    to = std::min(to, points_.size() - 1);
    if (from > to)
        std::swap(from, to);
    if (from == from_ && to == to_ && !stranger_)
        return;
    from_ = from;
    to_ = to;
    stranger_.reset();
    strangerFile_.clear();
    emit pointsChanged();
    compare();
}

void Comparing::compareWith(const std::string& file)
{
    strangerFile_ = file;
    compare();
}

void Comparing::compare()
{
    stop_.request_stop();
    stop_ = {};
    ++request_;
    const auto* place = places_.place();
    comparison_ = nullptr;
    lines_ = nullptr;
    explanation_ = {};
    problem_.clear();
    busy_ = place && !place->isGrowing() && watched_ && (points_.size() > 1 || !strangerFile_.empty());
    emit changed();
    if (!busy_)
        return;
    struct Side {
        std::string file;
        std::shared_ptr<const FileTree> tree;
    };
    const auto sideOf = [&](std::size_t i) {
        return points_[i].isOpen ? Side{{}, place->tree} : Side{points_[i].entry->path, nullptr};
    };
    const auto before = strangerFile_.empty() ? sideOf(from_) : Side{strangerFile_, nullptr};
    runAsync(
        this,
        [before, now = sideOf(to_), infoNow = points_[to_].info, infoFrom = points_[from_].info,
         isStranger = !strangerFile_.empty(), measure = places_.measure(), stop = stop_.get_token()]() -> Answer {
            Answer answer;
            const auto load = [&](const Side& side, SnapshotInfo* info) -> std::shared_ptr<const FileTree> {
                if (side.tree)
                    return side.tree;
                auto read = readSnapshot(side.file);
                if (!read) {
                    answer.problem = QString::fromStdString(read.error().sentence);
                    return nullptr;
                }
                if (info)
                    *info = read->info;
                return read->tree;
            };
            auto infoBefore = infoFrom;
            const auto a = load(now, nullptr);
            const auto b = a ? load(before, &infoBefore) : nullptr;
            if (!a || !b)
                return answer;
            if (isStranger)
                answer.before = infoBefore;
            auto options = compareOptions(infoNow, infoBefore);
            options.sameDrive = options.sameDrive || !isStranger;
            answer.comparison = Comparison::make(a, b, options, stop);
            if (answer.comparison) {
                answer.lines = std::make_shared<const std::vector<ChangeLine>>(
                    changeList(*answer.comparison, {measure, false, rootNode}));
                answer.explanation = placesThatExplain(*answer.comparison, measure);
            }
            return answer;
        },
        [this, request = request_](const Answer& answer) {
            if (request != request_)
                return;
            busy_ = false;
            problem_ = answer.problem;
            comparison_ = answer.comparison;
            lines_ = answer.lines;
            explanation_ = answer.explanation;
            stranger_ = answer.before;
            if (!strangerFile_.empty() && !answer.comparison)
                strangerFile_.clear();
            focus_ = rootNode;
            selection_ = noNode;
            emit pointsChanged();
            emit changed();
            emit focusChanged();
        });
}

void Comparing::setFocus(NodeId folder)
{
    if (!comparison_ || folder == noNode || !comparison_->tree()->isFolder(folder) || folder == focus_)
        return;
    focus_ = folder;
    selection_ = noNode;
    emit focusChanged();
    emit selectionChanged();
}

void Comparing::goUp()
{
    if (!comparison_ || focus_ == rootNode)
        return;
    const auto from = focus_;
    setFocus(comparison_->tree()->parent(focus_));
    select(from);
}

NodeId Comparing::openNode(NodeId node) const
{
    const auto* place = places_.place();
    if (!comparison_ || !place || node == noNode)
        return noNode;
    const auto now = comparison_->nowOf(node);
    if (now != noNode && comparison_->now().sharedStore() == place->tree->sharedStore())
        return place->tree->contains(now) ? now : noNode;
    // By its path below the place.
    const auto& tree = now != noNode ? comparison_->now() : comparison_->before();
    const auto path = tree.path(now != noNode ? now : comparison_->beforeOf(node));
    if (place->isTogether())
        return place->tree->find(path).value_or(noNode);
    auto below = std::string_view(path).substr(tree.path(rootNode).size());
    while (below.starts_with('/'))
        below.remove_prefix(1);
    const auto found = place->tree->find(below.empty() ? place->info.place : joinPath(place->info.place, below));
    return found.value_or(noNode);
}

/// The other stages and the dossier look at the same thing, where it is still there.
void Comparing::select(NodeId node)
{
    if (node == selection_)
        return;
    selection_ = node;
    if (const auto open = openNode(node); open != noNode)
        cursor_.select(open);
    emit selectionChanged();
}

void Comparing::toggleCurve(const std::string& path)
{
    const auto* place = places_.place();
    if (!place || !isAtOrBelow(path, place->info.place))
        return;
    auto below = path.substr(place->info.place.size());
    while (below.starts_with('/'))
        below.erase(0, 1);
    const auto known =
        std::find_if(curves_.begin(), curves_.end(), [&](const auto& curve) { return curve.below == below; });
    constexpr std::size_t most = 4;
    if (known != curves_.end())
        curves_.erase(known);
    else if (!below.empty() && curves_.size() < most)
        curves_.push_back({below, {}});
    emit pointsChanged();
    readCurves();
}

void Comparing::readCurves()
{
    if (curves_.empty())
        return;
    std::vector<std::string> below;
    for (const auto& curve : curves_)
        below.push_back(curve.below);
    std::vector<CatalogueEntry> entries;
    for (const auto& point : points_)
        if (point.entry)
            entries.push_back(*point.entry);
    runAsync(
        this, [entries, below] { return historyOf(entries, below); },
        [this, below, request = ++curveRequest_](const PlaceHistory& history) {
            if (request != curveRequest_)
                return;
            const auto* place = places_.place();
            for (auto& curve : curves_) {
                const auto index = std::find(below.begin(), below.end(), curve.below) - below.begin();
                curve.sizes.assign(points_.size(), std::nullopt);
                for (std::size_t i = 0; i < points_.size(); ++i) {
                    for (const auto& point : history.points)
                        if (points_[i].entry && point.file == points_[i].entry->path)
                            curve.sizes[i] = point.bytes(static_cast<std::size_t>(index));
                    if (points_[i].isOpen && place)
                        if (const auto node = place->tree->find(joinPath(place->info.place, curve.below)))
                            curve.sizes[i] = place->tree->disk(*node);
                }
            }
            emit pointsChanged();
        });
}

} // namespace kurvo::app
