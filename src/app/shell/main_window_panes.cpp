// SPDX-License-Identifier: GPL-3.0-or-later
// The part of the window that leads about in it: panes, panels, the context menu by key, the tour, the title.
#include <QApplication>
#include <QContextMenuEvent>

#include "app/shell/main_window.h"
#include "app/style/words.h"

namespace kurvo::app {

/// What takes long is told where the window is not seen: in the list of windows.
void MainWindow::sayInTitle()
{
    QString doing;
    if (const auto* job = models_.runner.planJob())
        doing = job->kind == PlanJob::Kind::Check      ? QString()
                : job->kind == PlanJob::Kind::TakeBack ? tr("Undoing")
                                                       : tr("Carrying out the plan");
    else if (const auto* scan = models_.scans.runningScan())
        doing = tr("Scanning %1").arg(scan->name.isEmpty() ? toText(scan->path) : scan->name);
    const auto* place = models_.places.place();
    QStringList title;
    if (!doing.isEmpty())
        title << doing;
    else if (place)
        title << toText(place->info.placeName);
    title << (models_.folders.demo ? tr("Kurvo demo") : tr("Kurvo"));
    setWindowTitle(title.join(QStringLiteral(" – ")));
}

SidePanels* MainWindow::sidesOf(Stage stage) const
{
    return stage == Stage::Explore   ? explore_->sides()
           : stage == Stage::Find    ? find_->sides()
           : stage == Stage::Compare ? compare_->sides()
                                     : nullptr;
}

/// In reading order: what F6 goes through.
std::vector<QWidget*> MainWindow::panes() const
{
    std::vector<QWidget*> all{gauge_, rail_};
    const auto own = stage() == Stage::Scan      ? scan_->panes()
                     : stage() == Stage::Explore ? explore_->panes()
                     : stage() == Stage::Find    ? find_->panes()
                     : stage() == Stage::Compare ? compare_->panes()
                                                 : clear_->panes();
    all.insert(all.end(), own.begin(), own.end());
    return all;
}

namespace {

/// The pane itself where it takes the focus, else the first in it that does.
QWidget* firstFocus(QWidget* pane)
{
    const auto takes = [](const QWidget* widget) {
        return widget->isVisible() && widget->isEnabled() && (widget->focusPolicy() & Qt::TabFocus) != 0;
    };
    if (takes(pane))
        return pane;
    for (auto* next = pane->nextInFocusChain(); next && next != pane; next = next->nextInFocusChain())
        if (pane->isAncestorOf(next) && takes(next))
            return next;
    return nullptr;
}

} // namespace

void MainWindow::goToPane(int by)
{
    const auto all = panes();
    const auto* focus = QApplication::focusWidget();
    const int count = static_cast<int>(all.size());
    int at = by > 0 ? -1 : count;
    for (int i = 0; i < count; ++i)
        if (focus &&
            (all[static_cast<std::size_t>(i)] == focus || all[static_cast<std::size_t>(i)]->isAncestorOf(focus)))
            at = i;
    for (int tried = 0; tried < count; ++tried) {
        at = ((at + by) % count + count) % count;
        if (auto* next = firstFocus(all[static_cast<std::size_t>(at)])) {
            next->setFocus(Qt::TabFocusReason);
            return;
        }
    }
}

/// As the right button would open it, at what is current.
void MainWindow::showContextMenuByKey()
{
    auto* focus = QApplication::focusWidget();
    if (!focus)
        return;
    const auto at = focus->inputMethodQuery(Qt::ImCursorRectangle).toRect().center();
    QContextMenuEvent event(QContextMenuEvent::Keyboard, at, focus->mapToGlobal(at));
    QApplication::sendEvent(focus, &event);
}

void MainWindow::closeCurrentPlace()
{
    const auto& all = models_.places.places();
    for (std::size_t i = 0; i < all.size(); ++i)
        if (all[i].get() == models_.places.place())
            return models_.places.closePlace(i);
}

void MainWindow::openLastPlace()
{
    const auto kept = settings_.of(setting::lastPlace);
    if (settings_.of(setting::openLast))
        openKept(kept);
}

void MainWindow::openKept(const QString& snapshot)
{
    if (!snapshot.isEmpty())
        models_.snapshots.open(QByteArray::fromPercentEncoding(snapshot.toLatin1()).toStdString());
}

void MainWindow::open(const StartRequest& request)
{
    if (request.action == QLatin1String("scan-home"))
        scan_->scanHome();
    else if (request.action == QLatin1String("open-last"))
        openKept(settings_.of(setting::lastPlace));
    for (const auto& path : request.paths)
        if (path.ends_with(snapshotSuffix))
            models_.snapshots.open(path);
        else
            scan_->scan(path);
}

void MainWindow::bringToFront(const QString& activationToken)
{
    if (!activationToken.isEmpty()) // where Qt looks for it on Wayland
        qputenv("XDG_ACTIVATION_TOKEN", activationToken.toLocal8Bit());
    setWindowState(windowState() & ~Qt::WindowMinimized);
    show();
    raise();
    activateWindow();
}

void MainWindow::startTour()
{
    const auto key = [](const QAction* command) {
        return command->shortcut().toString(QKeySequence::NativeText).toHtmlEscaped();
    };
    tour_->start(
        {{Stage::Scan,
          tr("Each drive is a card. Press Enter on one, or tick several. Looking changes nothing on a drive.")},
         {Stage::Explore, tr("On the left the folders of where you are, largest first (the descent); the picture shows "
                             "the same; on the "
                             "right are the facts about what is selected (the dossier). %1 follows the weight, down to "
                             "where the space is.")
                              .arg(key(follow_))},
         {Stage::Find, tr("All files, narrowed by a question on the left, a line of filter, or a box in the age field. "
                          "Duplicates, trash and packages are here as well.")},
         {Stage::Compare, tr("Each scan is kept as a snapshot. The two handles on the curve choose which two are "
                             "compared; below is what grew and what shrank.")},
         {Stage::Clear, tr("What was planned (%1) is checked here, carried out when you confirm it, and can be undone "
                           "from the logbook. Sample data is never touched: try it in the practice folder.")
                            .arg(key(plan_))}});
}

} // namespace kurvo::app
