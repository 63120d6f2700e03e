// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/upkeep/run.h"


#include <algorithm>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "core/act/run_history.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/leads/gather_facts.h"
#include "core/platform/atomic_file.h"
#include "core/platform/file_facts.h"
#include "core/platform/lock_file.h"
#include "core/platform/trash.h"

namespace kurvo {
namespace {

constexpr std::size_t largestBook = std::size_t{4} << 20;

std::string itemsText(std::size_t count, std::uint64_t bytes)
{
    return formatItems(count, "item") + ", " + formatBytes(bytes);
}

/// The scan of a place with all that rules ask of it; made once for all rules of a place.
class Places {
public:
    explicit Places(const UpkeepWish& wish) : wish_(wish) { }

    Result<UpkeepFacts> factsOf(const std::string& place)
    {
        if (const auto known = facts_.find(place); known != facts_.end())
            return known->second;
        UpkeepFacts facts;
        if (wish_.shown && wish_.dryRun && wish_.shownInfo.place == place) {
            facts.tree = wish_.shown;
            facts.info = wish_.shownInfo;
            facts.live = !facts.info.sample;
        } else {
            auto scan = wish_.scanner ? wish_.scanner(place, wish_.scan, wish_.stop)
                                      : kurvo::scan(place, wish_.scan, wish_.stop);
            if (!scan)
                return scan.error();
            if (wish_.stop.stop_requested())
                return Error{ErrorKind::Cancelled, place, 0, "It was stopped."};
            if (scan->driveGone || scan->outOfMemory)
                return Error{ErrorKind::System, place, 0,
                             displayText(place) + " could not be read to its end; the rule waits for its next run."};
            facts.tree = scan->tree;
            facts.info = describeScan(*scan);
            if (facts.info.place != place) // or somebody could have it work elsewhere
                return Error{ErrorKind::Unsupported, place, 0,
                             displayText(place) + " has become a link, or lies below one. Nothing is done through it."};
        }
        const auto capacity = wish_.capacity ? wish_.capacity(place) : readCapacity(place);
        facts.capacity = capacity && facts.live ? *capacity : facts.info.capacity;
        facts.book = wish_.book;
        facts.advice = std::make_shared<const TreeAdvice>(adviseTree(*wish_.book, *facts.tree));
        MarkStore store(joinPath(wish_.data, "marks.db"));
        const auto marks = store.read(facts.info.host);
        if (!marks) // a mark may say that something is to be kept
            return Error{marks.error().kind, place, 0,
                         "The marks cannot be read, and one may say what is to be kept: " + marks.error().sentence};
        facts.marks =
            std::make_shared<const TreeMarks>(facts.tree, std::make_shared<const MarkBook>(std::move(*marks)));
        facts.guard = {wish_.user, wish_.data, wish_.packages};
        facts.snapshots = wish_.snapshots;
        facts.now = facts.live ? wish_.now : facts.info.taken; // the sample is of another day
        return facts_[place] = std::move(facts);
    }
    /// Something was done there: what was seen of places that hold it, or lie in it, is old.
    void forget() { facts_.clear(); }

private:
    const UpkeepWish& wish_;
    std::map<std::string, UpkeepFacts> facts_;
};

class Upkeep {
public:
    explicit Upkeep(const UpkeepWish& wish)
        : wish_(wish), bookFile_(joinPath(wish.data, "upkeep.json")), book_(readUpkeepBook(bookFile_)),
          logbook_(joinPath(wish.data, "logbook.db")), places_(wish)
    {
    }

    Result<std::vector<UpkeepOutcome>> run()
    {
        // Where none has run yet, the rules tell when somebody was here.
        auto before = book_.lastRun;
        for (const auto& rule : wish_.rules)
            before = book_.lastRun == 0 ? std::max(before, rule.made) : before;
        if (!wish_.clockIsRight)
            if (const auto problem = clockProblem(before, wish_.now); !problem.empty())
                return Error{ErrorKind::Unsupported, {}, 0, problem};
        if (!wish_.dryRun) {
            // What an earlier one left under way comes first.
            const auto recovered = recoverAll(logbook_, wish_.user, wish_.stop);
            if (!recovered)
                return recovered.error();
            // Before anything is done: whoever switches the machine off meanwhile has a clock to compare with.
            const auto noted = changeUpkeepBook(bookFile_, [this](UpkeepBook& book) { book.lastRun = wish_.now; });
            if (!noted)
                return noted.error();
        }
        auto history = readHistory(logbook_);
        if (!history)
            return history.error();
        history_ = std::move(*history);
        std::vector<UpkeepOutcome> outcomes;
        for (const auto& rule : wish_.rules) {
            const bool wanted = wish_.only.empty()
                                    ? rule.on
                                    : std::find(wish_.only.begin(), wish_.only.end(), rule.name) != wish_.only.end();
            if (!wanted || wish_.stop.stop_requested())
                continue;
            if (wish_.onRule)
                wish_.onRule(rule.name);
            outcomes.push_back(one(rule));
            const auto& outcome = outcomes.back();
            if (wish_.dryRun)
                continue;
            // At once, and nothing else: others may run, or have told the news, meanwhile.
            const auto kept = changeUpkeepBook(bookFile_, [&](UpkeepBook& book) {
                book.states[rule.name] = book_.states[rule.name];
                constexpr std::size_t mostNews = 50;
                if (outcome.news)
                    book.news.push_back(
                        {wish_.now, rule.title.empty() ? rule.name : rule.title, outcome.sentence(), outcome.run});
                if (book.news.size() > mostNews)
                    book.news.erase(book.news.begin(), book.news.end() - mostNews);
            });
            if (!kept)
                return kept.error();
        }
        if (!wish_.dryRun)
            (void)static_cast<bool>(logbook_.prune(wish_.now - logbookSeconds));
        return outcomes;
    }

private:
    UpkeepOutcome one(const UpkeepRule& rule)
    {
        UpkeepOutcome outcome;
        outcome.rule = rule;
        auto& state = book_.states[rule.name];
        state.looked = wish_.now;
        auto fighting = rule;
        fighting.on = true;
        if (const auto fights = fightsOf(wish_.rules, &fighting); !fights.empty()) {
            outcome.problem = fights.front() + " Neither is carried out.";
            outcome.news = std::exchange(state.waits, outcome.problem) != outcome.problem;
            return outcome;
        }
        if (!wish_.dryRun)
            letGo(rule, outcome);
        const auto facts = places_.factsOf(rule.place);
        if (!facts) {
            outcome.problem = facts.error().sentence;
            outcome.news |= std::exchange(state.waits, outcome.problem) != outcome.problem;
            return outcome;
        }
        UpkeepBefore before;
        before.share = state.share;
        before.agreed = wish_.evenSo || state.agreed;
        for (const auto& record : history_)
            if (record.run.rule == rule.name)
                before.mostBytes = std::max(before.mostBytes, bytesDone(record.steps));
        outcome.look = lookAt(rule, *facts, before, wish_.stop);
        if (wish_.dryRun)
            return outcome;
        settle(rule, outcome, state, before);
        return outcome;
    }

    void settle(const UpkeepRule& rule, UpkeepOutcome& outcome, UpkeepState& state, const UpkeepBefore& before)
    {
        const auto& look = outcome.look;
        const auto note = [&](std::string& known, const std::string& sentence) {
            outcome.news |= !sentence.empty() && known != sentence;
            known = sentence;
        };
        note(state.waits, look.verdict == UpkeepVerdict::Waits ? look.sentence : std::string());
        // What is asked stands until somebody answers; how much it is may change from day to day.
        if (look.verdict == UpkeepVerdict::Asks) {
            outcome.news |= state.asks.empty();
            state.asks = look.sentence;
        } else {
            state.asks.clear();
        }
        if (look.verdict == UpkeepVerdict::Tells)
            note(state.told, look.sentence);
        else
            state.told.clear();
        if (look.verdict != UpkeepVerdict::Ready)
            return;
        if (before.agreed)
            state.share = look.share;
        state.agreed = false;
        carryOut(rule, look.plan, outcome);
        state.keptAway = outcome.problem;
    }

    static std::uint64_t bytesDone(const std::vector<LoggedStep>& steps)
    {
        std::uint64_t sum = 0;
        for (const auto& step : steps)
            if (step.state == StepState::Done || step.state == StepState::Emptied || step.state == StepState::Undone)
                sum += step.disk;
        return sum;
    }

    std::optional<RunResult> apply(const UpkeepRule& rule, const PlanFile& plan, std::string& problem)
    {
        RunOptions options;
        options.guard = {wish_.user, wish_.data, wish_.packages};
        options.stop = wish_.stop;
        options.rule = rule.name;
        options.now = wish_.now;
        options.leaveOpen = true;
        options.onProgress = wish_.onProgress;
        auto ran = runPlan(logbook_, plan, options);
        if (!ran) {
            problem = ran.error().sentence;
            return std::nullopt;
        }
        // The notes on what was deleted from a trash folder.
        for (const auto& step : ran->steps)
            if (step.action == Action::Delete && step.state == StepState::Done)
                removeNoteOf(step.path);
        places_.forget();
        return std::move(*ran);
    }

    void carryOut(const UpkeepRule& rule, const PlanFile& plan, UpkeepOutcome& outcome)
    {
        // What is open stays behind without a step of the logbook that says it failed; the run looks once more.
        auto ready = plan;
        const auto findings = checkPlan(plan, {wish_.user, wish_.data, wish_.packages}, wish_.stop, {});
        ready.items.clear();
        std::size_t held = 0;
        for (std::size_t i = 0; i < plan.items.size() && i < findings.size(); ++i) {
            if (!findings[i].blocked && !findings[i].inUse) {
                ready.items.push_back(plan.items[i]);
                continue;
            }
            ++held;
            const auto& path = plan.items[i].item.path;
            const auto why =
                findings[i].blocked ? findings[i].sentence : displayText(path) + " is open in a program, and stays.";
            for (auto& item : outcome.look.items)
                if (item.path == path)
                    item.held = why;
            if (outcome.problem.empty())
                outcome.problem = why;
        }
        if (held > 1)
            outcome.problem += fmt::format(" So {} stay.", formatItems(held, "item"));
        if (ready.items.empty() || wish_.stop.stop_requested())
            return;
        const auto ran = apply(rule, ready, outcome.problem);
        if (!ran)
            return;
        outcome.run = ran->run.id;
        outcome.done = ran->done();
        outcome.bytes = bytesDone(ran->steps);
        outcome.news |= outcome.done > 0;
    }

    void removeNoteOf(const std::string& path)
    {
        if (fileName(parentPath(path)) != "files")
            return; // of no trash
        for (const auto& folder : existingTrashFolders(path, wish_.user)) {
            if (parentPath(path) != joinPath(folder.path, "files"))
                continue;
            const auto trash = OpenTrash::open(folder, wish_.user.uid);
            if (!trash)
                continue;
            const auto note = trash->noteOn(std::string(fileName(path)));
            if (!note.originalPath.empty())
                trash->removeNote(note);
        }
    }

    /// What this rule put into the trash longer ago than it keeps the way back.
    void letGo(const UpkeepRule& rule, UpkeepOutcome& outcome)
    {
        if (rule.action != UpkeepAction::Trash || rule.keepDays == 0)
            return;
        PlanFile plan;
        plan.host = hostName();
        plan.place = rule.place;
        plan.written = wish_.now;
        for (const auto& record : history_) {
            if (record.run.rule != rule.name || record.run.began > wish_.now - rule.keepDays * daySeconds ||
                record.run.host != plan.host)
                continue;
            for (const auto& step : record.steps) {
                if (step.action != Action::Trash || step.state != StepState::Done || wish_.stop.stop_requested())
                    continue;
                const auto trash = OpenTrash::open(step.trashed.folder, wish_.user.uid);
                const auto note = trash ? trash->noteOn(step.trashed.name) : TrashedItem();
                if (note.originalPath != step.trashed.originalPath || note.deleted != step.trashed.deleted)
                    continue; // another thing has that name by now
                auto planned = readPlannedItem(joinPath(joinPath(step.trashed.folder.path, "files"), step.trashed.name),
                                               {Action::Delete, {}, false}, wish_.stop);
                const auto isIt = [&step](const PlanItem& item) { // numbers of inodes are used again
                    return item.kind == step.stat.kind && item.inode == step.stat.inode &&
                           item.modified == step.stat.modified && item.modifiedNs == step.stat.modifiedNs &&
                           (item.kind == EntryKind::Folder || item.size == step.stat.size);
                };
                if (planned && isIt(planned->item))
                    plan.items.push_back(std::move(*planned));
            }
        }
        if (plan.items.empty())
            return;
        plan.written = currentTime(); // it was looked at just now, whatever the date of the run
        const auto ran = apply(rule, plan, outcome.problem);
        if (!ran)
            return;
        outcome.letGo = ran->done();
        outcome.letGoBytes = bytesDone(ran->steps);
        outcome.news |= outcome.letGo > 0;
    }

    const UpkeepWish& wish_;
    const std::string bookFile_;
    UpkeepBook book_;
    Logbook logbook_;
    Places places_;
    std::vector<RunRecord> history_;
};

} // namespace

std::string UpkeepOutcome::sentence() const
{
    std::string all;
    const auto add = [&all](const std::string& sentence) {
        if (!sentence.empty())
            all += (all.empty() ? "" : " ") + sentence;
    };
    if (run != 0) {
        static constexpr const char* done_[] = {"told of", "put into the trash", "deleted", "moved"};
        add(itemsText(done, bytes) + " " + done_[static_cast<std::size_t>(rule.action)] + ".");
    } else if (problem.empty() || look.verdict != UpkeepVerdict::Ready) {
        add(look.sentence);
    }
    add(problem);
    if (letGo > 0)
        add(itemsText(letGo, letGoBytes) + " deleted that it had put into the trash " +
            formatItems(static_cast<std::uint64_t>(rule.keepDays), "day") + " ago or more.");
    return all;
}

std::string clockProblem(std::int64_t lastRun, std::int64_t now)
{
    if (lastRun == 0)
        return {};
    const auto when = "The clock says " + formatTime(now) + ", and upkeep last ran on " + formatTime(lastRun);
    const auto what = ". Ages cannot be trusted, and nothing was done. Once the clock is right: \"kurvoctl upkeep run "
                      "--clock-is-right\".";
    constexpr std::int64_t year = 366 * daySeconds;
    if (now < lastRun)
        return when + ", which is later" + what;
    if (now - lastRun > year)
        return when + ", more than a year ago" + what;
    return {};
}

Result<std::vector<UpkeepOutcome>> runUpkeep(const UpkeepWish& wish)
{
    return Upkeep(wish).run();
}

UpkeepBook readUpkeepBook(const std::string& file)
{
    UpkeepBook book;
    const auto text = readBeginning(file, largestBook);
    const auto json = nlohmann::json::parse(text ? *text : std::string(), nullptr, false);
    if (!json.is_object())
        return book;
    const auto number = [](const nlohmann::json& from, const char* name) {
        return from.contains(name) && from[name].is_number_integer() ? from[name].get<std::int64_t>() : 0;
    };
    book.lastRun = number(json, "last_run");
    if (json.contains("news") && json["news"].is_array())
        for (const auto& one : json["news"])
            if (one.is_object() && one.contains("rule") && one["rule"].is_string() && one.contains("sentence") &&
                one["sentence"].is_string())
                book.news.push_back({number(one, "at"), percentDecoded(one["rule"].get<std::string>()),
                                     percentDecoded(one["sentence"].get<std::string>()), number(one, "run")});
    if (!json.contains("rules") || !json["rules"].is_object())
        return book;
    for (const auto& [name, one] : json["rules"].items()) {
        if (!one.is_object())
            continue;
        const auto text_ = [&one](const char* key) {
            return one.contains(key) && one[key].is_string() ? percentDecoded(one[key].get<std::string>())
                                                             : std::string();
        };
        UpkeepState state;
        state.looked = number(one, "looked");
        state.asks = text_("asks");
        state.waits = text_("waits");
        state.told = text_("told");
        state.keptAway = text_("kept_away");
        state.agreed = one.contains("agreed") && one["agreed"].is_boolean() && one["agreed"].get<bool>();
        if (one.contains("share") && one["share"].is_number())
            state.share = one["share"].get<double>();
        book.states[name] = std::move(state);
    }
    return book;
}

Result<Done> changeUpkeepBook(const std::string& file, const std::function<void(UpkeepBook&)>& change)
{
    if (auto made = makeFolders(std::string(parentPath(file))); !made)
        return made.error();
    const auto held = lockBeside(file);
    if (!held)
        return held.error();
    auto book = readUpkeepBook(file);
    change(book);
    return writeUpkeepBook(file, book);
}

Result<Done> writeUpkeepBook(const std::string& file, const UpkeepBook& book)
{
    auto rules = nlohmann::json::object();
    for (const auto& [name, state] : book.states)
        rules[name] = {{"looked", state.looked},
                       {"asks", percentEncoded(state.asks)},
                       {"waits", percentEncoded(state.waits)},
                       {"told", percentEncoded(state.told)},
                       {"kept_away", percentEncoded(state.keptAway)},
                       {"agreed", state.agreed},
                       {"share", state.share}};
    auto news = nlohmann::json::array();
    for (const auto& one : book.news)
        news.push_back({{"at", one.at},
                        {"rule", percentEncoded(one.rule)},
                        {"sentence", percentEncoded(one.sentence)},
                        {"run", one.run}});
    const auto text = nlohmann::json{{"last_run", book.lastRun}, {"rules", rules}, {"news", news}}.dump(1) + "\n";
    if (auto made = makeFolders(std::string(parentPath(file))); !made)
        return made.error();
    auto out = AtomicFile::create(file);
    if (!out)
        return out.error();
    out->write(text.data(), text.size());
    return out->commit();
}

} // namespace kurvo
