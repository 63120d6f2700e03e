// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lists/plan_list.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

QString adviceWords(AdviceLevel level)
{
    return QString::fromLatin1(adviceLevelName(level));
}

QString groupTitle(const PlanItem& first, std::size_t count, std::uint64_t bytes)
{
    const auto items = itemsText(count, "item"), size = sizeText(bytes);
    switch (first.action) {
    case Action::EmptyTrash:
        return QObject::tr("Empty the trash · %1 · %2").arg(items, size);
    case Action::Delete:
        return QObject::tr("Delete for good · %1 · %2").arg(items, size);
    case Action::Move:
        return (first.leaveLink ? QObject::tr("Move to %1, leave a link · %2 · %3")
                                : QObject::tr("Move to %1 · %2 · %3"))
            .arg(toText(first.destination), items, size);
    case Action::Trash:
        break;
    }
    return QObject::tr("To the trash · %1 · %2 (not free until the trash is emptied)").arg(items, size);
}

bool sameGroup(const PlanItem& a, const PlanItem& b)
{
    return a.action == b.action && a.destination == b.destination && a.leaveLink == b.leaveLink;
}

} // namespace

QString PlanRows::adviceOf(const PlanItem& item) const
{
    const auto advice = kurvo::adviceFor(item.path, item.kind == EntryKind::Folder, knowledge_.rules());
    return advice.rule.empty() ? QString() : adviceWords(advice.level);
}

QString PlanRows::markOf(const PlanItem& item) const
{
    const auto* place = places_.place();
    const auto found = place && place->marks && item.node != noNode && place->plan.itemOf(item.node) == &item
                           ? place->marks->of(item.node)
                           : TreeMarks::Found{};
    if (!found.mark)
        return {};
    QString text;
    const auto& kinds = place->marks->book().kinds;
    if (const auto kind = place->marks->book().kindIndex(found.mark->kind))
        text = QString::fromStdString(kinds[*kind].sign + " " + kinds[*kind].name);
    if (!found.mark->note.empty())
        text += QStringLiteral(": ") + toText(found.mark->note);
    return text;
}

Finding PlanRows::findingOf(const PlanItem& item) const
{
    const auto* finding = places_.place() ? places_.place()->findings.of(item.path) : nullptr;
    return finding ? *finding : Finding{};
}

PlanRows::Shown PlanRows::make() const
{
    Shown made;
    const auto* place = places_.place();
    if (!place)
        return made;
    const auto& plan = place->plan;
    made.state = plan.state();
    const auto& items = *made.state;
    made.rows.reserve(items.size() + 8);
    // Groups stand one after the other already, and in each the largest first.
    for (auto first = items.begin(), last = first; first != items.end(); first = last) {
        const auto& item = **first;
        last =
            std::partition_point(first, items.end(), [&](const PlanItemPtr& other) { return sameGroup(item, *other); });
        auto bytes = plan.plannedBytes(item.action);
        if (item.action == Action::Move) { // one of several folders
            bytes = 0;
            std::for_each(first, last, [&](const PlanItemPtr& moved) { bytes += moved->disk; });
        }
        made.titles.push_back(groupTitle(item, static_cast<std::size_t>(last - first), bytes));
        made.rows.push_back({&item, true});
        const auto begin = static_cast<std::ptrdiff_t>(made.rows.size());
        for (auto at = first; at != last; ++at)
            made.rows.push_back({at->get()});
        const auto by = [&](const auto& key) {
            std::vector<std::pair<decltype(key(item)), Row>> keyed;
            for (auto row = made.rows.begin() + begin; row != made.rows.end(); ++row)
                keyed.emplace_back(key(*row->item), *row);
            std::stable_sort(keyed.begin(), keyed.end(),
                             [](const auto& a, const auto& b) { return a.first < b.first; });
            std::transform(keyed.begin(), keyed.end(), made.rows.begin() + begin,
                           [](const auto& pair) { return pair.second; });
        };
        if (sort_ == PlanSort::Name)
            by([](const PlanItem& one) { return toText(fileName(one.path)).toCaseFolded(); });
        else if (sort_ == PlanSort::Advice)
            by([this](const PlanItem& one) { return adviceOf(one); });
        else if (sort_ == PlanSort::Check)
            by([this](const PlanItem& one) { return findingOf(one).ready; });
    }
    return made;
}

bool PlanRows::show()
{
    auto now = make();
    if (showDifference(now))
        return false;
    beginResetModel();
    shown_ = std::move(now);
    endResetModel();
    return true;
}

/// Goes along both; false where more than a few rows differ.
bool PlanRows::showDifference(Shown& now)
{
    auto& was = shown_.rows;
    const auto& rows = now.rows;
    const auto same = [](const Row& a, const Row& b) {
        return a.title == b.title && (a.item == b.item || (a.title && sameGroup(*a.item, *b.item)));
    };
    struct Step {
        std::size_t row;  ///< in the rows as they are by then
        const Row* fresh; ///< comes in there; null where the row goes
    };
    constexpr std::size_t few = 6;
    std::vector<Step> steps;
    std::size_t i = 0, j = 0;
    const auto leadsOn = [&](std::size_t old, std::size_t fresh) {
        return (old == was.size() && fresh == rows.size()) ||
               (old < was.size() && fresh < rows.size() && same(was[old], rows[fresh]));
    };
    while (i < was.size() || j < rows.size()) {
        if (i < was.size() && j < rows.size() && same(was[i], rows[j])) {
            ++i, ++j;
            continue;
        }
        std::size_t gone = 0, come = 0;
        for (std::size_t n = 1; n <= 2 && gone + come == 0; ++n)
            if (leadsOn(i + n, j))
                gone = n;
            else if (leadsOn(i, j + n))
                come = n;
        if (gone + come == 0 && leadsOn(i + 1, j + 1))
            gone = come = 1;
        if (gone + come == 0 || steps.size() + gone + come > few)
            return false;
        for (; gone > 0; --gone, ++i)
            steps.push_back({j, nullptr});
        for (; come > 0; --come, ++j)
            steps.push_back({j, &rows[j]});
    }
    for (const auto& step : steps) {
        const int row = static_cast<int>(step.row);
        const auto at = was.begin() + static_cast<std::ptrdiff_t>(step.row);
        if (step.fresh) {
            beginInsertRows({}, row, row);
            was.insert(at, *step.fresh);
            endInsertRows();
        } else {
            beginRemoveRows({}, row, row);
            was.erase(at);
            endRemoveRows();
        }
    }
    shown_ = std::move(now); // titles say other sums
    if (!was.empty())
        emit dataChanged(index(0), index(static_cast<int>(was.size()) - 1));
    return true;
}

int PlanRows::rowCount(const QModelIndex& parent) const
{
    return parent.isValid() ? 0 : static_cast<int>(shown_.rows.size());
}

Qt::ItemFlags PlanRows::flags(const QModelIndex& index) const
{
    return itemAt(index.row()) ? Qt::ItemIsEnabled | Qt::ItemIsSelectable : Qt::NoItemFlags;
}

const PlanItem* PlanRows::itemAt(int row) const
{
    if (row < 0 || row >= static_cast<int>(shown_.rows.size()))
        return nullptr;
    const auto& found = shown_.rows[static_cast<std::size_t>(row)];
    return found.title ? nullptr : found.item;
}

int PlanRows::rowOf(const std::string& path) const
{
    const auto* item = places_.place() ? places_.place()->plan.itemAt(path) : nullptr;
    for (std::size_t i = 0; item && i < shown_.rows.size(); ++i)
        if (!shown_.rows[i].title && shown_.rows[i].item == item)
            return static_cast<int>(i);
    return -1;
}

QString PlanRows::titleOf(std::size_t row) const
{
    for (std::size_t at = 0, group = 0; at < shown_.rows.size(); ++at)
        if (shown_.rows[at].title) {
            if (at == row) // between two steps of a difference there may be more rows than titles
                return group < shown_.titles.size() ? shown_.titles[group] : QString();
            ++group;
        }
    return {};
}

QVariant PlanRows::data(const QModelIndex& index, int role) const
{
    if (!index.isValid())
        return {};
    const auto& row = shown_.rows[static_cast<std::size_t>(index.row())];
    if (row.title)
        return role == Qt::DisplayRole || role == GroupRole ? QVariant(titleOf(static_cast<std::size_t>(index.row())))
                                                            : QVariant();
    const auto& item = *row.item;
    const auto checked = [&] {
        const auto finding = findingOf(item);
        auto words = finding.sentence.empty() ? tr("not checked yet") : withoutPath(finding.sentence, item.path);
        if (item.twin && (finding.ready || finding.sentence.empty()))
            words = tr("%1; the same stays at %2").arg(words, toText(item.twin->path));
        return words;
    };
    switch (role) {
    case Qt::DisplayRole:
        return item.action == Action::EmptyTrash ? tr("Everything in the trash") : toText(fileName(item.path));
    case PathRole:
        return toText(parentPath(item.path));
    case Qt::ToolTipRole:
        return QStringList{toText(item.path), markOf(item), checked()}.join(QLatin1Char('\n'));
    case Qt::AccessibleTextRole:
        return QStringList{toText(item.path), sizeText(item.disk), adviceOf(item), markOf(item), checked()}.join(
            QStringLiteral(", "));
    case SizeRole:
        return sizeText(item.disk);
    case AdviceRole:
        return adviceOf(item);
    case MarkRole:
        return markOf(item);
    case FindingRole:
        return checked();
    case ReadyRole: {
        const auto finding = findingOf(item);
        return finding.ready ? 1 : finding.sentence.empty() ? 0 : -1;
    }
    default:
        return {};
    }
}

QSize PlanRow::sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const
{
    return {200, 44}; // titles as well: rows of one height are laid out without being asked one by one
}

void PlanRow::paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const
{
    const auto& t = theme();
    const QRect row = option.rect;
    painter->save();
    const auto group = index.data(PlanRows::GroupRole).toString();
    if (!group.isEmpty()) {
        painter->fillRect(row, t.window);
        painter->setPen(t.text);
        painter->setFont(fontOf(13, QFont::DemiBold));
        drawCut(*painter, row.adjusted(12, 0, -12, 0), group);
        painter->setPen(t.line);
        painter->drawLine(row.left(), row.bottom(), row.right(), row.bottom());
        painter->restore();
        return;
    }
    if ((option.state & QStyle::State_Selected) != 0)
        painter->fillRect(row, t.accentFill);
    else if ((option.state & QStyle::State_MouseOver) != 0)
        painter->fillRect(row, t.window);
    const int left = row.x() + 12;
    const int sizeAt = sizeColumn(row.width()), adviceAt = adviceColumn(row.width()),
              checkAt = checkColumn(row.width());
    painter->setPen(t.text);
    painter->setFont(fontOf(13, QFont::Medium));
    const int nameRoom = sizeAt - 84 - 12;
    drawCut(*painter, QRect(left, row.y() + 4, nameRoom, 18), index.data().toString());
    painter->setFont(fontOf(13));
    drawFigures(*painter, QRect(row.x() + sizeAt - 84, row.y(), 84, row.height()),
                index.data(PlanRows::SizeRole).toString());
    painter->setFont(fontOf(11));
    painter->setPen(t.textSecond);
    drawCut(*painter, QRect(left, row.y() + 22, nameRoom, 16), index.data(PlanRows::PathRole).toString());
    // Advice, and below it the mark; one alone stands in the middle.
    const auto advice = index.data(PlanRows::AdviceRole).toString(), mark = index.data(PlanRows::MarkRole).toString();
    const int adviceRoom = checkAt - adviceAt - 10;
    const auto line = [&](const QString& text, int top, const QColor& colour) {
        painter->setPen(colour);
        drawCut(*painter, QRect(row.x() + adviceAt, row.y() + top, adviceRoom, 16), text, Qt::ElideRight);
    };
    if (!advice.isEmpty())
        line(advice, mark.isEmpty() ? 14 : 5, t.text);
    if (!mark.isEmpty())
        line(mark, advice.isEmpty() ? 14 : 22, t.accent);
    const int state = index.data(PlanRows::ReadyRole).toInt();
    painter->setPen(state > 0 ? t.accent : state < 0 ? t.warning : t.textSecond);
    const QRect check(row.x() + checkAt, row.y() + 3, row.width() - checkAt - 34, row.height() - 6);
    auto text = index.data(PlanRows::FindingRole).toString();
    if (state < 0)
        text = tr("held back: %1").arg(text);
    // Two lines at most; all of it is one hover away.
    drawWrapped(*painter, check, text);
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

PlanColumns::PlanColumns(QWidget* parent) : QWidget(parent)
{
    setFixedHeight(24);
    setToolTip(tr("Click to sort"));
    setCursor(Qt::PointingHandCursor);
}

void PlanColumns::setSort(PlanSort sort)
{
    sort_ = sort;
    update();
}

QRect PlanColumns::rectOf(PlanSort column) const
{
    const int size = PlanRow::sizeColumn(width()), advice = PlanRow::adviceColumn(width()),
              check = PlanRow::checkColumn(width());
    switch (column) {
    case PlanSort::Name:
        return {12, 0, size - 96, height()};
    case PlanSort::Size:
        return {size - 84, 0, 84, height()};
    case PlanSort::Advice:
        return {advice, 0, check - advice, height()};
    case PlanSort::Check:
        break;
    }
    return {check, 0, width() - check, height()};
}

void PlanColumns::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const std::pair<PlanSort, QString> columns[] = {{PlanSort::Name, tr("what")},
                                                    {PlanSort::Size, tr("on disk")},
                                                    {PlanSort::Advice, tr("advice, mark")},
                                                    {PlanSort::Check, tr("check")}};
    for (const auto& [column, name] : columns) {
        painter.setFont(fontOf(11, column == sort_ ? QFont::DemiBold : QFont::Normal));
        painter.setPen(column == sort_ ? theme().text : theme().textSecond);
        painter.drawText(rectOf(column), Qt::AlignVCenter | (column == PlanSort::Size ? Qt::AlignRight : Qt::AlignLeft),
                         name);
    }
    painter.setPen(theme().line);
    painter.drawLine(0, height() - 1, width(), height() - 1);
}

void PlanColumns::mousePressEvent(QMouseEvent* event)
{
    for (const auto column : {PlanSort::Name, PlanSort::Size, PlanSort::Advice, PlanSort::Check})
        if (rectOf(column).contains(event->position().toPoint())) {
            setSort(column);
            emit sortChosen(column);
        }
}

} // namespace kurvo::app
