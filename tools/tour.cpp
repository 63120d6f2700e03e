// SPDX-License-Identifier: GPL-3.0-or-later
// kurvo-tour FOLDER [DATA [DRIVE]]: walks through the application with the demo data and writes a picture of each main
// view; with DRIVE, a place to scan, also one of its ledger. Works on a copy of nothing: DATA (or a folder beside the
// pictures) is made anew and removed by the caller.
#include <QApplication>
#include <QCheckBox>
#include <QDialog>
#include <QDir>
#include <QFile>
#include <QListView>
#include <QPushButton>
#include <QTest>
#include <QTreeWidget>

#include <fmt/format.h>

#include "app/dialogs/rule_dialog.h"
#include "app/shell/main_window.h"
#include "core/find/largest.h"
#include "demo/demo_data.h"

using namespace kurvo;
using namespace kurvo::app;

namespace {

bool waitFor(const std::function<bool()>& condition)
{
    return QTest::qWaitFor(condition, 60000);
}

class Tour {
public:
    Tour(QString folder, const std::string& data) : folder_(std::move(folder)), window_(appFolders(true, data)) { }

    int run(const std::string& drive)
    {
        auto& models = window_.models();
        window_.resize(1280, 800);
        window_.themeControl().choose(ThemeChoice::Light);
        window_.show();
        window_.prepareDemo();
        if (!waitFor([this] { return window_.scanStage()->cards().size() >= 3; }))
            return 3;
        waitFor(
            [this] { return window_.scanStage()->cards().front()->accessibleDescription().contains("stands out:"); });
        if (auto* leave = window_.findChild<QPushButton*>("tourLeave"); leave && leave->isVisible())
            QTest::mouseClick(leave, Qt::LeftButton);
        QTest::qWait(300);
        picture("scan");

        models.snapshots.open(demo::demoFolders(models.folders.data).snapshots + "/skerry-system-2026-06.kurvo");
        if (!waitFor([&] { return models.places.place() != nullptr; }))
            return 3;
        knowLeads();
        settle();
        picture("explore-root");
        const auto& tree = *models.places.place()->tree;
        models.cursor.setFocus(*tree.find("/home/warden"));
        models.cursor.select(*tree.find("/home/warden/.cache/tide-maps"));
        settle();
        picture("explore-light");
        // From three sides, in colours that each tell something else.
        window_.themeControl().choose(ThemeChoice::Dark);
        models.view.setPicture(PictureKind::Sunburst);
        models.cursor.setFocus(rootNode);
        models.cursor.reveal(*tree.find("/home/warden/.cache/tide-maps"));
        settle();
        picture("explore-sunburst-dark");
        window_.themeControl().choose(ThemeChoice::Light);
        models.view.setPicture(PictureKind::Treemap);
        models.view.setColour(ColourBy::Growth);
        waitFor([&] { return models.places.place()->scheme->by() == ColourBy::Growth; });
        settle();
        picture("explore-growth");
        models.view.setColour(ColourBy::Family);
        models.view.setPicture(PictureKind::Types);
        auto* types = window_.exploreStage()->types()->list();
        waitFor([&] { return types->topLevelItemCount() > 2; });
        settle();
        auto* audio = types->topLevelItem(1);
        types->setCurrentItem(audio);
        audio->setExpanded(true);
        audio->child(0)->setExpanded(true);
        settle();
        picture("explore-types");
        models.view.setPicture(PictureKind::Roles);
        waitFor([&] { return window_.exploreStage()->roles()->list()->topLevelItemCount() > 0; });
        settle();
        picture("explore-roles");
        models.view.light(models.places.place()->lit);
        models.view.setPicture(PictureKind::Treemap);
        models.cursor.setFocus(rootNode);
        compare();
        window_.setStage(Stage::Find);
        auto* find = window_.findStage();
        knowLeads();
        waitFor([find] { return find->isSettled(); });
        models.leads.choose({models.leads.leads()->leads.front().id});
        settle();
        picture("find-leads");
        makeRule();
        models.leads.choose({});
        models.view.putOut();
        models.cursor.select(noNode);
        find->showFiles();
        find->filter()->setText("is:hidden or family:audio");
        settle();
        waitFor([&] { return find->isSettled(); });
        find->ageField()->setBox(FieldBox{0.55, 0.85, 0.55, 0.85});
        emit find->ageField()->boxChanged();
        settle();
        waitFor([&] { return find->isSettled(); });
        find->list()->selectRow(2);
        settle();
        picture("find");
        find->filter()->clear();

        // The practice folder: everything for real.
        models.scans.scanFolder(demo::demoFolders(models.folders.data).practice, "Practice folder");
        if (!waitFor([&] { return !models.scans.runningScan() && models.places.places().size() == 2; }))
            return 3;
        window_.setStage(Stage::Find);
        auto* duplicates = find->duplicates();
        find->questions()->setCurrentItem(find->questions()->findItems("Duplicates", Qt::MatchExactly).value(0));
        QTest::mouseClick(duplicates->searchButton(), Qt::LeftButton);
        waitFor([&] { return duplicates->isSettled() && duplicates->groups()->topLevelItemCount() > 0; });
        duplicates->groups()->setFocus();
        duplicates->groups()->setCurrentItem(duplicates->groups()->topLevelItem(0)->child(0));
        settle();
        waitFor([&] { return find->dossier()->advice()->isSettled(); });
        picture("find-duplicates");
        find->questions()->setCurrentRow(0);
        clear(drive);
        if (!drive.empty())
            ledger(drive);
        together();
        return failed_ ? 3 : 0;
    }

private:
    /// A plan with something of everything, carried out; then the end of a run that was killed.
    void compare()
    {
        auto& models = window_.models();
        window_.setStage(Stage::Compare);
        auto& comparing = window_.compareStage()->comparing();
        const auto compared = [&] { return waitFor([&] { return !comparing.isBusy() && comparing.comparison(); }); };
        if (!compared())
            return;
        comparing.choose(2, comparing.points().size() - 1);
        if (!compared())
            return;
        const auto& now = comparing.comparison()->now();
        comparing.setFocus(comparing.comparison()->atNow(*now.find("/home")));
        comparing.toggleCurve("/home/warden/.cache/tide-maps");
        comparing.select(comparing.comparison()->atNow(*now.find("/home/warden")));
        settle();
        picture("compare");
        window_.themeControl().choose(ThemeChoice::Dark);
        window_.compareStage()->filter()->setText("change:moved or change:vanished");
        QTest::qWait(500);
        picture("compare-list-dark");
        window_.compareStage()->filter()->clear();
        window_.themeControl().choose(ThemeChoice::Light);
        models.cursor.select(noNode);
    }
    void clear(const std::string& drive)
    {
        auto& models = window_.models();
        window_.setStage(Stage::Explore);
        const auto practice = models.places.place()->tree->path(rootNode);
        const auto node = [&](const std::string& name) {
            return models.places.place()->tree->find(practice + name).value_or(noNode);
        };
        models.view.note({node("/guest")}, tr("Is this account still needed?"));
        models.view.mark({node("/ringing/Recordings copy")}, "ask");
        models.view.note({node("/ringing/Recordings copy")}, tr("The same season as on the left?"));
        for (const auto* name :
             {"/warden/.cache/tide-maps/sheets.mbtiles", "/var/log/recorder.log", "/ringing/Recordings copy"})
            models.plan.planTrash(node(name));
        models.plan.planItem(node("/var/lib/dumps"), {Action::Delete, {}, false});
        models.plan.planItem(node("/var/log/recorder.log.1"), {Action::Delete, {}, false});
        const auto archive = (drive.empty() ? std::string("/dev/shm/kurvo-tour-") + freshToken() : drive) + "/skerry";
        if (makeFolders(archive))
            models.plan.planItem(node("/warden/Recordings"), {Action::Move, archive, true});
        QFile log(QString::fromStdString(practice + "/var/log/recorder.log"));
        if (log.open(QIODevice::Append)) // it goes on growing
            log.write("a line that came after the scan\n");
        log.close();
        window_.setStage(Stage::Clear);
        waitFor([&] { return !models.runner.planJob() && !models.places.place()->findings.empty(); });
        window_.clearStage()->list()->setCurrentIndex(window_.clearStage()->list()->model()->index(1, 0));
        settle();
        picture("clear-before");
        QTest::mouseClick(window_.findChild<QPushButton*>("carryOut"), Qt::LeftButton);
        settle();
        if (auto* dialog = window_.findChild<QDialog*>("confirmDialog")) {
            save(dialog->grab(), "clear-confirm");
            QTest::keyClick(dialog->findChild<QCheckBox*>("confirmCount"), Qt::Key_Space);
            QTest::keyClick(dialog->findChild<QPushButton*>("confirm"), Qt::Key_Return);
        }
        waitFor([&] {
            return !models.logbook.history().empty() && !models.runner.planJob() && models.scans.scans().empty();
        });
        window_.clearStage()->showRun(models.logbook.history().front().run.id);
        settle();
        picture("clear-after");
        models.logbook.writeReport(models.logbook.history().front().run.id, [this](const RunReport& report) {
            QFile file(folder_ + "/report.html");
            if (file.open(QIODevice::WriteOnly))
                file.write(QByteArray::fromStdString(reportHtml(report)));
        });
        models.runner.takeBack(models.logbook.history().front().run.id);
        settle();
        waitFor([&] { return !models.runner.planJob() && models.scans.scans().empty(); });
        if (drive.empty())
            QDir(QString::fromStdString(std::string(parentPath(archive)))).removeRecursively();
        models.plan.clearPlan();
    }

    /// Of the lead that is chosen: what it would do.
    void makeRule()
    {
        QTest::keyClick(&window_, Qt::Key_R, Qt::ControlModifier | Qt::AltModifier);
        auto* dialog = window_.findChild<RuleDialog*>("ruleDialog");
        if (!dialog)
            return;
        QTest::mouseClick(dialog->findChild<QPushButton*>("seeRule"), Qt::LeftButton);
        waitFor([&] { return dialog->items()->rowCount() > 0; });
        settle();
        save(dialog->grab(), "upkeep-rule");
        dialog->reject();
        settle();
    }

    /// The demo's two drives as one.
    void together()
    {
        auto& models = window_.models();
        models.snapshots.open(demo::demoFolders(models.folders.data).snapshots + "/skerry-archive-2026-06.kurvo");
        waitFor([&] { return models.together.joinable().size() > 1; });
        std::vector<std::uint64_t> drives;
        for (const auto& place : models.places.places())
            if (place->info.placeName.starts_with("Skerry system") || place->info.placeName == "skerry-archive")
                drives.push_back(place->id);
        models.together.join(drives, "Desk and archive");
        if (!waitFor([&] { return models.places.place()->isTogether(); }))
            return;
        window_.setStage(Stage::Explore);
        models.view.setPicture(PictureKind::Treemap);
        waitFor([&] { return models.leads.leads() != nullptr && !models.leads.isWorking(); });
        settle();
        models.view.setAreas(true);
        settle();
        if (auto* notice = window_.findChild<NoticeBar*>()) // what was said before is of something else
            notice->hide();
        picture("explore-together");
        models.view.setAreas(false);
    }

    static QString tr(const char* text) { return QString::fromUtf8(text); }

    void ledger(const std::string& drive)
    {
        auto& models = window_.models();
        models.scans.scanFolder(drive);
        waitFor([&] { return !models.scans.runningScan(); });
        window_.setStage(Stage::Explore);
        settle();
        window_.activateWindow(); // keys are for the active window, and there were dialogs
        waitFor([this] { return window_.isActiveWindow(); });
        QTest::keyClick(&window_, Qt::Key_L, Qt::ControlModifier);
        auto* dialog = window_.findChild<LedgerDialog*>();
        waitFor([&] { return dialog && dialog->findChild<QTreeWidget*>("ledgerList")->topLevelItemCount() > 0; });
        settle();
        if (dialog)
            save(dialog->grab(), "ledger");
        failed_ = failed_ || !dialog;
    }
    void settle() { QTest::qWait(500); }
    /// What stands out, and what grew, is worked out while others are busy as well.
    void knowLeads()
    {
        auto& models = window_.models();
        waitFor([&] {
            return models.leads.leads() && !models.leads.isWorking() && models.places.place() &&
                   models.places.place()->earlier;
        });
    }
    void picture(const char* name) { save(window_.grab(), name); }
    void save(const QPixmap& pixels, const char* name)
    {
        const auto path = folder_ + "/" + name + ".png";
        if (!pixels.save(path)) {
            fmt::print(stderr, "kurvo-tour: could not write {}\n", path.toStdString());
            failed_ = true;
        } else {
            fmt::print("{}\n", path.toStdString());
        }
    }

    QString folder_;
    MainWindow window_;
    bool failed_ = false;
};

} // namespace

int main(int argc, char** argv)
{
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM") && qEnvironmentVariableIsEmpty("DISPLAY"))
        qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    if (argc < 2) {
        fmt::print(stderr, "usage: kurvo-tour FOLDER [DATA [DRIVE]]\n");
        return 2;
    }
    const QString folder = QString::fromLocal8Bit(argv[1]);
    QDir().mkpath(folder);
    const std::string data = argc > 2 ? argv[2] : QDir(folder).absoluteFilePath("data").toStdString();
    return Tour(folder, data).run(argc > 3 ? argv[3] : "");
}
