// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of one item, in the dossier: the rule's words at once, the evidence of this machine when it has come.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QWidget>

#include "app/model/place_store.h"
#include "app/services/knowledge.h"
#include "app/services/notices.h"

namespace kurvo::app {

class AdvicePanel : public QWidget {
    Q_OBJECT
public:
    explicit AdvicePanel(PlaceStore& places, Notices& notices, Knowledge& knowledge, QWidget* parent = nullptr);
    /// An item of the current place.
    void show(NodeId node);
    void clear();
    bool isSettled() const { return settled_; }

private:
    void fill(const Advice& advice, const std::optional<Protection>& protection);
    void askMachine(const Place& place, NodeId node);

    PlaceStore& places_;
    Notices& notices_;
    Knowledge& knowledge_;
    QLabel* level_;
    QLabel* text_;
    QLabel* command_;
    QPushButton* copy_;
    QWidget* commandRow_;
    QLabel* evidence_;
    unsigned request_ = 0;
    bool settled_ = true;
};

} // namespace kurvo::app
