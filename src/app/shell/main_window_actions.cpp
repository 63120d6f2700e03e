// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of the main window: every one stands in the menu with its key.
#include <QActionGroup>
#include <QApplication>
#include <QMessageBox>

#include <algorithm>

#include "app/dialogs/help_dialog.h"
#include "app/model/node_ref.h"
#include "app/services/async.h"
#include "app/services/item_actions.h"
#include "app/shell/main_window.h"
#include "app/style/words.h"
#include "core/find/largest.h"

namespace kurvo::app {

QAction* MainWindow::add(QMenu* menu, const QString& text, const QList<QKeySequence>& keys,
                         const std::function<void()>& run)
{
    auto* action = menu->addAction(text);
    action->setShortcuts(keys);
    action->setShortcutContext(Qt::WindowShortcut);
    connect(action, &QAction::triggered, this, [run] { run(); });
    addAction(action); // so that the key works while the menu is closed
    return action;
}

void MainWindow::makeActions()
{
    const auto selectLargest = [this](bool hidden) {
        const auto* place = models_.places.place();
        runAsync(
            this,
            [tree = place->tree, focus = place->focus, hidden] {
                if (hidden)
                    return NodeRef(tree, largestHiddenFile(*tree, focus));
                const auto best = largestFiles(*tree, 1, focus);
                return NodeRef(tree, best.empty() ? noNode : best[0]);
            },
            [this, hidden](const NodeRef& found) {
                const auto* now = models_.places.place();
                const NodeId node = now ? found.in(*now->tree) : noNode;
                if (found.isEmpty())
                    models_.notices.say(hidden ? tr("There is no hidden file in here.")
                                               : tr("There is no file in here."));
                else
                    models_.cursor.reveal(node);
            });
    };
    const auto pathDo = [this](void (*act)(Notices&, const std::string&)) {
        return [this, act] {
            if (const auto node = subject(); node != noNode)
                act(models_.notices, models_.places.place()->tree->path(node));
        };
    };

    auto* scan = menu_->addMenu(tr("Scan"));
    add(scan, tr("Home folder"), {QKeySequence("Ctrl+H")}, [this] { setStage(Stage::Scan), scan_->scanHome(); });
    add(scan, tr("Choose a folder…"), {QKeySequence::Open}, [this] { scan_->chooseFolder(); });
    add(scan, tr("Open a snapshot…"), {QKeySequence("Ctrl+Shift+O")}, [this] { scan_->openSnapshotFile(); });
    scan->addSeparator();
    rescanFolder_ = add(scan, tr("Rescan this folder"), {QKeySequence::Refresh}, [this] {
        const auto* place = models_.places.place();
        const auto node = subject();
        models_.scans.rescan(node != noNode && place->tree->isFolder(node) ? node : place->focus);
    });
    rescanChanged_ =
        add(scan, tr("Rescan what changed"), {QKeySequence("Ctrl+F5")}, [this] { models_.scans.rescanChanged(); });
    rescan_ = add(scan, tr("Rescan this place"), {QKeySequence("Shift+F5")}, [this] {
        setStage(Stage::Scan);
        scan_->scanAgain(*models_.places.place());
    });
    pauseScan_ = add(scan, tr("Pause scanning"), {QKeySequence("Ctrl+,")}, [this] {
        const bool pause = models_.scans.runningScan()->pausedSinceMs == 0;
        const auto jobs = models_.scans.scans();
        for (const auto& job : jobs)
            models_.scans.pauseScan(job.get(), pause);
    });
    stopScan_ = add(scan, tr("Stop scanning"), {QKeySequence("Ctrl+.")}, [this] {
        const auto jobs = models_.scans.scans();
        for (const auto& job : jobs)
            models_.scans.stopScan(job.get());
    });
    scan->addSeparator();
    ledger_ = add(scan, tr("Ledger…"), {QKeySequence("Ctrl+L")}, [this] { showLedger(); });
    notRead_ = add(scan, tr("Unreadable items…"), {QKeySequence("Ctrl+R")}, [this] { showNotRead(); });

    auto* go = menu_->addMenu(tr("Go"));
    goInto_ = add(go, tr("Into the selected folder"), {QKeySequence("Alt+Down")}, [this] {
        const auto node = models_.places.place()->selection;
        if (node != noNode && models_.places.place()->tree->isFolder(node))
            models_.cursor.setFocus(node);
    });
    goUp_ = add(go, tr("Up"), {QKeySequence("Backspace"), QKeySequence("Alt+Up")}, [this] { models_.cursor.goUp(); });
    back_ = add(go, tr("Back"), {QKeySequence("Alt+Left")}, [this] { models_.cursor.goBack(); });
    forward_ = add(go, tr("Forward"), {QKeySequence("Alt+Right")}, [this] { models_.cursor.goForward(); });
    go->addSeparator();
    follow_ = add(go, tr("Follow the weight"), {QKeySequence("W")}, [this] { models_.cursor.followTheWeight(); });
    largest_ = add(go, tr("Largest file in here"), {QKeySequence("L")}, [selectLargest] { selectLargest(false); });
    largestHidden_ =
        add(go, tr("Largest hidden file in here"), {QKeySequence("H")}, [selectLargest] { selectLargest(true); });
    goTo_ = add(go, tr("Go to path…"), {QKeySequence("Ctrl+G")}, [this] { explore_->trail()->startTyping(); });
    go->addSeparator();
    const QString stageNames[] = {tr("Scan"), tr("Explore"), tr("Find"), tr("Compare"), tr("Clear")};
    for (int i = 0; i < 5; ++i)
        add(go, stageNames[i], {QKeySequence(stageKeys[i])}, [this, i] { setStage(static_cast<Stage>(i)); });
    filter_ = add(go, tr("Filter"), {QKeySequence::Find}, [this] {
        setStage(Stage::Find);
        find_->filter()->setFocus(Qt::ShortcutFocusReason);
        find_->filter()->selectAll();
    });

    auto* item = menu_->addMenu(tr("Item"));
    item->setObjectName("itemMenu");
    previewAction_ = add(item, tr("Preview"), {QKeySequence(Qt::Key_Space)}, [this] { preview_->toggle(); });
    open_ = add(item, tr("Open"), {QKeySequence("Ctrl+Return")}, pathDo(openItem));
    show_ = add(item, tr("Show in file manager"), {QKeySequence("Ctrl+E")}, pathDo(showInFileManager));
    openWith_ = add(item, tr("Open with…"), {QKeySequence("Alt+Return")}, [this] {
        if (const auto node = subject(); node != noNode)
            openItemWith(models_.notices, models_.places.place()->tree->path(node), QCursor::pos(), this);
    });
    terminal_ = add(item, tr("Open a terminal here"), {QKeySequence("Ctrl+T")}, [this] {
        if (const auto node = subject(); node != noNode)
            openTerminal(models_.notices, models_.places.place()->tree->path(node),
                         models_.places.place()->tree->isFolder(node));
    });
    copy_ = add(item, tr("Copy path"), {QKeySequence("Ctrl+Shift+C")}, [this] {
        std::vector<std::string> paths;
        for (const NodeId node : subjects())
            paths.push_back(models_.places.place()->tree->path(node));
        copyPaths(models_.notices, paths);
    });
    openInPlace_ = add(item, tr("Expand here"), {QKeySequence("Ctrl+I")}, [this] {
        if (const auto node = subject(); node != noNode)
            explore_->descent()->toggleOpened(node);
    });
    item->addSeparator();
    markMenu_ = item->addMenu(tr("Mark"));
    fillMarkMenu();
    plan_ = add(item, tr("Plan: trash"), {QKeySequence::Delete}, [this] { togglePlanned(); });
    planDelete_ = add(item, tr("Plan: delete for good"), {QKeySequence("Shift+Delete")}, [this] {
        planSubjects({Action::Delete, {}, false});
    });
    planMove_ = add(item, tr("Plan: move…"), {QKeySequence("M")}, [this] { askWhereToMove(); });

    auto* plan = menu_->addMenu(tr("Plan"));
    undoPlan_ = add(plan, tr("Undo the last change to the plan"), {QKeySequence::Undo},
                    [this] { models_.plan.undoPlanChange(); });
    redoPlan_ = add(plan, tr("Redo the change to the plan"), {QKeySequence("Ctrl+Shift+Z"), QKeySequence("Ctrl+Y")},
                    [this] { models_.plan.redoPlanChange(); });
    clearPlan_ = add(plan, tr("Clear the plan"), {}, [this] { models_.plan.clearPlan(); });
    savePlan_ = add(plan, tr("Save the plan for review…"), {}, [this] { savePlan(); });
    openPlan_ = add(plan, tr("Open a plan…"), {}, [this] { openPlan(); });
    carryOut_ = add(plan, tr("Carry out…"), {QKeySequence("Ctrl+Shift+Return")}, [this] { setStage(Stage::Clear); });
    takeBack_ = add(plan, tr("Undo the last run"), {QKeySequence("Ctrl+Alt+Z")}, [this] {
        const auto& history = models_.logbook.history();
        const auto last =
            std::find_if(history.begin(), history.end(), [](const RunRecord& r) { return r.canBeUndone(); });
        if (last != history.end())
            models_.runner.takeBack(last->run.id);
    });
    emptyTrash_ = add(plan, tr("Empty trash…"), {}, [this] { askToEmptyTrash(); });

    auto* picture = menu_->addMenu(tr("Picture"));
    const QString pictureNames[] = {tr("Treemap"), tr("Sunburst"), tr("File types")};
    static constexpr const char* pictureKeys[] = {"Alt+1", "Alt+2", "Alt+3"};
    for (int i = 0; i < 3; ++i)
        pictureActions_.push_back(add(picture, pictureNames[i], {QKeySequence(pictureKeys[i])},
                                      [this, i] { models_.view.setPicture(static_cast<PictureKind>(i)); }));
    picture->addSeparator();
    pictureActions_.push_back(add(picture, tr("Next measure"), {QKeySequence("Alt+M")}, [this] {
        models_.view.setMeasure(static_cast<Measure>((static_cast<int>(models_.places.measure()) + 1) % 3));
    }));
    pictureActions_.push_back(
        add(picture, tr("Next colour"), {QKeySequence("Alt+C")}, [this] { models_.view.nextColour(); }));
    pictureActions_.push_back(add(picture, tr("One level more"), {QKeySequence("+"), QKeySequence("=")},
                                  [this] { models_.view.setDepth(models_.places.view().depth() + 1); }));
    pictureActions_.push_back(add(picture, tr("One level less"), {QKeySequence("-")},
                                  [this] { models_.view.setDepth(models_.places.view().depth() - 1); }));
    areas_ = add(picture, tr("Free space as a tile"), {QKeySequence("Alt+F")},
                 [this] { models_.view.setAreas(!models_.places.view().areas); });
    areas_->setCheckable(true);
    picture->addSeparator();
    takeAlong_ = {add(picture, tr("Save the picture…"), {QKeySequence::Save}, [this] { savePicture(); }),
                  add(picture, tr("Copy the picture"), {QKeySequence("Ctrl+Shift+P")}, [this] { copyPicture(); }),
                  add(picture, tr("Print…"), {QKeySequence::Print}, [this] { printPicture(); })};
    saveList_ = add(picture, tr("Save the list as CSV…"), {QKeySequence("Ctrl+Shift+S")}, [this] { saveList(); });

    auto* view = menu_->addMenu(tr("View"));
    auto* themes = new QActionGroup(this);
    const QString themeNames[] = {tr("Follow the system theme"), tr("Light"), tr("Dark")};
    for (int i = 0; i < 3; ++i) {
        auto* action = add(view, themeNames[i], {}, [this, i] { chooseTheme(static_cast<ThemeChoice>(i)); });
        action->setCheckable(true);
        themes->addAction(action);
        themeActions_.push_back(action);
    }
    view->addSeparator();
    auto* units = new QActionGroup(this);
    const QString unitNames[] = {tr("Sizes in KiB, MiB, GiB (1024)"), tr("Sizes in kB, MB, GB (1000)")};
    for (int i = 0; i < 2; ++i) {
        auto* action = add(view, unitNames[i], {}, [this, i] { chooseUnits(static_cast<SizeUnits>(i)); });
        action->setCheckable(true);
        units->addAction(action);
        unitActions_.push_back(action);
    }
    view->addSeparator();
    stillPictures_ = add(view, tr("Reduce motion"), {}, [this] { chooseMotion(stillPictures_->isChecked()); });
    stillPictures_->setCheckable(true);
    auto* weights = view->addMenu(tr("Follow the weight while a folder holds"));
    auto* thresholds = new QActionGroup(this);
    for (const int percent : {60, 70, 80, 90, 95}) {
        auto* action =
            add(weights, tr("%1 % of its parent").arg(percent), {}, [this, percent] { chooseThreshold(percent); });
        action->setCheckable(true);
        action->setData(percent);
        thresholds->addAction(action);
        thresholdActions_.push_back(action);
    }
    menu_->addSeparator();
    add(menu_, tr("Keys"), {QKeySequence::HelpContents}, [this] { showKeys(); });
    auto* help = menu_->addMenu(tr("Help"));
    const std::pair<QString, const char*> pages[] = {{tr("Filters"), "filter"},
                                                     {tr("Advice and the guard"), "advice"},
                                                     {tr("Marks"), "marks"},
                                                     {tr("Clearing, and never losing a byte"), "clearing"},
                                                     {tr("What the figures mean"), "figures"}};
    for (const auto& [title, page] : pages)
        add(help, title, page == pages[0].second ? QList{QKeySequence("Shift+F1")} : QList<QKeySequence>{},
            [this, title, page] {
                auto* dialog = new HelpDialog(title, QString::fromLatin1(page), this);
                dialog->setAttribute(Qt::WA_DeleteOnClose);
                dialog->open();
            });
    add(menu_, tr("Show this menu"), {QKeySequence("F10")}, [this] { menu_->popup(mapToGlobal(QPoint(80, 80))); });
    add(menu_, tr("Quit"), {QKeySequence::Quit}, [this] { close(); });
}

/// One key a kind, in their order; 0 for none.
void MainWindow::fillMarkMenu()
{
    const auto* marks = models_.places.place() ? models_.places.place()->marks.get() : nullptr;
    const auto& kinds = marks ? marks->book().kinds : builtInMarkKinds();
    QStringList names;
    for (const auto& kind : kinds)
        names << QString::fromStdString(kind.sign + "  " + kind.name);
    if (markMenu_->property("kinds").toStringList() == names)
        return;
    markMenu_->setProperty("kinds", names);
    for (auto* action : markActions_)
        action->deleteLater();
    markMenu_->clear();
    markActions_.clear();
    for (std::size_t i = 0; i < kinds.size(); ++i)
        markActions_.push_back(add(markMenu_, names[static_cast<qsizetype>(i)], {QKeySequence(QString::number(i + 1))},
                                   [this, id = kinds[i].id] { models_.view.mark(subjects(), id); }));
    markActions_.push_back(add(markMenu_, tr("No mark"), {QKeySequence(QStringLiteral("0"))},
                               [this] { models_.view.mark(subjects(), {}); }));
    markMenu_->addSeparator();
    note_ = add(markMenu_, tr("Note…"), {QKeySequence("N")},
                [this] { askForNote(models_.places, models_.view, subjects(), this); });
    markActions_.push_back(note_);
    auto* all = markMenu_->addAction(tr("All marks…"), this, [this] { showMarks(); });
    all->setObjectName("allMarks");
    updateActions();
}

void MainWindow::updateActions()
{
    if (!saveList_) // they are still being made
        return;
    const auto* place = models_.places.place();
    const bool exploring = place && stage() == Stage::Explore;
    const bool busy = models_.runner.planJob() != nullptr;
    const auto selected = place ? place->selection : noNode;
    goInto_->setEnabled(exploring && selected != noNode && place->tree->isFolder(selected));
    goUp_->setEnabled(exploring && place->focus != rootNode);
    back_->setEnabled(exploring && models_.cursor.canGoBack());
    forward_->setEnabled(exploring && models_.cursor.canGoForward());
    for (auto* action : {follow_, largest_, largestHidden_, goTo_})
        action->setEnabled(exploring);
    for (auto* action : pictureActions_)
        action->setEnabled(exploring);
    for (auto* action : takeAlong_)
        action->setEnabled(exploring);
    saveList_->setEnabled(exploring || (place && stage() == Stage::Find));
    filter_->setEnabled(place != nullptr);
    areas_->setEnabled(exploring && place->areas().any());
    areas_->setChecked(models_.places.view().areas);
    openInPlace_->setEnabled(exploring && selected != noNode && place->tree->isFolder(selected));
    const bool withItem = place && stage() != Stage::Scan && subject() != noNode;
    for (auto* action : {previewAction_, open_, openWith_, show_, copy_, terminal_})
        action->setEnabled(withItem);
    plan_->setEnabled(withItem && !busy && subject() != rootNode);
    for (auto* action : markActions_)
        action->setEnabled(withItem);
    plan_->setText(isPlanned() ? tr("Take off the plan") : tr("Plan: trash"));
    for (auto* action : {planDelete_, planMove_})
        action->setEnabled(plan_->isEnabled());
    redoPlan_->setEnabled(models_.plan.canRedoPlanChange());
    savePlan_->setEnabled(place && !place->plan.empty());
    openPlan_->setEnabled(place && !place->isGrowing() && !busy);
    undoPlan_->setEnabled(models_.plan.canUndoPlanChange());
    clearPlan_->setEnabled(place && !place->plan.empty() && !busy);
    carryOut_->setEnabled(place && !place->plan.empty() && !busy);
    const auto& history = models_.logbook.history();
    takeBack_->setEnabled(!busy && std::any_of(history.begin(), history.end(),
                                               [](const RunRecord& record) { return record.canBeUndone(); }));
    emptyTrash_->setEnabled(place && !place->fromSnapshot && !busy);
    const auto* running = models_.scans.runningScan();
    stopScan_->setEnabled(running != nullptr);
    pauseScan_->setEnabled(running != nullptr);
    pauseScan_->setText(running && running->pausedSinceMs != 0 ? tr("Resume scanning") : tr("Pause scanning"));
    const bool live = place && !place->fromSnapshot && !place->isGrowing();
    rescan_->setEnabled(place && !place->info.sample && !place->isGrowing());
    rescanFolder_->setEnabled(live);
    rescanChanged_->setEnabled(live && !place->changed.empty());
    ledger_->setEnabled(place && place->hasLedger());
    notRead_->setEnabled(place != nullptr);
}

void MainWindow::chooseTheme(ThemeChoice choice)
{
    theme_.choose(choice);
    settings_.set(setting::theme, static_cast<int>(choice));
    themeActions_[static_cast<std::size_t>(choice)]->setChecked(true);
}

void MainWindow::chooseUnits(SizeUnits units)
{
    setSizeUnits(units);
    settings_.set(setting::decimalSizes, units == SizeUnits::Decimal);
    unitActions_[static_cast<std::size_t>(units)]->setChecked(true);
    if (models_.places.place())
        models_.places.tellAgain(); // every figure is written anew
}

void MainWindow::showContextMenu(const QPoint& global)
{
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addActions({goInto_, openInPlace_, previewAction_, open_, openWith_, show_, terminal_, copy_, rescanFolder_});
    menu->addSeparator();
    menu->addMenu(markMenu_);
    menu->addActions({plan_, planDelete_, planMove_});
    menu->popup(global);
}

void MainWindow::showKeys()
{
    QString rows;
    const auto walk = [&rows](const QMenu* menu, const auto& self) -> void {
        for (const auto* action : menu->actions()) {
            if (action->menu())
                self(action->menu(), self);
            else if (!action->shortcuts().isEmpty()) {
                QStringList keys;
                for (const auto& key : action->shortcuts())
                    keys << key.toString(QKeySequence::NativeText);
                rows += QStringLiteral("<tr><td style='padding-right:24px'>%1</td><td>%2</td></tr>")
                            .arg(action->text().toHtmlEscaped(), keys.join(", ").toHtmlEscaped());
            }
        }
    };
    walk(menu_, walk);
    rows += tr("<tr><td>Walk among tiles</td><td>Arrows</td></tr><tr><td>To the parent, to the largest "
               "child</td><td>Ctrl+Up, Ctrl+Down</td></tr>"
               "<tr><td>Into a folder, out of it</td><td>Enter or double-click, Backspace</td></tr>"
               "<tr><td>In and out at the pointer</td><td>Ctrl+wheel</td></tr>"
               "<tr><td>Several items</td><td>Ctrl+click; Shift+arrows in the descent</td></tr>"
               "<tr><td>A folder's children in place</td><td>Shift+Right, Shift+Left in the descent</td></tr>"
               "<tr><td>Find a name in the descent</td><td>/ and its beginning</td></tr>"
               "<tr><td>Clear the highlight</td><td>Escape</td></tr>");
    auto* box = new QMessageBox(QMessageBox::NoIcon, tr("Keys"), QStringLiteral("<table>%1</table>").arg(rows),
                                QMessageBox::Close, this);
    box->setAttribute(Qt::WA_DeleteOnClose);
    box->open();
}

} // namespace kurvo::app
