// SPDX-License-Identifier: GPL-3.0-or-later
// The descent: the chain of parents on top, the children of the focus folder below, largest first. What is small is
// gathered into one row that can be opened.
#pragma once

#include <QLabel>
#include <QListView>
#include <QPushButton>
#include <QTimer>
#include <QWidget>

#include <vector>

#include "app/lists/descent_model.h"
#include "app/model/cursor.h"
#include "app/model/place_store.h"
#include "app/model/place_view.h"
#include "app/model/plan_model.h"
#include "app/model/tree_updater.h"
#include "app/style/painted_parts.h"

namespace kurvo::app {

/// The chain of parents: each a step one can click.
class DescentChain : public QWidget, public PaintedParts {
    Q_OBJECT
public:
    DescentChain(PlaceStore& places, Cursor& cursor, QWidget* parent = nullptr);
    void refresh();
    QSize sizeHint() const override;
    /// Where the step of `folder` is drawn.
    QRect stepOf(NodeId folder) const;
    int partCount() const override { return static_cast<int>(steps_.size()); }
    PaintedPart part(int index) const override;
    void pressPart(int index) override { cursor_.setFocus(steps_[static_cast<std::size_t>(index)].node); }

protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

private:
    struct Step {
        NodeId node;
        int level;
        std::size_t left = 0; ///< how many levels this step stands for that are not drawn
    };
    PlaceStore& places_;
    Cursor& cursor_;
    std::vector<Step> steps_;
    int hovered_ = -1;
};

/// What a row says beside name and size, on request.
enum DescentFact : unsigned { FactDriveShare = 1, FactCount = 2, FactNewest = 4, FactHidden = 8 };

class DescentView : public QWidget {
    Q_OBJECT
public:
    explicit DescentView(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView,
                         PlanModel& planModel, QWidget* parent = nullptr);
    QListView* list() { return list_; }
    QPushButton* followButton() { return follow_; }
    DescentModel* model() { return model_; }
    DescentChain* chain() { return chain_; }

    DescentSort sort() const { return sort_; }
    void setSort(DescentSort sort);
    unsigned facts() const { return facts_; }
    void setFacts(unsigned facts);
    /// Shows a folder's children below it, or puts them away again.
    void toggleOpened(NodeId folder);
    /// What is typed to find a name; empty when nothing is.
    QString typed() const { return typed_; }

signals:
    void contextRequested(const QPoint& global);
    void shapeChanged(); ///< sorting or facts were chosen anew

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void makeHead();
    void refresh();
    void showRows(std::vector<DescentRow> rows);
    void showFoot();
    void showSelection();
    void takeSelection();
    void showHover();
    void open(const QModelIndex& index);
    bool keyPressed(QKeyEvent* event);
    void type(const QString& text);
    void endTyping();

    PlaceStore& places_;
    TreeUpdater& trees_;
    Cursor& cursor_;
    PlaceView& placeView_;
    PlanModel& planModel_;
    DescentChain* chain_;
    DescentModel* model_;
    QListView* list_;
    QPushButton* sortButton_;
    QPushButton* factsButton_;
    QLabel* typing_;
    QFrame* callout_;
    QLabel* calloutText_;
    QLabel* passed_;
    QPushButton* follow_;
    QTimer typingEnd_;
    QString typed_;
    DescentSort sort_ = DescentSort::Size;
    unsigned facts_ = 0;
    DescentWish wish_;
    unsigned request_ = 0;
    int hoverRow_ = -1;
    std::uint64_t shownPlace_ = 0;
    bool keepScroll_ = false;
    bool following_ = false; ///< the list changes because the session did
};

} // namespace kurvo::app
