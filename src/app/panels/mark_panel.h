// SPDX-License-Identifier: GPL-3.0-or-later
// The mark of what is selected, in the dossier: one button a kind, and the note.
#pragma once

#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QWidget>

#include "app/model/place_store.h"
#include "app/model/place_view.h"

namespace kurvo::app {

class MarkPanel : public QWidget {
    Q_OBJECT
public:
    explicit MarkPanel(PlaceStore& places, PlaceView& placeView, QWidget* parent = nullptr);
    /// Items of the current place; the first is the one whose mark is shown.
    void show(const std::vector<NodeId>& nodes);

signals:
    void noteRequested();

private:
    void makeButtons(const std::vector<MarkKind>& kinds);

    PlaceStore& places_;
    PlaceView& placeView_;
    QGridLayout* grid_;
    std::vector<QPushButton*> buttons_;
    std::vector<MarkKind> kinds_;
    QLabel* text_;
    QPushButton* note_;
    std::vector<NodeId> nodes_;
};

/// Asks for the note of these items.
void askForNote(PlaceStore& places, PlaceView& placeView, const std::vector<NodeId>& nodes, QWidget* parent);

} // namespace kurvo::app
