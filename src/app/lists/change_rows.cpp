// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lists/change_rows.h"

#include <QPainter>
#include <QRegularExpression>

#include <algorithm>

#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/base/text.h"

namespace kurvo::app {
namespace {

constexpr std::size_t mostRows = 2000;

QString tagOf(const Comparison& c, NodeId node)
{
    switch (c.change(node)) {
    case Change::Appeared:
        return QObject::tr("appeared");
    case Change::Vanished:
        return QObject::tr("vanished");
    case Change::Moved:
        return QObject::tr("moved from %1").arg(toText(parentPath(c.pathBefore(node))));
    case Change::MovedAway:
        return QObject::tr("moved to %1").arg(toText(parentPath(c.now().path(c.nowOf(node)))));
    case Change::NotSeen:
        return QObject::tr("only in one of the two scans");
    case Change::None:
    case Change::Grew:
    case Change::Shrank:
        break;
    }
    return {};
}

} // namespace

QColor growthInk(std::int64_t net)
{
    if (net == 0)
        return theme().textSecond;
    if (theme().dark)
        return net > 0 ? QColor("#E08A62") : QColor("#4FB8B0");
    return net > 0 ? QColor("#A8481F") : QColor("#0B6E6E");
}

QString apartText(const ChangeSums& sums, Measure measure)
{
    return signedText(static_cast<std::int64_t>(sums.grown), measure) + QStringLiteral(" ") +
           signedText(-static_cast<std::int64_t>(sums.shrunk), measure);
}

std::vector<ChangeRow> rowsOfFolder(const Comparison& c, NodeId folder, Measure measure)
{
    std::vector<ChangeRow> rows;
    const auto& tree = *c.tree();
    tree.forEachChild(folder, [&](NodeId child) {
        const auto sums = c.sums(child, measure);
        ChangeRow row;
        row.node = child;
        row.change = c.change(child);
        row.name = toText(tree.name(child));
        row.tag = tagOf(c, child);
        row.net = sums.net();
        row.amount = sums.amount() + sums.movedIn + sums.movedOut;
        row.figures = signedText(row.net, measure);
        // Net alone would hide that much came and much went.
        if (sums.grown > 0 && sums.shrunk > 0 &&
            std::min(sums.grown, sums.shrunk) * 20 > std::max(sums.grown, sums.shrunk))
            row.apart = apartText(sums, measure);
        row.isFolder = tree.isFolder(child) && row.change != Change::MovedAway && row.change != Change::NotSeen;
        row.hidden = tree.isHidden(child);
        if (row.amount > 0 || sums.notSeen != 0 || row.change != Change::None)
            rows.push_back(std::move(row));
    });
    std::stable_sort(rows.begin(), rows.end(),
                     [](const ChangeRow& a, const ChangeRow& b) { return a.amount > b.amount; });
    if (rows.size() > mostRows) {
        ChangeRow rest;
        rest.name = QObject::tr("rest: %1").arg(itemsText(rows.size() - mostRows, "item"));
        for (auto i = mostRows; i < rows.size(); ++i) {
            rest.net += rows[i].net;
            rest.amount += rows[i].amount;
        }
        rest.figures = signedText(rest.net, measure);
        rows.resize(mostRows);
        rows.push_back(std::move(rest));
    }
    return rows;
}

std::vector<ChangeRow> rowsOfLines(const Comparison& c, const std::vector<ChangeLine>& lines, Measure measure)
{
    std::vector<ChangeRow> rows;
    constexpr std::size_t most = 20000;
    const auto top = c.tree()->path(rootNode).size();
    for (std::size_t i = 0; i < std::min(lines.size(), most); ++i) {
        const auto& line = lines[i];
        ChangeRow row;
        row.node = line.node;
        row.change = line.change;
        auto path = c.tree()->path(line.node);
        path.erase(0, std::min(path.size(), top > 1 ? top + 1 : top));
        row.name = path.empty() ? toText(c.tree()->path(line.node)) : toText(path);
        row.tag = tagOf(c, line.node);
        if (row.tag.isEmpty())
            row.tag = QString::fromLatin1(changeName(line.change));
        row.net = line.delta;
        row.amount = static_cast<std::uint64_t>(std::llabs(line.delta));
        row.figures =
            line.change == Change::Moved && line.delta == 0 ? sizeText(line.size) : signedText(line.delta, measure);
        row.isFolder = false;
        row.hidden = c.tree()->isHidden(line.node);
        rows.push_back(std::move(row));
    }
    if (lines.size() > most) {
        ChangeRow rest;
        rest.name = QObject::tr("rest: %1").arg(itemsText(lines.size() - most, "change"));
        for (auto i = most; i < lines.size(); ++i)
            rest.net += lines[i].delta;
        rest.figures = signedText(rest.net, measure);
        rows.push_back(std::move(rest));
    }
    return rows;
}

void ChangeModel::show(std::vector<ChangeRow> rows)
{
    beginResetModel();
    rows_ = std::move(rows);
    largest_ = 1;
    for (const auto& row : rows_)
        largest_ = std::max<std::uint64_t>(largest_, static_cast<std::uint64_t>(std::llabs(row.net)));
    endResetModel();
}

int ChangeModel::rowCount(const QModelIndex& parent) const
{
    return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}

int ChangeModel::rowOf(NodeId node) const
{
    for (std::size_t i = 0; i < rows_.size(); ++i)
        if (node != noNode && rows_[i].node == node)
            return static_cast<int>(i);
    return -1;
}

QVariant ChangeModel::data(const QModelIndex& index, int role) const
{
    if (!index.isValid())
        return {};
    const auto& row = rows_[static_cast<std::size_t>(index.row())];
    if (role == Qt::DisplayRole)
        return row.name;
    if (role == Qt::AccessibleTextRole || role == Qt::ToolTipRole)
        return QStringList{row.name, row.tag, row.figures, row.apart}
            .filter(QRegularExpression(QStringLiteral(".")))
            .join(QStringLiteral(", "));
    return {};
}

QSize ChangeDelegate::sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const
{
    const auto* model = static_cast<const ChangeModel*>(index.model());
    const auto& row = model->row(index.row());
    return {200, row.tag.isEmpty() && row.apart.isEmpty() ? 40 : 54};
}

void ChangeDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const
{
    const auto* model = static_cast<const ChangeModel*>(index.model());
    const auto& row = model->row(index.row());
    const auto& t = theme();
    painter->save();
    if (option.state & QStyle::State_Selected) {
        painter->fillRect(option.rect, t.accentFill);
        painter->fillRect(QRect(option.rect.left(), option.rect.top(), 2, option.rect.height()), t.accent);
    } else if (option.state & QStyle::State_MouseOver) {
        painter->fillRect(option.rect, t.window);
    }
    auto r = option.rect.adjusted(12, 6, -12, -6);
    const auto ink = growthInk(row.net);
    const auto figureFont = fontOf(13, QFont::DemiBold);
    const int wide = std::max(78, QFontMetrics(figureFont).horizontalAdvance(row.figures) + 6);
    painter->setFont(figureFont);
    painter->setPen(ink);
    drawFigures(*painter, QRect(r.right() - wide, r.top(), wide, 18), row.figures);
    const auto nameFont = fontOf(13, row.isFolder ? QFont::DemiBold : QFont::Normal);
    painter->setFont(nameFont);
    painter->setPen(row.hidden ? t.accent : t.text);
    painter->drawText(QRect(r.left(), r.top(), r.width() - wide - 6, 18), Qt::AlignVCenter,
                      cutMiddle(row.name, nameFont, r.width() - wide - 6));
    auto second = row.tag;
    if (row.hidden && !second.isEmpty())
        second = tr("hidden, %1").arg(second);
    if (!second.isEmpty() || !row.apart.isEmpty()) {
        painter->setFont(fontOf(11));
        painter->setPen(t.textSecond);
        const int apart = row.apart.isEmpty() ? 0 : QFontMetrics(painter->font()).horizontalAdvance(row.apart) + 8;
        const int top = r.top() + 18;
        painter->drawText(QRect(r.left(), top, r.width() - apart, 15), Qt::AlignVCenter,
                          cutMiddle(second, painter->font(), r.width() - apart));
        if (apart > 0)
            drawFigures(*painter, QRect(r.right() - apart, top, apart, 15), row.apart);
    }
    // From the middle to either side.
    const QRect bar(r.left(), r.bottom() - 3, r.width(), 4);
    painter->fillRect(bar, t.emptyBar);
    const auto half = bar.width() / 2.0;
    const auto length = half * static_cast<double>(std::llabs(row.net)) / static_cast<double>(model->largest());
    if (row.net != 0)
        painter->fillRect(QRectF(row.net > 0 ? bar.left() + half : bar.left() + half - length, bar.top(),
                                 std::max(2.0, length), bar.height()),
                          ink);
    painter->restore();
}

} // namespace kurvo::app
