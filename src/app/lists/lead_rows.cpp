// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lists/lead_rows.h"

#include <QPainter>

#include <algorithm>

#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

/// "Usually safe · +15.2 GiB a month".
QString sureText(const Lead& lead)
{
    const auto level = adviceLevelText(lead.level);
    if (lead.perMonth && *lead.perMonth * 50 > static_cast<double>(lead.bytes))
        return QObject::tr("%1 · %2 a month").arg(level, signedSizeText(static_cast<std::int64_t>(*lead.perMonth)));
    return level;
}

} // namespace

void LeadRows::show(bool all)
{
    const auto* place = places_.place();
    auto now = place ? place->leads : nullptr;
    std::vector<const Lead*> rows;
    if (now)
        for (const auto* list : {&now->leads, &now->rest})
            for (const auto& lead : *list)
                if (list == &now->leads || all)
                    rows.push_back(&lead);
    // The same leads keep their rows, and with them what is chosen.
    const bool same =
        rows.size() == rows_.size() && std::equal(rows.begin(), rows.end(), rows_.begin(),
                                                  [](const Lead* a, const Lead* b) { return a->id == b->id; });
    if (same) {
        leads_ = std::move(now);
        rows_ = std::move(rows);
        if (!rows_.empty())
            emit dataChanged(index(0), index(rowCount() - 1));
        return;
    }
    beginResetModel();
    leads_ = std::move(now);
    rows_ = std::move(rows);
    endResetModel();
}

int LeadRows::rowCount(const QModelIndex& parent) const
{
    return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}

const Lead* LeadRows::leadAt(int row) const
{
    return row >= 0 && row < rowCount() ? rows_[static_cast<std::size_t>(row)] : nullptr;
}

int LeadRows::rowOf(const std::string& id) const
{
    const auto found = std::find_if(rows_.begin(), rows_.end(), [&id](const Lead* lead) { return lead->id == id; });
    return found == rows_.end() ? -1 : static_cast<int>(found - rows_.begin());
}

QVariant LeadRows::data(const QModelIndex& index, int role) const
{
    const auto* lead = leadAt(index.row());
    const auto* place = places_.place();
    if (!lead || !place || place->leads != leads_)
        return {}; // their ids are of another tree by now
    switch (role) {
    case Qt::DisplayRole:
        return QString::fromStdString(lead->title);
    case BytesRole:
        return sizeText(lead->bytes);
    case SentenceRole:
        return QString::fromStdString(lead->sentence);
    case SureRole:
        return sureText(*lead);
    case PlaceRole:
        return toText(lead->where);
    case ShareRole: {
        std::uint64_t most = 1;
        for (const auto* each : rows_)
            most = std::max(most, each->bytes);
        return static_cast<double>(lead->bytes) / static_cast<double>(most);
    }
    case PlannedRole:
        // The largest stand for all: this is asked at each paint.
        return !lead->nodes.empty() &&
               std::all_of(lead->nodes.begin(),
                           lead->nodes.begin() +
                               static_cast<std::ptrdiff_t>(std::min<std::size_t>(lead->nodes.size(), 100)),
                           [&](NodeId node) { return place->plan.coveringItem(*place->tree, node) != noNode; });
    case Qt::AccessibleTextRole:
        return QStringLiteral("%1 %2").arg(QString::fromStdString(lead->sentence), sureText(*lead));
    case Qt::ToolTipRole:
        return QStringLiteral("%1\n%2").arg(QString::fromStdString(lead->sentence), toText(lead->where)).trimmed();
    default:
        return {};
    }
}

QSize LeadRow::sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const
{
    return {100, wide_ ? 50 : 48};
}

void LeadRow::paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const
{
    const auto& t = theme();
    const bool selected = (option.state & QStyle::State_Selected) != 0;
    if (selected)
        painter->fillRect(option.rect, t.accentFill);
    const QRect inner = option.rect.adjusted(12, 4, -12, -4);
    constexpr int figures = 74;
    painter->setFont(fontOf(13, QFont::DemiBold));
    painter->setPen(t.text);
    drawFigures(*painter, QRect(inner.x(), inner.y(), figures, 19), index.data(LeadRows::BytesRole).toString());
    // The bar says at a glance what is worth looking at first.
    const int wide = std::max(2, static_cast<int>(figures * index.data(LeadRows::ShareRole).toDouble()));
    painter->fillRect(QRect(inner.x() + figures - wide, inner.y() + 25, wide, 4), t.seen);
    const int left = inner.x() + figures + 12;
    QRect line(left, inner.y(), inner.right() - left, 19);
    const bool planned = index.data(LeadRows::PlannedRole).toBool();
    if (planned) {
        const auto word = QObject::tr("planned");
        painter->setFont(fontOf(11, QFont::DemiBold));
        painter->setPen(t.accent);
        const int width = QFontMetrics(painter->font()).horizontalAdvance(word);
        painter->drawText(QRect(line.right() - width, line.y(), width + 1, line.height()), Qt::AlignVCenter, word);
        line.setRight(line.right() - width - 8);
    }
    painter->setFont(fontOf(13));
    painter->setPen(t.text);
    drawCut(*painter, line, index.data(wide_ ? int(LeadRows::SentenceRole) : int(Qt::DisplayRole)).toString(),
            Qt::ElideRight);
    painter->setFont(fontOf(11));
    painter->setPen(t.textSecond);
    const auto sure = index.data(LeadRows::SureRole).toString();
    const auto place = index.data(LeadRows::PlaceRole).toString();
    const QRect below(left, inner.y() + 20, inner.right() - left, 17);
    const auto level = sure.section(QStringLiteral(" · "), 0, 0);
    // Its name tells a narrow row more than how fast it grows, which the sentence says.
    if (place.isEmpty())
        drawCut(*painter, below, sure, Qt::ElideRight);
    else
        drawCut(*painter, below,
                QStringLiteral("%1 · %2").arg(level, wide_ ? place : place.section(QLatin1Char('/'), -1)));
    painter->setPen(t.line);
    painter->drawLine(option.rect.bottomLeft(), option.rect.bottomRight());
    if (selected && (option.state & QStyle::State_HasFocus) != 0) {
        painter->setPen(QPen(t.accent, 2));
        painter->setBrush(Qt::NoBrush);
        painter->drawRect(option.rect.adjusted(1, 1, -1, -1));
    }
}

} // namespace kurvo::app
