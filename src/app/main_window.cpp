// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/main_window.h"

#include <QAbstractButton>
#include <QApplication>
#include <QCloseEvent>
#include <QComboBox>
#include <QCoreApplication>
#include <QDir>
#include <QDragEnterEvent>
#include <QFile>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMimeData>
#include <QStyle>
#include <QVBoxLayout>

#include "app/async.h"
#include "app/item_actions.h"
#include "app/item_drag.h"
#include "app/legend.h"
#include "app/words.h"
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

/// "picture-measure-colour-treemap depth-sunburst depth-areas", as numbers.
QString viewText(const ViewState& v)
{
    return QStringLiteral("%1-%2-%3-%4-%5-%6")
        .arg(static_cast<int>(v.picture))
        .arg(static_cast<int>(v.measure))
        .arg(static_cast<int>(v.colour))
        .arg(v.treemapDepth)
        .arg(v.sunburstDepth)
        .arg(v.areas ? 1 : 0);
}

std::optional<ViewState> viewFrom(const QString& text)
{
    const auto parts = text.split(QLatin1Char('-'));
    if (parts.size() != 6)
        return std::nullopt;
    const auto number = [&parts](qsizetype i, int least, int most) {
        return std::clamp(parts[i].toInt(), least, most);
    };
    ViewState v;
    v.picture = static_cast<PictureKind>(number(0, 0, 2));
    v.measure = static_cast<Measure>(number(1, 0, 2));
    v.colour = static_cast<ColourBy>(number(2, 0, static_cast<int>(colourSchemes) - 1));
    v.treemapDepth = number(3, 1, ViewState::allLevels);
    v.sunburstDepth = number(4, 1, ViewState::allLevels);
    v.areas = number(5, 0, 1) != 0;
    return v;
}

} // namespace

MainWindow::MainWindow(AppFolders folders)
    : settings_(QString::fromStdString(folders.settings()), QSettings::IniFormat), session_(std::move(folders)),
      menu_(new QMenu(this)), rail_(new Rail(menu_)), gauge_(new Gauge(session_)), notice_(new NoticeBar),
      stages_(new QStackedWidget), scan_(new ScanStage(session_, settings_)), explore_(new ExploreStage(session_)),
      find_(new FindStage(session_)), compare_(new CompareStage(session_, settings_)), clear_(new ClearStage(session_)),
      pointer_(new PointerLine(session_))
{
    setWindowTitle(session_.folders().demo ? tr("Kurvo – demo") : tr("Kurvo"));
    setWindowIcon(applicationIcon(128));
    setMinimumSize(1000, 600);
    resize(1280, 800);
    setAcceptDrops(true);

    stages_->addWidget(scan_);
    stages_->addWidget(explore_);
    stages_->addWidget(find_);
    stages_->addWidget(compare_);
    stages_->addWidget(clear_);
    auto* content = new QVBoxLayout;
    content->setSpacing(0);
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
    layout->addWidget(pointer_);
    setCentralWidget(central);
    notice_->setParent(central); // over the stage, so that no view jumps when something is said

    preview_ = new PreviewPanel(session_, central);
    qApp->installEventFilter(this);

    installAccessiblePictures();
    makeActions();
    session_.setViewMemory([this](const std::string& place) { return recallView(place); });
    for (const auto signal : {&Session::viewChanged, &Session::measureChanged})
        connect(&session_, signal, this, &MainWindow::rememberView);
    connect(rail_, &Rail::stageChosen, this, &MainWindow::setStage);
    connect(explore_, &ExploreStage::scanRequested, this, [this] { setStage(Stage::Scan); });
    connect(explore_, &ExploreStage::contextRequested, this, &MainWindow::showContextMenu);
    connect(find_, &FindStage::scanRequested, this, [this] { setStage(Stage::Scan); });
    connect(find_, &FindStage::lightRequested, this, [this] {
        if (session_.view().picture == PictureKind::Types)
            session_.setPicture(PictureKind::Treemap);
        setStage(Stage::Explore);
    });
    connect(find_, &FindStage::contextRequested, this, &MainWindow::showContextMenu);
    connect(find_, &FindStage::exploreRequested, this, [this] {
        if (const auto node = session_.place() ? session_.place()->selection : noNode; node != noNode) {
            session_.setFocus(session_.place()->tree->parent(node));
            session_.reveal(node);
            setStage(Stage::Explore);
        }
    });
    connect(explore_, &ExploreStage::takeAlongRequested, this, &MainWindow::showTakeAlong);
    connect(explore_, &ExploreStage::notReadRequested, this, &MainWindow::showNotRead);
    connect(explore_, &ExploreStage::rescanRequested, this, [this] { session_.rescanChanged(); });
    connect(scan_, &ScanStage::exploreRequested, this, [this] { setStage(Stage::Explore); });
    connect(gauge_, &Gauge::ledgerRequested, this, &MainWindow::showLedger);
    connect(&session_, &Session::terminalNeeded, this, [this](const QString&) { showNotRead(); });
    connect(&session_, &Session::rightsChanged, this, &MainWindow::updateActions);
    session_.setHelperCommand(helperCommand());
    connect(clear_, &ClearStage::exploreRequested, this, [this] { setStage(Stage::Explore); });
    connect(clear_, &ClearStage::emptyTrashRequested, this, &MainWindow::askToEmptyTrash);
    connect(clear_, &ClearStage::savePlanRequested, this, &MainWindow::savePlan);
    connect(clear_, &ClearStage::reportRequested, this, &MainWindow::saveReport);
    connect(find_, &FindStage::planRequested, this, [this] { setStage(Stage::Clear); });
    connect(compare_, &CompareStage::scanRequested, this, [this] { setStage(Stage::Scan); });
    connect(compare_, &CompareStage::contextRequested, this, &MainWindow::showContextMenu);
    connect(compare_, &CompareStage::saveRequested, this, &MainWindow::saveChanges);
    connect(&compare_->comparing(), &Comparing::selectionChanged, this, &MainWindow::updateActions);
    connect(rail_, &Rail::itemsDropped, this, [this] { planSubjects({}); });
    ItemDrag::ofRows(explore_->descent()->list());
    ItemDrag::ofRows(find_->list());
    new ItemDrag(explore_->picture(),
                 [this](const QPoint&) { return session_.place() && session_.place()->selection != noNode; });
    connect(&session_, &Session::historyChanged, this, &MainWindow::updateActions);
    connect(&session_, &Session::recovered, this, &MainWindow::showRecovered);
    connect(gauge_, &Gauge::emptyTrashRequested, this, &MainWindow::askToEmptyTrash);
    connect(&session_, &Session::guardAsked, this, &MainWindow::askToLiftGuard);
    connect(&session_, &Session::marksChanged, this, &MainWindow::fillMarkMenu);
    connect(&session_, &Session::message, notice_, &NoticeBar::show);
    connect(&session_, &Session::snapshotsLetGo, this, &MainWindow::tellOfKeeping);
    connect(&session_, &Session::placeChanged, this, [this] {
        if (session_.place() && stage() == Stage::Scan && !session_.runningScan())
            setStage(Stage::Explore);
    });
    connect(&session_, &Session::scanEnded, this, [this](std::uint64_t, bool ok) {
        if (ok && session_.place() && stage() == Stage::Scan && !session_.runningScan())
            setStage(Stage::Explore);
    });
    watchSoon_.setSingleShot(true);
    watchSoon_.setInterval(400);
    connect(&watchSoon_, &QTimer::timeout, this, &MainWindow::watchFoldersInView);
    for (const auto signal : {&Session::placeChanged, &Session::focusChanged, &Session::treeChanged})
        connect(&session_, signal, &watchSoon_, qOverload<>(&QTimer::start));
    connect(&watcher_, &QFileSystemWatcher::directoryChanged, this,
            [this](const QString& path) { session_.noteChanged(QFile::encodeName(path).toStdString()); });
    connect(&session_, &Session::planChanged, this, [this] {
        rail_->setPlanned(session_.place() ? static_cast<int>(session_.place()->plan.items().size()) : 0);
    });
    connect(&session_, &Session::placeChanged, this, [this] {
        rail_->setPlanned(session_.place() ? static_cast<int>(session_.place()->plan.items().size()) : 0);
    });
    for (const auto signal :
         {&Session::placeChanged, &Session::treeChanged, &Session::focusChanged, &Session::selectionChanged,
          &Session::planChanged, &Session::planJobChanged, &Session::scansChanged, &Session::viewChanged})
        connect(&session_, signal, this, &MainWindow::updateActions);
    connect(&theme_, &ThemeControl::changed, this, [this] {
        session_.hoverChanged();
        session_.capacityChanged(); // figures in the accent colour
        session_.historyChanged();
        for (auto* widget : findChildren<QWidget*>())
            widget->update();
    });
    const auto press = [](QPushButton* button, QAction* action) {
        QObject::connect(button, &QPushButton::clicked, action, &QAction::trigger);
    };
    for (auto* dossier : {explore_->dossier(), find_->dossier(), compare_->dossier()}) {
        press(dossier->planButton(), plan_);
        connect(dossier, &Dossier::noteRequested, this, [this] { askForNote(session_, subjects(), this); });
        press(dossier->openButton(), open_);
        press(dossier->showButton(), show_);
        press(dossier->copyButton(), copy_);
        auto* more = new QMenu(dossier->moreButton());
        more->addActions({planDelete_, planMove_, openWith_, terminal_, rescanFolder_});
        dossier->moreButton()->setMenu(more);
    }
    setStage(Stage::Scan);
    restoreSettings();
    updateActions();
    session_.recover(); // before anything else is carried out, and reads the logbook
}

/// The views look at the session until they are gone, and it goes before a window's children would.
MainWindow::~MainWindow()
{
    qApp->removeEventFilter(this);
    hide();
    delete takeCentralWidget();
}

void MainWindow::setStage(Stage stage)
{
    if (stage != this->stage())
        notice_->hideIfInfo();
    stages_->setCurrentIndex(static_cast<int>(stage));
    rail_->setStage(stage);
    // Keys should work at once, without a click first.
    if (stage == Stage::Scan)
        scan_->focusFirst();
    if (stage == Stage::Explore)
        explore_->descent()->list()->setFocus();
    if (stage == Stage::Find)
        find_->list()->setFocus();
    if (stage == Stage::Compare)
        compare_->list()->setFocus();
    if (stage == Stage::Clear)
        clear_->list()->setFocus();
    updateActions();
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
    } else if (event->type() == QEvent::KeyPress && preview_->isVisible() && isActiveWindow() &&
               static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
        preview_->toggle();
        return true;
    }
    return QMainWindow::eventFilter(watched, event);
}

NodeId MainWindow::subject() const
{
    const auto* place = session_.place();
    if (!place)
        return noNode;
    if (stage() == Stage::Compare) // what is gone cannot be acted on
        return compare_->comparing().openNode(compare_->comparing().selection());
    return place->selection != noNode ? place->selection : place->focus;
}

/// All that an action is for: what is selected, else the focus folder.
std::vector<NodeId> MainWindow::subjects() const
{
    const auto* place = session_.place();
    if (!place)
        return {};
    if (stage() == Stage::Compare)
        return subject() == noNode ? std::vector<NodeId>() : std::vector<NodeId>{subject()};
    return place->selection != noNode ? place->selected() : std::vector<NodeId>{place->focus};
}

bool MainWindow::isPlanned() const
{
    const auto nodes = subjects();
    return !nodes.empty() &&
           std::all_of(nodes.begin(), nodes.end(), [this](NodeId node) { return session_.place()->plan.has(node); });
}

void MainWindow::chooseMotion(bool still)
{
    settings_.setValue("window/stillPictures", still);
    stillPictures_->setChecked(still);
    explore_->picture()->setMotion(!still && style()->styleHint(QStyle::SH_Widget_Animation_Duration) != 0);
}

void MainWindow::chooseThreshold(int percent)
{
    session_.setWeightThreshold(percent / 100.0);
    settings_.setValue("explore/threshold", percent);
    for (auto* action : thresholdActions_)
        action->setChecked(action->data().toInt() == percent);
}

/// The focus folder and the largest folders in it, for a start: what one looks at is what one changes.
void MainWindow::watchFoldersInView()
{
    if (!watcher_.directories().isEmpty())
        watcher_.removePaths(watcher_.directories());
    const auto* place = session_.place();
    // Watching asks the disk, on this thread: only one that answers at once, and that can be watched at all.
    if (!place || place->fromSnapshot || place->isGrowing() || mayHang(place->info.filesystem))
        return;
    constexpr std::size_t most = 40;
    std::vector<std::string> paths{place->tree->path(place->focus)};
    for (const NodeId child : place->tree->sortedChildren(place->focus, session_.measure())) {
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
std::vector<std::string> MainWindow::helperCommand() const
{
    std::vector<std::string> command;
    for (const auto& word : settings_.value("helper/command").toStringList())
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
        QMetaObject::invokeMethod(
            this, [this, step] { session_.say(tr("%1. This is done once.").arg(QString::fromStdString(step))); });
    };
    runAsync(
        this, [data = session_.folders().data, onStep] { return demo::prepareDemoData(data, {}, onStep); },
        [this](const Result<Done>& made) {
            if (made)
                notice_->hideIfInfo();
            else
                session_.say(QString::fromStdString(made.error().sentence), Severity::Problem);
            scan_->reload();
        });
}

void MainWindow::restoreSettings()
{
    restoreGeometry(settings_.value("window/geometry").toByteArray());
    chooseTheme(static_cast<ThemeChoice>(std::clamp(settings_.value("window/theme", 0).toInt(), 0, 2)));
    chooseUnits(settings_.value("window/decimal", false).toBool() ? SizeUnits::Decimal : SizeUnits::Binary);
    session_.setLastView(viewFrom(settings_.value("explore/view").toString()).value_or(ViewState{}));
    chooseThreshold(settings_.value("explore/threshold", 80).toInt());
    chooseMotion(settings_.value("window/stillPictures", false).toBool());
    explore_->descent()->setSort(
        static_cast<DescentSort>(std::clamp(settings_.value("explore/descentSort", 0).toInt(), 0, 3)));
    find_->setKept(settings_.value("find/kept").toStringList());
    connect(find_, &FindStage::keptChanged, this, [this] { settings_.setValue("find/kept", find_->kept()); });
    find_->setColumns(settings_.value("find/columns").toByteArray());
    connect(find_, &FindStage::columnsChanged, this, [this] { settings_.setValue("find/columns", find_->columns()); });
    find_->filter()->setHistory(settings_.value("find/history").toStringList());
    explore_->descent()->setFacts(settings_.value("explore/descentFacts", 0).toUInt() & 15u);
    connect(explore_->descent(), &DescentView::shapeChanged, this, [this] {
        settings_.setValue("explore/descentSort", static_cast<int>(explore_->descent()->sort()));
        settings_.setValue("explore/descentFacts", explore_->descent()->facts());
    });
}

/// How the current place is looked at is kept for it, and for places that come new.
void MainWindow::rememberView()
{
    const auto text = viewText(session_.view());
    settings_.setValue("explore/view", text);
    if (const auto* place = session_.place()) {
        auto kept = settings_.value("explore/places").toStringList();
        const auto key = QString::fromUtf8(QByteArray::fromStdString(place->info.place).toPercentEncoding("/"));
        kept.removeIf([&key](const QString& line) { return line.section(QLatin1Char(' '), 1) == key; });
        constexpr qsizetype most = 60;
        kept.prepend(text + QLatin1Char(' ') + key);
        settings_.setValue("explore/places", QStringList(kept.mid(0, most)));
    }
}

std::optional<ViewState> MainWindow::recallView(const std::string& place) const
{
    const auto key = QString::fromUtf8(QByteArray::fromStdString(place).toPercentEncoding("/"));
    for (const auto& line : settings_.value("explore/places").toStringList())
        if (line.section(QLatin1Char(' '), 1) == key)
            return viewFrom(line.section(QLatin1Char(' '), 0, 0));
    return std::nullopt;
}

void MainWindow::resizeEvent(QResizeEvent* event)
{
    QMainWindow::resizeEvent(event);
    // Above the legend, which stays in view.
    constexpr int legend = 34;
    notice_->placeAbove(QRect(rail_->width(), 0, width() - rail_->width(), height() - pointer_->height() - legend));
}

void MainWindow::changeEvent(QEvent* event)
{
    QMainWindow::changeEvent(event);
    if (event->type() == QEvent::ActivationChange && isActiveWindow())
        session_.lookAtTerminal();
}

void MainWindow::closeEvent(QCloseEvent* event)
{
    if (const auto* job = session_.planJob();
        job && (job->kind == PlanJob::Kind::CarryOut || job->kind == PlanJob::Kind::TakeBack)) {
        session_.stopPlanJob();
        session_.pausePlanJob(false);
        session_.say(tr("The plan is being carried out. It stops after this item; then the window can be closed."),
                     Severity::Warning);
        event->ignore();
        return;
    }
    session_.flushPlans();
    settings_.setValue("window/geometry", saveGeometry());
    find_->filter()->remember();
    settings_.setValue("find/history", find_->filter()->history());
    rememberView();
    event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasUrls() && event->mimeData()->urls().first().isLocalFile())
        event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event)
{
    for (const auto& url : event->mimeData()->urls()) {
        const auto path = QFile::encodeName(url.toLocalFile()).toStdString();
        if (path.ends_with(snapshotSuffix))
            session_.openSnapshot(path);
        else
            scan_->scan(path);
    }
    setStage(Stage::Scan);
}

} // namespace kurvo::app
