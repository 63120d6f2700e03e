// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pictures/class_colours.h"

#include <QObject>

#include <array>
#include <cmath>

#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

/// `colour` with so much of it left (0..1), the rest background.
QColor fadedTo(const QColor& colour, double left)
{
    const auto& into = theme().panel;
    const auto mix = [left](int a, int b) { return static_cast<int>(b + (a - b) * left); };
    return {mix(colour.red(), into.red()), mix(colour.green(), into.green()), mix(colour.blue(), into.blue())};
}

} // namespace

QString schemeName(ColourBy by)
{
    const std::array<QString, colourSchemes> names{QObject::tr("family"), QObject::tr("age"),    QObject::tr("hidden"),
                                                   QObject::tr("owner"),  QObject::tr("growth"), QObject::tr("mark"),
                                                   QObject::tr("role")};
    return names[static_cast<std::size_t>(by)];
}

QColor classColour(const Scheme& scheme, unsigned of)
{
    static const std::array<QColor, ageClasses> ages{QColor("#FDEA45"), QColor("#D3C164"), QColor("#A59C74"),
                                                     QColor("#7C7B78"), QColor("#575D6D"), QColor("#31446B"),
                                                     QColor("#00224E")};
    static const std::array<QColor, growthClasses> growth{QColor("#0B6E6E"), QColor("#7DB5B1"), QColor("#D9D6CF"),
                                                          QColor("#E0A183"), QColor("#B9532B"), QColor("#8A2F12")};
    switch (scheme.by()) {
    case ColourBy::Age:
        return ages[std::min<std::size_t>(of, ageClasses - 1)];
    case ColourBy::Hidden:
        return of == 0 ? QColor(theme().dark ? "#59636C" : "#C9C5BC") : theme().accent;
    case ColourBy::Growth:
        return growth[std::min<std::size_t>(of, growthClasses - 1)];
    case ColourBy::Mark:
        if (const auto* kind = scheme.markOf(of))
            return QColor::fromRgb(kind->colour);
        return QColor(theme().dark ? "#4A535B" : "#DAD7CF");
    case ColourBy::Owner:
        // By rank; the last, for all others, is the grey of what is unknown.
        return familyColour(static_cast<Family>(of + 1 >= scheme.classes() ? familyCount - 1 : of));
    case ColourBy::Role: // the muted set as well; what is not known is the grey
    case ColourBy::Family:
        break;
    }
    return familyColour(static_cast<Family>(of));
}

QString className(const Scheme& scheme, unsigned of, const SnapshotInfo& info)
{
    switch (scheme.by()) {
    case ColourBy::Age: {
        const std::array<QString, ageClasses> names{QObject::tr("under a week"),  QObject::tr("under a month"),
                                                    QObject::tr("1 to 3 months"), QObject::tr("3 to 12 months"),
                                                    QObject::tr("1 to 2 years"),  QObject::tr("2 to 5 years"),
                                                    QObject::tr("over 5 years")};
        return names[std::min<std::size_t>(of, ageClasses - 1)];
    }
    case ColourBy::Hidden:
        return of == 0 ? QObject::tr("visible") : QObject::tr("hidden");
    case ColourBy::Growth: {
        const std::array<QString, growthClasses> names{
            QObject::tr("shrank by half or more"), QObject::tr("shrank"), QObject::tr("as it was"), QObject::tr("grew"),
            QObject::tr("doubled or more"),        QObject::tr("new")};
        return names[std::min<std::size_t>(of, growthClasses - 1)];
    }
    case ColourBy::Mark:
        if (const auto* kind = scheme.markOf(of))
            return QStringLiteral("%1 %2").arg(QString::fromStdString(kind->sign), QString::fromStdString(kind->name));
        return QObject::tr("no mark");
    case ColourBy::Owner:
        if (const auto owner = scheme.ownerOf(of))
            return toText(ownerName(info, *owner));
        return QObject::tr("others");
    case ColourBy::Role:
        return QString::fromLatin1(roleGroupTitle(static_cast<RoleGroup>(of)));
    case ColourBy::Family:
        break;
    }
    return QString::fromLatin1(familyName(static_cast<Family>(of)));
}

QColor CellColours::of(const Cell& cell) const
{
    switch (cell.kind) {
    case CellKind::Free:
        return theme().emptyBar;
    case CellKind::Reserved:
        return theme().line;
    case CellKind::NotSeen:
        return theme().panel;
    default:
        break;
    }
    const auto& tree = *place.shown();
    const auto own = classColour(*place.scheme, place.scheme->classOf(cell.node));
    const bool folder = tree.isFolder(cell.node);
    const auto colour = cell.kind == CellKind::Rest ? faint(own) : folder ? paler(own) : own;
    if (!place.lit.any() || !place.litSums)
        return colour;
    const auto whole = tree.measured(cell.node, measure);
    const double lit =
        whole == 0 ? 0 : static_cast<double>(place.litSize(cell.node, measure)) / static_cast<double>(whole);
    constexpr double unlit = 0.14;
    return fadedTo(colour, unlit + (1 - unlit) * std::min(1.0, lit));
}

QString CellColours::name(const Cell& cell) const
{
    switch (cell.kind) {
    case CellKind::Free:
        return QObject::tr("free");
    case CellKind::Reserved:
        return QObject::tr("reserved");
    case CellKind::NotSeen:
        return QObject::tr("not seen");
    case CellKind::Rest:
        return QObject::tr("rest: %1").arg(itemsText(cell.restCount, "item"));
    default:
        return toText(place.tree->name(cell.node));
    }
}

QString CellColours::size(const Cell& cell) const
{
    return measure == Measure::Files ? countText(cell.size) : sizeText(cell.size);
}

bool CellColours::isNotSeen(const Cell& cell) const
{
    return cell.kind == CellKind::NotSeen || (cell.kind == CellKind::Leaf && (place.tree->store().flags(cell.node) &
                                                                              (FlagUnreadable | FlagUnfinished)) != 0);
}

bool CellColours::isHidden(const Cell& cell) const
{
    return (cell.kind == CellKind::Leaf || cell.kind == CellKind::Folder) && place.tree->isHidden(cell.node);
}

bool CellColours::hasLock(const Cell& cell) const
{
    return (cell.kind == CellKind::Leaf || cell.kind == CellKind::Folder) && place.hasLock(cell.node);
}

CellColours::Centre CellColours::centre(const Cell& focus, bool isDrive) const
{
    Centre centre;
    centre.title = toText(place.tree->label(focus.node));
    centre.isDrive = isDrive;
    if (isDrive) {
        centre.second = QObject::tr("of %1").arg(sizeText(place.capacity.total));
        centre.third = QObject::tr("%1 free").arg(sizeText(place.capacity.free));
    } else if (focus.node != rootNode) {
        centre.second = QObject::tr("%1 of all")
                            .arg(shareText(place.shown()->measured(focus.node, measure),
                                           place.shown()->measured(rootNode, measure)));
        centre.third = QObject::tr("click: up");
    }
    return centre;
}

} // namespace kurvo::app
