// SPDX-License-Identifier: GPL-3.0-or-later
// kurvo-tour FOLDER [DATA [DRIVE]]: walks through the application with the demo data and writes a picture of each main
// view; with DRIVE, a place to scan, also one of its ledger. Works on a copy of nothing: DATA (or a folder beside the
// pictures) is made anew and removed by the caller.
#include <QApplication>
#include <QDir>
#include <QListView>
#include <QTest>
#include <QTreeWidget>

#include <fmt/format.h>

#include "app/main_window.h"
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
        auto& session = window_.session();
        window_.resize(1280, 800);
        window_.themeControl().choose(ThemeChoice::Light);
        window_.show();
        window_.prepareDemo();
        if (!waitFor([this] { return window_.scanStage()->cards().size() >= 3; }))
            return 3;
        QTest::qWait(300);
        picture("scan");

        session.openSnapshot(demo::demoFolders(session.folders().data).snapshots + "/skerry-system-2026-06.kurvo");
        if (!waitFor([&] { return session.place() != nullptr; }))
            return 3;
        settle();
        picture("explore-root");
        const auto& tree = *session.place()->tree;
        session.setFocus(*tree.find("/home/warden"));
        session.select(*tree.find("/home/warden/.cache/tide-maps"));
        settle();
        picture("explore-light");
        // From three sides, in colours that each tell something else.
        window_.themeControl().choose(ThemeChoice::Dark);
        session.setPicture(PictureKind::Sunburst);
        session.setFocus(rootNode);
        session.reveal(*tree.find("/home/warden/.cache/tide-maps"));
        settle();
        picture("explore-sunburst-dark");
        window_.themeControl().choose(ThemeChoice::Light);
        session.setPicture(PictureKind::Treemap);
        session.setColour(ColourBy::Growth);
        waitFor([&] { return session.place()->scheme->by() == ColourBy::Growth; });
        settle();
        picture("explore-growth");
        session.setColour(ColourBy::Family);
        session.setPicture(PictureKind::Types);
        auto* types = window_.exploreStage()->types()->list();
        waitFor([&] { return types->topLevelItemCount() > 2; });
        settle();
        auto* audio = types->topLevelItem(1);
        types->setCurrentItem(audio);
        audio->setExpanded(true);
        audio->child(0)->setExpanded(true);
        settle();
        picture("explore-types");
        session.setPicture(PictureKind::Sunburst);
        session.setFocus(*tree.find("/home"));
        session.select(*tree.find("/home/ringing"));
        settle();
        picture("explore-lit");
        session.light(session.place()->lit);
        session.setPicture(PictureKind::Treemap);
        session.setFocus(rootNode);
        window_.setStage(Stage::Find);
        auto* find = window_.findStage();
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
        find->filter()->setText("family:audio age>30d");
        settle();
        waitFor([&] { return find->isSettled(); });
        QTest::mouseClick(find->findChild<QPushButton*>("onlyFound"), Qt::LeftButton);
        waitFor([&] { return session.place()->narrowing.has_value(); });
        session.setFocus(*tree.find("/home"));
        session.select(*tree.find("/home/ringing"));
        settle();
        picture("explore-found");
        session.showAll();
        session.setFocus(rootNode);
        find->filter()->clear();

        // The practice folder: everything for real.
        session.scanFolder(demo::demoFolders(session.folders().data).practice, "Practice folder");
        if (!waitFor([&] { return !session.runningScan() && session.places().size() == 2; }))
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
        window_.setStage(Stage::Explore);
        QTest::keyClick(&window_, Qt::Key_H);
        waitFor([&] { return session.place()->selection != noNode; });
        QTest::keyClick(&window_, Qt::Key_Delete);
        const auto& practice = *session.place()->tree;
        for (const auto* name : {"/var/log/recorder.log.1", "/var/lib/dumps", "/ringing/Recordings copy"})
            session.planTrash(*practice.find(practice.path(rootNode) + name));
        window_.setStage(Stage::Clear);
        waitFor([&] { return !session.planJob(); });
        settle();
        picture("clear-before");
        QTest::mouseClick(window_.findChild<QPushButton*>("carryOut"), Qt::LeftButton);
        waitFor([&] { return !session.planJob() && session.place()->plan.empty(); });
        settle();
        picture("clear-after");
        session.takeBack(session.history().front().run.id);
        waitFor([&] { return !session.planJob(); });
        if (!drive.empty())
            ledger(drive);
        return failed_ ? 3 : 0;
    }

private:
    void ledger(const std::string& drive)
    {
        auto& session = window_.session();
        session.scanFolder(drive);
        waitFor([&] { return !session.runningScan(); });
        window_.setStage(Stage::Explore);
        settle();
        QTest::keyClick(&window_, Qt::Key_L, Qt::ControlModifier);
        auto* dialog = window_.findChild<LedgerDialog*>();
        waitFor([&] { return dialog && dialog->findChild<QTreeWidget*>("ledgerList")->topLevelItemCount() > 0; });
        settle();
        if (dialog)
            save(dialog->grab(), "ledger");
    }
    void settle() { QTest::qWait(500); }
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
