// SPDX-License-Identifier: GPL-3.0-or-later
// Widgets that paint what others would make of widgets (pictures, bars, curves, fields) say what they consist of, so
// that assistive tools find it: each part has a name, a value and a place. Interface thread only.
#pragma once

#include <QAccessible>
#include <QRect>
#include <QString>
#include <QWidget>

namespace kurvo::app {

struct PaintedPart {
    QString name;
    QString value = {};
    QString description = {};
    QRect rect = {}; ///< in the widget; null where it is not drawn by itself
    bool selected = false;
    bool focused = false;
};

/// The second base of a QWidget. What it is called and described as is the widget's accessibleName().
class PaintedParts {
public:
    PaintedParts();
    virtual ~PaintedParts() = default;
    PaintedParts(const PaintedParts&) = delete;
    PaintedParts& operator=(const PaintedParts&) = delete;

    virtual QAccessible::Role partsRole() const { return QAccessible::List; }
    virtual int partCount() const { return 0; }
    virtual PaintedPart part(int) const { return {}; }
    /// The innermost part at a point of the widget; -1 for none.
    virtual int partAt(const QPoint&) const { return -1; }
    /// What pressing the part does; nothing where it only shows.
    virtual void pressPart(int) { }
    /// The whole, where it has one: "64 %".
    virtual QString partsValue() const { return {}; }
};

/// The parts are others, or another one is current: told to whoever listens.
void tellParts(QWidget* widget, int current = -1);

} // namespace kurvo::app
