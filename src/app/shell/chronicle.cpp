// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/chronicle.h"

#include <QSettings>
#include <QSysInfo>

#include "app/services/log.h"
#include "app/style/words.h"
#include "core/base/version.h"

namespace kurvo::app {
namespace {

QString quantity(const Place& place)
{
    const auto& tree = *place.tree;
    return QStringLiteral("%1 files, %2, %3 not read, %4 s")
        .arg(tree.files(rootNode))
        .arg(sizeText(tree.disk(rootNode)))
        .arg(place.info.unreadable)
        .arg(place.info.seconds, 0, 'f', 2);
}

void tellOfRun(const RunRecord& record)
{
    std::size_t done = 0, failed = 0;
    for (const auto& step : record.steps) {
        (step.state == StepState::Done ? done : failed) += 1;
        const auto line = QStringLiteral("run %1: %2 %3: %4%5")
                              .arg(record.run.id)
                              .arg(QString::fromLatin1(actionName(step.action)), toText(step.path),
                                   QString::fromLatin1(stateName(step.state)),
                                   step.note.empty() ? QString() : QStringLiteral(" (%1)").arg(toText(step.note)));
        log(step.state == StepState::Done ? LogLevel::Info : LogLevel::Warn, line);
    }
    log(LogLevel::Info, QStringLiteral("run %1 ended: %2 done, %3 not").arg(record.run.id).arg(done).arg(failed));
}

} // namespace

void keepChronicle(QObject* window, Models& models)
{
    log(LogLevel::Info, QStringLiteral("Kurvo %1 begins (%2; Qt %3; %4)")
                            .arg(QString::fromLatin1(version().data()), QString::fromStdString(buildFacts()),
                                 QString::fromLatin1(qVersion()), QSysInfo::prettyProductName()));
    QObject::connect(&models.scans, &ScanJobs::scanEnded, window, [&models](std::uint64_t id, bool ok) {
        const auto* place = models.places.placeOf(id);
        if (!place || !place->tree)
            return log(LogLevel::Warn, QStringLiteral("a scan failed"));
        log(ok ? LogLevel::Info : LogLevel::Warn,
            QStringLiteral("a scan %1: %2").arg(ok ? "ended" : "failed", quantity(*place)));
        log(LogLevel::Debug, QStringLiteral("it was of %1").arg(toText(place->info.place)));
    });
    QObject::connect(&models.runner, &PlanRunner::planJobChanged, window, [&models, kind = -1]() mutable {
        const auto* job = models.runner.planJob();
        const int now = job ? static_cast<int>(job->kind) : -1;
        if (now == kind)
            return;
        kind = now;
        constexpr const char* words[] = {"a plan is checked", "a plan is carried out", "a run is undone",
                                         "interrupted runs are ended"};
        if (job)
            log(LogLevel::Info, QString::fromLatin1(words[now]) +
                                    (job->withRights ? QStringLiteral(", with administrator rights") : QString()));
    });
    QObject::connect(&models.runner, &PlanRunner::runEnded, window, [&models](std::int64_t run) {
        if (const auto* record = models.logbook.recordOf(run))
            tellOfRun(*record);
    });
    QObject::connect(&models.plan, &PlanModel::guardAsked, window, [](NodeId, const Intent&, const QString&) {
        log(LogLevel::Info, QStringLiteral("something protected was to be planned: asked"));
    });
    // What is said may name files that nobody acted on.
    QObject::connect(&models.notices, &Notices::message, window, [](const QString& sentence, Severity severity) {
        log(LogLevel::Debug, sentence);
        if (severity == Severity::Problem)
            log(LogLevel::Warn, QStringLiteral("a problem was told"));
    });
    QObject::connect(window, &QObject::destroyed, [] { log(LogLevel::Info, QStringLiteral("Kurvo ends")); });
}

QString supportReport(const std::string& settingsFile, const std::string& state, const QString& screens)
{
    constexpr std::size_t mostLog = 200 << 10;
    QStringList lines{
        QStringLiteral("Kurvo %1, %2").arg(QString::fromLatin1(version().data()), QString::fromStdString(buildFacts())),
        QStringLiteral("Qt %1 on %2").arg(QString::fromLatin1(qVersion()), QSysInfo::prettyProductName()),
        QStringLiteral("Linux %1, %2").arg(QSysInfo::kernelVersion(), QSysInfo::currentCpuArchitecture()),
        screens,
        {},
        QStringLiteral("Settings:")};
    const QSettings kept(QString::fromStdString(settingsFile), QSettings::IniFormat);
    for (const auto& key : kept.allKeys()) {
        const auto held = kept.value(key);
        const auto value =
            held.typeId() == QMetaType::QStringList ? held.toStringList().join(QStringLiteral(", ")) : held.toString();
        const bool plain = value.size() < 60 && !value.contains(QLatin1Char('/')) &&
                           !value.contains(QLatin1Char('%')) && !value.contains(QLatin1Char('@')) &&
                           !key.startsWith(QLatin1String("find/"));
        lines << QStringLiteral("  %1 = %2").arg(key, plain ? value : QStringLiteral("(left out)"));
    }
    lines << QString() << QStringLiteral("Log:") << QString::fromStdString(lastOfLog(state, mostLog));
    return lines.join(QLatin1Char('\n'));
}

} // namespace kurvo::app
