// SPDX-License-Identifier: GPL-3.0-or-later
// The window's part in upkeep: the page of rules, and a rule from what is looked at.
#include <algorithm>

#include "app/dialogs/upkeep_dialog.h"
#include "app/shell/main_window.h"
#include "app/style/words.h"
#include "core/upkeep/rule_of_items.h"

namespace kurvo::app {

void MainWindow::makeUpkeepCommands(QMenu* menu)
{
    menu->addSeparator();
    commands_.add(menu, {.words = tr("Make a rule of this…"),
                         .keys = {QKeySequence("Ctrl+Alt+R")},
                         .run = [this] { makeRule(); },
                         .possible =
                             [this] {
                                 const auto* place = models_.places.place();
                                 return place && !place->isGrowing() && stage() != Stage::Scan;
                             }});
    commands_.add(menu,
                  {.words = tr("Upkeep…"), .keys = {QKeySequence("Ctrl+Alt+U")}, .run = [this] { showUpkeep(); }});
    connect(&models_.upkeep, &UpkeepModel::newsCame, &models_.notices,
            [this](const QString& sentence) { models_.notices.say(sentence); });
    // What it did is seen in the places that are open, and in the logbook.
    connect(&models_.upkeep, &UpkeepModel::ran, this, [this](const RunRecord& record) {
        models_.scans.readTouched(record.steps);
        auto history = models_.logbook.history();
        history.insert(history.begin(), record);
        models_.logbook.take(std::move(history));
    });
    models_.upkeep.read();
    models_.upkeep.takeNews();
}

void MainWindow::showUpkeep()
{
    auto* dialog = new UpkeepDialog(models_.upkeep, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &UpkeepDialog::undoWanted, this, [this](std::int64_t run) { models_.runner.takeBack(run); });
    dialog->open();
}

std::optional<UpkeepRule> MainWindow::ruleOfWhatIsShown()
{
    const auto& place = *models_.places.place();
    auto& upkeep = models_.upkeep;
    // A lead that is looked at.
    const bool amongLeads = stage() == Stage::Explore && (place.selection == noNode || models_.leads.isSelectedByLead());
    auto* panel = stage() == Stage::Find && find_->showsLeads() ? find_->leads()
                  : amongLeads                                  ? explore_->leads()
                                                                : nullptr;
    if (const auto* lead = panel ? panel->current() : nullptr) {
        auto rule = upkeep.seed(QString::fromStdString(lead->title));
        rule.subject = UpkeepSubject::Leads;
        rule.kinds = {lead->id.substr(0, lead->id.find(':'))};
        // What a rule of the advice speaks of goes file by file, the oldest first; what is built goes as a whole.
        const auto& rules = models_.knowledge.rules().rules();
        const auto known = std::find_if(rules.begin(), rules.end(),
                                        [&](const AdviceRule& one) { return one.id == rule.kinds.front(); });
        if (known != rules.end() && lead->step == LeadStep::Plan)
            rule.subject = lead->role == Role::Development ? UpkeepSubject::Folders : UpkeepSubject::Advice;
        const bool tells = lead->nodes.empty() || lead->step == LeadStep::Tool || lead->step == LeadStep::Ask;
        if (rule.kinds.front() == "trash" || rule.kinds.front() == "trash-home") {
            rule.subject = UpkeepSubject::Trash;
            rule.kinds.clear();
            rule.action = UpkeepAction::Delete;
        } else if (tells || lead->level == AdviceLevel::LeaveAlone) {
            rule.action = UpkeepAction::Tell;
            rule.olderDays = 0;
            rule.most = 0;
        }
        return rule;
    }
    // What was asked for in Find.
    if (stage() == Stage::Find) {
        static constexpr std::pair<Question, const char*> asked[] = {{Question::LargeHidden, "is:hidden size>10M"},
                                                                     {Question::OldLarge, "age>1y size>10M"},
                                                                     {Question::Caches, "role:cache"},
                                                                     {Question::LogsAndDumps, "role:logs"},
                                                                     {Question::Sparse, "is:sparse"},
                                                                     {Question::Preallocated, "is:preallocated"},
                                                                     {Question::Linked, "is:linked"}};
        auto rule = upkeep.seed(tr("What a filter finds"));
        rule.filter = find_->filter()->text().trimmed().toStdString();
        if (find_->question() == Question::Trash) {
            rule = upkeep.seed(tr("Old trash"));
            rule.subject = UpkeepSubject::Trash;
            rule.action = UpkeepAction::Delete;
            rule.filter.clear();
            return rule;
        }
        for (const auto& [question, filter] : asked)
            if (question == find_->question())
                rule.filter = rule.filter.empty() ? filter : std::string(filter) + " (" + rule.filter + ")";
        if (place.focus != rootNode) // what Find looks through
            rule.place = place.tree->path(place.focus);
        if (!rule.filter.empty())
            return rule;
    }
    // What is planned, or the item that one is at.
    std::vector<NodeId> nodes;
    for (const auto& item : place.plan.items())
        if (item.node != noNode && stage() == Stage::Clear)
            nodes.push_back(item.node);
    if (nodes.empty() && subject() != noNode && subject() != rootNode)
        nodes = subjects();
    if (nodes.empty()) {
        models_.notices.say(tr("Choose a lead, something that was found, or an item: a rule is made of that."));
        return std::nullopt;
    }
    const auto adviceOf = [&](NodeId node) { return models_.places.adviceFor(node).rule; };
    const auto known = adviceOf(nodes.front());
    const bool folders =
        std::all_of(nodes.begin(), nodes.end(), [&](NodeId node) { return place.tree->isFolder(node); });
    const bool alike =
        !known.empty() && std::all_of(nodes.begin(), nodes.end(), [&](NodeId node) { return adviceOf(node) == known; });
    auto rule = upkeep.seed(toText(place.tree->label(nodes.front())));
    if (alike) {
        rule.subject = folders ? UpkeepSubject::Folders : UpkeepSubject::Advice;
        rule.kinds = {known};
        return rule;
    }
    speakOfItems(rule, *place.tree, nodes);
    return rule;
}

void MainWindow::makeRule()
{
    auto rule = ruleOfWhatIsShown();
    if (!rule)
        return;
    auto* dialog = new RuleDialog(models_.upkeep, std::move(*rule), RuleDialog::Begin::Form, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this,
            [this] { models_.notices.say(tr("The rule is kept; Ctrl+Alt+U shows all.")); });
    dialog->open();
}

} // namespace kurvo::app
