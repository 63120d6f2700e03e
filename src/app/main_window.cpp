// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/main_window.h"

#include <QCloseEvent>
#include <QCoreApplication>
#include <QDir>
#include <QDragEnterEvent>
#include <QFile>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMessageBox>
#include <QMimeData>
#include <QVBoxLayout>

#include "app/async.h"
#include "app/empty_trash_dialog.h"
#include "app/item_actions.h"
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

} // namespace

MainWindow::MainWindow(AppFolders folders)
    : settings_(QString::fromStdString(folders.settings()), QSettings::IniFormat), session_(std::move(folders)),
      menu_(new QMenu(this)), rail_(new Rail(menu_)), gauge_(new Gauge(session_)), notice_(new NoticeBar),
      stages_(new QStackedWidget), scan_(new ScanStage(session_, settings_)), explore_(new ExploreStage(session_)),
      clear_(new ClearStage(session_)), pointer_(new PointerLine(session_))
{
    setWindowTitle(session_.folders().demo ? tr("Kurvo – demo") : tr("Kurvo"));
    setWindowIcon(applicationIcon(128));
    setMinimumSize(1000, 600);
    resize(1280, 800);
    setAcceptDrops(true);

    stages_->addWidget(scan_);
    stages_->addWidget(explore_);
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

    makeActions();
    connect(rail_, &Rail::stageChosen, this, &MainWindow::setStage);
    connect(explore_, &ExploreStage::scanRequested, this, [this] { setStage(Stage::Scan); });
    connect(explore_, &ExploreStage::contextRequested, this, &MainWindow::showContextMenu);
    connect(explore_, &ExploreStage::notReadRequested, this, &MainWindow::showNotRead);
    connect(explore_, &ExploreStage::rescanRequested, this, [this] { session_.rescanChanged(); });
    connect(scan_, &ScanStage::exploreRequested, this, [this] { setStage(Stage::Explore); });
    connect(gauge_, &Gauge::ledgerRequested, this, &MainWindow::showLedger);
    connect(&session_, &Session::terminalNeeded, this, [this](const QString&) { showNotRead(); });
    connect(&session_, &Session::rightsChanged, this, &MainWindow::updateActions);
    session_.setHelperCommand(helperCommand());
    connect(clear_, &ClearStage::exploreRequested, this, [this] { setStage(Stage::Explore); });
    connect(clear_, &ClearStage::emptyTrashRequested, this, &MainWindow::askToEmptyTrash);
    connect(gauge_, &Gauge::emptyTrashRequested, this, &MainWindow::askToEmptyTrash);
    connect(&session_, &Session::message, notice_, &NoticeBar::show);
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
          &Session::planChanged, &Session::planJobChanged, &Session::scansChanged})
        connect(&session_, signal, this, &MainWindow::updateActions);
    connect(&theme_, &ThemeControl::changed, this, [this] {
        session_.hoverChanged();
        for (auto* widget : findChildren<QWidget*>())
            widget->update();
    });
    const auto press = [](QPushButton* button, QAction* action) {
        QObject::connect(button, &QPushButton::clicked, action, &QAction::trigger);
    };
    press(explore_->dossier()->planButton(), plan_);
    press(explore_->dossier()->openButton(), open_);
    press(explore_->dossier()->showButton(), show_);
    press(explore_->dossier()->copyButton(), copy_);
    setStage(Stage::Scan);
    restoreSettings();
    updateActions();
}

MainWindow::~MainWindow() = default;

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
    if (stage == Stage::Clear)
        clear_->list()->setFocus();
    updateActions();
}

Stage MainWindow::stage() const
{
    return static_cast<Stage>(stages_->currentIndex());
}

NodeId MainWindow::subject() const
{
    const auto* place = session_.place();
    if (!place)
        return noNode;
    return place->selection != noNode ? place->selection : place->focus;
}

void MainWindow::togglePlanned()
{
    const auto node = subject();
    if (node == noNode)
        return;
    if (session_.place()->plan.has(node))
        session_.unplan(node);
    else
        session_.planTrash(node);
}

void MainWindow::askToEmptyTrash()
{
    if (!session_.place() || session_.planJob())
        return;
    session_.listTrash([this](std::vector<TrashedItem> items, std::uint64_t bytes) {
        if (!session_.place())
            return;
        auto* dialog = new EmptyTrashDialog(*session_.place(), std::move(items), bytes, this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        connect(dialog, &QDialog::accepted, this, [this, dialog] { session_.emptyTrash(dialog->chosen()); });
        dialog->open();
    });
}

void MainWindow::showLedger()
{
    const auto* place = session_.place();
    if (!place || place->isGrowing())
        return;
    if (place->fromSnapshot)
        return session_.say(tr("A ledger needs the drive itself. This is a snapshot from a file."));
    auto* dialog = new LedgerDialog(session_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &LedgerDialog::notReadRequested, this, &MainWindow::showNotRead);
    dialog->show();
}

void MainWindow::showNotRead()
{
    if (!session_.place())
        return;
    auto* dialog = findChild<NotReadDialog*>();
    if (!dialog) {
        dialog = new NotReadDialog(session_, this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
    }
    dialog->show();
    dialog->raise();
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
    session_.setMeasure(static_cast<Measure>(std::clamp(settings_.value("explore/measure", 0).toInt(), 0, 2)));
}

void MainWindow::resizeEvent(QResizeEvent* event)
{
    QMainWindow::resizeEvent(event);
    notice_->placeAbove(QRect(rail_->width(), 0, width() - rail_->width(), height() - pointer_->height()));
}

void MainWindow::closeEvent(QCloseEvent* event)
{
    if (const auto* job = session_.planJob(); job && job->kind != PlanJob::Kind::Check) {
        session_.stopPlanJob();
        session_.say(tr("The plan is being carried out. It stops after this item; then the window can be closed."),
                     Severity::Warning);
        event->ignore();
        return;
    }
    std::size_t planned = 0;
    for (const auto& place : session_.places())
        planned += place->plan.items().size();
    if (planned > 0) {
        QMessageBox ask(QMessageBox::NoIcon, tr("Close Kurvo"),
                        tr("%1 planned and not carried out. The plan is not kept.").arg(itemsText(planned, "item")),
                        QMessageBox::NoButton, this);
        auto* stay = ask.addButton(tr("Stay"), QMessageBox::RejectRole);
        auto* leave = ask.addButton(tr("Close without it"), QMessageBox::AcceptRole);
        ask.setDefaultButton(stay);
        ask.exec();
        if (ask.clickedButton() != leave) {
            event->ignore();
            return;
        }
    }
    settings_.setValue("window/geometry", saveGeometry());
    settings_.setValue("explore/measure", static_cast<int>(session_.measure()));
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
