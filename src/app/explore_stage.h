// SPDX-License-Identifier: GPL-3.0-or-later
// Explore: descent, picture and dossier side by side, over one focus and one selection.
#pragma once

#include <QElapsedTimer>
#include <QStackedWidget>
#include <QWidget>

#include "app/cut_label.h"
#include "app/descent_view.h"
#include "app/dossier.h"
#include "app/treemap_view.h"

namespace kurvo::app {

/// The families present in the focus folder with their sizes.
class Legend : public QWidget {
    Q_OBJECT
public:
    explicit Legend(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {200, 26}; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    void refresh();

    Session& session_;
    FamilyMix mix_;
    unsigned request_ = 0;
    QElapsedTimer age_; ///< since the mix was asked for
    NodeId shown_ = noNode;
};

class ExploreStage : public QWidget {
    Q_OBJECT
public:
    explicit ExploreStage(Session& session, QWidget* parent = nullptr);
    DescentView* descent() { return descent_; }
    TreemapView* treemap() { return treemap_; }
    Dossier* dossier() { return dossier_; }

signals:
    void scanRequested();
    void contextRequested(const QPoint& global);
    void notReadRequested();
    void rescanRequested();

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    void refresh();
    void refreshState();

    Session& session_;
    QLabel* measureLabel_ = nullptr;
    QLabel* state_;
    QPushButton* notRead_;
    QPushButton* changed_;
    QStackedWidget* stack_;
    DescentView* descent_;
    TreemapView* treemap_;
    Dossier* dossier_;
    CutLabel* trail_;
};

} // namespace kurvo::app
