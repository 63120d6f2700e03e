// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/pointer_line.h"

#include <QPainter>

#include "app/dialogs/confirm_dialog.h"
#include "app/services/listen.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {

PointerLine::PointerLine(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView,
                         PlanModel& planModel, QWidget* parent)
    : QWidget(parent), places_(places), trees_(trees), cursor_(cursor), placeView_(placeView), planModel_(planModel)
{
    setFixedHeight(28);
    setObjectName("pointerLine");
    listen(this, &PointerLine::update, places_, &PlaceStore::placeChanged, trees_, &TreeUpdater::treeChanged, cursor_,
           &Cursor::hoverChanged, cursor_, &Cursor::selectionChanged, cursor_, &Cursor::focusChanged, trees_,
           &TreeUpdater::shownChanged, planModel_, &PlanModel::planChanged, placeView_, &PlaceView::marksChanged);
}

QString PointerLine::text() const
{
    return (QStringList{path_} + facts_ + QStringList{state_}).join(QStringLiteral("  "));
}

void PointerLine::update()
{
    path_.clear();
    facts_.clear();
    state_.clear();
    const auto* place = places_.place();
    if (place) {
        const auto& tree = *place->tree;
        NodeId node = cursor_.hover();
        if (node == noNode)
            node = place->selection != noNode ? place->selection : place->focus;
        const auto& store = tree.store();
        path_ = toText(tree.path(node));
        facts_ << sizeText(tree.disk(node));
        if (node != rootNode) {
            const NodeId above = tree.parent(node);
            facts_ << tr("%1 of %2").arg(shareText(tree.disk(node), tree.disk(above)), toText(tree.label(above)));
        }
        if (tree.isFolder(node))
            facts_ << itemsText(tree.sums(node).files, "file");
        facts_ << tr("changed %1").arg(whenText(tree.newest(node)));
        if (!tree.isFolder(node)) {
            const auto& type = typeInfo(store.type(node));
            facts_ << QString::fromLatin1(familyName(type.family)) +
                          (type.extension.empty()
                               ? QString()
                               : ", " + QString::fromUtf8(type.name.data(), static_cast<qsizetype>(type.name.size())));
        }
        QStringList states;
        if (place->isShownInPart(node)) {
            const auto& shown = *place->shown();
            states << (shown.contains(node)
                           ? tr("shown: %1 in %2")
                                 .arg(sizeText(shown.disk(node)), itemsText(shown.sums(node).files, "file"))
                           : tr("nothing of it shown"));
        }
        if (const auto* item = place->plan.itemOf(place->plan.coveringItem(tree, node)))
            states << tr("planned: %1").arg(intentText(*item));
        if (const auto found = place->marks ? place->marks->of(node) : TreeMarks::Found{}; found.mark)
            states << tr("marked: %1")
                          .arg(QString::fromStdString(
                              place->marks->book().kinds[*place->marks->book().kindIndex(found.mark->kind)].name));
        if (const auto protection = places_.protectionOf(node); protection && protection->whole)
            states << tr("protected");
        if (store.has(node, FlagDoor))
            states << tr("another mounted drive, not entered");
        if (store.has(node, FlagUnreadable))
            states << tr("could not be read");
        if (store.has(node, FlagUnfinished))
            states << tr("not reached before the scan was stopped");
        if (const NodeId counted = tree.countedAt(node); counted != node && counted != noNode)
            states << tr("linked, counted at %1").arg(toText(tree.path(counted)));
        if (tree.isHidden(node)) {
            NodeId hiddenAt = node;
            while (!tree.name(hiddenAt).starts_with('.'))
                hiddenAt = tree.parent(hiddenAt);
            states << (hiddenAt == node ? tr("hidden") : tr("hidden, in %1").arg(toText(tree.name(hiddenAt))));
        }
        state_ = states.join(QStringLiteral(" · "));
    }
    setAccessibleName(text());
    QWidget::update();
}

void PointerLine::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const auto& t = theme();
    painter.fillRect(rect(), t.panel);
    painter.setPen(t.line);
    painter.drawLine(0, 0, width(), 0);
    const auto plain = fontOf(11), bold = fontOf(11, QFont::DemiBold);
    const QFontMetrics metrics(plain);
    int right = width() - 14;
    painter.setFont(plain);
    if (!state_.isEmpty()) {
        const auto shown = metrics.elidedText(state_, Qt::ElideMiddle, width() / 3);
        const int wide = metrics.horizontalAdvance(shown);
        painter.setPen(t.textSecond);
        painter.drawText(QRect(right - wide, 0, wide + 2, height()), Qt::AlignVCenter, shown);
        right -= wide + 20;
    }
    int factsWidth = 0;
    for (const auto& fact : facts_)
        factsWidth += metrics.horizontalAdvance(fact) + 18;
    const int room = std::max(120, right - 14 - factsWidth);
    const auto shown = cutMiddle(path_, bold, room);
    painter.setFont(bold);
    painter.setPen(t.text);
    painter.drawText(QRect(14, 0, room, height()), Qt::AlignVCenter, shown);
    int at = 14 + QFontMetrics(bold).horizontalAdvance(shown) + 18;
    painter.setFont(plain);
    painter.setPen(t.textSecond);
    for (const auto& fact : facts_) {
        const int wide = metrics.horizontalAdvance(fact);
        if (at + wide > right)
            break;
        painter.drawText(QRect(at, 0, wide + 2, height()), Qt::AlignVCenter, fact);
        at += wide + 18;
    }
}

} // namespace kurvo::app
