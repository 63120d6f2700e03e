// SPDX-License-Identifier: GPL-3.0-or-later
// The picture in the middle of Explore, treemap or sunburst. Its cells are painted once into an image; hover and
// selection are drawn over it, so that following the pointer costs the same for any number of files.
#pragma once

#include <QImage>
#include <QTimer>
#include <QVariantAnimation>
#include <QWidget>

#include "app/model/cursor.h"
#include "app/model/place_store.h"
#include "app/model/place_view.h"
#include "app/model/plan_model.h"
#include "app/model/tree_updater.h"
#include "app/pictures/picture.h"
#include "app/style/painted_parts.h"

class QPinchGesture;

namespace kurvo::app {

class PictureView : public QWidget, public PaintedParts {
    Q_OBJECT
public:
    explicit PictureView(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView,
                         PlanModel& planModel, QWidget* parent = nullptr);

    /// Null before anything is open.
    const Picture* picture() const { return picture_.get(); }
    const PlaceStore& places() const { return places_; }
    /// Another number for each picture that was laid out.
    unsigned layouts() const { return layouts_; }
    /// A point in the cell that shows `node`, in widget coordinates; null when it is not drawn one by one.
    QPoint pointOf(NodeId node) const;
    /// Going into a folder and out moves; not with reduced motion.
    void setMotion(bool on) { motion_ = on; }
    bool isMoving() const { return motionRun_.state() == QAbstractAnimation::Running; }

    /// What the focus folder holds: the cells of the first level.
    int partCount() const override { return static_cast<int>(firstLevel().size()); }
    PaintedPart part(int index) const override;
    int partAt(const QPoint& at) const override;
    void pressPart(int index) override;

signals:
    void contextRequested(const QPoint& global);

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    bool event(QEvent* event) override;

private:
    void layOut();
    void treeChanged();
    void viewChanged();
    void focusChanged();
    void repaintCells();
    std::unique_ptr<Picture> laidOut() const;
    QImage blank() const;
    QImage painted(const Picture* picture) const;
    void takeStep();
    void setHoverCell(int cell);
    void enter(int cell);
    void walk(int dx, int dy);
    void goInAt(const QPointF& point);
    void pinched(const QPinchGesture& pinch);
    NodeId nodeOf(int cell) const;
    void outline(QPainter& painter, int cell) const;
    void paintMotion(QPainter& painter);
    void paintEmpty(QPainter& painter, const Place& place);
    void describe();
    const std::vector<int>& firstLevel() const;

    PlaceStore& places_;
    TreeUpdater& trees_;
    Cursor& cursor_;
    PlaceView& placeView_;
    PlanModel& planModel_;
    std::unique_ptr<Picture> picture_;
    QImage image_;
    std::shared_ptr<const NodeStore> store_; ///< what the ids in the picture belong to
    NodeId focus_ = noNode;                  ///< shown
    ViewState view_;                         ///< with which it was laid out
    QTimer soon_;                            ///< the next step towards the picture of a tree that has grown
    std::unique_ptr<Picture> next_;          ///< laid out, and painted up to a cell
    QImage nextImage_;
    int nextCell_ = 0;
    const Scheme* scheme_ = nullptr; ///< with which it was painted
    bool imageStale_ = true;
    int hoverCell_ = -1;
    unsigned layouts_ = 0;
    mutable std::vector<int> firstLevel_; ///< of the layout before, or this one
    mutable unsigned firstLevelOf_ = 0;
    int wheel_ = 0; ///< turned since the last step
    bool motion_ = true;
    QVariantAnimation motionRun_;
    QImage before_;     ///< where one came from
    QRectF motionRect_; ///< the cell one goes into, or came out of
    bool inwards_ = true;
};

} // namespace kurvo::app
