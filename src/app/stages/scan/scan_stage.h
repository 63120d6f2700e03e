// SPDX-License-Identifier: GPL-3.0-or-later
// Scan: the drives to choose from, folders, earlier snapshots; and the scans that run.
#pragma once

#include <QCheckBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>
#include <QWidget>

#include <vector>

#include "app/jobs/card_words.h"
#include "app/jobs/scan_jobs.h"
#include "app/jobs/snapshot_keeper.h"
#include "app/model/place_store.h"
#include "app/services/app_folders.h"
#include "app/stages/scan/drive_card.h"
#include "app/stages/scan/earlier_list.h"
#include "app/stages/scan/scan_progress_card.h"
#include "core/platform/unique_fd.h"
#include "core/snapshot/catalogue.h"

namespace kurvo::app {

class ScanStage : public QWidget {
    Q_OBJECT
public:
    /// Leads were put aside or brought back.
    void tellOfAside() { words_.forget(); }
    ScanStage(PlaceStore& places, ScanJobs& scanJobs, SnapshotKeeper& snapshotKeeper, const AppFolders& folders,
              Settings& settings, QWidget* parent = nullptr);

    /// Reads drives and catalogue again, off the interface thread.
    void reload();
    void chooseFolder();
    /// A place on another machine, over SSH.
    void chooseMachine();
    void openSnapshotFile();
    void scanHome();
    /// Puts the keyboard on the first card, now or as soon as there is one.
    void focusFirst();
    QPushButton* chooseButton() { return choose_; }
    QPushButton* machineButton() { return machine_; }
    /// As if its card had been pressed.
    void startFirst();
    std::vector<QWidget*> panes() { return {drives_, side_}; }
    QPushButton* openButton() { return open_; }
    const std::vector<DriveCard*>& cards() const { return cards_; }
    /// Scans with the options chosen here, and remembers the place. All scans of folders start here.
    void scan(const std::string& path, const QString& name = {});
    /// The scan again, with the options it had.
    void scanAgain(const Place& place);

signals:
    void loaded();
    /// As one, once they are there.
    void togetherWanted(const std::vector<std::string>& places);
    /// The same with all that is in these sets.
    void setsWanted(const std::vector<kurvo::PlaceSet>& sets, const std::vector<std::string>& places);
    void renameSetWanted(const std::string& name, const QString& to);
    void removeSetWanted(const std::string& name);
    void exploreRequested();
    void demoRequested(); ///< a window with sample data

protected:
    void showEvent(QShowEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    QWidget* makeIntroduction();
    QFrame* introduction_ = nullptr;
    QWidget *drives_ = nullptr, *side_ = nullptr;
    struct Found {
        std::vector<Drive> drives;
        std::string problem;
        std::vector<Drive> folded; ///< mounts that are no drives
        Catalogue catalogue;
        std::vector<PlaceSet> sets;
        bool practice = false; ///< the demo's practice folder is there
    };
    void show(const Found& found);
    void showCards(const Found& found);
    void showGrowth();
    QWidget* makeDrives();
    QWidget* makeSide();
    QWidget* makeOptions();
    void showOptionsOf(const std::string& path);
    void showScans();
    void fillRecent();
    void keepRecent(std::uint64_t id);
    void watchMounts();
    void placeCards();
    void start(const CardFacts& facts);
    void showSetMenu(const DriveCard& card, const QPoint& at);
    void startTicked(bool together);
    void updateStartButton();

    PlaceStore& places_;
    ScanJobs& scanJobs_;
    SnapshotKeeper& snapshotKeeper_;
    const AppFolders& folders_;
    void askToSend(const RemoteAddress& address, bool rights);

    QPushButton *choose_ = nullptr, *open_ = nullptr, *machine_ = nullptr;
    Settings& settings_;
    CardWords words_;
    QGridLayout* grid_;
    QVBoxLayout* scans_;
    std::vector<ScanProgressCard*> scanCards_;
    QTimer progress_;
    QTimer mountsChanged_; ///< gathers what the kernel reports into one look
    UniqueFd mountTable_;
    QPushButton* showAll_;
    QPushButton* recent_;
    QCheckBox* crossMounts_;
    QCheckBox* withRights_;
    QLineEdit* leaveOut_;
    std::string optionsOf_; ///< the place whose globs are shown
    QLabel* cardsNote_;
    std::vector<DriveCard*> cards_;
    QPushButton* start_;
    QPushButton* together_;
    EarlierList* earlier_;
    int columns_ = 2;
    bool wantsFocus_ = false;
};

} // namespace kurvo::app
