// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/item_actions.h"

#include <QClipboard>
#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>
#include <QDesktopServices>
#include <QGuiApplication>
#include <QUrl>

#include <fcntl.h>

#include "app/async.h"
#include "app/words.h"

namespace kurvo::app {
namespace {

/// A file URI that keeps bytes that are not UTF-8.
QUrl urlOf(const std::string& path)
{
    return QUrl::fromEncoded(QByteArray::fromStdString("file://" + percentEncoded(path)));
}

/// Calls `then` when the path is there, else says that it is gone.
void whenThere(Session& session, const std::string& path, std::function<void()> then)
{
    runAsync(
        &session,
        [path] {
            EntryStat s;
            return statEntry(AT_FDCWD, path.c_str(), s, StatSync::Fresh) == 0;
        },
        [&session, path, then = std::move(then)](bool there) {
            if (there)
                then();
            else
                session.say(QObject::tr("%1 is not there any more.").arg(toText(path)), Severity::Warning);
        });
}

} // namespace

void openItem(Session& session, const std::string& path)
{
    whenThere(session, path, [&session, path] {
        if (!QDesktopServices::openUrl(urlOf(path)))
            session.say(QObject::tr("No program was found that opens %1.").arg(toText(path)), Severity::Warning);
    });
}

void showInFileManager(Session& session, const std::string& path)
{
    whenThere(session, path, [&session, path] {
        auto message = QDBusMessage::createMethodCall("org.freedesktop.FileManager1", "/org/freedesktop/FileManager1",
                                                      "org.freedesktop.FileManager1", "ShowItems");
        message << QStringList{QString::fromLatin1(urlOf(path).toEncoded())} << QString();
        auto* watcher = new QDBusPendingCallWatcher(QDBusConnection::sessionBus().asyncCall(message, 4000), &session);
        QObject::connect(watcher, &QDBusPendingCallWatcher::finished, &session, [&session, watcher, path] {
            const QDBusPendingReply<> reply = *watcher;
            watcher->deleteLater();
            if (!reply.isError())
                return;
            const std::string folder(parentPath(path));
            if (!QDesktopServices::openUrl(urlOf(folder)))
                session.say(QObject::tr("No file manager was found. The item is in %1.").arg(toText(folder)),
                            Severity::Warning);
        });
    });
}

void copyPath(Session& session, const std::string& path)
{
    QGuiApplication::clipboard()->setText(QString::fromStdString(path));
    session.say(QObject::tr("The path is in the clipboard."));
}

} // namespace kurvo::app
