// SPDX-License-Identifier: GPL-3.0-or-later
// What the desktop is told, over D-Bus: notifications, progress on the launcher, that the machine may not sleep now.
// Nothing waits for an answer; where there is no bus, or nobody who listens on it, nothing happens.
#pragma once

#include <QDBusConnection>
#include <QObject>
#include <QString>

#include <optional>

#include "core/platform/unique_fd.h"

namespace kurvo::app {

/// The name of the desktop file and, in the usual data folder, of the program on the session bus.
constexpr auto applicationId = "org.kurvo.Kurvo";

/// Interface thread.
class Desktop : public QObject {
    Q_OBJECT
public:
    /// The buses of the session and of the machine, unless others are put in; the machine's is gone to when it is
    /// needed.
    explicit Desktop(QObject* parent = nullptr, QDBusConnection session = QDBusConnection::sessionBus(),
                     std::optional<QDBusConnection> system = {});

    /// A notification (freedesktop.org's specification, version 1.2); a later one takes its place. `undo`: the words of
    /// a button that undoes what it tells of; none where empty.
    void notify(const QString& title, const QString& text, const QString& undo = {});
    /// 0 to 1 on the launcher's icon; nothing: none is shown. As launchers of several desktops read it
    /// (com.canonical.Unity.LauncherEntry).
    void showProgress(std::optional<double> share);
    /// As long as it is asked for, the machine neither sleeps nor shuts down without a question (login1's Inhibit).
    void keepAwake(bool awake, const QString& why = {});
    bool keepsAwake() const { return awake_; }
    bool hasBus() const { return session_.isConnected(); }

signals:
    void notificationChosen(); ///< it was clicked
    void undoChosen();
    void notificationShown();
    void notificationClosed(); ///< or nobody shows any

private slots:
    void heardAction(uint id, const QString& action);
    void heardClosed(uint id, uint reason);

private:
    QDBusConnection session_;
    std::optional<QDBusConnection> system_;
    UniqueFd lock_; ///< login1 holds sleep off as long as it is open
    uint shown_ = 0;
    bool awake_ = false, listens_ = false;
};

} // namespace kurvo::app
