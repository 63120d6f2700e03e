// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QCommandLineParser>
#include <QFile>

#include "app/services/async.h"
#include "app/shell/main_window.h"
#include "app/shell/termination.h"
#include "core/base/version.h"

int main(int argc, char** argv)
{
    kurvo::app::giveMemoryBack();
    QApplication application(argc, argv);
    QApplication::setLayoutDirection(Qt::LeftToRight); // as its words are, and as its rows are drawn
    QApplication::setApplicationName("kurvo");
    QApplication::setApplicationVersion(QString::fromLatin1(kurvo::version().data()));
    QApplication::setDesktopFileName("kurvo");

    QCommandLineParser parser;
    parser.setApplicationDescription(QObject::tr("See what fills a drive, and clear it safely."));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addOption({"demo", QObject::tr("Start with sample data, in a data folder of its own.")});
    parser.addOption({"data", QObject::tr("Keep snapshots and settings in this folder."), "FOLDER"});
    parser.addPositionalArgument("PATH", QObject::tr("Folders to scan, or .kurvo snapshots to open."), "[PATH...]");
    parser.process(application);

    kurvo::app::MainWindow window(
        kurvo::app::appFolders(parser.isSet("demo"), QFile::encodeName(parser.value("data")).toStdString()));
    window.show();
    if (parser.isSet("demo"))
        window.prepareDemo();
    kurvo::app::heedTermination(window);
    if (parser.positionalArguments().isEmpty() && !parser.isSet("demo"))
        window.openLastPlace();
    for (const auto& argument : parser.positionalArguments()) {
        const auto path = QFile::encodeName(argument).toStdString();
        if (path.ends_with(kurvo::snapshotSuffix))
            window.models().snapshots.open(path);
        else
            window.scanStage()->scan(path);
    }
    return QApplication::exec();
}
