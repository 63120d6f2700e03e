// SPDX-License-Identifier: GPL-3.0-or-later
// What the classes of a scheme look like and are called.
#pragma once

#include <QColor>
#include <QString>

#include "app/model/place.h"
#include "app/pictures/cell_look.h"

namespace kurvo::app {

QString schemeName(ColourBy by);
/// Families: Paul Tol's muted set. Age: cividis (Nunez, Anderton, Renslow, 2018), new is light. Owners: the muted set
/// by rank. Growth: teal to rust.
QColor classColour(const Scheme& scheme, unsigned of);
QString className(const Scheme& scheme, unsigned of, const SnapshotInfo& info);

/// By its class, a folder paler, a rest fainter, and faded towards the background as far as it is not lit.
class CellColours : public CellLook {
public:
    CellColours(const Place& p, Measure m, bool isDrawn = false) : CellLook(isDrawn), place(p), measure(m) { }
    QColor of(const Cell& cell) const override;
    QString name(const Cell& cell) const override;
    QString size(const Cell& cell) const override;
    bool isNotSeen(const Cell& cell) const override;
    bool isHidden(const Cell& cell) const override;
    bool hasLock(const Cell& cell) const override;
    Centre centre(const Cell& focus, bool isDrive) const override;

    const Place& place;
    const Measure measure;
};

} // namespace kurvo::app
