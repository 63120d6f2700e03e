// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/main_window.h"

#include <QAbstractButton>
#include <QAbstractScrollArea>
#include <QApplication>
#include <QCloseEvent>
#include <QComboBox>
#include <QContextMenuEvent>
#include <QCoreApplication>
#include <QDialog>
#include <QDir>
#include <QDragEnterEvent>
#include <QFile>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMimeData>
#include <QProcess>
#include <QScreen>
#include <QScroller>
#include <QSessionManager>
#include <QStyle>
#include <QTimer>
#include <QVBoxLayout>

#include "app/lists/item_drag.h"
#include "app/pictures/legend.h"
#include "app/services/async.h"
#include "app/services/item_actions.h"
#include "app/services/listen.h"
#include "app/shell/away.h"
#include "app/shell/chronicle.h"
#include "app/style/mnemonics.h"
#include "app/style/words.h"
#include "demo/demo_data.h"

namespace kurvo::app {
namespace {

QFrame* line(QFrame::Shape shape)
{
    auto* frame = new QFrame;
    frame->setFrameShape(QFrame::NoFrame);
    if (shape == QFrame::HLine)
        frame->setFixedHeight(1);
    else
        frame->setFixedWidth(1);
    frame->setBackgroundRole(QPalette::Mid);
    frame->setAutoFillBackground(true);
    return frame;
}

AppFolders withPractice(AppFolders folders)
{
    if (folders.demo)
        folders.practice = demo::demoFolders(folders.data).practice;
    return folders;
}

} // namespace

MainWindow::MainWindow(AppFolders folders)
    : settings_(folders.settings()), views_(settings_), models_(withPractice(std::move(folders))),
      menu_(new QMenu(this)), rail_(new Rail(menu_)), gauge_(new Gauge(models_.places, models_.trees, models_.plan)),
      notice_(new NoticeBar), tour_(new TourBar), stages_(new StageStack),
      scan_(new ScanStage(models_.places, models_.scans, models_.snapshots, models_.folders, settings_)),
      explore_(new ExploreStage(models_)), find_(new FindStage(models_)),
      compare_(new CompareStage(models_, settings_)), clear_(new ClearStage(models_)),
      pointer_(new PointerLine(models_.places, models_.trees, models_.cursor, models_.view, models_.plan))
{
    setWindowIcon(applicationIcon(128));
    setMinimumSize(800, 560);
    resize(QSize(1280, 800).boundedTo(screen()->availableSize() * 0.95).expandedTo(minimumSize()));
    setAcceptDrops(true);
    placeWidgets();
    qApp->installEventFilter(this);
    makeCommands();
    wireStages();
    wireDossiers();
    wireModels();
    for (auto* area : findChildren<QAbstractScrollArea*>()) // a finger moves what it is on
        QScroller::grabGesture(area->viewport(), QScroller::TouchGesture);
    setStage(Stage::Scan);
    restoreSettings();
    theme_.laySheet();
    sayInTitle();
    refreshCommands();
    keepChronicle(this, models_);
    auto* away = new Away(*this, models_, new Desktop);
    connect(away, &Away::called, this, [this] { bringToFront(); });
    connect(qApp, &QGuiApplication::commitDataRequest, this, &MainWindow::sessionEnds, Qt::DirectConnection);
    models_.runner.recover(); // before anything else is carried out, and reads the logbook
}

void MainWindow::placeWidgets()
{
    stages_->addWidget(scan_);
    stages_->addWidget(explore_);
    stages_->addWidget(find_);
    stages_->addWidget(compare_);
    stages_->addWidget(clear_);
    auto* content = new QVBoxLayout;
    content->setSpacing(0);
    content->addWidget(tour_);
    content->addWidget(stages_, 1);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(0);
    middle->addWidget(rail_);
    middle->addWidget(line(QFrame::VLine));
    middle->addLayout(content, 1);
    auto* central = new QWidget;
    auto* layout = new QVBoxLayout(central);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(gauge_);
    layout->addWidget(line(QFrame::HLine));
    layout->addLayout(middle, 1);
    layout->addWidget(notice_);
    layout->addWidget(pointer_);
    connect(notice_, &NoticeBar::shownChanged, pointer_, [this](bool shown) { pointer_->setVisible(!shown); });
    setCentralWidget(central);
    preview_ = new PreviewPanel(models_.places, models_.cursor, central);
}

/// What the stages ask for, and what can be dragged.
void MainWindow::wireStages()
{
    connect(rail_, &Rail::stageChosen, this, &MainWindow::setStage);
    connect(tour_, &TourBar::left, this, [this] { settings_.set(setting::tourSeen, true); });
    connect(tour_, &TourBar::stageWanted, this, [this](Stage stage) {
        if (stage != Stage::Scan && !models_.places.place())
            scan_->startFirst(); // something to look at
        setStage(stage);
    });
    connect(scan_, &ScanStage::demoRequested, this, [this] {
        const bool started =
            QProcess::startDetached(QCoreApplication::applicationFilePath(), {QStringLiteral("--demo")});
        models_.notices.say(started ? tr("A second window opens with sample data. What you see there does not exist.")
                                    : tr("The window with sample data could not be started."),
                            started ? Severity::Info : Severity::Warning);
    });
    connect(explore_, &ExploreStage::scanRequested, this, [this] { setStage(Stage::Scan); });
    connect(explore_, &ExploreStage::contextRequested, this, &MainWindow::showContextMenu);
    connect(find_, &FindStage::scanRequested, this, [this] { setStage(Stage::Scan); });
    connect(find_, &FindStage::lightRequested, this, [this] {
        if (isTable(models_.places.view().picture))
            models_.view.setPicture(PictureKind::Treemap);
        setStage(Stage::Explore);
    });
    connect(find_, &FindStage::contextRequested, this, &MainWindow::showContextMenu);
    connect(find_, &FindStage::exploreRequested, this, [this] {
        if (const auto node = models_.places.place() ? models_.places.place()->selection : noNode; node != noNode) {
            models_.cursor.setFocus(models_.places.place()->tree->parent(node));
            models_.cursor.reveal(node);
            setStage(Stage::Explore);
        }
    });
    for (auto* leads : {explore_->leads(), find_->leads()})
        connect(leads, &LeadPanel::stepRequested, this, &MainWindow::takeLeadStep);
    connect(&models_.leads, &LeadFinder::leadsChanged, this, &MainWindow::refreshCommands);
    connect(&models_.leads, &LeadFinder::asideChanged, scan_, &ScanStage::tellOfAside);
    connect(explore_, &ExploreStage::takeAlongRequested, this, &MainWindow::showTakeAlong);
    connect(explore_, &ExploreStage::notReadRequested, this, &MainWindow::showNotRead);
    connect(explore_, &ExploreStage::rescanRequested, this, [this] { models_.scans.rescanChanged(); });
    wireTogether();
    connect(scan_, &ScanStage::exploreRequested, this, [this] { setStage(Stage::Explore); });
    connect(gauge_, &Gauge::ledgerRequested, this, &MainWindow::showLedger);
    connect(clear_, &ClearStage::exploreRequested, this, [this] { setStage(Stage::Explore); });
    connect(clear_, &ClearStage::emptyTrashRequested, this, &MainWindow::askToEmptyTrash);
    connect(clear_, &ClearStage::savePlanRequested, this, &MainWindow::savePlan);
    connect(clear_, &ClearStage::reportRequested, this, &MainWindow::saveReport);
    connect(find_, &FindStage::planRequested, this, [this] { setStage(Stage::Clear); });
    connect(compare_, &CompareStage::scanRequested, this, [this] { setStage(Stage::Scan); });
    connect(compare_, &CompareStage::contextRequested, this, &MainWindow::showContextMenu);
    connect(compare_, &CompareStage::saveRequested, this, &MainWindow::saveChanges);
    connect(&compare_->comparing(), &Comparing::selectionChanged, this, &MainWindow::refreshCommands);
    connect(rail_, &Rail::itemsDropped, this, [this] { planSubjects({}); });
    const auto paths = [this] {
        std::vector<std::string> files;
        constexpr std::size_t most = 1000;
        if (const auto* place = models_.places.place(); place && !place->fromSnapshot)
            for (const NodeId node : subjects())
                if (files.size() < most)
                    files.push_back(place->tree->path(node));
        return files;
    };
    ItemDrag::ofRows(explore_->descent()->list(), paths);
    ItemDrag::ofRows(find_->list(), paths);
    new ItemDrag(
        explore_->picture(),
        [this](const QPoint&) { return models_.places.place() && models_.places.place()->selection != noNode; }, paths);
    connect(gauge_, &Gauge::emptyTrashRequested, this, &MainWindow::askToEmptyTrash);
}

void MainWindow::wireDossiers()
{
    for (auto* dossier : {explore_->dossier(), find_->dossier(), compare_->dossier()}) {
        Commands::press(dossier->planButton(), plan_);
        Commands::showKey(dossier->planButton(), plan_);
        Commands::press(dossier->openButton(), open_);
        Commands::press(dossier->showButton(), show_);
        Commands::press(dossier->copyButton(), copy_);
        connect(dossier, &Dossier::noteRequested, this,
                [this] { askForNote(models_.places, models_.view, subjects(), this); });
        auto* more = new QMenu(dossier->moreButton());
        more->addActions({planDelete_, planMove_, openWith_, terminal_, rescanFolder_});
        dossier->moreButton()->setMenu(more);
    }
}

/// What the window itself shows of the models.
void MainWindow::wireModels()
{
    connect(&models_.rights, &RightsReader::terminalNeeded, this, [this](const QString&) { showNotRead(); });
    connect(&models_.rights, &RightsReader::rightsChanged, this, &MainWindow::refreshCommands);
    models_.rights.setHelperCommand(helperCommand());
    connect(&models_.logbook, &LogbookModel::historyChanged, this, &MainWindow::refreshCommands);
    connect(&models_.runner, &PlanRunner::recovered, this, &MainWindow::showRecovered);
    connect(&models_.plan, &PlanModel::guardAsked, this, &MainWindow::askToLiftGuard);
    connect(&models_.runner, &PlanRunner::planJobChanged, this, [this] {
        if (closing_ && !models_.runner.planJob())
            QTimer::singleShot(0, this, &QWidget::close); // what ended is told first
    });
    listen(this, &MainWindow::sayInTitle, models_.scans, &ScanJobs::scansChanged, models_.runner,
           &PlanRunner::planJobChanged, models_.places, &PlaceStore::placeChanged);
    connect(&models_.view, &PlaceView::marksChanged, this, &MainWindow::fillMarkMenu);
    connect(&models_.notices, &Notices::message, notice_, &NoticeBar::show);
    connect(&models_.snapshots, &SnapshotKeeper::snapshotsLetGo, this, &MainWindow::tellOfKeeping);
    connect(&models_.places, &PlaceStore::placeChanged, this, [this] {
        if (models_.places.place() && stage() == Stage::Scan && !models_.scans.runningScan())
            setStage(Stage::Explore);
    });
    connect(&models_.scans, &ScanJobs::scanEnded, this, [this](std::uint64_t, bool ok) {
        if (ok && models_.places.place() && stage() == Stage::Scan && !models_.scans.runningScan())
            setStage(Stage::Explore);
    });
    const auto countPlanned = [this] {
        rail_->setPlanned(models_.places.place() ? static_cast<int>(models_.places.place()->plan.items().size()) : 0);
    };
    listen(this, countPlanned, models_.plan, &PlanModel::planChanged, models_.places, &PlaceStore::placeChanged);
    listen(this, &MainWindow::refreshCommands, models_.places, &PlaceStore::placeChanged, models_.trees,
           &TreeUpdater::treeChanged, models_.cursor, &Cursor::focusChanged, models_.cursor, &Cursor::selectionChanged,
           models_.plan, &PlanModel::planChanged, models_.runner, &PlanRunner::planJobChanged, models_.scans,
           &ScanJobs::scansChanged, models_.view, &PlaceView::viewChanged, models_.places,
           &PlaceStore::changedFoldersChanged);
    connect(&theme_, &ThemeControl::changed, this, [this] {
        models_.cursor.tellAgain();
        models_.places.tellCapacity(); // figures in the accent colour
        models_.logbook.tellAgain();
        for (auto* widget : findChildren<QWidget*>())
            widget->update();
    });
    watchSoon_.setSingleShot(true);
    watchSoon_.setInterval(400);
    connect(&watchSoon_, &QTimer::timeout, this, &MainWindow::watchFoldersInView);
    listen(&watchSoon_, qOverload<>(&QTimer::start), models_.places, &PlaceStore::placeChanged, models_.cursor,
           &Cursor::focusChanged, models_.trees, &TreeUpdater::treeChanged);
    connect(&watcher_, &QFileSystemWatcher::directoryChanged, this,
            [this](const QString& path) { models_.places.noteChanged(QFile::encodeName(path).toStdString()); });
}

/// The views look at the models until they are gone, and those go before a window's children would.
MainWindow::~MainWindow()
{
    qApp->removeEventFilter(this);
    hide();
    delete centralWidget();
}

void MainWindow::setStage(Stage stage)
{
    if (stage != this->stage())
        notice_->dropGoodNews();
    stages_->setCurrentIndex(static_cast<int>(stage));
    rail_->setStage(stage);
    tour_->follow(stage);
    // Keys should work at once, without a click first.
    if (stage == Stage::Scan)
        scan_->focusFirst();
    if (stage == Stage::Explore)
        explore_->descent()->list()->setFocus();
    if (stage == Stage::Find)
        find_->focusFirst();
    if (stage == Stage::Compare)
        compare_->list()->setFocus();
    if (stage == Stage::Clear)
        clear_->list()->setFocus();
    refreshCommands();
}

/// Nothing that has the focus had a use for it: Escape closes a warning, which does not go by itself.
void MainWindow::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Escape && notice_->warns())
        notice_->hide();
    else
        QMainWindow::keyPressEvent(event);
}

Stage MainWindow::stage() const
{
    return static_cast<Stage>(stages_->currentIndex());
}

/// Space presses the button that has the focus; only elsewhere it is a preview. Escape closes the preview first.
bool MainWindow::eventFilter(QObject* watched, QEvent* event)
{
    if (event->type() == QEvent::ShortcutOverride) {
        const auto* key = static_cast<QKeyEvent*>(event);
        const auto* focus = QApplication::focusWidget();
        if (key->key() == Qt::Key_Space && key->modifiers() == Qt::NoModifier &&
            (qobject_cast<const QAbstractButton*>(focus) || qobject_cast<const QComboBox*>(focus) ||
             qobject_cast<const Legend*>(focus)))
            event->accept();
    } else if (event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape &&
               isActiveWindow() && !QApplication::activePopupWidget() && preview_->isVisible()) {
        preview_->toggle();
        return true;
    } else if (event->type() == QEvent::Show || event->type() == QEvent::Hide) {
        const bool comes = event->type() == QEvent::Show;
        if (auto* menu = qobject_cast<QMenu*>(watched))
            comes ? giveMnemonics(*menu) : takeMnemonics(*menu);
        else if (auto* dialog = qobject_cast<QDialog*>(watched); dialog && comes)
            giveMnemonics(*dialog);
    } else if (event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Alt) {
        if (auto* dialog = qobject_cast<QDialog*>(watched)) // some words have changed since it came
            giveMnemonics(*dialog);
    } else if (event->type() == QEvent::ContextMenu && (watched == explore_->legend() || watched == gauge_->bar())) {
        const auto at = static_cast<QContextMenuEvent*>(event)->globalPos();
        if (watched == explore_->legend()) {
            pictureMenu_->popup(at);
        } else {
            auto* menu = new QMenu(this);
            menu->setAttribute(Qt::WA_DeleteOnClose);
            menu->addActions({ledger_, emptyTrash_, closePlace_});
            menu->popup(at);
        }
        return true;
    }
    return QMainWindow::eventFilter(watched, event);
}

NodeId MainWindow::subject() const
{
    const auto* place = models_.places.place();
    if (!place)
        return noNode;
    if (stage() == Stage::Compare) // what is gone cannot be acted on
        return compare_->comparing().openNode(compare_->comparing().selection());
    return place->selection != noNode ? place->selection : place->focus;
}

/// All that an action is for: what is selected, else the focus folder.
std::vector<NodeId> MainWindow::subjects() const
{
    const auto* place = models_.places.place();
    if (!place)
        return {};
    if (stage() == Stage::Compare)
        return subject() == noNode ? std::vector<NodeId>() : std::vector<NodeId>{subject()};
    return place->selection != noNode ? place->selected() : std::vector<NodeId>{place->focus};
}

bool MainWindow::isPlanned() const
{
    const auto nodes = subjects();
    return !nodes.empty() && std::all_of(nodes.begin(), nodes.end(),
                                         [this](NodeId node) { return models_.places.place()->plan.has(node); });
}

void MainWindow::chooseMotion(bool still)
{
    settings_.set(setting::stillPictures, still);
    stillPictures_ = still;
    commands_.refresh();
    explore_->picture()->setMotion(!still && style()->styleHint(QStyle::SH_Widget_Animation_Duration) != 0);
}

void MainWindow::chooseThreshold(int percent)
{
    models_.cursor.setWeightThreshold(percent / 100.0);
    settings_.set(setting::weightThreshold, percent);
    commands_.refresh();
}

/// The focus folder and the largest folders in it, for a start: what one looks at is what one changes.
void MainWindow::watchFoldersInView()
{
    if (!watcher_.directories().isEmpty())
        watcher_.removePaths(watcher_.directories());
    const auto* place = models_.places.place();
    // Watching asks the disk, on this thread: only one that answers at once, and that can be watched at all.
    if (!place || place->fromSnapshot || place->isGrowing() || mayHang(place->info.filesystem))
        return;
    constexpr std::size_t most = 40;
    std::vector<std::string> paths{place->tree->path(place->focus)};
    for (const NodeId child : place->tree->sortedChildren(place->focus, models_.places.measure())) {
        if (paths.size() == most)
            break;
        if (place->tree->isFolder(child) && (place->tree->store().flags(child) & (FlagDoor | FlagUnreadable)) == 0)
            paths.push_back(place->tree->path(child));
    }
    QStringList names;
    for (const auto& path : paths)
        names << QFile::decodeName(path.c_str());
    watcher_.addPaths(names);
}

/// What starts the helper with administrator rights; a setting, so that another way of asking can be put in.
std::vector<std::string> MainWindow::helperCommand()
{
    std::vector<std::string> command;
    for (const auto& word : settings_.of(setting::helperCommand))
        command.push_back(QFile::encodeName(word).toStdString());
    if (!command.empty())
        return command;
    QString program = QStringLiteral("/usr/bin/kurvoctl");
    const QDir here(QCoreApplication::applicationDirPath());
    for (const auto* beside : {"kurvoctl", "../cli/kurvoctl"}) // installed, and as built
        if (const QFileInfo file(here.filePath(QString::fromLatin1(beside))); file.isExecutable()) {
            program = file.canonicalFilePath();
            break;
        }
    return {"pkexec", QFile::encodeName(program).toStdString(), "helper"};
}

void MainWindow::prepareDemo()
{
    const auto onStep = [this](const std::string& step) {
        QMetaObject::invokeMethod(this, [this, step] {
            models_.notices.say(tr("%1. This is done once.").arg(QString::fromStdString(step)));
        });
    };
    runAsync(
        this, [data = models_.folders.data, onStep] { return demo::prepareDemoData(data, {}, onStep); },
        [this](const Result<Done>& made) {
            if (made)
                notice_->dropGoodNews();
            else
                models_.notices.say(QString::fromStdString(made.error().sentence), Severity::Problem);
            scan_->reload();
            // Who has begun meanwhile is not called back.
            const bool begun =
                stage() != Stage::Scan || !models_.places.places().empty() || models_.scans.runningScan();
            if (made && !begun && !settings_.of(setting::tourSeen))
                startTour();
        });
}

void MainWindow::restoreSettings()
{
    connect(&settings_, &Settings::fellBack, &models_.notices,
            [this](const QString& sentence) { models_.notices.say(sentence, Severity::Warning); });
    if (const auto geometry = settings_.of(setting::geometry); !geometry.isEmpty() && !restoreGeometry(geometry))
        settings_.refuse(setting::geometry.key);
    theme_.setMoreContrast(settings_.of(setting::moreContrast));
    chooseTheme(static_cast<ThemeChoice>(settings_.of(setting::theme)));
    chooseUnits(settings_.of(setting::decimalSizes) ? SizeUnits::Decimal : SizeUnits::Binary);
    chooseThreshold(settings_.of(setting::weightThreshold));
    chooseMotion(settings_.of(setting::stillPictures));
    models_.places.setLastView(views_.last());
    models_.places.setViewMemory([this](const std::string& place) { return views_.of(place); });
    listen(this, &MainWindow::rememberView, models_.view, &PlaceView::viewChanged, models_.view,
           &PlaceView::measureChanged);
    explore_->descent()->setSort(static_cast<DescentSort>(settings_.of(setting::descentSort)));
    explore_->descent()->setFacts(static_cast<unsigned>(settings_.of(setting::descentFacts)));
    connect(explore_->descent(), &DescentView::shapeChanged, this, [this] {
        settings_.set(setting::descentSort, static_cast<int>(explore_->descent()->sort()));
        settings_.set(setting::descentFacts, static_cast<int>(explore_->descent()->facts()));
    });
    find_->setKept(settings_.of(setting::keptFilters));
    connect(find_, &FindStage::keptChanged, this, [this] { settings_.set(setting::keptFilters, find_->kept()); });
    find_->setColumns(settings_.of(setting::findColumns));
    connect(find_, &FindStage::columnsChanged, this, [this] { settings_.set(setting::findColumns, find_->columns()); });
    find_->filter()->setHistory(settings_.of(setting::filterHistory));
    const std::pair<SidePanels*, const BytesSetting*> sides[] = {{explore_->sides(), &setting::exploreSides},
                                                                 {find_->sides(), &setting::findSides},
                                                                 {compare_->sides(), &setting::compareSides}};
    for (const auto& [panels, key] : sides) {
        if (const auto kept = settings_.of(*key); !kept.isEmpty() && !panels->restore(kept))
            settings_.refuse(key->key);
        connect(panels, &SidePanels::changed, this, [this, panels = panels, key = key] {
            settings_.set(*key, panels->kept());
            refreshCommands();
        });
    }
}

void MainWindow::changeEvent(QEvent* event)
{
    QMainWindow::changeEvent(event);
    if (event->type() != QEvent::ActivationChange || !isActiveWindow())
        return;
    models_.runner.lookAtTerminal(); // something may have been done in one
    models_.knowledge.refreshPackages();
}

/// The session is asked to wait for a run, and told why.
void MainWindow::sessionEnds(QSessionManager& session)
{
    const auto* job = models_.runner.planJob();
    if (!job || job->kind == PlanJob::Kind::Check)
        return;
    session.cancel();
    models_.notices.say(tr("The session was about to end while a plan is carried out. It goes on; end the session "
                           "again afterwards."),
                        Severity::Warning);
}

void MainWindow::closeEvent(QCloseEvent* event)
{
    if (const auto* job = models_.runner.planJob();
        job && (job->kind == PlanJob::Kind::CarryOut || job->kind == PlanJob::Kind::TakeBack)) {
        models_.runner.stopPlanJob();
        models_.runner.pausePlanJob(false);
        if (!std::exchange(closing_, true))
            models_.notices.say(
                tr("The plan is being carried out. It stops after this item; then the window closes by itself."),
                Severity::Warning);
        event->ignore();
        return;
    }
    models_.keeper.flushPlans();
    settings_.set(setting::geometry, saveGeometry());
    const auto* place = models_.places.place();
    settings_.set(setting::lastPlace,
                  place ? QString::fromLatin1(QByteArray::fromStdString(place->snapshotFile).toPercentEncoding())
                        : QString());
    find_->filter()->remember();
    settings_.set(setting::filterHistory, find_->filter()->history());
    views_.remember(models_.places);
    event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event)
{
    const auto urls = event->mimeData()->urls(); // a list of none is a list as well
    const bool own = event->mimeData()->hasFormat(QString::fromLatin1(draggedItems));
    if (!urls.isEmpty() && urls.first().isLocalFile() && !own)
        event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event)
{
    StartRequest dropped;
    for (const auto& url : event->mimeData()->urls())
        dropped.paths.push_back(QFile::encodeName(url.toLocalFile()).toStdString());
    open(dropped);
    setStage(Stage::Scan);
    event->acceptProposedAction();
}

} // namespace kurvo::app
