// SPDX-License-Identifier: GPL-3.0-or-later
// The treemap of the focus folder. The tiles are painted once into an image; hover and selection are drawn over it, so
// that following the pointer costs the same for any number of files.
#pragma once

#include <QImage>
#include <QTimer>
#include <QWidget>

#include "app/session.h"
#include "core/layout/treemap.h"

namespace kurvo::app {

/// Paints tiles into an image of the given device-independent size. Apart from the widget so that it can be measured.
class TreemapPainter {
public:
    TreemapPainter(const FileTree& tree, const std::vector<Family>& dominant, const Plan& plan, Measure measure);
    void paint(QPainter& painter, const Treemap& map) const;
    QColor colourOf(const Tile& tile) const;

private:
    void paintLabel(QPainter& painter, const Tile& tile, const QColor& background) const;
    void paintFolder(QPainter& painter, const Tile& tile) const;

    const FileTree& tree_;
    const std::vector<Family>& dominant_;
    const Plan& plan_;
    Measure measure_;
};

class TreemapView : public QWidget {
    Q_OBJECT
public:
    explicit TreemapView(Session& session, QWidget* parent = nullptr);

    const Treemap& map() const { return map_; }
    /// The middle of the tile that shows `node`, in widget coordinates; null when it is not drawn.
    QPoint pointOf(NodeId node) const;

signals:
    void contextRequested(const QPoint& global);

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    bool event(QEvent* event) override;

private:
    void layOut();
    void treeChanged();
    Treemap laidOut() const;
    QImage painted(const Treemap& map) const;
    void setHoverTile(int tile);
    void enter(int tile);
    void walk(int dx, int dy);
    NodeId nodeOf(int tile) const;
    void outline(QPainter& painter, const Rect& rect) const;

    Session& session_;
    Treemap map_;
    QImage image_;
    std::shared_ptr<const NodeStore> store_; ///< what the ids in the picture belong to
    QTimer soon_;                            ///< the next step towards the picture of a tree that has grown
    std::optional<Treemap> next_;            ///< laid out, not yet painted
    bool imageStale_ = true;
    int hoverTile_ = -1;
};

} // namespace kurvo::app
