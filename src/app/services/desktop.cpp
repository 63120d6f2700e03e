// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/services/desktop.h"

#include <QCoreApplication>
#include <QDBusMessage>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>
#include <QDBusUnixFileDescriptor>
#include <QVariantMap>

#include <fcntl.h>

namespace kurvo::app {
namespace {

constexpr auto notifications = "org.freedesktop.Notifications";
constexpr auto notificationsPath = "/org/freedesktop/Notifications";

} // namespace

Desktop::Desktop(QObject* parent, QDBusConnection session, std::optional<QDBusConnection> system)
    : QObject(parent), session_(std::move(session)), system_(std::move(system))
{
}

void Desktop::notify(const QString& title, const QString& text, const QString& undo)
{
    if (!session_.isConnected())
        return;
    if (!std::exchange(listens_, true)) {
        session_.connect(notifications, notificationsPath, notifications, "ActionInvoked", this,
                         SLOT(heardAction(uint, QString)));
        session_.connect(notifications, notificationsPath, notifications, "NotificationClosed", this,
                         SLOT(heardClosed(uint, uint)));
    }
    auto call = QDBusMessage::createMethodCall(notifications, notificationsPath, notifications, "Notify");
    QStringList actions{QStringLiteral("default"), tr("Show")};
    if (!undo.isEmpty())
        actions << QStringLiteral("undo") << undo;
    const QVariantMap hints{{QStringLiteral("desktop-entry"), QString::fromLatin1(applicationId)}};
    call << tr("Kurvo") << shown_ << QString::fromLatin1(applicationId) << title << text.toHtmlEscaped() << actions
         << hints << -1;
    auto* watcher = new QDBusPendingCallWatcher(session_.asyncCall(call), this);
    connect(watcher, &QDBusPendingCallWatcher::finished, this, [this, watcher] {
        watcher->deleteLater();
        if (const QDBusPendingReply<uint> reply = *watcher; reply.isValid()) {
            shown_ = reply.value();
            emit notificationShown();
        } else {
            emit notificationClosed(); // nobody shows any
        }
    });
}

void Desktop::heardAction(uint id, const QString& action)
{
    if (id != shown_ || id == 0)
        return;
    if (action == QLatin1String("undo"))
        emit undoChosen();
    else
        emit notificationChosen();
}

void Desktop::heardClosed(uint id, uint)
{
    if (id == shown_ && id != 0)
        emit notificationClosed();
}

void Desktop::showProgress(std::optional<double> share)
{
    if (!session_.isConnected())
        return;
    auto update = QDBusMessage::createSignal("/org/kurvo/Kurvo", "com.canonical.Unity.LauncherEntry", "Update");
    update << QStringLiteral("application://%1.desktop").arg(QString::fromLatin1(applicationId))
           << QVariantMap{{QStringLiteral("progress"), share.value_or(0)},
                          {QStringLiteral("progress-visible"), share.has_value()}};
    session_.send(update);
}

void Desktop::keepAwake(bool awake, const QString& why)
{
    if (std::exchange(awake_, awake) == awake)
        return;
    lock_ = UniqueFd();
    if (!awake)
        return;
    if (!system_)
        system_ = QDBusConnection::systemBus();
    if (!system_->isConnected())
        return;
    auto call = QDBusMessage::createMethodCall("org.freedesktop.login1", "/org/freedesktop/login1",
                                               "org.freedesktop.login1.Manager", "Inhibit");
    call << QStringLiteral("sleep:shutdown") << tr("Kurvo") << why << QStringLiteral("block");
    auto* watcher = new QDBusPendingCallWatcher(system_->asyncCall(call), this);
    connect(watcher, &QDBusPendingCallWatcher::finished, this, [this, watcher] {
        watcher->deleteLater();
        const QDBusPendingReply<QDBusUnixFileDescriptor> reply = *watcher;
        if (reply.isValid() && awake_) // else it is over already
            lock_ = UniqueFd(::fcntl(reply.value().fileDescriptor(), F_DUPFD_CLOEXEC, 3));
    });
}

} // namespace kurvo::app
