// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/card_words.h"

#include <QStringList>

#include <algorithm>

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/leads/aside.h"
#include "core/leads/leads.h"
#include "core/snapshot/snapshot.h"

namespace kurvo::app {
namespace {

QString encoded(const std::string& text)
{
    return text.empty() ? QStringLiteral("-")
                        : QString::fromLatin1(QByteArray::fromStdString(text).toPercentEncoding());
}

std::string decoded(const QString& text)
{
    return text == QLatin1String("-") ? std::string() : QByteArray::fromPercentEncoding(text.toLatin1()).toStdString();
}

} // namespace

CardWords::Look CardWords::lookAt(const SnapshotPair& pair, const std::string& asideFile, const std::string& config,
                                  const std::stop_token& stop)
{
    Look look;
    if (stop.stop_requested())
        return look;
    const auto now = readSnapshot(pair.newest);
    if (!now || stop.stop_requested())
        return look;
    LeadFacts facts{now->tree, now->info, std::make_shared<const RuleBook>(readUserRules(config).book)};
    facts.earlier = snapshotsOf(std::string(parentPath(pair.newest)), pair.newest, now->info);
    std::erase_if(facts.earlier, [&](const CatalogueEntry& entry) { return entry.info.taken > now->info.taken; });
    if (const auto aside = AsideLeads(asideFile, now->info.host).read())
        facts.aside = idsOf(*aside);
    const auto leads = findLeads(facts, stop);
    if (!leads.leads.empty()) {
        look.known.lead = leads.leads.front().title;
        look.known.bytes = leads.leads.front().bytes;
        look.known.more = leads.leads.size() - 1;
    }
    if (!pair.before.empty() && !stop.stop_requested()) {
        const auto before = readSnapshot(pair.before);
        if (!before)
            return look;
        const auto comparison =
            Comparison::make(now->tree, before->tree, compareOptions(now->info, before->info), stop);
        if (!comparison)
            return look;
        look.known.growth = kurvo::grewMost(*comparison, Measure::Disk);
    }
    look.done = !stop.stop_requested();
    return look;
}

CardWords::CardWords(const AppFolders& folders, Settings& settings, QObject* parent)
    : QObject(parent), folders_(folders), settings_(settings)
{
    pool_.setMaxThreadCount(1);
    pool_.setThreadPriority(QThread::LowPriority);
    recall();
}

CardWords::~CardWords()
{
    stop_.request_stop(); // what waits in the pool ends at once
}

QString CardWords::grewMost(const SnapshotPair& pair) const
{
    const auto at = found_.find(pair);
    if (at == found_.end() || !at->second.growth)
        return {};
    return tr("most: %1 in %2")
        .arg(signedSizeText(static_cast<std::int64_t>(at->second.growth->bytes)), toText(at->second.growth->path));
}

QString CardWords::standsOut(const SnapshotPair& pair) const
{
    const auto at = found_.find(pair);
    if (at == found_.end() || at->second.lead.empty())
        return {};
    const auto& known = at->second;
    const auto title = QString::fromStdString(known.lead);
    return known.more == 0
               ? tr("stands out: %1, %2").arg(title, sizeText(known.bytes))
               : tr("stands out: %1, %2, and %3 more").arg(title, sizeText(known.bytes), countText(known.more));
}

void CardWords::forget()
{
    found_.clear();
    asked_.clear();
    emit known();
}

void CardWords::lookInto(const std::vector<SnapshotPair>& pairs)
{
    const auto forgotten = std::erase_if(
        found_, [&](const auto& entry) { return std::find(pairs.begin(), pairs.end(), entry.first) == pairs.end(); });
    if (forgotten > 0)
        keep();
    for (const auto& pair : pairs) {
        if (found_.contains(pair) || !asked_.insert(pair).second)
            continue;
        runAsync(
            pool_, this,
            [pair, aside = asideLeadsFile(folders_.data), config = folders_.user.config, stop = stop_.get_token()] {
                return lookAt(pair, aside, config, stop);
            },
            [this, pair](const Look& look) {
                if (!look.done)
                    return; // it stays among those asked for: not again before the next start
                asked_.erase(pair);
                found_[pair] = look.known;
                keep();
                emit known();
            });
    }
}

void CardWords::recall()
{
    for (const auto& line : settings_.of(setting::cardWords)) {
        const auto value = line.split(QLatin1Char(' '));
        if (value.size() != 9)
            continue;
        Known known;
        if (const auto bytes = value[5].toULongLong(); bytes > 0)
            known.growth = Growth{decoded(value[4]), bytes};
        known.lead = decoded(value[6]);
        known.bytes = value[7].toULongLong();
        known.more = value[8].toULongLong();
        found_[{decoded(value[0]), decoded(value[1]), decoded(value[2]), decoded(value[3])}] = known;
    }
}

void CardWords::keep()
{
    QStringList lines;
    for (const auto& [pair, known] : found_)
        lines << QStringList{encoded(pair.newest),
                             encoded(pair.before),
                             encoded(pair.newestId),
                             encoded(pair.beforeId),
                             encoded(known.growth ? known.growth->path : std::string()),
                             QString::number(known.growth ? known.growth->bytes : 0),
                             encoded(known.lead),
                             QString::number(known.bytes),
                             QString::number(known.more)}
                     .join(QLatin1Char(' '));
    settings_.set(setting::cardWords, lines);
}

} // namespace kurvo::app
