// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/lead_finder.h"

#include <algorithm>

#include "app/services/async.h"
#include "app/services/listen.h"
#include "app/style/words.h"
#include "core/leads/gather_facts.h"

namespace kurvo::app {
namespace {

struct LeadLook {
    std::uint64_t place = 0;
    std::shared_ptr<const FileTree> tree;
    std::shared_ptr<const Leads> leads;
    std::shared_ptr<const TreeAdvice> advice;
    std::vector<AsideLead> aside;
    QString problem;
};

} // namespace

LeadFinder::LeadFinder(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, Cursor& cursor,
                       PlaceView& view, PlanModel& plan, Knowledge& knowledge, Notices& notices, QObject* parent)
    : QObject(parent), folders_(folders), places_(places), cursor_(cursor), view_(view), plan_(plan),
      knowledge_(knowledge), notices_(notices)
{
    soon_.setSingleShot(true);
    connect(&soon_, &QTimer::timeout, this, &LeadFinder::look);
    listen(this, &LeadFinder::soon, places_, &PlaceStore::placeChanged, trees, &TreeUpdater::treeChanged, knowledge_,
           &Knowledge::rulesRead, places_, &PlaceStore::guardsChanged);
    connect(&places_, &PlaceStore::placeChanged, this, [this] {
        chosen_.clear();
        selected_ = noNode;
        emit leadsChanged();
    });
    connect(&trees, &TreeUpdater::treeChanged, this, [this] {
        if (!leads()) // those there were went with the tree
            emit leadsChanged();
    });
    connect(&trees, &TreeUpdater::carriedOver, this, [this] { selected_ = noNode; });
    connect(&cursor_, &Cursor::selectionChanged, this, [this] {
        if (!isSelectedByLead() && !chosen_.empty()) {
            chosen_.clear();
            selected_ = noNode;
            emit chosenChanged();
        }
    });
}

void LeadFinder::stop()
{
    stop_.request_stop();
    soon_.stop();
}

void LeadFinder::soon()
{
    const auto* place = places_.place();
    if (!place)
        return;
    if (!place->isGrowing())
        return soon_.start(120);
    // While it grows they may cost one part in twenty-five of the time.
    constexpr qint64 atLeast = 3000, share = 25;
    const auto wait = std::max(atLeast, share * took_);
    if (!soon_.isActive())
        soon_.start(static_cast<int>(rested_.isValid() ? std::max<qint64>(0, wait - rested_.elapsed()) : wait));
}

void LeadFinder::look()
{
    const auto* place = places_.place();
    if (!place)
        return;
    if (working_) {
        again_ = true;
        return;
    }
    working_ = true;
    LeadFacts facts{place->tree, place->info, nullptr};
    const bool here = places_.isThisMachine(*place);
    const bool answers = !mayHang(place->info.filesystem); // else it could hold up a thread for good
    const bool whole = place->wholeDrive && here && answers && !place->fromSnapshot && !place->isGrowing();
    facts.live = here && answers && !place->fromSnapshot;
    facts.units = sizeUnits();
    facts.guard = place->guard;
    facts.info.notRead = place->unreadable;
    if (place->isGrowing())
        facts.info.taken = currentTime();
    QElapsedTimer clock;
    clock.start();
    emit leadsChanged();
    runAsync(
        this,
        [facts, here, whole, id = place->id, packages = place->packages, rules = knowledge_.sharedRules(),
         growing = place->isGrowing(), open = place->snapshotFile, folder = folders_.snapshots(),
         asideFile = asideLeadsFile(folders_.data), stop = stop_.get_token()]() mutable {
            LeadLook found{id, facts.tree, nullptr, nullptr, {}, {}};
            facts.book = rules ? std::shared_ptr<const RuleBook>(rules, &rules->book)
                               : std::shared_ptr<const RuleBook>(std::shared_ptr<void>(), &RuleBook::builtIn());
            found.advice = std::make_shared<const TreeAdvice>(adviseTree(*facts.book, *facts.tree));
            facts.advice = found.advice;
            gatherLeadFacts(facts, {here, whole, growing, folder, open});
            if (auto aside = AsideLeads(asideFile, facts.info.host).read())
                found.aside = std::move(*aside);
            else
                found.problem = QString::fromStdString(aside.error().sentence);
            facts.aside = idsOf(found.aside);
            found.leads = std::make_shared<const Leads>(findLeads(facts, stop));
            return found;
        },
        [this, clock](const LeadLook& found) {
            working_ = false;
            took_ = clock.elapsed();
            rested_.start();
            places_.setLeads(found.place, *found.tree, found.leads, found.advice);
            if (places_.isCurrent(found.place))
                aside_ = found.aside;
            if (!found.problem.isEmpty())
                notices_.say(found.problem, Severity::Warning);
            const auto* now = places_.place();
            if (std::exchange(again_, false) || (now && now->tree != found.tree))
                soon();
            emit leadsChanged();
        },
        [this](const QString& problem) {
            working_ = false;
            rested_.start();
            notices_.say(problem, Severity::Problem);
            emit leadsChanged();
        });
}

void LeadFinder::choose(const std::vector<std::string>& ids)
{
    const auto* place = places_.place();
    if (!place || !place->leads)
        return;
    chosen_ = {ids.begin(), ids.end()};
    std::vector<NodeId> nodes;
    for (const auto* list : {&place->leads->leads, &place->leads->rest})
        for (const auto& lead : *list)
            if (chosen_.contains(lead.id))
                nodes.insert(nodes.end(), lead.nodes.begin(), lead.nodes.end());
    std::erase_if(nodes, [&](NodeId node) { return !place->tree->contains(node); });
    selected_ = nodes.empty() ? noNode : nodes.front();
    emit chosenChanged();
    if (nodes.empty())
        return;
    runAsync(
        this,
        [tree = place->tree, nodes] {
            auto files = std::make_shared<std::vector<bool>>(tree->extent().nodes);
            for (const NodeId node : nodes)
                tree->forEachBelow(node, [&](NodeId below) { (*files)[below] = true; });
            return std::pair(tree, files);
        },
        [this, asked = chosen_](const auto& made) {
            if (asked != chosen_ || !places_.place() || places_.place()->tree != made.first)
                return;
            Lit lit;
            lit.files = made.second;
            view_.light(lit);
        });
    constexpr std::size_t mostSelected = 2000; // beyond that the highlight shows them
    const auto first = nodes.front();
    nodes.resize(std::min(nodes.size(), mostSelected));
    cursor_.selectAll(first, std::move(nodes));
}

void LeadFinder::goTo(const Lead& lead)
{
    const auto* place = places_.place();
    if (!place || lead.nodes.empty() || !place->tree->contains(lead.nodes.front()))
        return;
    const NodeId node = lead.nodes.front();
    const NodeId above = place->tree->parent(node);
    chosen_.clear();
    selected_ = noNode; // from here on it is as if somebody had selected it
    cursor_.setFocus(above == noNode ? rootNode : above);
    cursor_.select(node);
    emit chosenChanged();
}

void LeadFinder::planWhatIsSafe()
{
    const auto* place = places_.place();
    if (!place || !place->leads || !plan_.mayPlan())
        return;
    std::vector<NodeId> nodes;
    std::size_t left = 0;
    for (const auto* list : {&place->leads->leads, &place->leads->rest})
        for (const auto& lead : *list) {
            if (!chosen_.empty() && !chosen_.contains(lead.id))
                continue;
            if (lead.step == LeadStep::Plan && lead.level == AdviceLevel::UsuallySafe)
                nodes.insert(nodes.end(), lead.nodes.begin(), lead.nodes.end());
            else
                left += chosen_.empty() ? 0 : 1;
        }
    std::erase_if(nodes, [&](NodeId node) {
        return !place->tree->contains(node) || place->plan.coveringItem(*place->tree, node) != noNode;
    });
    if (nodes.empty()) {
        notices_.say(left > 0 ? tr("None of the chosen leads may usually go as it is: each has a next step of its own.")
                              : tr("Nothing among the leads may usually go, or all of it is planned already."));
        return;
    }
    std::uint64_t bytes = 0;
    for (const NodeId node : nodes)
        bytes += place->tree->disk(node);
    plan_.planAll(nodes, {}, [this, bytes](std::size_t count) {
        if (count > 0)
            notices_.say(tr("%1 that may usually go: planned for the trash, %2 in all.")
                             .arg(itemsText(count, "item"), sizeText(bytes)));
    });
}

void LeadFinder::changeAside(std::function<Result<Done>(const AsideLeads&)> change)
{
    const auto* place = places_.place();
    if (!place)
        return;
    runAsync(
        this,
        [change = std::move(change), aside = AsideLeads(asideLeadsFile(folders_.data), place->info.host)] {
            const auto done = change(aside);
            return done ? QString() : QString::fromStdString(done.error().sentence);
        },
        [this](const QString& problem) {
            if (!problem.isEmpty())
                notices_.say(problem, Severity::Problem);
            look();
            emit asideChanged();
        });
}

void LeadFinder::putAside(const Lead& lead, const QString& note)
{
    changeAside([one = AsideLead{lead.id, lead.sentence, note.toStdString(), currentTime()}](const AsideLeads& aside) {
        return aside.putAside(one);
    });
}

void LeadFinder::bringBack(const std::string& id)
{
    changeAside([id](const AsideLeads& aside) { return aside.bringBack(id); });
}

} // namespace kurvo::app
