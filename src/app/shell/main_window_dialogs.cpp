// SPDX-License-Identifier: GPL-3.0-or-later
// The part of the main window that asks and shows something beside the stages.
#include <QBuffer>
#include <QClipboard>
#include <QDir>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QGuiApplication>
#include <QPainter>
#include <QPrintDialog>
#include <QPrinter>
#include <QScreen>

#include "app/dialogs/choose.h"
#include "app/dialogs/empty_trash_dialog.h"
#include "app/dialogs/guard_dialog.h"
#include "app/dialogs/marks_dialog.h"
#include "app/dialogs/move_dialog.h"
#include "app/dialogs/recovery_dialog.h"
#include "app/dialogs/support_dialog.h"
#include "app/pictures/legend.h"
#include "app/pictures/picture_export.h"
#include "app/services/async.h"
#include "app/shell/chronicle.h"
#include "app/shell/main_window.h"
#include "app/style/words.h"
#include "core/report/change_report.h"
#include "core/report/place_report.h"

namespace kurvo::app {
namespace {

constexpr QSize sheetSize(1400, 990); ///< as wide as high as paper lies

} // namespace

void MainWindow::askToLiftGuard(NodeId node, const Intent& intent, const QString& reason)
{
    const auto* place = models_.places.place();
    auto* dialog = new GuardDialog(toText(place->tree->path(node)), reason, models_.places.adviceFor(node), this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, node, intent, store = place->tree->sharedStore()] {
        if (models_.places.place() && models_.places.place()->tree->sharedStore() == store)
            models_.plan.planItem(node, intent, Guard::Lifted);
    });
    dialog->open();
}

/// Delete takes off again what it put on.
void MainWindow::togglePlanned()
{
    const auto nodes = subjects();
    if (!isPlanned())
        return planSubjects({});
    models_.plan.unplan(nodes);
}

void MainWindow::planSubjects(const Intent& intent)
{
    const auto nodes = subjects();
    constexpr std::size_t most = 500;
    if (nodes.size() > most)
        return models_.notices.say(tr("%1 are too many to plan one by one. Plan the folder that holds them.")
                                       .arg(itemsText(nodes.size(), "item")),
                                   Severity::Warning);
    if (nodes.size() > 1)
        models_.plan.planAll(nodes, intent); // the guard is lifted for one item at a time
    else if (!nodes.empty())
        models_.plan.planItem(nodes.front(), intent);
}

void MainWindow::askWhereToMove()
{
    const auto* place = models_.places.place();
    const auto nodes = subjects();
    if (!place || nodes.empty())
        return;
    std::uint64_t bytes = 0;
    for (const NodeId node : nodes)
        bytes += place->tree->disk(node);
    auto* dialog = new MoveDialog(models_.places, nodes.size(), bytes, settings_.of(setting::moveTo),
                                  settings_.of(setting::leaveLink), this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, dialog, nodes, store = place->tree->sharedStore()] {
        const Intent intent{Action::Move, dialog->destination(), dialog->leavesLink()};
        settings_.set(setting::moveTo, QFile::decodeName(intent.destination.c_str()));
        settings_.set(setting::leaveLink, intent.leaveLink);
        if (!models_.places.place() || models_.places.place()->tree->sharedStore() != store)
            return models_.notices.say(tr("The place was rescanned in the meantime. Select the items again."),
                                       Severity::Warning);
        if (nodes.size() == 1)
            models_.plan.planItem(nodes.front(), intent);
        else
            models_.plan.planAll(nodes, intent);
    });
    dialog->open();
}

/// The folder that something was saved into last.
QString MainWindow::savedIn()
{
    const auto kept = settings_.of(setting::savedIn);
    return kept.isEmpty() ? QDir::homePath() : kept;
}

/// Asks for a file name without holding up the window, and remembers the folder.
void MainWindow::askForFile(const QString& title, const QString& suggestion, const QStringList& kinds,
                            const std::function<void(const std::string&)>& save)
{
    auto* dialog = new QFileDialog(this, title, savedIn());
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
        settings_.set(setting::savedIn, QFileInfo(file).path());
        save(QFile::encodeName(file).toStdString());
    });
    dialog->open();
}

void MainWindow::savePicture()
{
    const auto* place = models_.places.place();
    if (!place)
        return;
    const auto name = toText(place->tree->label(place->focus)).replace(QLatin1Char('/'), QLatin1Char('_'));
    askForFile(tr("Save the picture"),
               QStringLiteral("%1.png").arg(name == QLatin1String("_") ? toText(place->info.host) : name),
               {tr("PNG picture (*.png)"), tr("SVG drawing (*.svg)")}, [this](const std::string& file) {
                   const auto* open = models_.places.place();
                   if (!open)
                       return;
                   if (file.ends_with(".svg"))
                       return saveBytes(models_.notices, file, sheetSvg(*open, *explore_->legend(), sheetSize));
                   QByteArray bytes;
                   QBuffer buffer(&bytes);
                   buffer.open(QIODevice::WriteOnly);
                   sheetImage(*open, *explore_->legend(), sheetSize).save(&buffer, "PNG");
                   saveBytes(models_.notices, file, bytes);
               });
}

void MainWindow::copyPicture()
{
    if (const auto* place = models_.places.place()) {
        QGuiApplication::clipboard()->setImage(sheetImage(*place, *explore_->legend(), sheetSize));
        models_.notices.say(tr("The picture is in the clipboard."));
    }
}

void MainWindow::printPicture()
{
    if (!models_.places.place())
        return;
    auto* dialog = new QPrintDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, qOverload<QPrinter*>(&QPrintDialog::accepted), this, [this](QPrinter* printer) {
        const auto* open = models_.places.place();
        if (!open)
            return;
        printer->setPageOrientation(QPageLayout::Landscape);
        QPainter painter;
        if (!painter.begin(printer))
            return models_.notices.say(tr("The printer did not take the picture."), Severity::Problem);
        const auto page = printer->pageLayout().paintRectPixels(printer->resolution());
        const double scale = std::min(page.width() / static_cast<double>(sheetSize.width()),
                                      page.height() / static_cast<double>(sheetSize.height()));
        painter.scale(scale, scale);
        paintSheet(painter, QRectF(QPointF(), sheetSize), *open, *explore_->legend());
        if (!painter.end())
            models_.notices.say(tr("The printer did not take the picture."), Severity::Problem);
    });
    dialog->open();
}

void MainWindow::saveList()
{
    const auto* place = models_.places.place();
    if (!place)
        return;
    const auto name = toText(place->tree->label(place->focus)).replace(QLatin1Char('/'), QLatin1Char('_'));
    askForFile(tr("Save the list"),
               QStringLiteral("%1.csv").arg(name == QLatin1String("_") ? toText(place->info.host) : name),
               {tr("CSV table (*.csv)")}, [this, found = stage() == Stage::Find](const std::string& file) {
                   const auto* open = models_.places.place();
                   if (!open)
                       return;
                   runAsync(
                       this,
                       [tree = open->tree, focus = open->focus, measure = models_.places.measure(), found,
                        files = find_->model()->files()] {
                           return listCsv(*tree, found ? files : tree->sortedChildren(focus, measure));
                       },
                       [this, file](const QByteArray& bytes) { saveBytes(models_.notices, file, bytes); });
               });
}

void MainWindow::savePage()
{
    const auto* place = models_.places.place();
    if (!place)
        return;
    askForFile(tr("Save a page to send"), tr("%1.html").arg(toText(place->info.host)), {tr("Page (*.html)")},
               [this](const std::string& file) {
                   const auto* open = models_.places.place();
                   if (!open)
                       return;
                   runAsync(
                       this,
                       [tree = open->tree, info = open->info, advice = open->adviceOfTree(), leads = open->leads,
                        rules = models_.knowledge.sharedRules(), units = sizeUnits()]() mutable {
                           if (!advice)
                               advice = std::make_shared<const TreeAdvice>(
                                   adviseTree(rules ? rules->book : RuleBook::builtIn(), *tree));
                           return QByteArray::fromStdString(
                               placeAsHtml(info, *tree, *advice, leads ? *leads : Leads{}, units));
                       },
                       [this, file](const QByteArray& bytes) { saveBytes(models_.notices, file, bytes); });
               });
}

void MainWindow::saveChanges()
{
    auto& comparing = compare_->comparing();
    if (!comparing.comparison())
        return;
    const auto kinds = QStringList{tr("Report (*.html)"), tr("CSV table (*.csv)"), tr("JSON lines (*.jsonl)")};
    askForFile(
        tr("Save the changes"), tr("changes-%1.html").arg(toText(comparing.infoNow().host)), kinds,
        [this](const std::string& file) {
            auto& now = compare_->comparing();
            if (!now.comparison())
                return;
            ChangeReport about{now.comparison(),    {}, now.infoBefore().taken, now.infoNow().taken, now.infoNow().host,
                               now.infoNow().owners};
            const auto& shown = compare_->shownLines(); // as the filter has it
            runAsync(
                this,
                [about = std::move(about), lines = shown && !shown->empty() ? shown : now.lines(), file] {
                    auto report = about;
                    report.lines = *lines;
                    return QByteArray::fromStdString(file.ends_with(".csv")     ? changesAsCsv(report)
                                                     : file.ends_with(".jsonl") ? changesAsJsonLines(report)
                                                                                : changesAsHtml(report, sizeUnits()));
                },
                [this, file](const QByteArray& bytes) { saveBytes(models_.notices, file, bytes); });
        });
}

void MainWindow::showMarks()
{
    if (!models_.places.place())
        return models_.notices.say(tr("Open a place first: marks belong to a machine."), Severity::Warning);
    auto* dialog = new MarksDialog(models_.places, models_.cursor, models_.notices, models_.knowledge, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &MarksDialog::saveRequested, this, [this] {
        const auto host = models_.places.place()->info.host;
        askForFile(tr("Save the marks"), tr("marks-%1.csv").arg(toText(host)), {tr("CSV table (*.csv)")},
                   [this, host](const std::string& file) {
                       const auto csv = marksAsCsv(*models_.knowledge.marks(host));
                       saveBytes(models_.notices, file, QByteArray::fromStdString(csv));
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
    menu->popup(global);
}

void MainWindow::askToEmptyTrash()
{
    if (!models_.places.place() || models_.runner.planJob())
        return;
    listTrash(this, models_.places.place()->info.place, models_.folders.user,
              [this](std::vector<TrashedItem> items, std::uint64_t bytes) {
                  if (!models_.places.place())
                      return;
                  auto* dialog = new EmptyTrashDialog(*models_.places.place(), items, bytes, this);
                  dialog->setAttribute(Qt::WA_DeleteOnClose);
                  connect(dialog, &QDialog::accepted, this, [this, dialog] {
                      const auto toPlan = [this] { setStage(Stage::Clear); };
                      if (dialog->wantsEverything())
                          models_.runner.planEmptying(dialog->folders(), toPlan);
                      else
                          models_.runner.planRemoval(dialog->ours(), toPlan);
                  });
                  dialog->open();
              });
}

void MainWindow::savePlan()
{
    const auto* place = models_.places.place();
    if (!place || place->plan.empty())
        return;
    askForFile(tr("Save the plan"), tr("plan-%1.json").arg(toText(place->info.host)), {tr("Plan (*.json)")},
               [this](const std::string& file) { models_.keeper.savePlan(file); });
}

void MainWindow::openPlan()
{
    chooseFile(this, tr("Open a plan"), savedIn(), tr("Plan (*.json)"), [this](const std::string& file) {
        models_.keeper.openPlan(file);
        setStage(Stage::Clear);
    });
}

void MainWindow::saveReport(std::int64_t run)
{
    const auto* record = models_.logbook.recordOf(run);
    if (!record)
        return;
    askForFile(tr("Save the report"), tr("cleared-%1-%2.html").arg(toText(record->run.host)).arg(run),
               {tr("Report to print (*.html)"), tr("CSV table (*.csv)"), tr("JSON (*.json)")},
               [this, run](const std::string& file) {
                   models_.logbook.writeReport(run, [this, file](const RunReport& report) {
                       auto whole = report;
                       const auto* open = models_.places.place();
                       if (open && open->leads && open->info.place == report.record.run.place)
                           whole.leads = *open->leads;
                       const auto text = file.ends_with(".csv")    ? reportCsv(whole)
                                         : file.ends_with(".json") ? reportJson(whole)
                                                                   : reportHtml(whole, sizeUnits());
                       saveBytes(models_.notices, file, QByteArray::fromStdString(text));
                   });
               });
}

void MainWindow::showRecovered(const QStringList& sentences, bool waiting)
{
    auto* dialog = new RecoveryDialog(sentences, waiting, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &RecoveryDialog::againRequested, this,
            [this](bool withRights) { models_.runner.recover(withRights); });
    connect(dialog, &QDialog::accepted, this, [this] {
        setStage(Stage::Clear);
        if (!models_.logbook.history().empty())
            clear_->showRun(models_.logbook.history().front().run.id);
    });
    dialog->open();
}

void MainWindow::tellOfKeeping(std::size_t count)
{
    if (settings_.of(setting::keepingTold))
        return;
    settings_.set(setting::keepingTold, true);
    models_.notices.say(
        tr("%1 of this place removed: of many, one a week and one a month are kept. Choose how many in Compare, "
           "Snapshots…; what is pinned, named or noted stays.")
            .arg(itemsText(count, "earlier snapshot")),
        Severity::Warning);
}

void MainWindow::showSupportReport()
{
    auto* dialog = new SupportDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    QStringList screens;
    for (const auto* one : QGuiApplication::screens())
        screens << QStringLiteral("%1 x %2 at %3")
                       .arg(one->size().width())
                       .arg(one->size().height())
                       .arg(one->devicePixelRatio());
    runAsync(
        dialog,
        [settings = models_.folders.settings(), state = models_.folders.state,
         about = QStringLiteral("%1, screens: %2").arg(QGuiApplication::platformName(), screens.join(", "))] {
            return supportReport(settings, state, about);
        },
        [dialog](const QString& report) { dialog->setReport(report); });
    connect(dialog, &SupportDialog::saveRequested, this, [this, dialog] {
        askForFile(tr("Save the report"), QStringLiteral("kurvo-report.txt"), {tr("Text (*.txt)")},
                   [this, report = dialog->report()](const std::string& file) {
                       saveBytes(models_.notices, file, report.toUtf8());
                   });
    });
    dialog->open();
}

void MainWindow::showLedger()
{
    const auto* place = models_.places.place();
    if (!place || place->isGrowing())
        return;
    if (!place->hasLedger())
        return models_.notices.say(tr("A ledger needs the drive itself, and with this snapshot none was kept."));
    auto* dialog = new LedgerDialog(models_.places, models_.trees, models_.rights, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &LedgerDialog::notReadRequested, this, &MainWindow::showNotRead);
    dialog->show();
}

void MainWindow::showNotRead()
{
    if (!models_.places.place())
        return;
    auto* dialog = findChild<NotReadDialog*>();
    if (!dialog) {
        dialog = new NotReadDialog(models_.places, models_.trees, models_.rights, this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
    }
    dialog->show();
    dialog->raise();
}

} // namespace kurvo::app
