// SPDX-License-Identifier: GPL-3.0-or-later
// Explore: descent, picture and dossier side by side, over one focus and one selection.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QStackedWidget>
#include <QWidget>

#include "app/lists/descent_view.h"
#include "app/panels/dossier.h"
#include "app/panels/lead_panel.h"
#include "app/panels/side_panels.h"
#include "app/panels/trail.h"
#include "app/pictures/legend.h"
#include "app/pictures/picture_view.h"
#include "app/stages/explore/picture_bar.h"
#include "app/stages/explore/roles_view.h"
#include "app/stages/explore/types_view.h"

namespace kurvo::app {

class ExploreStage : public QWidget {
    Q_OBJECT
public:
    explicit ExploreStage(Models& models, QWidget* parent = nullptr);
    DescentView* descent() { return descent_; }
    PictureView* picture() { return picture_; }
    TypesView* types() { return types_; }
    RolesView* roles() { return roles_; }
    Trail* trail() { return trail_; }
    Dossier* dossier() { return dossier_; }
    Legend* legend() { return legend_; }
    LeadPanel* leads() { return leads_; }
    /// The leads stand where the dossier does.
    bool showsLeads() const { return right_->currentWidget() == leads_; }
    SidePanels* sides() { return sides_; }
    /// What F6 goes through.
    std::vector<QWidget*> panes();
    QPushButton* changedButton() { return changed_; }

signals:
    void scanRequested();
    void contextRequested(const QPoint& global);
    void notReadRequested();
    void rescanRequested();
    void takeAlongRequested(const QPoint& global);

private:
    void refresh();
    void refreshState();
    void chooseRight();

    Models& models_;
    QLabel* state_;
    QPushButton* notRead_;
    QPushButton* changed_;
    QStackedWidget* stack_;
    DescentView* descent_;
    QStackedWidget* pictures_;
    PictureView* picture_;
    QFrame* narrowed_; ///< said while only what was found is shown
    QLabel* narrowedBy_;
    TypesView* types_;
    RolesView* roles_;
    Legend* legend_;
    Dossier* dossier_;
    LeadPanel* leads_;
    QStackedWidget* right_; ///< the dossier; while nothing is selected at the root, what stands out
    SidePanels* sides_ = nullptr;
    Trail* trail_;
};

} // namespace kurvo::app
