// SPDX-License-Identifier: GPL-3.0-or-later
// One window per user and data folder: a second start hands its paths to the first over the session bus
// (org.freedesktop.Application, as the Desktop Entry Specification has it), and the desktop may start it that way.
#pragma once

#include <QDBusAbstractAdaptor>
#include <QObject>
#include <QString>
#include <QStringList>
#include <QVariantMap>

#include <string>
#include <vector>

#include "app/services/app_folders.h"

namespace kurvo::app {

/// What a start asks for.
struct StartRequest {
    std::vector<std::string> paths; ///< folders to scan, snapshots to open
    QString action;                 ///< "scan-home", "open-last", or empty
};

/// Interface thread.
class Instance : public QObject {
    Q_OBJECT
public:
    /// The usual data folder has the program's own name, any other one of its own.
    explicit Instance(const AppFolders& folders);

    /// True when this is the first, or there is no bus: go on. False when another one has taken the request.
    bool claim(const StartRequest& request);

signals:
    void asked(const StartRequest& request, const QString& activationToken);

private:
    friend class InstanceAdaptor;
    bool handOver(const StartRequest& request);

    QString name_, path_;
};

class InstanceAdaptor : public QDBusAbstractAdaptor {
    Q_OBJECT
    Q_CLASSINFO("D-Bus Interface", "org.freedesktop.Application")
public:
    explicit InstanceAdaptor(Instance* instance) : QDBusAbstractAdaptor(instance), instance_(instance) { }

public slots:
    void Activate(const QVariantMap& platformData);
    void Open(const QStringList& uris, const QVariantMap& platformData);
    void ActivateAction(const QString& action, const QVariantList& parameter, const QVariantMap& platformData);

private:
    Instance* instance_;
};

/// "file:///..." with each byte that needs it in percents, and back; empty for what is no local file.
QString uriOf(const std::string& path);
std::string pathOf(const QString& uri);

} // namespace kurvo::app
