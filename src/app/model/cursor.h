// SPDX-License-Identifier: GPL-3.0-or-later
// Where one is in the current place: the focus folder, what is selected, what is below the pointer, and the way back.
//
// Interface thread only.
#pragma once

#include <string>
#include <vector>

#include "app/model/tree_updater.h"

namespace kurvo::app {

class Cursor : public QObject {
    Q_OBJECT
public:
    Cursor(PlaceStore& places, TreeUpdater& trees, Notices& notices, QObject* parent = nullptr);

    void setFocus(NodeId folder);
    void goUp();
    void goBack();
    void goForward();
    bool canGoBack() const;
    bool canGoForward() const;
    void followTheWeight();
    /// What a child must hold of its parent to be followed into, 0.5 to 0.99.
    double weightThreshold() const { return weightThreshold_; }
    void setWeightThreshold(double threshold);
    /// Goes to a path as typed: a folder becomes the focus, a file is selected. False when it is not in this place.
    bool goTo(const std::string& path);
    void select(NodeId node);
    /// Several: `node` is the one that facts are shown of.
    void selectAll(NodeId node, std::vector<NodeId> others);
    /// Adds the node to what is selected, or takes it out.
    void toggleSelected(NodeId node);
    /// Selects the node and, where it does not lie below the focus, moves the focus to its folder.
    void reveal(NodeId node);
    void setHover(NodeId node);
    NodeId hover() const;
    /// How it is written has changed.
    void tellAgain() { emit hoverChanged(); }

signals:
    void focusChanged();
    void selectionChanged();
    void hoverChanged();

private:
    void moveFocus(NodeId folder);

    PlaceStore& places_;
    TreeUpdater& trees_;
    Notices& notices_;
    double weightThreshold_ = 0.8;
};

} // namespace kurvo::app
