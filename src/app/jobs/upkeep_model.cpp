// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/upkeep_model.h"

#include <unistd.h>

#include <algorithm>

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/base/figures.h"
#include "core/upkeep/timer.h"

namespace kurvo::app {
namespace {

/// The program that a timer would run: it comes with the window, or lies beside it.
std::string kurvoctlProgram()
{
    char path[4096];
    const auto n = ::readlink("/proc/self/exe", path, sizeof path);
    const auto folder = std::string(parentPath(std::string_view(path, n > 0 ? static_cast<std::size_t>(n) : 0)));
    for (const auto& file :
         {joinPath(folder, "kurvoctl"), joinPath(folder, "../cli/kurvoctl"), std::string("/usr/bin/kurvoctl")})
        if (::access(file.c_str(), X_OK) == 0)
            return file;
    return {};
}

} // namespace

UpkeepModel::UpkeepModel(const AppFolders& folders, PlaceStore& places, Knowledge& knowledge, Notices& notices,
                         QObject* parent)
    : QObject(parent), folders_(folders), places_(places), knowledge_(knowledge), notices_(notices)
{
}

void UpkeepModel::read()
{
    runAsync(
        this,
        [folder = folders_.upkeep(), data = folders_.data, user = folders_.user]() -> std::shared_ptr<const Known> {
            auto known = std::make_shared<Known>();
            auto rules = readUpkeepRules(folder);
            known->problems = std::move(rules.problems);
            known->rules = std::move(rules.rules);
            known->own = known->rules.size();
            for (const auto& ready : readyUpkeepRules(user))
                if (std::none_of(known->rules.begin(), known->rules.end(),
                                 [&](const UpkeepRule& rule) { return rule.name == ready.name; }))
                    known->rules.push_back(ready);
            for (const auto& fight : fightsOf(known->rules))
                known->problems.push_back(fight);
            known->book = readUpkeepBook(joinPath(data, "upkeep.json"));
            Logbook logbook(joinPath(data, "logbook.db"));
            if (auto history = readHistory(logbook))
                for (auto& record : *history)
                    if (!record.run.rule.empty())
                        known->runs.push_back(std::move(record));
            known->timer = upkeepTimerIsOn(user);
            return known;
        },
        [this](const std::shared_ptr<const Known>& known) {
            known_ = known;
            emit changed();
            if (const auto run = std::exchange(ran_, 0); run != 0)
                for (const auto& record : known->runs)
                    if (record.run.id == run)
                        emit ran(record);
        });
}

UpkeepWish UpkeepModel::wishFor(const UpkeepRule& rule) const
{
    UpkeepWish wish;
    if (known_)
        wish.rules = known_->rules;
    std::erase_if(wish.rules, [&](const UpkeepRule& one) { return one.name == rule.name; });
    wish.rules.push_back(rule);
    wish.only = {rule.name};
    wish.user = folders_.user;
    wish.data = folders_.data;
    wish.snapshots = folders_.snapshots();
    wish.book = std::shared_ptr<const RuleBook>(knowledge_.sharedRules(), &knowledge_.rules());
    wish.scan.background = true;
    wish.now = currentTime();
    return wish;
}

void UpkeepModel::look(const UpkeepRule& rule, Looked then)
{
    looking_.request_stop();
    looking_ = {};
    auto wish = wishFor(rule);
    wish.dryRun = true;
    wish.clockIsRight = true; // nothing is done
    wish.stop = looking_.get_token();
    // What is shown is asked where it is of that very place: at once, and as people see it.
    for (const auto& open : places_.places())
        if (open->info.place == rule.place && !open->isGrowing() && (!open->fromSnapshot || open->info.sample)) {
            wish.shown = open->tree;
            wish.shownInfo = open->info;
        }
    runAsync(
        this,
        [wish, packages = knowledge_.packages()]() mutable {
            wish.packages = packages.get();
            auto looked = runUpkeep(wish);
            return std::make_shared<Result<std::vector<UpkeepOutcome>>>(std::move(looked));
        },
        [this, then, request = ++request_](const std::shared_ptr<Result<std::vector<UpkeepOutcome>>>& looked) {
            if (request != request_)
                return;
            if (!*looked)
                return then(nullptr, QString::fromStdString(looked->error().sentence));
            if ((*looked)->empty())
                return then(nullptr, tr("It was stopped."));
            const auto outcome = std::make_shared<const UpkeepOutcome>(std::move((*looked)->front()));
            then(outcome, QString::fromStdString(outcome->problem));
        },
        [then](const QString& problem) { then(nullptr, problem); });
}

void UpkeepModel::save(UpkeepRule rule, Done then)
{
    const bool timer = rule.on && !folders_.demo && known_ && !known_->timer;
    runAsync(
        this,
        [folder = folders_.upkeep(), user = folders_.user, rule = std::move(rule), timer]() mutable {
            if (rule.on && rule.action == UpkeepAction::Move && rule.toDrive.empty())
                rule.toDrive = driveAt(rule.to);
            if (const auto written = writeUpkeepRule(folder, rule); !written)
                return QString::fromStdString(written.error().sentence);
            const auto program = timer ? kurvoctlProgram() : std::string();
            if (!timer)
                return QString();
            const auto on =
                program.empty()
                    ? Result<kurvo::Done>(
                          Error{ErrorKind::Unsupported, {}, 0, "kurvoctl, which a timer would run, is not installed."})
                    : switchUpkeepTimer(true, user, program);
            return on ? QString()
                      : tr("It is on, and run by nothing yet. %1").arg(QString::fromStdString(on.error().sentence));
        },
        [this, then](const QString& problem) {
            read();
            then(problem);
        },
        [then](const QString& problem) { then(problem); });
}

void UpkeepModel::remove(const std::string& name, Done then)
{
    runAsync(
        this,
        [folder = folders_.upkeep(), name] {
            const auto removed = removeUpkeepRule(folder, name);
            return removed ? QString() : QString::fromStdString(removed.error().sentence);
        },
        [this, then](const QString& problem) {
            read();
            then(problem);
        });
}

void UpkeepModel::carryOut(const UpkeepRule& rule, bool evenSo)
{
    if (working_ || places_.refusesWhileLocked())
        return;
    auto wish = wishFor(rule);
    wish.evenSo = evenSo;
    wish.stop = stop_.get_token();
    working_ = true;
    emit changed();
    runAsync(
        this,
        [wish, packages = knowledge_.packages()]() mutable {
            wish.packages = packages.get();
            return std::make_shared<Result<std::vector<UpkeepOutcome>>>(runUpkeep(wish));
        },
        [this](const std::shared_ptr<Result<std::vector<UpkeepOutcome>>>& outcomes) {
            working_ = false;
            if (!*outcomes) {
                notices_.say(QString::fromStdString(outcomes->error().sentence), Severity::Problem);
            } else if (!(*outcomes)->empty()) {
                const auto& outcome = (*outcomes)->front();
                notices_.say(QString::fromStdString(outcome.sentence()),
                             outcome.problem.empty() ? Severity::Info : Severity::Warning);
                ran_ = outcome.run;
            }
            read();
        },
        [this](const QString& problem) {
            working_ = false;
            notices_.say(problem, Severity::Problem);
            read();
        });
}

void UpkeepModel::takeNews()
{
    runAsync(
        this,
        [file = joinPath(folders_.data, "upkeep.json")] {
            std::vector<UpkeepNews> news;
            if (readUpkeepBook(file).news.empty())
                return news;
            const auto taken =
                changeUpkeepBook(file, [&news](UpkeepBook& book) { news = std::exchange(book.news, {}); });
            return taken ? news : std::vector<UpkeepNews>(); // else it would be told again and again
        },
        [this](const std::vector<UpkeepNews>& news) {
            if (news.empty())
                return;
            const auto& last = news.back();
            auto sentence = tr("Upkeep, %1, %2: %3")
                                .arg(whenText(last.at), toText(last.rule), QString::fromStdString(last.sentence));
            if (news.size() > 1)
                sentence +=
                    QLatin1Char(' ') + tr("%n more in Plan, Upkeep.", nullptr, static_cast<int>(news.size()) - 1);
            emit newsCame(sentence);
        });
}

UpkeepRule UpkeepModel::seed(const QString& title) const
{
    UpkeepRule rule;
    rule.title = title.toStdString();
    if (const auto* place = places_.place())
        rule.place = place->info.place;
    UpkeepRules taken;
    if (known_)
        taken.rules = known_->rules;
    rule.name = freeRuleName(rule.title, taken);
    rule.action = UpkeepAction::Trash;
    rule.olderDays = 30;
    rule.most = std::uint64_t{20} << 30;
    return rule;
}

} // namespace kurvo::app
