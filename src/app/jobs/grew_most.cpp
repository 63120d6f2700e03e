// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/grew_most.h"

#include <QStringList>

#include <algorithm>

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/snapshot/snapshot.h"

namespace kurvo::app {
namespace {

QString encoded(const std::string& path)
{
    return QString::fromLatin1(QByteArray::fromStdString(path).toPercentEncoding());
}

std::string decoded(const QString& text)
{
    return QByteArray::fromPercentEncoding(text.toLatin1()).toStdString();
}

/// Done without growth where nothing grew; not done where one of them cannot be read now.
struct Look {
    bool done = false;
    std::optional<Growth> growth;
};
Look lookAt(const SnapshotPair& pair, const std::stop_token& stop)
{
    if (stop.stop_requested())
        return {};
    const auto before = readSnapshot(pair.before);
    if (!before || stop.stop_requested())
        return {};
    const auto now = readSnapshot(pair.newest);
    if (!now || stop.stop_requested())
        return {};
    const auto comparison = Comparison::make(now->tree, before->tree, compareOptions(now->info, before->info), stop);
    return comparison ? Look{true, grewMost(*comparison, Measure::Disk)} : Look{};
}

} // namespace

GrewMost::GrewMost(Settings& settings, QObject* parent) : QObject(parent), settings_(settings)
{
    pool_.setMaxThreadCount(1);
    pool_.setThreadPriority(QThread::LowPriority);
    recall();
}

GrewMost::~GrewMost()
{
    stop_.request_stop(); // what waits in the pool ends at once
}

QString GrewMost::words(const SnapshotPair& pair) const
{
    const auto at = found_.find(pair);
    if (at == found_.end() || !at->second)
        return {};
    return tr("most: %1 in %2")
        .arg(signedSizeText(static_cast<std::int64_t>(at->second->bytes)), toText(at->second->path));
}

void GrewMost::lookInto(const std::vector<SnapshotPair>& pairs)
{
    const auto forgotten = std::erase_if(
        found_, [&](const auto& entry) { return std::find(pairs.begin(), pairs.end(), entry.first) == pairs.end(); });
    if (forgotten > 0)
        keep();
    for (const auto& pair : pairs) {
        if (found_.contains(pair) || !asked_.insert(pair).second)
            continue;
        runAsync(
            pool_, this, [pair, stop = stop_.get_token()] { return lookAt(pair, stop); },
            [this, pair](const Look& look) {
                if (!look.done)
                    return; // it stays among those asked for: not again before the next start
                asked_.erase(pair);
                found_[pair] = look.growth;
                keep();
                emit known();
            });
    }
}

void GrewMost::recall()
{
    for (const auto& line : settings_.of(setting::grewMost)) {
        const auto value = line.split(QLatin1Char(' '));
        if (value.size() != 6)
            continue;
        std::optional<Growth> growth;
        if (const auto bytes = value[5].toULongLong(); bytes > 0)
            growth = Growth{decoded(value[4]), bytes};
        found_[{decoded(value[0]), decoded(value[1]), decoded(value[2]), decoded(value[3])}] = growth;
    }
}

void GrewMost::keep()
{
    QStringList lines;
    for (const auto& [pair, growth] : found_)
        lines << QStringList{encoded(pair.newest),
                             encoded(pair.before),
                             encoded(pair.newestId),
                             encoded(pair.beforeId),
                             growth ? encoded(growth->path) : QStringLiteral("-"),
                             QString::number(growth ? growth->bytes : 0)}
                     .join(QLatin1Char(' '));
    settings_.set(setting::grewMost, lines);
}

} // namespace kurvo::app
