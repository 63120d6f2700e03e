// SPDX-License-Identifier: GPL-3.0-or-later
// The legend: the classes that the picture is coloured by, with what the focus folder holds of each. A click lights one
// up in all views; a second puts it out.
#pragma once

#include <QElapsedTimer>
#include <QWidget>

#include <vector>

#include "app/model/cursor.h"
#include "app/model/place_store.h"
#include "app/model/place_view.h"
#include "app/model/tree_updater.h"
#include "app/style/painted_parts.h"

namespace kurvo::app {

class Legend : public QWidget, public PaintedParts {
    Q_OBJECT
public:
    explicit Legend(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView,
                    QWidget* parent = nullptr);
    QSize sizeHint() const override { return {200, 26}; }

    struct Entry {
        unsigned of = 0; ///< class; unused for `isType`
        QString name;
        QString size;
        QColor colour;
        bool isType = false; ///< the one type, or what was found, that is lit
        QRect rect;          ///< where it is drawn; null when there was no room
    };
    const std::vector<Entry>& entries() const { return entries_; }
    const ClassMix& mix() const { return mix_; }
    /// What the picture shows, in one line.
    QString title() const;
    /// Draws the entries into `area`, as many as fit; returns how many did not.
    static std::size_t paintEntries(QPainter& painter, const QRect& area, std::vector<Entry>& entries, const Lit& lit);

    int partCount() const override { return static_cast<int>(entries_.size()); }
    PaintedPart part(int index) const override;
    int partAt(const QPoint& at) const override;
    void pressPart(int index) override { press(static_cast<std::size_t>(index)); }

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent*) override { update(); }
    void focusOutEvent(QFocusEvent*) override { update(); }
    void resizeEvent(QResizeEvent*) override { findPlaces(); }

private:
    void refresh();
    void rebuild();
    void findPlaces();
    void press(std::size_t entry);

    PlaceStore& places_;
    TreeUpdater& trees_;
    Cursor& cursor_;
    PlaceView& placeView_;
    ClassMix mix_;
    std::shared_ptr<const Scheme> scheme_; ///< of which the mix is
    std::vector<Entry> entries_;
    std::size_t current_ = 0; ///< for the keyboard
    unsigned request_ = 0;
    QElapsedTimer age_; ///< since the mix was asked for
    NodeId shown_ = noNode;
    Measure measure_ = Measure::Disk;
    std::weak_ptr<const FileTree> tree_; ///< of which the mix is shown or being worked out
    std::shared_ptr<const Scheme> asked_;
};

} // namespace kurvo::app
