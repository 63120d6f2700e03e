// SPDX-License-Identifier: GPL-3.0-or-later
// The window: gauge, rail, the current stage, pointer line. It wires them and holds the actions; it shows nothing
// itself.
#pragma once

#include <QFileSystemWatcher>
#include <QMainWindow>
#include <QMenu>
#include <QSessionManager>

#include "app/dialogs/ledger_dialog.h"
#include "app/dialogs/not_read_dialog.h"
#include "app/model/view_memory.h"
#include "app/panels/preview_panel.h"
#include "app/panels/side_panels.h"
#include "app/services/settings.h"
#include "app/shell/commands.h"
#include "app/shell/gauge.h"
#include "app/shell/instance.h"
#include "app/shell/notice_bar.h"
#include "app/shell/pointer_line.h"
#include "app/shell/rail.h"
#include "app/shell/stage_stack.h"
#include "app/shell/tour.h"
#include "app/stages/clear/clear_stage.h"
#include "app/stages/compare/compare_stage.h"
#include "app/stages/explore/explore_stage.h"
#include "app/stages/find/find_stage.h"
#include "app/stages/scan/scan_stage.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {

class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    explicit MainWindow(AppFolders folders);
    ~MainWindow() override;

    Models& models() { return models_; }
    void setStage(Stage stage);
    Stage stage() const;
    ScanStage* scanStage() { return scan_; }
    ExploreStage* exploreStage() { return explore_; }
    FindStage* findStage() { return find_; }
    CompareStage* compareStage() { return compare_; }
    ClearStage* clearStage() { return clear_; }
    PreviewPanel* preview() { return preview_; }
    ThemeControl& themeControl() { return theme_; }
    /// Makes the demo's data where it is missing, in the background.
    void prepareDemo();
    /// What a start asks for: paths to scan or to open, or an action of the launcher.
    void open(const StartRequest& request);
    void bringToFront(const QString& activationToken = {});
    /// What was looked at when the window was last closed, where that is wished for.
    void openLastPlace();

protected:
    void closeEvent(QCloseEvent* event) override;
    void changeEvent(QEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    void placeWidgets();
    void wireStages();
    void wireModels();
    void wireDossiers();
    void makeCommands();
    void makeScanCommands(QMenu* menu);
    void makeGoCommands(QMenu* menu);
    void makeItemCommands(QMenu* menu);
    void makePlanCommands(QMenu* menu);
    void makePictureCommands(QMenu* menu);
    void makeViewCommands(QMenu* menu);
    void makeHelpCommands(QMenu* menu);
    void refreshCommands() { commands_.refresh(); }
    bool isExploring() const;
    bool hasItem() const;
    bool hasFolder() const;
    bool isPlannable() const;
    void sayInTitle();
    void startTour();
    void goToPane(int by);
    void showContextMenuByKey();
    void closeCurrentPlace();
    SidePanels* sidesOf(Stage stage) const;
    std::vector<QWidget*> panes() const;
    bool hasPlan() const;
    bool isLive() const;
    void selectLargest(bool hidden);
    void showLeads();
    /// The next step of a lead that another part of the window has.
    void takeLeadStep(const QString& kind);
    void restoreSettings();
    void rememberView() { views_.remember(models_.places); }
    void chooseTheme(ThemeChoice choice);
    void chooseUnits(SizeUnits units);
    void chooseMotion(bool still);
    void chooseThreshold(int percent);
    NodeId subject() const;
    std::vector<NodeId> subjects() const;
    bool isPlanned() const;
    void togglePlanned();
    void planSubjects(const Intent& intent);
    void askWhereToMove();
    void askToLiftGuard(NodeId node, const Intent& intent, const QString& reason);
    void fillMarkMenu();
    void showMarks();
    void sessionEnds(QSessionManager& session);
    void openKept(const QString& snapshot);
    QString savedIn();
    void showSupportReport();
    void savePicture();
    void copyPicture();
    void printPicture();
    void saveList();
    void savePage();
    void saveChanges();
    void askForFile(const QString& title, const QString& suggestion, const QStringList& kinds,
                    const std::function<void(const std::string&)>& save);
    void showTakeAlong(const QPoint& global);
    void askToEmptyTrash();
    void savePlan();
    void openPlan();
    void saveReport(std::int64_t run);
    void showRecovered(const QStringList& sentences, bool waiting);
    void showLedger();
    void makeUpkeepCommands(QMenu* menu);
    void wireTogether();
    void keepAsSet();
    void addToTogether();
    void showUpkeep();
    void makeRule();
    /// What is looked at, as a rule; nothing, with a word, where nothing of it can be one.
    std::optional<UpkeepRule> ruleOfWhatIsShown();
    /// Once: that earlier snapshots are let go, and where that is set.
    void tellOfKeeping(std::size_t count);
    void showNotRead();
    void watchFoldersInView();
    std::vector<std::string> helperCommand();
    void showContextMenu(const QPoint& global);
    void showKeys();

    Settings settings_;
    ViewMemory views_;
    ThemeControl theme_;
    Models models_;
    QMenu* menu_;
    Rail* rail_;
    Gauge* gauge_;
    NoticeBar* notice_;
    TourBar* tour_;
    bool closing_ = false; ///< asked for while a plan was carried out
    StageStack* stages_;
    ScanStage* scan_;
    ExploreStage* explore_;
    FindStage* find_;
    CompareStage* compare_;
    ClearStage* clear_;
    PointerLine* pointer_;
    PreviewPanel* preview_ = nullptr;
    Commands commands_{*this};
    // Those that are shown in several places.
    QAction *goInto_ = nullptr, *openInPlace_ = nullptr, *previewCommand_ = nullptr, *open_ = nullptr,
            *openWith_ = nullptr, *show_ = nullptr, *terminal_ = nullptr, *copy_ = nullptr, *rescanFolder_ = nullptr,
            *plan_ = nullptr, *planDelete_ = nullptr, *planMove_ = nullptr;
    std::vector<QAction*> takeAlong_;
    bool stillPictures_ = false;
    QMenu *markMenu_ = nullptr, *pictureMenu_ = nullptr;
    QAction *follow_ = nullptr, *closePlace_ = nullptr, *ledger_ = nullptr, *emptyTrash_ = nullptr;
    QFileSystemWatcher watcher_; ///< of the folders in view
    QTimer watchSoon_;
};

} // namespace kurvo::app
