// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/services/item_actions.h"

#include <QClipboard>
#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>
#include <QDesktopServices>
#include <QFile>
#include <QGuiApplication>
#include <QMenu>
#include <QPointer>
#include <QProcess>
#include <QStandardPaths>
#include <QUrl>

#include <fcntl.h>

#include "app/services/async.h"
#include "app/services/open_with.h"
#include "app/style/mnemonics.h"
#include "app/style/words.h"
#include "core/base/text.h"

namespace kurvo::app {
namespace {

/// A file URI that keeps bytes that are not UTF-8.
QUrl urlOf(const std::string& path)
{
    return QUrl::fromEncoded(QByteArray::fromStdString("file://" + percentEncoded(path)));
}

/// Calls `then` when the path is there, else says that it is gone.
void whenThere(Notices& notices, const std::string& path, std::function<void()> then)
{
    runAsync(
        &notices,
        [path] {
            EntryStat s;
            return statEntry(AT_FDCWD, path.c_str(), s, StatSync::Fresh) == 0;
        },
        [&notices, path, then = std::move(then)](bool there) {
            if (there)
                then();
            else
                notices.say(QObject::tr("%1 is no longer there.").arg(toText(path)), Severity::Warning);
        });
}

} // namespace

void openItem(Notices& notices, const std::string& path)
{
    whenThere(notices, path, [&notices, path] {
        if (!QDesktopServices::openUrl(urlOf(path)))
            notices.say(QObject::tr("No program was found that opens %1.").arg(toText(path)), Severity::Warning);
    });
}

void showInFileManager(Notices& notices, const std::string& path)
{
    whenThere(notices, path, [&notices, path] {
        auto message = QDBusMessage::createMethodCall("org.freedesktop.FileManager1", "/org/freedesktop/FileManager1",
                                                      "org.freedesktop.FileManager1", "ShowItems");
        message << QStringList{QString::fromLatin1(urlOf(path).toEncoded())} << QString();
        auto* watcher = new QDBusPendingCallWatcher(QDBusConnection::sessionBus().asyncCall(message, 4000), &notices);
        QObject::connect(watcher, &QDBusPendingCallWatcher::finished, &notices, [&notices, watcher, path] {
            const QDBusPendingReply<> reply = *watcher;
            watcher->deleteLater();
            if (!reply.isError())
                return;
            const std::string folder(parentPath(path));
            if (!QDesktopServices::openUrl(urlOf(folder)))
                notices.say(QObject::tr("No file manager was found. The item is in %1.").arg(toText(folder)),
                            Severity::Warning);
        });
    });
}

void copyPaths(Notices& notices, const std::vector<std::string>& paths)
{
    QStringList lines;
    for (const auto& path : paths)
        lines << QString::fromStdString(path);
    QGuiApplication::clipboard()->setText(lines.join(QLatin1Char('\n')));
    notices.say(
        paths.size() == 1
            ? QObject::tr("The path is in the clipboard.")
            : QObject::tr("%1 paths are in the clipboard.").arg(countText(static_cast<std::uint64_t>(paths.size()))));
}

void openTerminal(Notices& notices, const std::string& path, bool isFolder)
{
    whenThere(notices, path, [&notices, path, isFolder] {
        const auto folder = isFolder ? path : std::string(parentPath(path));
        // The first is Debian's alternative, which follows the user's choice; then the freedesktop.org proposal.
        for (const auto* name : {"x-terminal-emulator", "xdg-terminal-exec"})
            if (const auto program = QStandardPaths::findExecutable(QString::fromLatin1(name)); !program.isEmpty()) {
                QProcess terminal;
                terminal.setProgram(program);
                terminal.setWorkingDirectory(QFile::decodeName(folder.c_str()));
                if (terminal.startDetached())
                    return;
            }
        notices.say(QObject::tr("No terminal was found. Set one as the alternative x-terminal-emulator."),
                    Severity::Warning);
    });
}

void openItemWith(Notices& notices, const std::string& path, const QPoint& at, QWidget* parent)
{
    whenThere(notices, path, [&notices, path, at, parent = QPointer<QWidget>(parent)] {
        runAsync(
            &notices, [path] { return programsFor(path); },
            [&notices, path, at, parent](const std::vector<OpenProgram>& programs) {
                if (programs.empty())
                    return notices.say(QObject::tr("No program is installed that opens %1.").arg(toText(path)),
                                       Severity::Warning);
                auto* menu = new QMenu(parent);
                menu->setObjectName("openWithMenu");
                menu->setAttribute(Qt::WA_DeleteOnClose);
                for (const auto& program : programs)
                    menu->addAction(asRead(QString::fromStdString(program.name)), &notices, [&notices, program, path] {
                        if (!openWithProgram(program.id, path))
                            notices.say(
                                QObject::tr("%1 could not be started.").arg(QString::fromStdString(program.name)),
                                Severity::Warning);
                    });
                menu->popup(at);
            });
    });
}

} // namespace kurvo::app
