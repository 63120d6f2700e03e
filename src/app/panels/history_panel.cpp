// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/panels/history_panel.h"

#include <QPainter>

#include <algorithm>

#include "app/model/joint_scans.h"
#include "app/services/async.h"
#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/base/text.h"
#include "core/compare/place_history.h"

namespace kurvo::app {

HistoryPanel::HistoryPanel(PlaceStore& places, SnapshotKeeper& snapshotKeeper, const AppFolders& folders,
                           QWidget* parent)
    : QWidget(parent), places_(places), snapshotKeeper_(snapshotKeeper), folders_(folders)
{
    setObjectName("historyPanel");
    setFixedHeight(84);
    soon_.setSingleShot(true);
    soon_.setInterval(120); // walking through a list asks for the last one only
    connect(&soon_, &QTimer::timeout, this, &HistoryPanel::ask);
    connect(&snapshotKeeper_, &SnapshotKeeper::snapshotSaved, this, [this] { show(node_); });
    hide();
}

void HistoryPanel::clear()
{
    node_ = noNode;
    ++request_;
    points_.clear();
    soon_.stop();
    hide();
}

void HistoryPanel::show(NodeId node)
{
    if (node != node_)
        clear();
    node_ = node;
    if (node != noNode)
        soon_.start();
}

void HistoryPanel::ask()
{
    const auto* place = places_.place();
    if (!place || place->isGrowing() || node_ >= place->tree->extent().nodes)
        return;
    // Of several places each has its own, and so have all of them.
    const auto path = place->tree->path(node_);
    const auto* part = place->partAt(path);
    if (place->isTogether() && !part)
        return askTogether(*place);
    const auto& info = part ? part->info : place->info;
    const auto& file = part ? part->snapshotFile : place->snapshotFile;
    auto below = path.substr(info.place.size());
    while (below.starts_with('/'))
        below.erase(0, 1);
    runAsync(
        this,
        [folder = folders_.snapshots(), open = file, info, below] {
            auto entries = snapshotsOf(folder, open, info);
            // What is shown stands for itself, and older files without an index would all have to be read.
            std::erase_if(entries, [&](const CatalogueEntry& entry) {
                return entry.path == open || entry.info.taken >= info.taken || entry.info.id.empty();
            });
            const auto history = historyOf(entries, {below});
            std::vector<UsePoint> points;
            for (const auto& point : history.points)
                if (!point.info.partial && point.figures.front())
                    points.push_back({point.info.taken, point.figures.front()->disk});
            return points;
        },
        [this, taken = info.taken, request = ++request_](std::vector<UsePoint> points) {
            take(std::move(points), taken, request);
        });
}

/// All of several places.
void HistoryPanel::askTogether(const Place& together)
{
    const JointScans joint(together);
    runAsync(
        this,
        [folder = folders_.snapshots(), joint] {
            std::vector<UsePoint> points;
            for (const auto& point : joint.points(folder))
                if (point.info.taken < joint.newest())
                    points.push_back({point.info.taken, point.info.diskBytes});
            return points;
        },
        [this, taken = joint.newest(), request = ++request_](std::vector<UsePoint> points) {
            take(std::move(points), taken, request);
        });
}

void HistoryPanel::take(std::vector<UsePoint> points, std::int64_t taken, unsigned request)
{
    const auto* open = places_.place();
    if (request != request_ || !open || node_ >= open->tree->extent().nodes)
        return;
    points.push_back({taken, open->tree->disk(node_)});
    std::sort(points.begin(), points.end(), [](const auto& a, const auto& b) { return a.time < b.time; });
    points_ = std::move(points);
    setVisible(points_.size() > 1);
    if (points_.size() < 2)
        return;
    first_ = tr("%1 in %2").arg(sizeText(points_.front().bytes), dayText(points_.front().time, Day::Month));
    const auto trend = trendOf(points_);
    words_ = trend && trend->isClear ? QString::fromStdString(formatRate(trend->perSecond)) : QString();
    setAccessibleName(tr("Over time: %1. %2").arg(first_, words_));
    setToolTip(accessibleName());
    update();
}

PaintedPart HistoryPanel::part(int index) const
{
    const auto& point = points_[static_cast<std::size_t>(index)];
    PaintedPart part;
    part.name = dayText(point.time);
    part.value = sizeText(point.bytes);
    return part;
}

void HistoryPanel::paintEvent(QPaintEvent*)
{
    if (points_.size() < 2)
        return;
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const auto& t = theme();
    painter.setFont(fontOf(11));
    painter.setPen(t.textSecond);
    painter.drawText(QRect(0, 0, width(), 16), Qt::AlignVCenter, tr("Over time"));
    painter.drawText(QRect(0, height() - 16, width(), 16), Qt::AlignLeft | Qt::AlignVCenter, first_);
    painter.drawText(QRect(0, height() - 16, width(), 16), Qt::AlignRight | Qt::AlignVCenter, words_);
    const QRectF field(4, 24, width() - 8, height() - 46);
    const auto most = std::max_element(points_.begin(), points_.end(), [](const auto& a, const auto& b) {
                          return a.bytes < b.bytes;
                      })->bytes;
    QPolygonF line;
    for (const auto& point : points_)
        line << QPointF(field.left() + field.width() * static_cast<double>(point.time - points_.front().time) /
                                           static_cast<double>(
                                               std::max<std::int64_t>(1, points_.back().time - points_.front().time)),
                        field.bottom() - field.height() * static_cast<double>(point.bytes) /
                                             static_cast<double>(std::max<std::uint64_t>(1, most)));
    painter.setPen(QPen(t.accent, 1.6));
    painter.drawPolyline(line);
    painter.setBrush(t.accent);
    for (const auto& point : line)
        painter.drawEllipse(point, 2.2, 2.2);
}

} // namespace kurvo::app
