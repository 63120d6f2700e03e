// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/comparing.h"

#include <algorithm>
#include <cstdlib>
#include <map>
#include <utility>

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

namespace {

/// It has a scan of each of the places that are there now.
bool isOf(const ComparePoint& point, const Place& place)
{
    return !point.joint || point.joint->scans.size() == place.parts.size();
}

void sortPoints(std::vector<ComparePoint>& points)
{
    std::sort(points.begin(), points.end(), [](const ComparePoint& a, const ComparePoint& b) {
        return a.info.taken != b.info.taken ? a.info.taken < b.info.taken : a.isOpen < b.isOpen;
    });
}

/// `file`, `shown`: what is open.
std::vector<ComparePoint> pointsOf(std::vector<CatalogueEntry> entries, const std::string& file,
                                   const SnapshotInfo& shown)
{
    std::vector<ComparePoint> points;
    bool isKept = false;
    for (auto& entry : entries) {
        const bool open =
            file.empty() ? entry.info.taken == shown.taken && entry.info.entries == shown.entries : entry.path == file;
        if (open && std::exchange(isKept, true))
            continue;
        auto info = entry.info;
        points.push_back({std::move(entry), std::move(info), open, {}});
    }
    if (!isKept)
        points.push_back({std::nullopt, shown, true, {}});
    sortPoints(points);
    return points;
}

std::vector<ComparePoint> pointsOf(const JointScans& joint, const std::string& folder, const SnapshotInfo& shown)
{
    std::vector<ComparePoint> points;
    bool isKnown = false;
    for (auto& point : joint.points(folder)) {
        auto info = point.info;
        const bool open = joint.isOpen(point);
        isKnown |= open;
        points.push_back({std::nullopt, std::move(info), open, std::move(point)});
    }
    if (!isKnown) // scans of different times, chosen by hand
        points.push_back({std::nullopt, shown, true, {}});
    sortPoints(points);
    return points;
}

} // namespace

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
    const auto done = [this, request = ++listRequest_](std::vector<ComparePoint> points) {
        if (request == listRequest_)
            takePoints(std::move(points));
    };
    if (place->isTogether())
        runAsync(
            this,
            [folder = folders_.snapshots(), joint = JointScans(*place), info = place->info] {
                return pointsOf(joint, folder, info);
            },
            done);
    else
        runAsync(
            this,
            [folder = folders_.snapshots(), open = place->snapshotFile, info = place->info] {
                return pointsOf(snapshotsOf(folder, open, info), open, info);
            },
            done);
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

void Comparing::takePoints(std::vector<ComparePoint> points)
{
    const auto* place = places_.place();
    if (!place || !std::all_of(points.begin(), points.end(), [&](const auto& point) { return isOf(point, *place); }))
        return; // a drive came to several, or left them: they are asked for again
    // Scanned again, it is another one: the new scan is compared with the one before.
    const bool samePlace = placeId_ == place->id && taken_ == place->info.taken;
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

    forecast(*place);
    takePartCurves(*place);
    stale_ = false;
    emit pointsChanged();
    readCurves();
    compare();
}

/// Of several drives the one that is full first is told of: their sum fills nothing.
void Comparing::forecast(const Place& place)
{
    forecast_ = {};
    if (!place.wholeDrive)
        return;
    const auto of = [&](auto&& infoAt) {
        PlaceHistory history;
        for (const auto& point : points_)
            if (const SnapshotInfo* info = infoAt(point); info && !info->partial)
                history.points.push_back({{}, *info, {}, {}});
        return forecastOf(history, place.info.taken);
    };
    if (!place.isTogether()) {
        forecast_ = of([](const ComparePoint& point) { return &point.info; });
        return;
    }
    std::int64_t first = 0;
    for (std::size_t i = 0; i < place.parts.size(); ++i) {
        const auto one = of([i](const ComparePoint& point) -> const SnapshotInfo* {
            return point.joint && !point.joint->isOlder[i] ? &point.joint->scans[i].info : nullptr;
        });
        if (!one.full || (first != 0 && one.full->full >= first))
            continue;
        first = one.full->full;
        forecast_.words = tr("%1: %2").arg(place.parts[i].name, QString::fromStdString(one.words)).toStdString();
    }
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
    busy_ = place && !place->isGrowing() && watched_ && (points_.size() > 1 || !strangerFile_.empty()) &&
            !points_.empty() && isOf(points_[from_], *place) && isOf(points_[to_], *place);
    emit changed();
    if (!busy_)
        return;
    struct Side {
        std::string file;
        std::shared_ptr<const FileTree> tree;
        std::optional<JointPoint> several;
    };
    const auto sideOf = [&](std::size_t i) {
        const auto& point = points_[i];
        return point.isOpen  ? Side{{}, place->tree, {}}
               : point.joint ? Side{{}, nullptr, point.joint}
                             : Side{point.entry->path, nullptr, {}};
    };
    const auto before = strangerFile_.empty() ? sideOf(from_) : Side{strangerFile_, nullptr, {}};
    runAsync(
        this,
        [before, now = sideOf(to_), infoNow = points_[to_].info, infoFrom = points_[from_].info,
         isStranger = !strangerFile_.empty(), measure = places_.measure(), joint = JointScans(*place),
         stop = stop_.get_token()]() -> Answer {
            Answer answer;
            const auto load = [&](const Side& side, SnapshotInfo* info) -> std::shared_ptr<const FileTree> {
                if (side.tree)
                    return side.tree;
                if (side.several) {
                    auto read = joint.read(*side.several);
                    if (!read)
                        answer.problem = QString::fromStdString(read.error().sentence);
                    return read ? std::move(*read) : nullptr;
                }
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
    if (!place || (place->isTogether() ? !place->partAt(path) : !isAtOrBelow(path, place->info.place)))
        return;
    const auto known =
        std::find_if(curves_.begin(), curves_.end(), [&](const auto& curve) { return curve.path == path; });
    const bool isWhole = place->tree->find(path) == std::optional<NodeId>(rootNode) ||
                         (place->isTogether() && place->partAt(path)->info.place == path);
    constexpr std::ptrdiff_t most = 4;
    const auto folders =
        std::count_if(curves_.begin(), curves_.end(), [](const auto& curve) { return !curve.path.empty(); });
    if (known != curves_.end())
        curves_.erase(known);
    else if (!isWhole && folders < most)
        curves_.push_back({path, toText(fileName(path)), {}});
    emit pointsChanged();
    readCurves();
}

/// Those of several places are known with the points.
void Comparing::takePartCurves(const Place& place)
{
    std::erase_if(curves_, [](const PartCurve& curve) { return curve.path.empty(); });
    std::vector<PartCurve> ofParts;
    for (std::size_t i = 0; i < place.parts.size(); ++i) {
        PartCurve curve{{}, place.parts[i].name, {}};
        for (const auto& point : points_) {
            const auto* info = point.joint    ? &point.joint->scans[i].info
                               : point.isOpen ? &place.parts[i].info
                                              : nullptr;
            curve.sizes.push_back(info ? std::optional(usedOf(*info)) : std::nullopt);
        }
        ofParts.push_back(std::move(curve));
    }
    curves_.insert(curves_.begin(), ofParts.begin(), ofParts.end());
}

namespace {

/// What is asked of the snapshots of one place.
struct CurveWish {
    std::vector<std::string> paths;
    std::vector<std::string> below;
    std::vector<CatalogueEntry> entries; ///< by point; without a path where there is no file
};

std::vector<CurveWish> curveWishes(const Place& place, const std::vector<PartCurve>& curves,
                                   const std::vector<ComparePoint>& points)
{
    std::vector<CurveWish> wishes(std::max<std::size_t>(1, place.parts.size()));
    for (const auto& curve : curves) {
        const auto* part = place.partAt(curve.path);
        if (curve.path.empty() || (place.isTogether() && !part))
            continue;
        const auto& root = part ? part->info.place : place.info.place;
        auto below = curve.path.substr(std::min(curve.path.size(), root.size()));
        while (below.starts_with('/'))
            below.erase(0, 1);
        auto& wish = wishes[part ? static_cast<std::size_t>(part - place.parts.data()) : 0];
        wish.paths.push_back(curve.path);
        wish.below.push_back(below);
    }
    for (std::size_t i = 0; i < wishes.size(); ++i)
        for (const auto& point : points)
            if (isOf(point, place))
                wishes[i].entries.push_back(point.joint   ? point.joint->scans[i]
                                            : point.entry ? *point.entry
                                                          : CatalogueEntry{});
    return wishes;
}

using SizesByPath = std::map<std::string, std::vector<std::optional<std::uint64_t>>>;

SizesByPath sizesOver(const std::vector<CurveWish>& wishes)
{
    SizesByPath sizes;
    for (const auto& wish : wishes) {
        if (wish.paths.empty())
            continue;
        std::vector<CatalogueEntry> files;
        for (const auto& entry : wish.entries)
            if (!entry.path.empty() && (files.empty() || files.back().path != entry.path))
                files.push_back(entry);
        const auto history = historyOf(files, wish.below);
        for (std::size_t p = 0; p < wish.paths.size(); ++p)
            for (const auto& entry : wish.entries) {
                auto& of = sizes[wish.paths[p]];
                const auto found = std::find_if(history.points.begin(), history.points.end(),
                                                [&](const HistoryPoint& point) { return point.file == entry.path; });
                of.push_back(found == history.points.end() ? std::nullopt : found->bytes(p));
            }
    }
    return sizes;
}

} // namespace

void Comparing::readCurves()
{
    const auto* place = places_.place();
    const auto wishes = place ? curveWishes(*place, curves_, points_) : std::vector<CurveWish>();
    if (std::all_of(wishes.begin(), wishes.end(), [](const CurveWish& wish) { return wish.paths.empty(); }))
        return;
    runAsync(
        this, [wishes] { return sizesOver(wishes); },
        [this, request = ++curveRequest_](const SizesByPath& sizes) {
            if (request != curveRequest_)
                return;
            const auto* open = places_.place();
            for (auto& curve : curves_) {
                const auto known = sizes.find(curve.path);
                if (curve.path.empty() || known == sizes.end())
                    continue;
                curve.sizes = known->second;
                curve.sizes.resize(points_.size());
                for (std::size_t i = 0; i < points_.size(); ++i)
                    if (points_[i].isOpen && open)
                        if (const auto node = open->tree->find(curve.path))
                            curve.sizes[i] = open->tree->disk(*node);
            }
            emit pointsChanged();
        });
}

} // namespace kurvo::app
