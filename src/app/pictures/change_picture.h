// SPDX-License-Identifier: GPL-3.0-or-later
// The pictures of a comparison, treemap and sunburst: cells are as large as the amount of change, or as what is there
// now; their colour says which way they changed and how much of what they are.
#pragma once

#include <QImage>
#include <QWidget>

#include <memory>

#include "app/jobs/comparing.h"
#include "app/pictures/picture.h"
#include "app/style/painted_parts.h"

namespace kurvo::app {

class ChangePicture : public QWidget, public PaintedParts {
    Q_OBJECT
public:
    explicit ChangePicture(Comparing& comparing, QWidget* parent = nullptr);
    enum class Size { Amount, Now };
    void setSizeBy(Size by);
    void setKind(PictureKind kind);
    /// A point in the cell of an entry of the tree of changes; null where it is not drawn by itself.
    QPoint pointOf(NodeId node) const;

    int partCount() const override { return static_cast<int>(firstLevel_.size()); }
    PaintedPart part(int index) const override;
    void pressPart(int index) override { choose(firstLevel_[static_cast<std::size_t>(index)]); }

signals:
    void contextRequested(const QPoint& global);
    void pointedAt(const QString& words); ///< what is under the pointer; empty when nothing is

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;

private:
    void layOut();
    std::uint64_t amountHere() const;
    const FileTree& drawn() const;
    /// Of the tree of changes; noNode where nothing changed.
    NodeId changeOf(NodeId drawnNode) const;
    NodeId drawnOf(NodeId changeNode) const;
    void walk(int dx, int dy);
    void choose(int cell);

    Comparing& comparing_;
    Size by_ = Size::Amount;
    PictureKind kind_ = PictureKind::Treemap;
    std::shared_ptr<const Comparison> shown_;
    std::vector<int> firstLevel_;      ///< cells
    std::unique_ptr<Picture> picture_; ///< null while there is nothing to draw
    QImage image_;
    int hovered_ = -1;
};

/// From teal over neutral to rust by how much of its size a thing changed, -1 to 1.
QColor growthColour(double share);

} // namespace kurvo::app
