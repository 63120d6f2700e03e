// SPDX-License-Identifier: GPL-3.0-or-later
// Compare: what changed between two scans of a place, and where that leads.
#pragma once

#include <QAction>
#include <QButtonGroup>
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QPushButton>
#include <QStackedWidget>
#include <QTimer>

#include "app/jobs/comparing.h"
#include "app/lists/change_rows.h"
#include "app/panels/dossier.h"
#include "app/panels/side_panels.h"
#include "app/pictures/change_picture.h"
#include "app/services/settings.h"
#include "app/stages/compare/change_query.h"
#include "app/stages/compare/use_curve.h"
#include "app/style/empty_page.h"

namespace kurvo::app {

class CompareStage : public QWidget {
    Q_OBJECT
public:
    CompareStage(Models& models, Settings& settings, QWidget* parent = nullptr);
    Comparing& comparing() { return comparing_; }
    UseCurve* curve() { return curve_; }
    QListView* list() { return list_; }
    ChangeModel* model() { return model_; }
    ChangePicture* picture() { return picture_; }
    Dossier* dossier() { return dossier_; }
    SidePanels* sides() { return sides_; }
    std::vector<QWidget*> panes() { return {curve_, list_, picture_, dossier_}; }
    QLineEdit* filter() { return filter_; }
    /// What the list shows: all changes, or those that match the filter; null where it shows something else.
    const ChangeLines& shownLines() const { return shownLines_; }

signals:
    void scanRequested();
    void contextRequested(const QPoint& global);
    void saveRequested();

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    QWidget* makeHead();
    void makePictureMenu();
    QWidget* makeBelow();
    QWidget* makeBar();
    void refresh();
    void refreshHead();
    void refreshExplanation();
    void refreshRows();
    void showRows(ChangeAnswer answer);
    void showSelection();
    void setMode(ChangeMode mode);
    void goInto(const QModelIndex& index);
    void askForFile();
    void showSnapshots();

    Models& models_;
    Settings& settings_;
    Comparing comparing_;
    QStackedWidget* stack_;
    EmptyPage* empty_;
    QPushButton* other_;
    QLabel* net_;
    QLabel* apart_;
    QLabel* forecast_;
    UseCurve* curve_;
    QLabel* explanation_;
    QLabel* chain_;
    QLabel* chainNet_;
    ChangeModel* model_;
    QListView* list_;
    ChangePicture* picture_;
    QLineEdit* filter_;
    QLabel* problem_;
    QLabel* pointed_;
    QPushButton* up_;
    QPushButton* curveButton_;
    QAction* compareWith_ = nullptr;
    QAction* save_;
    QButtonGroup* modes_;
    QPushButton* pictureMenu_;
    Dossier* dossier_;
    SidePanels* sides_ = nullptr;
    QTimer soon_; ///< after typing
    ChangeMode mode_ = ChangeMode::Folders;
    ChangeLines shownLines_;
    unsigned rowsRequest_ = 0;
    bool following_ = false; ///< the selection is being shown, not made
};

} // namespace kurvo::app
