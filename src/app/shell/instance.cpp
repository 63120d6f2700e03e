// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/instance.h"

#include <QCryptographicHash>
#include <QDBusConnection>
#include <QDBusConnectionInterface>
#include <QDBusMessage>

#include "app/services/desktop.h"

namespace kurvo::app {
namespace {

constexpr auto interfaceName = "org.freedesktop.Application";
constexpr int answerWithin = 5000; ///< ms; a window that hangs shall not take the next one with it

QString tokenIn(const QVariantMap& platformData)
{
    const auto token = platformData.value(QStringLiteral("activation-token")).toString();
    return token.isEmpty() ? platformData.value(QStringLiteral("desktop-startup-id")).toString() : token;
}

} // namespace

QString uriOf(const std::string& path)
{
    return QStringLiteral("file://") + QString::fromLatin1(QByteArray::fromStdString(path).toPercentEncoding("/"));
}

std::string pathOf(const QString& uri)
{
    if (!uri.startsWith(QLatin1String("file:///")))
        return {};
    return QByteArray::fromPercentEncoding(uri.mid(7).toUtf8()).toStdString();
}

Instance::Instance(const AppFolders& folders) : name_(QString::fromLatin1(applicationId))
{
    if (folders.own) {
        const auto hash = QCryptographicHash::hash(QByteArray::fromStdString(folders.data), QCryptographicHash::Md5);
        name_ += QStringLiteral(".at") + QString::fromLatin1(hash.toHex().left(16));
    }
    path_ = QLatin1Char('/') + QString(name_).replace(QLatin1Char('.'), QLatin1Char('/'));
    new InstanceAdaptor(this);
}

bool Instance::claim(const StartRequest& request)
{
    auto bus = QDBusConnection::sessionBus();
    if (!bus.isConnected())
        return true;
    bus.registerObject(path_, this);
    if (bus.registerService(name_))
        return true;
    if (handOver(request))
        return false;
    bus.registerService(name_); // it ended meanwhile; one that does not answer is left alone, and this opens as well
    return true;
}

bool Instance::handOver(const StartRequest& request)
{
    const QVariantMap platformData{
        {QStringLiteral("activation-token"), QString::fromLocal8Bit(qgetenv("XDG_ACTIVATION_TOKEN"))},
        {QStringLiteral("desktop-startup-id"), QString::fromLocal8Bit(qgetenv("DESKTOP_STARTUP_ID"))}};
    const auto call = [&](const char* method) {
        return QDBusMessage::createMethodCall(name_, path_, interfaceName, QString::fromLatin1(method));
    };
    QDBusMessage message;
    if (!request.paths.empty()) {
        QStringList uris;
        for (const auto& path : request.paths)
            uris << uriOf(path);
        message = call("Open") << uris << platformData;
    } else if (!request.action.isEmpty()) {
        message = call("ActivateAction") << request.action << QVariantList() << platformData;
    } else {
        message = call("Activate") << platformData;
    }
    const auto reply = QDBusConnection::sessionBus().call(message, QDBus::Block, answerWithin);
    return reply.type() == QDBusMessage::ReplyMessage;
}

void InstanceAdaptor::Activate(const QVariantMap& platformData)
{
    emit instance_->asked({}, tokenIn(platformData));
}

void InstanceAdaptor::Open(const QStringList& uris, const QVariantMap& platformData)
{
    StartRequest request;
    for (const auto& uri : uris)
        if (auto path = pathOf(uri); !path.empty())
            request.paths.push_back(std::move(path));
    emit instance_->asked(request, tokenIn(platformData));
}

void InstanceAdaptor::ActivateAction(const QString& action, const QVariantList&, const QVariantMap& platformData)
{
    emit instance_->asked({{}, action}, tokenIn(platformData));
}

} // namespace kurvo::app
