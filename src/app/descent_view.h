// SPDX-License-Identifier: GPL-3.0-or-later
// The descent: the chain of parents on top, the children of the focus folder below, largest first. What is small is
// gathered into one row that can be opened.
#pragma once

#include <QAbstractListModel>
#include <QLabel>
#include <QListView>
#include <QPushButton>
#include <QWidget>

#include <vector>

#include "app/session.h"

namespace kurvo::app {

class DescentModel : public QAbstractListModel {
    Q_OBJECT
public:
    enum Role { NodeRole = Qt::UserRole, RestCountRole, SizeRole };

    explicit DescentModel(QObject* parent = nullptr) : QAbstractListModel(parent) { }
    void show(const Place* place, Measure measure, bool withRest);
    int rowCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;

    NodeId nodeAt(int row) const; ///< noNode for the row of the rest
    int rowOf(NodeId node) const;
    bool isRest(int row) const { return restCount_ > 0 && row == static_cast<int>(shown_); }
    std::uint64_t largest() const { return largest_; }
    std::uint64_t restSize() const { return restSize_; }

private:
    std::shared_ptr<const FileTree> tree_;
    Measure measure_ = Measure::Disk;
    std::vector<NodeId> children_;
    std::size_t shown_ = 0;
    std::size_t restCount_ = 0;
    std::uint64_t restSize_ = 0;
    std::uint64_t largest_ = 0;
};

/// The chain of parents: each a step one can click.
class DescentChain : public QWidget {
    Q_OBJECT
public:
    explicit DescentChain(Session& session, QWidget* parent = nullptr);
    void refresh();
    QSize sizeHint() const override;
    /// Where the step of `folder` is drawn.
    QRect stepOf(NodeId folder) const;

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
    Session& session_;
    std::vector<Step> steps_;
    int hovered_ = -1;
};

class DescentView : public QWidget {
    Q_OBJECT
public:
    explicit DescentView(Session& session, QWidget* parent = nullptr);
    QListView* list() { return list_; }
    DescentChain* chain() { return chain_; }

signals:
    void contextRequested(const QPoint& global);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void refresh(bool withRest);
    void refreshAgain() { refresh(withRest_); }
    void showSelection();
    void showHover();
    void open(const QModelIndex& index);

    Session& session_;
    DescentChain* chain_;
    DescentModel* model_;
    QListView* list_;
    QFrame* callout_;
    QLabel* calloutText_;
    QPushButton* follow_;
    int hoverRow_ = -1;
    bool withRest_ = true;
    std::uint64_t shownPlace_ = 0;
    NodeId shownFocus_ = noNode;
    bool keepScroll_ = false;
    bool following_ = false; ///< the list changes because the session did
};

} // namespace kurvo::app
