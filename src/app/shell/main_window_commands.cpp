// SPDX-License-Identifier: GPL-3.0-or-later
// What the window can do: its commands, a menu at a time.
#include <QApplication>

#include <algorithm>

#include "app/dialogs/help_dialog.h"
#include "app/model/node_ref.h"
#include "app/services/async.h"
#include "app/services/item_actions.h"
#include "app/shell/main_window.h"
#include "app/style/words.h"
#include "core/find/largest.h"

namespace kurvo::app {

using Keys = QList<QKeySequence>;

// When they are possible.
bool MainWindow::isExploring() const
{
    return models_.places.place() && stage() == Stage::Explore;
}

bool MainWindow::hasItem() const
{
    const auto* place = models_.places.place();
    return place && stage() != Stage::Scan && subject() != noNode &&
           !(place->isTogether() && subject() == rootNode); // which is nothing on a drive
}

bool MainWindow::hasFolder() const
{
    const auto* place = models_.places.place();
    return isExploring() && place->selection != noNode && place->tree->isFolder(place->selection);
}

bool MainWindow::isPlannable() const
{
    return hasItem() && subject() != rootNode && !models_.runner.planJob();
}

bool MainWindow::hasPlan() const
{
    return models_.places.place() && !models_.places.place()->plan.empty();
}

bool MainWindow::isLive() const
{
    const auto* place = models_.places.place();
    return place && !place->fromSnapshot && !place->isGrowing();
}

void MainWindow::makeCommands()
{
    makeScanCommands(menu_->addMenu(tr("Scan")));
    makeGoCommands(menu_->addMenu(tr("Go")));
    makeItemCommands(menu_->addMenu(tr("Item")));
    auto* plan = menu_->addMenu(tr("Plan"));
    makePlanCommands(plan);
    makeUpkeepCommands(plan);
    pictureMenu_ = menu_->addMenu(tr("Picture"));
    makePictureCommands(pictureMenu_);
    makeViewCommands(menu_->addMenu(tr("View")));
    menu_->addSeparator();
    commands_.add(
        menu_, {.words = tr("Keyboard shortcuts"), .keys = {QKeySequence("Ctrl+F1")}, .run = [this] { showKeys(); }});
    makeHelpCommands(menu_->addMenu(tr("Help")));
    auto* menu = commands_.add(menu_, {.words = tr("Show this menu"), .keys = {QKeySequence("F10")}, .run = [this] {
                                           menu_->popup(mapToGlobal(QPoint(80, 80)));
                                       }});
    Commands::tellKey(rail_->menuButton(), menu);
    commands_.add(menu_, {.words = tr("Quit"), .keys = {QKeySequence::Quit}, .run = [this] { close(); }});
}

void MainWindow::selectLargest(bool hidden)
{
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
                models_.notices.say(hidden ? tr("There is no hidden file in here.") : tr("There is no file in here."));
            else
                models_.cursor.reveal(node);
        });
}

/// Where one began in a place, with nothing selected: in Explore they stand at the right then.
void MainWindow::showLeads()
{
    const auto* leads = models_.leads.leads();
    if (leads && leads->leads.empty())
        models_.notices.say(tr("Nothing stands out here."));
    models_.cursor.setFocus(rootNode);
    models_.cursor.select(noNode);
    setStage(Stage::Explore);
    explore_->leads()->list()->setFocus(Qt::ShortcutFocusReason);
}

void MainWindow::takeLeadStep(const QString& kind)
{
    if (kind == QLatin1String("ledger"))
        return showLedger();
    if (kind == QLatin1String("growing"))
        return setStage(Stage::Compare);
    find_->showPage(kind == QLatin1String("copies")     ? static_cast<FinderPage*>(find_->duplicates())
                    : kind == QLatin1String("versions") ? static_cast<FinderPage*>(find_->versions())
                    : kind == QLatin1String("trash")    ? static_cast<FinderPage*>(find_->trash())
                                                        : find_->heldOpen());
    setStage(Stage::Find);
}

void MainWindow::makeGoCommands(QMenu* menu)
{
    const auto exploring = [this] { return isExploring(); };
    goInto_ = commands_.add(menu, {.words = tr("Into the selected folder"),
                                   .keys = {QKeySequence("Alt+Down")},
                                   .run =
                                       [this] {
                                           if (hasFolder())
                                               models_.cursor.setFocus(models_.places.place()->selection);
                                       },
                                   .possible = [this] { return hasFolder(); }});
    commands_.add(menu, {.words = tr("Up"),
                         .keys = {QKeySequence("Backspace"), QKeySequence("Alt+Up")},
                         .run = [this] { models_.cursor.goUp(); },
                         .possible = [this] { return isExploring() && models_.places.place()->focus != rootNode; }});
    commands_.add(menu, {.words = tr("Back"),
                         .keys = {QKeySequence("Alt+Left")},
                         .run = [this] { models_.cursor.goBack(); },
                         .possible = [this] { return isExploring() && models_.cursor.canGoBack(); }});
    commands_.add(menu, {.words = tr("Forward"),
                         .keys = {QKeySequence("Alt+Right")},
                         .run = [this] { models_.cursor.goForward(); },
                         .possible = [this] { return isExploring() && models_.cursor.canGoForward(); }});
    menu->addSeparator();
    follow_ = commands_.add(menu, {.words = tr("Follow the weight"),
                                   .keys = {QKeySequence("W")},
                                   .run = [this] { models_.cursor.followTheWeight(); },
                                   .possible = exploring});
    Commands::showKey(explore_->descent()->followButton(), follow_);
    commands_.add(menu, {.words = tr("Largest file in here"),
                         .keys = {QKeySequence("L")},
                         .run = [this] { selectLargest(false); },
                         .possible = exploring});
    commands_.add(menu, {.words = tr("Largest hidden file in here"),
                         .keys = {QKeySequence("H")},
                         .run = [this] { selectLargest(true); },
                         .possible = exploring});
    commands_.add(menu, {.words = tr("What stands out here"),
                         .keys = {QKeySequence("Ctrl+Shift+L")},
                         .run = [this] { showLeads(); },
                         .possible = [this] { return models_.places.place() != nullptr; }});
    auto* goTo = commands_.add(menu, {.words = tr("Go to path…"),
                                      .keys = {QKeySequence("Ctrl+G")},
                                      .run = [this] { explore_->trail()->startTyping(); },
                                      .possible = exploring});
    Commands::tellKey(explore_->trail(), goTo);
    commands_.add(menu, {.words = tr("Next pane"), .keys = {QKeySequence("F6")}, .run = [this] { goToPane(1); }});
    commands_.add(menu,
                  {.words = tr("Previous pane"), .keys = {QKeySequence("Shift+F6")}, .run = [this] { goToPane(-1); }});
    commands_.add(menu, {.words = tr("Context menu of what has the focus"),
                         .keys = {QKeySequence("Shift+F10")},
                         .run = [this] { showContextMenuByKey(); }});
    auto* places = commands_.add(menu, {.words = tr("Open places…"), .keys = {QKeySequence("F4")}, .run = [this] {
                                            gauge_->placeButton()->showMenu();
                                        }});
    Commands::tellKey(gauge_->placeButton(), places);
    commands_.add(menu, {.words = tr("Look at the open places together"),
                         .keys = {QKeySequence("Ctrl+Alt+L")},
                         .run = [this] { models_.together.join(models_.together.joinable()); },
                         .possible = [this] { return models_.together.joinable().size() > 1; }});
    commands_.add(menu,
                  {.words = tr("Keep these as a set…"),
                   .keys = {QKeySequence("Ctrl+Alt+K")},
                   .run = [this] { keepAsSet(); },
                   .possible = [this] { return models_.places.place() && models_.places.place()->isTogether(); }});
    commands_.add(menu, {.words = tr("Add an open place to these…"),
                         .run = [this] { addToTogether(); },
                         .possible = [this] { return !models_.together.addable().empty(); }});
    commands_.add(menu, {.words = tr("Take this place out of those together"),
                         .run = [this] { models_.together.takeOutCurrent(); },
                         .possible = [this] { return models_.together.currentPart() != nullptr; }});
    closePlace_ = commands_.add(menu, {.words = tr("Close this place"),
                                       .keys = {QKeySequence("Ctrl+W")},
                                       .run = [this] { closeCurrentPlace(); },
                                       .possible = [this] { return models_.places.place() != nullptr; }});
    menu->addSeparator();
    for (const auto one : {Stage::Scan, Stage::Explore, Stage::Find, Stage::Compare, Stage::Clear}) {
        auto* button = rail_->button(one);
        auto* command =
            commands_.add(menu, {.words = button->text(),
                                 .keys = {QKeySequence(QStringLiteral("Ctrl+%1").arg(static_cast<int>(one) + 1))},
                                 .run = [this, one] { setStage(one); }});
        button->setToolTip(button->text());
        Commands::tellKey(button, command);
    }
    commands_.add(menu, {.words = tr("Filter"),
                         .keys = {QKeySequence::Find},
                         .run =
                             [this] {
                                 setStage(Stage::Find);
                                 find_->showFiles();
                                 find_->filter()->setFocus(Qt::ShortcutFocusReason);
                                 find_->filter()->selectAll();
                             },
                         .possible = [this] { return models_.places.place() != nullptr; }});
}

void MainWindow::makeItemCommands(QMenu* menu)
{
    menu->setObjectName("itemMenu");
    const auto withItem = [this] { return hasItem(); };
    const auto pathDo = [this](void (*act)(Notices&, const std::string&)) {
        return [this, act] {
            if (const auto node = subject(); node != noNode)
                act(models_.notices, models_.places.place()->tree->path(node));
        };
    };
    const auto item = [&](const QString& words, const char* key, std::function<void()> run) {
        return commands_.add(
            menu, {.words = words, .keys = {QKeySequence(key)}, .run = std::move(run), .possible = withItem});
    };
    previewCommand_ = item(tr("Preview"), "Space", [this] { preview_->toggle(); });
    open_ = item(tr("Open"), "Ctrl+Return", pathDo(openItem));
    show_ = item(tr("Show in file manager"), "Ctrl+E", pathDo(showInFileManager));
    openWith_ = item(tr("Open with…"), "Alt+Return", [this] {
        if (const auto node = subject(); node != noNode)
            openItemWith(models_.notices, models_.places.place()->tree->path(node), QCursor::pos(), this);
    });
    terminal_ = item(tr("Open a terminal here"), "Ctrl+T", [this] {
        if (const auto node = subject(); node != noNode)
            openTerminal(models_.notices, models_.places.place()->tree->path(node),
                         models_.places.place()->tree->isFolder(node));
    });
    copy_ = item(tr("Copy path"), "Ctrl+C", [this] {
        std::vector<std::string> paths;
        for (const NodeId node : subjects())
            paths.push_back(models_.places.place()->tree->path(node));
        copyPaths(models_.notices, paths);
    });
    copy_->setShortcuts({QKeySequence("Ctrl+C"), QKeySequence("Ctrl+Shift+C")});
    openInPlace_ = commands_.add(menu, {.words = tr("Expand here"),
                                        .keys = {QKeySequence("Ctrl+I")},
                                        .run =
                                            [this] {
                                                if (const auto node = subject(); node != noNode)
                                                    explore_->descent()->toggleOpened(node);
                                            },
                                        .possible = [this] { return hasFolder(); }});
    menu->addSeparator();
    markMenu_ = menu->addMenu(tr("Mark"));
    fillMarkMenu();
    const auto plan = [&](Command command) {
        command.possible = [this] { return isPlannable(); };
        return commands_.add(menu, std::move(command));
    };
    plan_ = plan({.words = tr("Plan: trash"),
                  .keys = {QKeySequence::Delete},
                  .run = [this] { togglePlanned(); },
                  .wordsNow = [this] { return isPlanned() ? tr("Take off the plan") : tr("Plan: trash"); }});
    planDelete_ = plan({.words = tr("Plan: delete for good"), .keys = {QKeySequence("Shift+Delete")}, .run = [this] {
                            planSubjects({Action::Delete, {}, false});
                        }});
    planMove_ = plan({.words = tr("Plan: move…"), .keys = {QKeySequence("M")}, .run = [this] { askWhereToMove(); }});
}

void MainWindow::makePlanCommands(QMenu* menu)
{
    const auto idle = [this] { return !models_.runner.planJob(); };
    const auto planned = [this, idle] { return hasPlan() && idle(); };
    const auto undoable = [](const RunRecord& record) { return record.canBeUndone(); };
    commands_.add(menu, {.words = tr("Undo the last change to the plan"),
                         .keys = {QKeySequence::Undo},
                         .run = [this] { models_.plan.undoPlanChange(); },
                         .possible = [this] { return models_.plan.canUndoPlanChange(); }});
    commands_.add(menu, {.words = tr("Redo the change to the plan"),
                         .keys = {QKeySequence("Ctrl+Shift+Z"), QKeySequence("Ctrl+Y")},
                         .run = [this] { models_.plan.redoPlanChange(); },
                         .possible = [this] { return models_.plan.canRedoPlanChange(); }});
    commands_.add(menu, {.words = tr("Plan what may usually go among the leads"),
                         .keys = {QKeySequence("P")},
                         .run = [this] { models_.leads.planWhatIsSafe(); },
                         .possible = [this, idle] { return models_.leads.leads() && idle(); }});
    commands_.add(menu,
                  {.words = tr("Clear the plan"), .run = [this] { models_.plan.clearPlan(); }, .possible = planned});
    commands_.add(menu, {.words = tr("Save the plan for review…"),
                         .run = [this] { savePlan(); },
                         .possible = [this] { return hasPlan(); }});
    commands_.add(menu, {.words = tr("Open a plan…"),
                         .run = [this] { openPlan(); },
                         .possible =
                             [this, idle] {
                                 const auto* place = models_.places.place();
                                 return place && !place->isGrowing() && idle();
                             }});
    commands_.add(menu, {.words = tr("Carry out…"),
                         .keys = {QKeySequence("Ctrl+Shift+Return")},
                         .run = [this] { setStage(Stage::Clear); },
                         .possible = planned});
    commands_.add(menu, {.words = tr("Undo the last run"),
                         .keys = {QKeySequence("Ctrl+Alt+Z")},
                         .run =
                             [this, undoable] {
                                 const auto& history = models_.logbook.history();
                                 const auto last = std::find_if(history.begin(), history.end(), undoable);
                                 if (last != history.end())
                                     models_.runner.takeBack(last->run.id);
                             },
                         .possible =
                             [this, idle, undoable] {
                                 const auto& history = models_.logbook.history();
                                 return idle() && std::any_of(history.begin(), history.end(), undoable);
                             }});
    emptyTrash_ = commands_.add(
        menu, {.words = tr("Empty trash…"),
               .run = [this] { askToEmptyTrash(); },
               .possible =
                   [this, idle] { return models_.places.place() && !models_.places.place()->fromSnapshot && idle(); }});
}

void MainWindow::makePictureCommands(QMenu* menu)
{
    const auto picture = [&](const QString& words, const Keys& keys, std::function<void()> run) {
        return commands_.add(
            menu, {.words = words, .keys = keys, .run = std::move(run), .possible = [this] { return isExploring(); }});
    };
    const auto depth = [this](int by) {
        return [this, by] { models_.view.setDepth(models_.places.view().depth() + by); };
    };
    const std::pair<QString, PictureKind> kinds[] = {{tr("Treemap"), PictureKind::Treemap},
                                                     {tr("Sunburst"), PictureKind::Sunburst},
                                                     {tr("File types"), PictureKind::Types},
                                                     {tr("Roles"), PictureKind::Roles}};
    for (const auto& [words, kind] : kinds)
        picture(words, {QKeySequence(QStringLiteral("Alt+%1").arg(static_cast<int>(kind) + 1))},
                [this, kind = kind] { models_.view.setPicture(kind); });
    menu->addSeparator();
    picture(tr("Next measure"), {QKeySequence("Alt+M")}, [this] {
        models_.view.setMeasure(static_cast<Measure>((static_cast<int>(models_.places.measure()) + 1) % 3));
    });
    picture(tr("Next colour"), {QKeySequence("Alt+C")}, [this] { models_.view.nextColour(); });
    picture(tr("One level more"), {QKeySequence("+"), QKeySequence("=")}, depth(1));
    picture(tr("One level less"), {QKeySequence("-")}, depth(-1));
    commands_.add(menu, {.words = tr("Free space as a tile"),
                         .keys = {QKeySequence("Alt+F")},
                         .run = [this] { models_.view.setAreas(!models_.places.view().areas); },
                         .possible = [this] { return isExploring() && !models_.places.place()->areas().empty(); },
                         .isOn = [this] { return models_.places.view().areas; }});
    menu->addSeparator();
    takeAlong_ = {picture(tr("Save the picture…"), {QKeySequence::Save}, [this] { savePicture(); }),
                  picture(tr("Copy the picture"), {QKeySequence("Ctrl+Shift+P")}, [this] { copyPicture(); }),
                  picture(tr("Print…"), {QKeySequence::Print}, [this] { printPicture(); })};
    takeAlong_.push_back(commands_.add(menu, {.words = tr("Save a page to send…"),
                                              .keys = {QKeySequence("Ctrl+Alt+S")},
                                              .run = [this] { savePage(); },
                                              .possible = [this] { return models_.places.place() != nullptr; }}));
    takeAlong_.push_back(commands_.add(
        menu, {.words = tr("Save the list as CSV…"),
               .keys = {QKeySequence("Ctrl+Shift+S")},
               .run = [this] { saveList(); },
               .possible = [this] { return isExploring() || (models_.places.place() && stage() == Stage::Find); }}));
}

void MainWindow::makeViewCommands(QMenu* menu)
{
    const std::pair<QString, ThemeChoice> themes[] = {{tr("Follow the system theme"), ThemeChoice::System},
                                                      {tr("Light"), ThemeChoice::Light},
                                                      {tr("Dark"), ThemeChoice::Dark}};
    auto *themesGroup = new QActionGroup(this), *unitsGroup = new QActionGroup(this),
         *weightsGroup = new QActionGroup(this);
    for (const auto& [words, choice] : themes)
        commands_.add(menu, {.words = words,
                             .run = [this, choice = choice] { chooseTheme(choice); },
                             .isOn = [this, choice = choice] { return theme_.choice() == choice; },
                             .group = themesGroup});
    commands_.add(menu, {.words = tr("More contrast"),
                         .run =
                             [this] {
                                 theme_.setMoreContrast(!theme_.moreContrast());
                                 settings_.set(setting::moreContrast, theme_.moreContrast());
                             },
                         .isOn = [this] { return theme_.moreContrast(); }});
    menu->addSeparator();
    const std::pair<QString, SizeUnits> units[] = {{tr("Sizes in KiB, MiB, GiB (1024)"), SizeUnits::Binary},
                                                   {tr("Sizes in kB, MB, GB (1000)"), SizeUnits::Decimal}};
    for (const auto& [words, unit] : units)
        commands_.add(menu, {.words = words,
                             .run = [this, unit = unit] { chooseUnits(unit); },
                             .isOn = [unit = unit] { return sizeUnits() == unit; },
                             .group = unitsGroup});
    menu->addSeparator();
    const auto side = [&](const QString& words, const char* key, SidePanels::Side which) {
        commands_.add(menu, {.words = words,
                             .keys = {QKeySequence(QString::fromLatin1(key))},
                             .run =
                                 [this, which] {
                                     if (auto* panels = sidesOf(stage()))
                                         panels->toggle(which);
                                 },
                             .possible =
                                 [this, which] {
                                     const auto* panels = sidesOf(stage());
                                     return panels && panels->has(which);
                                 },
                             .isOn =
                                 [this, which] {
                                     const auto* panels = sidesOf(stage());
                                     return panels && panels->isShown(which);
                                 }});
    };
    side(tr("Left panel: folders, questions"), "F7", SidePanels::Side::Left);
    side(tr("Right panel: facts"), "F8", SidePanels::Side::Right);
    commands_.add(menu, {.words = tr("Full screen"),
                         .keys = {QKeySequence("F11")},
                         .run = [this] { setWindowState(windowState() ^ Qt::WindowFullScreen); },
                         .isOn = [this] { return isFullScreen(); }});
    commands_.add(menu, {.words = tr("Open the last place at the start"),
                         .run = [this] { settings_.set(setting::openLast, !settings_.of(setting::openLast)); },
                         .isOn = [this] { return settings_.of(setting::openLast); }});
    menu->addSeparator();
    commands_.add(menu, {.words = tr("Reduce motion"),
                         .run = [this] { chooseMotion(!stillPictures_); },
                         .isOn = [this] { return stillPictures_; }});
    auto* weights = menu->addMenu(tr("Follow the weight while a folder holds"));
    for (const int percent : {60, 70, 80, 90, 95})
        commands_.add(weights,
                      {.words = tr("%1 % of its parent").arg(percent),
                       .run = [this, percent] { chooseThreshold(percent); },
                       .isOn = [this, percent] { return qRound(models_.cursor.weightThreshold() * 100) == percent; },
                       .group = weightsGroup});
}

void MainWindow::makeHelpCommands(QMenu* menu)
{
    const auto addPage = [this, menu](const QString& title, const char* page, Keys keys) {
        return commands_.add(menu, {.words = title, .keys = std::move(keys), .run = [this, title, page] {
                                        auto* dialog = new HelpDialog(title, this);
                                        dialog->showPage(QString::fromLatin1(page));
                                        dialog->setAttribute(Qt::WA_DeleteOnClose);
                                        dialog->open();
                                    }});
    };
    addPage(tr("Guide"), "guide", {QKeySequence::HelpContents});
    commands_.add(menu, {.words = tr("Tour of the stages"), .run = [this] { startTour(); }});
    Commands::tellKey(find_->filter(), addPage(tr("Filters"), "filter", {QKeySequence("Shift+F1")}));
    addPage(tr("Advice and the guard"), "advice", {});
    addPage(tr("Marks"), "marks", {});
    addPage(tr("Clearing, and never losing a byte"), "clearing", {});
    addPage(tr("What the figures mean"), "figures", {});
    menu->addSeparator();
    commands_.add(menu, {.words = tr("Report for support…"), .run = [this] { showSupportReport(); }});
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
    commands_.clear(markMenu_);
    const auto add = [this](const QString& words, const QString& key, std::function<void()> run) {
        commands_.add(markMenu_,
                      {.words = words, .keys = {QKeySequence(key)}, .run = std::move(run), .possible = [this] {
                           return hasItem();
                       }});
    };
    for (std::size_t i = 0; i < kinds.size(); ++i)
        add(names[static_cast<qsizetype>(i)], QString::number(i + 1),
            [this, id = kinds[i].id] { models_.view.mark(subjects(), id); });
    add(tr("No mark"), QStringLiteral("0"), [this] { models_.view.mark(subjects(), {}); });
    markMenu_->addSeparator();
    add(tr("Note…"), QStringLiteral("N"), [this] { askForNote(models_.places, models_.view, subjects(), this); });
    commands_.add(markMenu_, {.words = tr("All marks…"), .run = [this] { showMarks(); }})->setObjectName("allMarks");
    commands_.refresh();
}

void MainWindow::chooseTheme(ThemeChoice choice)
{
    theme_.choose(choice);
    settings_.set(setting::theme, static_cast<int>(choice));
    commands_.refresh();
}

void MainWindow::chooseUnits(SizeUnits units)
{
    setSizeUnits(units);
    settings_.set(setting::decimalSizes, units == SizeUnits::Decimal);
    commands_.refresh();
    if (models_.places.place())
        models_.places.tellAgain(); // every figure is written anew
}

void MainWindow::showContextMenu(const QPoint& global)
{
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addActions(
        {goInto_, openInPlace_, previewCommand_, open_, openWith_, show_, terminal_, copy_, rescanFolder_});
    menu->addSeparator();
    menu->addMenu(markMenu_);
    menu->addActions({plan_, planDelete_, planMove_});
    menu->popup(global);
}

void MainWindow::showKeys()
{
    auto keys = commands_.keys();
    // What lists and pictures do by themselves.
    for (const auto& [words, key] : std::initializer_list<std::pair<QString, QString>>{
             {tr("Walk among tiles"), tr("Arrows")},
             {tr("To the parent, to the largest child"), tr("Ctrl+Up, Ctrl+Down")},
             {tr("Into a folder, out of it"), tr("Enter or double-click, Backspace")},
             {tr("In and out at the pointer"), tr("Ctrl+wheel")},
             {tr("Several items"), tr("Ctrl+click; Shift+arrows in the descent")},
             {tr("A folder's children in place"), tr("Shift+Right, Shift+Left in the descent")},
             {tr("Find a name in the descent"), tr("/ and its beginning")},
             {tr("Clear the highlight, close a warning"), tr("Escape")}})
        keys.emplace_back(words, key);
    QString rows;
    for (const auto& [words, key] : keys)
        rows += QStringLiteral("<tr><td style='padding-right:24px'>%1</td><td>%2</td></tr>")
                    .arg(words.toHtmlEscaped(), key.toHtmlEscaped());
    auto* dialog = new HelpDialog(tr("Keyboard shortcuts"), this);
    dialog->setHtml(QStringLiteral("<table>%1</table>").arg(rows));
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->open();
}

} // namespace kurvo::app
