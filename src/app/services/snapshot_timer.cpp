// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/services/snapshot_timer.h"

#include <QCoreApplication>
#include <QProcess>
#include <QStringList>

namespace kurvo::app {
namespace {

/// Runs `systemctl --user ...`; the answer is its exit status (-1: it could not be started) and what it said.
void systemctl(QObject* context, const QStringList& arguments, const std::function<void(int, const QString&)>& answer)
{
    // Not a child of who asks: that would be called while it is being taken apart.
    auto* process = new QProcess(QCoreApplication::instance());
    QObject::connect(process, &QProcess::finished, process, &QObject::deleteLater);
    QObject::connect(process, &QProcess::errorOccurred, process, [process](QProcess::ProcessError error) {
        if (error == QProcess::FailedToStart)
            process->deleteLater();
    });
    QObject::connect(process, &QProcess::finished, context, [process, answer](int status) {
        answer(status, QString::fromUtf8(process->readAllStandardError()).trimmed());
    });
    QObject::connect(process, &QProcess::errorOccurred, context, [answer](QProcess::ProcessError error) {
        if (error == QProcess::FailedToStart) // else finished() follows
            answer(-1, {});
    });
    process->start(QStringLiteral("systemctl"), QStringList{QStringLiteral("--user")} + arguments);
}

} // namespace

QString snapshotTimerOf(const std::string& path)
{
    QString escaped;
    const auto below =
        path.substr(path.find_first_not_of('/') == path.npos ? path.size() : path.find_first_not_of('/'));
    for (std::size_t i = 0; i < below.size(); ++i) {
        const auto c = static_cast<unsigned char>(below[i]);
        const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == ':' ||
                           c == '_' || (c == '.' && i > 0);
        if (c == '/')
            escaped += QLatin1Char('-');
        else if (plain)
            escaped += QLatin1Char(static_cast<char>(c));
        else
            escaped += QStringLiteral("\\x%1").arg(c, 2, 16, QLatin1Char('0'));
    }
    return QStringLiteral("kurvo-snapshot@%1.timer").arg(escaped.isEmpty() ? QStringLiteral("-") : escaped);
}

void askSnapshotTimer(QObject* context, const std::string& path, const std::function<void(bool)>& answer)
{
    systemctl(context, {QStringLiteral("is-enabled"), snapshotTimerOf(path)},
              [answer](int status, const QString&) { answer(status == 0); });
}

void setSnapshotTimer(QObject* context, const std::string& path, bool on,
                      const std::function<void(const QString&)>& answer)
{
    systemctl(
        context,
        {on ? QStringLiteral("enable") : QStringLiteral("disable"), QStringLiteral("--now"), snapshotTimerOf(path)},
        [answer](int status, const QString& said) {
            if (status == 0)
                answer({});
            else if (status < 0)
                answer(QObject::tr("This session has no systemd, which would take it. Run \"kurvoctl snapshot take\" "
                                   "from a timer of your own."));
            else
                answer(said.isEmpty() ? QObject::tr("systemd refused it.") : said);
        });
}

} // namespace kurvo::app
