// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/plan_list.h"

#include <QPainter>

#include "app/clear_stage.h"
#include "app/theme.h"
#include "app/words.h"

namespace kurvo::app {

void PlanModel::show(const Place* place)
{
    beginResetModel();
    rows_.clear();
    if (place)
        for (const auto& item : place->plan.items()) {
            const auto* finding = place->findingFor(item.node);
            rows_.push_back({item, finding ? *finding : Finding{false, ""}, place->tree->isHidden(item.node)});
        }
    endResetModel();
}

int PlanModel::rowCount(const QModelIndex& parent) const
{
    return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}

NodeId PlanModel::nodeAt(int row) const
{
    return row >= 0 && row < static_cast<int>(rows_.size()) ? rows_[static_cast<std::size_t>(row)].item.node : noNode;
}

QVariant PlanModel::data(const QModelIndex& index, int role) const
{
    if (!index.isValid())
        return {};
    const auto& row = rows_[static_cast<std::size_t>(index.row())];
    switch (role) {
    case Qt::DisplayRole:
        return toText(fileName(row.item.path));
    case PathRole:
        return toText(parentPath(row.item.path));
    case Qt::ToolTipRole:
        return toText(row.item.path) +
               (row.finding.sentence.empty() ? QString() : "\n" + QString::fromStdString(row.finding.sentence));
    case Qt::AccessibleTextRole:
        return QStringLiteral("%1, %2, %3")
            .arg(toText(row.item.path), sizeText(row.item.disk), QString::fromStdString(row.finding.sentence));
    case SizeRole:
        return sizeText(row.item.disk);
    case FindingRole:
        return row.finding.sentence.empty() ? tr("not checked yet") : QString::fromStdString(row.finding.sentence);
    case ReadyRole:
        return row.finding.ready ? 1 : row.finding.sentence.empty() ? 0 : -1;
    default:
        return {};
    }
}

void PlanRow::paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const
{
    const auto& t = theme();
    const QRect row = option.rect;
    painter->save();
    if ((option.state & QStyle::State_Selected) != 0)
        painter->fillRect(row, t.accentFill);
    else if ((option.state & QStyle::State_MouseOver) != 0)
        painter->fillRect(row, t.window);
    const int left = row.x() + 12;
    const int sizeAt = PlanRow::sizeColumn(row.width()), checkAt = PlanRow::checkColumn(row.width());
    painter->setPen(t.text);
    painter->setFont(fontOf(13, QFont::Medium));
    const int nameRoom = sizeAt - 110 - 12;
    painter->drawText(QRect(left, row.y() + 5, nameRoom, 18), Qt::AlignVCenter,
                      cutMiddle(index.data().toString(), painter->font(), nameRoom));
    painter->setFont(fontOf(13));
    drawFigures(*painter, QRect(row.x() + sizeAt - 110, row.y(), 110, row.height()),
                index.data(PlanModel::SizeRole).toString());
    painter->setFont(fontOf(11));
    painter->setPen(t.textSecond);
    painter->drawText(QRect(left, row.y() + 23, nameRoom, 16), Qt::AlignVCenter,
                      cutMiddle(index.data(PlanModel::PathRole).toString(), painter->font(), nameRoom));
    const int state = index.data(PlanModel::ReadyRole).toInt();
    painter->setPen(state > 0 ? t.accent : state < 0 ? t.warning : t.textSecond);
    const QRect check(row.x() + checkAt, row.y() + 4, row.width() - checkAt - 42, row.height() - 8);
    const auto text = index.data(PlanModel::FindingRole).toString();
    painter->drawText(check, Qt::AlignVCenter | Qt::TextWordWrap, text);
    painter->setFont(fontOf(15));
    painter->setPen(t.textSecond);
    painter->drawText(removeMark(row), Qt::AlignCenter, QStringLiteral("×"));
    painter->setPen(t.line);
    painter->drawLine(row.left(), row.bottom(), row.right(), row.bottom());
    if ((option.state & QStyle::State_HasFocus) != 0) {
        painter->setPen(QPen(t.accent, 2));
        painter->drawRect(row.adjusted(1, 1, -1, -1));
    }
    painter->restore();
}

} // namespace kurvo::app
