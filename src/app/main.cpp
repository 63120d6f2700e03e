// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QCommandLineParser>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QFontDatabase>

#include <cstdio>
#include <filesystem>
#include <span>

#include "app/services/async.h"
#include "app/services/desktop.h"
#include "app/services/log.h"
#include "app/shell/instance.h"
#include "app/shell/main_window.h"
#include "app/shell/tell_upkeep.h"
#include "app/shell/termination.h"
#include "core/base/version.h"

using namespace kurvo::app;

namespace {

/// What a carried Kurvo writes, it writes beside itself: also the cache of fonts, which is made by a library that asks
/// the environment. Programs that are started later have the environment as it was.
class CarriedCache {
public:
    CarriedCache() : before_(qgetenv(name))
    {
        if (!kurvo::carriedData().empty())
            qputenv(name, QByteArray::fromStdString(kurvo::joinPath(kurvo::carriedData(), "cache")));
    }
    void end() const
    {
        if (kurvo::carriedData().empty())
            return;
        (void)QFontDatabase::families(); // now it has asked
        before_.isNull() ? qunsetenv(name) : qputenv(name, before_);
    }

private:
    static constexpr auto name = "XDG_CACHE_HOME";
    QByteArray before_;
};

/// The absolute path that was meant, with the bytes that were typed: names need not be text.
std::string pathTyped(const QString& argument, std::span<char* const> typed)
{
    auto bytes = QFile::encodeName(argument).toStdString();
    for (const auto* word : typed)
        if (QString::fromLocal8Bit(word) == argument)
            bytes = word;
    if (argument.startsWith(QLatin1String("file:///")))
        bytes = pathOf(argument);
    std::error_code ignored;
    auto path = std::filesystem::absolute(bytes, ignored).lexically_normal().string();
    if (path.size() > 1 && path.ends_with('/'))
        path.pop_back();
    return path;
}

/// Fonts that lie beside the program, where it is carried.
void addCarriedFonts()
{
    const QDir fonts(QCoreApplication::applicationDirPath() + QStringLiteral("/fonts"));
    for (const auto& font : fonts.entryList({QStringLiteral("*.otf"), QStringLiteral("*.ttf")}, QDir::Files))
        QFontDatabase::addApplicationFont(fonts.filePath(font));
}

} // namespace

int main(int argc, char** argv)
{
    if (argc == 2 && std::string_view(argv[1]) == "--tell-upkeep") // needs no display
        return tellUpkeep(argc, argv);
    giveMemoryBack();
    const CarriedCache cache; // before anything looks for fonts
    QApplication application(argc, argv);
    cache.end();
    addCarriedFonts();
    QApplication::setLayoutDirection(Qt::LeftToRight); // as its words are, and as its rows are drawn
    QApplication::setApplicationName("kurvo");
    QApplication::setApplicationVersion(QString::fromLatin1(kurvo::version().data()));
    QApplication::setDesktopFileName(applicationId);

    QCommandLineParser parser;
    parser.setApplicationDescription(QObject::tr("See what fills a drive, and clear it safely."));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addOption({"demo", QObject::tr("Start with sample data, in a data folder of its own.")});
    parser.addOption({"data", QObject::tr("Keep snapshots and settings in this folder."), "FOLDER"});
    parser.addOption({"new-window", QObject::tr("Open a window of its own, also where one is open.")});
    parser.addOption({"action", QObject::tr("scan-home or open-last: what the launcher's menu offers."), "ACTION"});
    parser.addOption(
        {"log-level", QObject::tr("What the log keeps: error, warn, info (unless given) or debug."), "LEVEL", "info"});
    QCommandLineOption activated("activated"); // by the bus, which then says what for
    activated.setFlags(QCommandLineOption::HiddenFromHelp);
    parser.addOption(activated);
    parser.addPositionalArgument("PATH", QObject::tr("Folders to scan, or .kurvo snapshots to open."), "[PATH...]");
    parser.process(application);

    const auto wrong = [](const QString& sentence) {
        std::fprintf(stderr, "kurvo: %s\n", sentence.toLocal8Bit().constData());
        return 2;
    };
    StartRequest request;
    request.action = parser.value("action");
    if (!request.action.isEmpty() && request.action != "scan-home" && request.action != "open-last")
        return wrong(QObject::tr("There is no action \"%1\": scan-home or open-last.").arg(request.action));
    LogLevel level = LogLevel::Info;
    if (!logLevelOf(parser.value("log-level"), level))
        return wrong(
            QObject::tr("There is no log level \"%1\": error, warn, info or debug.").arg(parser.value("log-level")));
    for (const auto& argument : parser.positionalArguments())
        request.paths.push_back(pathTyped(argument, {argv, static_cast<std::size_t>(argc)}));

    // Two ways to write a path are one folder.
    const auto data = parser.isSet("data") ? QFileInfo(parser.value("data")).absoluteFilePath() : QString();
    const auto folders = appFolders(parser.isSet("demo"), QFile::encodeName(QDir::cleanPath(data)).toStdString());
    Instance instance(folders);
    if (!parser.isSet("new-window") && !instance.claim(request))
        return 0; // the window that is open has it
    beginLog(folders.state, level);
    int status = 0;
    {
        MainWindow window(folders);
        QObject::connect(
            &instance, &Instance::asked, &window, [&window](const StartRequest& later, const QString& token) {
                log(LogLevel::Info,
                    QStringLiteral("another start asks: %1 paths %2").arg(later.paths.size()).arg(later.action));
                window.bringToFront(token);
                window.open(later);
            });
        window.show();
        if (parser.isSet("demo"))
            window.prepareDemo();
        heedTermination(window);
        if (request.paths.empty() && request.action.isEmpty() && !parser.isSet("demo") && !parser.isSet(activated))
            window.openLastPlace();
        window.open(request);
        status = QApplication::exec();
    }
    endLog();
    return status;
}
