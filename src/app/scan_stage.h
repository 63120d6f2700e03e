// SPDX-License-Identifier: GPL-3.0-or-later
// Scan: the drives to choose from, folders, earlier snapshots; and the scan that runs.
#pragma once

#include <QGridLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>
#include <QWidget>

#include <vector>

#include "app/drive_card.h"
#include "app/session.h"
#include "core/snapshot/catalogue.h"

namespace kurvo::app {

/// The scan that runs: how far it is, where it is, and Stop.
class ScanProgressCard : public QFrame {
    Q_OBJECT
public:
    explicit ScanProgressCard(Session& session, QWidget* parent = nullptr);

private:
    void refresh();

    Session& session_;
    QTimer timer_;
    QLabel* title_;
    QLabel* figures_;
    QProgressBar* bar_;
    QLabel* where_;
    QPushButton* stop_;
};

class ScanStage : public QWidget {
    Q_OBJECT
public:
    explicit ScanStage(Session& session, QWidget* parent = nullptr);

    /// Reads drives and catalogue again, off the interface thread.
    void reload();
    void chooseFolder();
    void openSnapshotFile();
    void scanHome();
    /// Puts the keyboard on the first card, now or as soon as there is one.
    void focusFirst();
    const std::vector<DriveCard*>& cards() const { return cards_; }

signals:
    void loaded();

protected:
    void showEvent(QShowEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    struct Found {
        std::vector<Drive> drives;
        std::string problem;
        Catalogue catalogue;
        bool practice = false; ///< the demo's practice folder is there
    };
    void show(const Found& found);
    void showCards(const Found& found);
    void showSnapshots(const Catalogue& catalogue);
    void placeCards();
    void start(const CardFacts& facts);
    void startTicked();
    void updateStartButton();

    Session& session_;
    QGridLayout* grid_;
    QLabel* cardsNote_;
    std::vector<DriveCard*> cards_;
    QPushButton* start_;
    QVBoxLayout* earlier_;
    QLabel* earlierNote_;
    int columns_ = 2;
    bool wantsFocus_ = false;
};

} // namespace kurvo::app
