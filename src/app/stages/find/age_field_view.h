// SPDX-License-Identifier: GPL-3.0-or-later
// The age field drawn: dots by age and size, a box that can be dragged over them to narrow the list.
#pragma once

#include <QWidget>

#include <memory>
#include <optional>

#include "app/model/cursor.h"
#include "app/model/place_store.h"
#include "app/style/painted_parts.h"
#include "core/find/age_field.h"

namespace kurvo::app {

/// A part of the field, in positions from 0 to 1 (age across, size up).
struct FieldBox {
    double youngest = 0, oldest = 1, smallest = 0, largest = 1;
    bool operator==(const FieldBox&) const = default;
};

class AgeFieldView : public QWidget, public PaintedParts {
    Q_OBJECT
public:
    explicit AgeFieldView(PlaceStore& places, Cursor& cursor, QWidget* parent = nullptr);
    void setField(std::shared_ptr<const AgeField> field);
    const AgeField* field() const { return field_.get(); }
    std::optional<FieldBox> box() const { return box_; }
    void setBox(std::optional<FieldBox> box);
    QSize sizeHint() const override { return {400, 150}; }
    /// Where a file stands, in widget coordinates.
    QPointF pointOf(NodeId file) const;

    QAccessible::Role partsRole() const override { return QAccessible::Chart; }
    /// The file of the dots that hold most, largest first: a reader wants no thousands.
    int partCount() const override { return static_cast<int>(largest_.size()); }
    PaintedPart part(int index) const override;
    int partAt(const QPoint& at) const override;
    void pressPart(int index) override;
    QString partsValue() const override;

signals:
    void boxChanged(); ///< by the user, once it is let go

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent*) override { update(); }
    void focusOutEvent(QFocusEvent*) override { update(); }

private:
    QRectF plot() const;
    QRectF boxRect(const FieldBox& box) const;
    FieldBox boxOf(const QRectF& rect) const;
    int edgesAt(const QPointF& at) const; ///< Qt::Edge bits
    NodeId fileAt(const QPointF& at) const;

    PlaceStore& places_;
    Cursor& cursor_;
    std::shared_ptr<const AgeField> field_;
    std::vector<NodeId> largest_;
    std::optional<FieldBox> box_;
    QPointF pressed_;
    int edges_ = 0; ///< of the box being dragged; 0 while a new one is drawn
    bool dragging_ = false;
};

} // namespace kurvo::app
