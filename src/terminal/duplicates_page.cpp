// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "terminal/pages.h"

namespace kurvo::terminal {
namespace {

constexpr std::size_t mostGroups = 1000; ///< nobody reads more of them; all are counted

const char* keepWords(Keep keep)
{
    return keep == Keep::Newest         ? "the newest stays"
           : keep == Keep::ShortestPath ? "the shortest path stays"
                                        : "the oldest stays";
}

} // namespace

/// Shared with the thread that works.
struct DuplicatesPage::Job {
    DuplicateProgress progress;
    std::atomic<std::uint64_t> compared = 0;
    std::uint64_t toCompare = 0; ///< bytes; 0 for a search
    std::stop_source stop;
    std::shared_ptr<const FileTree> tree;
};

DuplicatesPage::DuplicatesPage(Desk& desk, Pages& pages) : ListPage(desk, pages) { }

DuplicatesPage::~DuplicatesPage()
{
    stop();
}

void DuplicatesPage::stop()
{
    if (job_)
        job_->stop.request_stop();
}

bool DuplicatesPage::isOfPlace() const
{
    return tree_ && desk_.hasPlace() && desk_.tree().sharedStore() == tree_->sharedStore();
}

std::string DuplicatesPage::whyNot() const
{
    if (!desk_.hasPlace())
        return "No place is open.";
    const auto& place = desk_.place();
    if (place.growing || desk_.isScanning())
        return "Copies can be searched for once the scan has ended.";
    if (place.fromSnapshot || !place.isHere)
        return "Copies are told by content, which is not here. Scan the place on its own machine to search it.";
    return {};
}

std::string DuplicatesPage::title() const
{
    if (!isWorking())
        return summary_.empty() ? "Files with the same content" : summary_;
    const auto& progress = job_->progress;
    if (job_->toCompare > 0)
        return fmt::format("Comparing byte by byte: {} of {}", desk_.size(job_->compared), desk_.size(job_->toCompare));
    return progress.bytesOf > 0
               ? fmt::format("Searching: {} of {} read", desk_.size(progress.bytesDone), desk_.size(progress.bytesOf))
               : fmt::format("Searching: {} of {} examined", formatCount(progress.filesDone),
                             formatItems(progress.filesOf, "file"));
}

std::string DuplicatesPage::emptyWords() const
{
    if (isWorking())
        return "It reads the files that have the same size. A full stop ends it; what is known by then is shown.";
    if (const auto why = whyNot(); !why.empty())
        return why;
    if (stopped_)
        return "It was stopped before it found any. C searches again.";
    return isOfPlace() ? "No two files of " + desk_.size(smallest_) + " or more have the same content."
                       : "C searches for copies. Nothing is touched by that.";
}

void DuplicatesPage::begin()
{
    wanted_ = !isWorking() && (!isOfPlace() || stopped_);
    if (wanted_ && whyNot().empty())
        search();
}

void DuplicatesPage::search()
{
    if (isWorking())
        return;
    if (const auto why = whyNot(); !why.empty())
        return pages_.say(why);
    rows_.clear();
    groups_.clear();
    tree_.reset();
    forgetChosen();
    summary_.clear();
    wanted_ = stopped_ = false;
    job_ = std::make_shared<Job>();
    job_->tree = desk_.place().tree;
    DuplicateOptions options;
    options.smallest = smallest_;
    desk_.work().run(
        [held = busy_.begin(), job = job_, options](const std::stop_token& stop) {
            const std::stop_callback ended(stop, [&] { job->stop.request_stop(); });
            return findDuplicates({job->tree}, options, job->progress, job->stop.get_token());
        },
        [this, job = job_](const Duplicates& found) {
            busy_.end();
            take(found, job->tree);
            desk_.changed();
        });
}

void DuplicatesPage::take(const Duplicates& found, std::shared_ptr<const FileTree> tree)
{
    tree_ = std::move(tree);
    if (!isOfPlace())
        return tree_.reset(); // another place by now
    for (const auto& group : found.folders)
        groups_.push_back({fmt::format("{} of {} each, {}", formatItems(group.folders.size(), "folder"),
                                       formatItems(group.files, "file"), desk_.size(group.bytesEach)),
                           group.freeable, group.folders});
    for (const auto& group : found.groups)
        if (!group.inFolders)
            groups_.push_back(
                {fmt::format("{} of {}: {}", formatItems(group.files.size(), "file"), desk_.size(group.bytesEach),
                             displayText(tree_->name(group.files.front().node))),
                 group.freeable, group.files});
    std::stable_sort(groups_.begin(), groups_.end(),
                     [](const Group& a, const Group& b) { return a.freeable > b.freeable; });
    for (std::size_t i = 0; i < std::min(mostGroups, groups_.size()); ++i) {
        rows_.push_back({i, noNode});
        for (const auto& file : groups_[i].files)
            rows_.push_back({i, file.node});
    }
    summary_ = fmt::format("{} of the same content, {} could be freed", formatItems(groups_.size(), "group"),
                           desk_.size(found.freeable));
    stopped_ = found.stopped;
    if (stopped_)
        summary_ += "; stopped, there may be more";
    if (found.changed + found.unreadable > 0)
        summary_ +=
            fmt::format("; {} changed or could not be read", formatItems(found.changed + found.unreadable, "file"));
}

void DuplicatesPage::refresh()
{
    const bool another = isWorking() && (!desk_.hasPlace() || desk_.tree().sharedStore() != job_->tree->sharedStore());
    if (another)
        stop();
    if (isOfPlace() || (isWorking() && !another))
        return;
    if (wanted_ && !isWorking() && whyNot().empty())
        return search(); // the scan has ended
    tree_.reset();
    groups_.clear();
    rows_.clear();
    summary_.clear();
    stopped_ = false;
    forgetChosen();
}

void DuplicatesPage::renumber(const std::function<NodeId(NodeId)>&)
{
    refresh(); // what was read anew may be another thing
}

void DuplicatesPage::drawRow(Screen& screen, int y, int width, std::size_t row)
{
    const auto& [index, node] = rows_[row];
    const auto& group = groups_[index];
    if (node == noNode) {
        if (isChosen(row))
            screen.put(y, 0, "*", 1, Ink::Accent);
        screen.putRight(y, 1, desk_.size(group.freeable), 10, Ink::Strong);
        screen.put(y, 12, group.words, width - 13, Ink::Strong, Cut::Middle);
        return;
    }
    ItemColumns columns;
    columns.whole = desk_.tree().measured(rootNode, desk_.place().measure);
    columns.largest = desk_.tree().measured(node, desk_.place().measure);
    columns.date = width >= 70;
    columns.wholePath = true;
    if (desk_.tree().contains(node))
        drawItem(screen, desk_, y, width, node, columns, isChosen(row), " ");
    else
        screen.put(y, 12, "gone", width - 13, Ink::Second);
}

void DuplicatesPage::activate(std::size_t row)
{
    if (rows_[row].node != noNode && desk_.tree().contains(rows_[row].node))
        pages_.showInExplore(rows_[row].node);
}

bool DuplicatesPage::key(const Key& key)
{
    if (key.name == "P" || key.name == "Delete" || key.name == "T")
        return plan({}), true;
    if (key.name == "D" || key.name == "Shift+Delete")
        return plan({Action::Delete, {}, false, {}}), true;
    if (key.name == "K") {
        keep_ = static_cast<Keep>((static_cast<int>(keep_) + 1) % 3);
        pages_.say(std::string("Of each group ") + keepWords(keep_) + ".");
        return true;
    }
    if (key.name == "A") {
        pages_.ask("Search from which size on", desk_.size(smallest_), [this](const std::string& text) -> std::string {
            const auto bytes = parseSize(text);
            if (!bytes || *bytes == 0)
                return displayText(text) + " is no size. One is 500K or 1M.";
            smallest_ = *bytes;
            search();
            return {};
        });
        return true;
    }
    return ListPage::key(key);
}

/// Of a group of which files are chosen these go; of one that is chosen itself all but the one that is to stay.
void DuplicatesPage::plan(const Intent& intent)
{
    if (isWorking() || !isOfPlace() || rows_.empty())
        return;
    if (desk_.isActing())
        return pages_.say("A plan is being carried out. Wait for its end, or stop it.");
    std::map<std::size_t, std::set<NodeId>> chosen;
    for (const auto row : chosenRows()) {
        auto& nodes = chosen[rows_[row].group];
        if (rows_[row].node != noNode)
            nodes.insert(rows_[row].node);
    }
    std::vector<DuplicateRemoval> wanted;
    for (const auto& [index, nodes] : chosen) {
        auto files = groups_[index].files;
        std::erase_if(files, [this](const DuplicateFile& file) { return !desk_.tree().contains(file.node); });
        if (nodes.empty()) {
            const auto more = allButOne(files, tree_, keep_);
            wanted.insert(wanted.end(), more.begin(), more.end());
            continue;
        }
        const auto stays = std::find_if(files.begin(), files.end(),
                                        [&](const DuplicateFile& file) { return !nodes.contains(file.node); });
        if (stays == files.end())
            return pages_.say("That would be all of a group. Leave one of each out.");
        for (const auto node : nodes)
            if (desk_.tree().contains(node))
                wanted.push_back({node, stays->node});
    }
    std::vector<NodeId> planned;
    for (const auto& item : desk_.place().plan.items())
        if (item.node != noNode)
            planned.push_back(item.node);
    auto removals = consistentRemovals(desk_.tree(), planned, wanted);
    if (removals.empty())
        return pages_.say("Nothing was planned: one of each of these is already planned, or stays for another.");
    job_ = std::make_shared<Job>();
    job_->tree = desk_.place().tree;
    job_->toCompare = bytesToCompare(*job_->tree, removals);
    desk_.work().run(
        [held = busy_.begin(), job = job_, removals = std::move(removals)](const std::stop_token& stop) {
            const std::stop_callback ended(stop, [&] { job->stop.request_stop(); });
            return compareRemovals(*job->tree, removals, job->compared, job->stop.get_token());
        },
        [this, intent](const ComparedRemovals& compared) {
            busy_.end();
            if (!isOfPlace() || compared.stopped)
                return pages_.say("Stopped: nothing was planned.");
            desk_.planItems(compared.goes(), intent, compared.same);
            if (compared.different > 0)
                pages_.say(formatItems(compared.different, "item is", "items are") +
                           " left out: " + (compared.problem.empty() ? "no longer identical." : compared.problem));
            forgetChosen();
            desk_.changed();
        });
}

std::vector<NodeId> DuplicatesPage::subjects() const
{
    std::vector<NodeId> nodes;
    if (isOfPlace())
        for (const auto row : chosenRows())
            if (rows_[row].node != noNode && desk_.tree().contains(rows_[row].node))
                nodes.push_back(rows_[row].node);
    return nodes;
}

std::string DuplicatesPage::pointer() const
{
    if (!isOfPlace() || selected() >= rows_.size())
        return {};
    const auto& [index, node] = rows_[selected()];
    if (node != noNode)
        return pointerLine(desk_, node);
    const auto& group = groups_[index];
    return fmt::format("{}: {} could be freed, {}", group.words, desk_.size(group.freeable), keepWords(keep_));
}

std::vector<std::pair<std::string, std::string>> DuplicatesPage::hints() const
{
    if (isWorking())
        return {{".", "stop"}};
    return {{"P", "plan all but one"}, {"K", keepWords(keep_)}, {"A", "from a size on"}, {"Enter", "in Explore"}};
}

} // namespace kurvo::terminal
