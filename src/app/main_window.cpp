// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/main_window.h"

#include <QAbstractButton>
#include <QApplication>
#include <QBuffer>
#include <QClipboard>
#include <QCloseEvent>
#include <QComboBox>
#include <QCoreApplication>
#include <QDir>
#include <QDragEnterEvent>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMessageBox>
#include <QMimeData>
#include <QPrintDialog>
#include <QPrinter>
#include <QStyle>
#include <QVBoxLayout>

#include "app/async.h"
#include "app/empty_trash_dialog.h"
#include "app/guard_dialog.h"
#include "app/item_actions.h"
#include "app/legend.h"
#include "app/marks_dialog.h"
#include "app/picture_export.h"
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

constexpr QSize sheetSize(1400, 990); ///< as wide as high as paper lies

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
      find_(new FindStage(session_)), clear_(new ClearStage(session_)), pointer_(new PointerLine(session_))
{
    setWindowTitle(session_.folders().demo ? tr("Kurvo – demo") : tr("Kurvo"));
    setWindowIcon(applicationIcon(128));
    setMinimumSize(1000, 600);
    resize(1280, 800);
    setAcceptDrops(true);

    stages_->addWidget(scan_);
    stages_->addWidget(explore_);
    stages_->addWidget(find_);
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
    connect(gauge_, &Gauge::emptyTrashRequested, this, &MainWindow::askToEmptyTrash);
    connect(&session_, &Session::guardAsked, this, &MainWindow::askToLiftGuard);
    connect(&session_, &Session::marksChanged, this, &MainWindow::fillMarkMenu);
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
          &Session::planChanged, &Session::planJobChanged, &Session::scansChanged, &Session::viewChanged})
        connect(&session_, signal, this, &MainWindow::updateActions);
    connect(&theme_, &ThemeControl::changed, this, [this] {
        session_.hoverChanged();
        for (auto* widget : findChildren<QWidget*>())
            widget->update();
    });
    const auto press = [](QPushButton* button, QAction* action) {
        QObject::connect(button, &QPushButton::clicked, action, &QAction::trigger);
    };
    for (auto* dossier : {explore_->dossier(), find_->dossier()}) {
        press(dossier->planButton(), plan_);
        connect(dossier, &Dossier::noteRequested, this, [this] { askForNote(session_, subjects(), this); });
        press(dossier->openButton(), open_);
        press(dossier->showButton(), show_);
        press(dossier->copyButton(), copy_);
        auto* more = new QMenu(dossier->moreButton());
        more->addActions({openWith_, terminal_, rescanFolder_});
        dossier->moreButton()->setMenu(more);
    }
    setStage(Stage::Scan);
    restoreSettings();
    updateActions();
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
    return place->selection != noNode ? place->selection : place->focus;
}

/// All that an action is for: what is selected, else the focus folder.
std::vector<NodeId> MainWindow::subjects() const
{
    const auto* place = session_.place();
    if (!place)
        return {};
    return place->selection != noNode ? place->selected() : std::vector<NodeId>{place->focus};
}

bool MainWindow::isPlanned() const
{
    const auto nodes = subjects();
    return !nodes.empty() &&
           std::all_of(nodes.begin(), nodes.end(), [this](NodeId node) { return session_.place()->plan.has(node); });
}

void MainWindow::askToLiftGuard(NodeId node, const QString& reason)
{
    const auto* place = session_.place();
    auto* dialog = new GuardDialog(toText(place->tree->path(node)), reason, session_.adviceFor(node), this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, node, store = place->tree->sharedStore()] {
        if (session_.place() && session_.place()->tree->sharedStore() == store)
            session_.planTrash(node, Guard::Lifted);
    });
    dialog->open();
}

void MainWindow::togglePlanned()
{
    const bool planned = isPlanned();
    const auto nodes = subjects();
    constexpr std::size_t most = 500;
    if (nodes.size() > most)
        return session_.say(tr("%1 are too many to plan one by one. Plan the folder that holds them.")
                                .arg(itemsText(nodes.size(), "item")),
                            Severity::Warning);
    if (!planned && nodes.size() > 1) {
        session_.planTrashAll(nodes); // the guard is lifted for one item at a time
        return;
    }
    for (const NodeId node : nodes)
        planned ? session_.unplan(node) : session_.planTrash(node);
}

/// Asks for a file name without holding up the window, and remembers the folder.
void MainWindow::askForFile(const QString& title, const QString& suggestion, const QStringList& kinds,
                            const std::function<void(const std::string&)>& save)
{
    auto* dialog = new QFileDialog(this, title, settings_.value("window/savedIn", QDir::homePath()).toString());
    dialog->setObjectName("saveDialog");
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setAcceptMode(QFileDialog::AcceptSave);
    dialog->setNameFilters(kinds);
    dialog->setDefaultSuffix(kinds.first().section(QLatin1String("*."), 1).section(QLatin1Char(')'), 0, 0));
    dialog->selectFile(suggestion);
    connect(dialog, &QFileDialog::filterSelected, dialog, [dialog](const QString& kind) {
        dialog->setDefaultSuffix(kind.section(QLatin1String("*."), 1).section(QLatin1Char(')'), 0, 0));
    });
    connect(dialog, &QFileDialog::fileSelected, this, [this, save](const QString& file) {
        settings_.setValue("window/savedIn", QFileInfo(file).path());
        save(QFile::encodeName(file).toStdString());
    });
    dialog->open();
}

void MainWindow::savePicture()
{
    const auto* place = session_.place();
    if (!place)
        return;
    const auto name = toText(place->tree->label(place->focus)).replace(QLatin1Char('/'), QLatin1Char('_'));
    askForFile(tr("Save the picture"),
               QStringLiteral("%1.png").arg(name == QLatin1String("_") ? toText(place->info.host) : name),
               {tr("PNG picture (*.png)"), tr("SVG drawing (*.svg)")}, [this](const std::string& file) {
                   const auto* open = session_.place();
                   if (!open)
                       return;
                   if (file.ends_with(".svg"))
                       return saveBytes(session_, file, sheetSvg(*open, *explore_->legend(), sheetSize));
                   QByteArray bytes;
                   QBuffer buffer(&bytes);
                   buffer.open(QIODevice::WriteOnly);
                   sheetImage(*open, *explore_->legend(), sheetSize).save(&buffer, "PNG");
                   saveBytes(session_, file, bytes);
               });
}

void MainWindow::copyPicture()
{
    if (const auto* place = session_.place()) {
        QGuiApplication::clipboard()->setImage(sheetImage(*place, *explore_->legend(), sheetSize));
        session_.say(tr("The picture is in the clipboard."));
    }
}

void MainWindow::printPicture()
{
    if (!session_.place())
        return;
    auto* dialog = new QPrintDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, qOverload<QPrinter*>(&QPrintDialog::accepted), this, [this](QPrinter* printer) {
        const auto* open = session_.place();
        if (!open)
            return;
        printer->setPageOrientation(QPageLayout::Landscape);
        QPainter painter;
        if (!painter.begin(printer))
            return session_.say(tr("The printer did not take the picture."), Severity::Problem);
        const auto page = printer->pageLayout().paintRectPixels(printer->resolution());
        const double scale = std::min(page.width() / static_cast<double>(sheetSize.width()),
                                      page.height() / static_cast<double>(sheetSize.height()));
        painter.scale(scale, scale);
        paintSheet(painter, QRectF(QPointF(), sheetSize), *open, *explore_->legend());
        if (!painter.end())
            session_.say(tr("The printer did not take the picture."), Severity::Problem);
    });
    dialog->open();
}

void MainWindow::saveList()
{
    const auto* place = session_.place();
    if (!place)
        return;
    const auto name = toText(place->tree->label(place->focus)).replace(QLatin1Char('/'), QLatin1Char('_'));
    askForFile(tr("Save the list"),
               QStringLiteral("%1.csv").arg(name == QLatin1String("_") ? toText(place->info.host) : name),
               {tr("CSV table (*.csv)")}, [this, found = stage() == Stage::Find](const std::string& file) {
                   const auto* open = session_.place();
                   if (!open)
                       return;
                   runAsync(
                       this,
                       [tree = open->tree, focus = open->focus, measure = session_.measure(), found,
                        files = find_->model()->files()] {
                           return listCsv(*tree, found ? files : tree->sortedChildren(focus, measure));
                       },
                       [this, file](const QByteArray& bytes) { saveBytes(session_, file, bytes); });
               });
}

void MainWindow::showMarks()
{
    if (!session_.place())
        return session_.say(tr("Open a place first: marks belong to a machine."), Severity::Warning);
    auto* dialog = new MarksDialog(session_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &MarksDialog::saveRequested, this, [this] {
        const auto host = session_.place()->info.host;
        askForFile(tr("Save the marks"), tr("marks-%1.csv").arg(toText(host)), {tr("CSV table (*.csv)")},
                   [this, host](const std::string& file) {
                       const auto csv = marksAsCsv(*session_.knowledge().marks(host));
                       saveBytes(session_, file, QByteArray::fromStdString(csv));
                   });
    });
    dialog->open();
}

void MainWindow::showTakeAlong(const QPoint& global)
{
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (auto* action : takeAlong_)
        menu->addAction(action);
    menu->addAction(saveList_);
    menu->popup(global);
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
