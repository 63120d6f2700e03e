// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>

#include "core/find/largest.h"
#include "core/platform/running_system.h"
#include "terminal/pages.h"

namespace kurvo::terminal {
namespace {

constexpr std::size_t mostRows = 2000; ///< nobody reads more of them; all are counted

struct QuestionWords {
    const char* words;
    const char* advice;
};
constexpr QuestionWords questionWords[questionCount] = {
    {"Largest files", ""},
    {"Large and hidden", "Hidden files belong to programs. Find out which before one goes."},
    {"Hidden folders", "What a file manager does not show. A program keeps its settings there as well."},
    {"Old and large", "Old is not useless: ask the owner, or move it to another drive."},
    {"Trash", "This space comes free only when the trash is emptied."},
    {"Caches and temporary", "Programs make these again when they need them. Close the program first."},
    {"Logs and crash dumps", "A log that grows has a cause: find that, too. Dumps may still be wanted for a report."},
    {"Leftovers", "A lock or partial file may be in use at this moment."},
    {"Installers, disk images", "A disk image can be somebody's virtual machine."},
    {"Old kernels", "They belong to packages: their own tool removes them."},
    {"Folders with many files", "Ten thousand small files take more than they look. Often one program makes them."},
    {"Sparse files", "Their length says little: only what is on disk comes free."},
    {"Preallocated space", "A program keeps these blocks to write into later."},
    {"Hard links", "Space comes free only when the last path of a file goes."}};

} // namespace

std::string FindPage::title() const
{
    if (!desk_.hasPlace())
        return "No place is open";
    auto words =
        words_.empty() ? std::string(questionWords[static_cast<std::size_t>(question_)].words) : "Filter: " + words_;
    words += busy_ ? ", looking" : fmt::format(": {}, {}", formatCount(found_), desk_.size(disk_));
    return top_ == rootNode ? words : words + "  in " + desk_.tree().path(top_);
}

std::string FindPage::emptyWords() const
{
    if (!desk_.hasPlace())
        return "No place is open.";
    return busy_ ? "Looking..." : words_.empty() ? "There is none here." : "Nothing here matches the filter.";
}

void FindPage::ask(Question question, NodeId top)
{
    question_ = question;
    words_.clear();
    filter_ = {};
    top_ = top;
    look();
}

void FindPage::ask(const std::string& text, NodeId top)
{
    auto filter = Filter::parse(text);
    if (const auto* error = std::get_if<FilterError>(&filter))
        return pages_.say(error->sentence);
    filter_ = std::get<Filter>(std::move(filter));
    words_ = filter_.isEmpty() ? std::string() : text;
    question_ = Question::All;
    top_ = top;
    look();
}

void FindPage::askForFilter()
{
    pages_.ask("Filter", words_, [this](const std::string& text) -> std::string {
        const auto filter = Filter::parse(text);
        if (const auto* error = std::get_if<FilterError>(&filter))
            return error->sentence;
        ask(text, top_);
        return {};
    });
}

void FindPage::look()
{
    if (!desk_.hasPlace())
        return;
    if (busy_) { // it is asked anew once this has come
        again_ = true;
        ++request_;
        return;
    }
    const auto& place = desk_.place();
    FilterContext context{
        place.info.taken == 0 ? currentTime() : place.info.taken, place.info.owners, {}, nullptr, nullptr, nullptr};
    if (context.owners.empty())
        context.owners = ownersOf(*place.tree);
    context.marks = place.marks;
    context.advice = place.advice;
    context.isPlanned = [plan = std::make_shared<const Plan>(place.plan.state()), tree = place.tree](NodeId node) {
        return plan->coveringItem(*tree, node) != noNode;
    };
    struct Found {
        std::vector<NodeId> files;
        std::size_t found = 0;
        std::uint64_t disk = 0;
    };
    tree_ = place.tree;
    desk_.work().run(
        [held = busy_.begin(), tree = place.tree, filter = filter_, context, question = question_, top = top_,
         lore = desk_.lore(), kernel = place.isHere ? runningKernel() : std::string()](const std::stop_token&) mutable {
            if (filter.asksForAdvice() && !context.advice)
                context.advice = std::make_shared<const TreeAdvice>(
                    adviseTree(lore ? lore->rules.book : RuleBook::builtIn(), *tree));
            Found found;
            auto nodes = question == Question::All ? matchingFiles(*tree, filter.bind(*tree, context), top)
                                                   : Questions(tree, context.now, kernel).nodes(question, top);
            found.found = nodes.size();
            for (const auto node : nodes)
                found.disk += tree->disk(node);
            const auto largerFirst = [&](NodeId a, NodeId b) {
                const auto sizeA = tree->disk(a), sizeB = tree->disk(b);
                return sizeA != sizeB ? sizeA > sizeB : a < b;
            };
            const auto end = nodes.begin() + static_cast<std::ptrdiff_t>(std::min(mostRows, nodes.size()));
            std::partial_sort(nodes.begin(), end, nodes.end(), largerFirst);
            nodes.erase(end, nodes.end());
            found.files = std::move(nodes);
            return found;
        },
        [this, request = ++request_](Found found) {
            busy_.end();
            if (std::exchange(again_, false))
                look();
            if (request != request_ || !desk_.hasPlace() || desk_.place().tree != tree_)
                return;
            const bool another = files_ != found.files;
            files_ = std::move(found.files);
            found_ = found.found;
            disk_ = found.disk;
            if (another)
                forgetChosen();
            desk_.changed();
        });
}

void FindPage::refresh()
{
    if (!desk_.hasPlace()) {
        files_.clear();
        tree_.reset();
        top_ = rootNode;
        return;
    }
    if (tree_ != desk_.place().tree)
        look();
}

void FindPage::renumber(const std::function<NodeId(NodeId)>& newId)
{
    const auto now = newId(top_);
    top_ = now == noNode ? rootNode : now;
    files_.clear();
    tree_.reset();
    forgetChosen();
    look();
}

void FindPage::drawHead(Screen& screen, int y, int width)
{
    drawItemHead(screen, desk_, y, width, columnsFor(width, false));
}

void FindPage::drawRow(Screen& screen, int y, int width, std::size_t row)
{
    auto columns = columnsFor(width, false);
    columns.whole = desk_.tree().measured(rootNode, desk_.place().measure);
    columns.largest = files_.empty() ? 0 : desk_.tree().measured(files_.front(), desk_.place().measure);
    columns.wholePath = true;
    if (desk_.tree().contains(files_[row]))
        drawItem(screen, desk_, y, width, files_[row], columns, isChosen(row), " ");
}

void FindPage::activate(std::size_t row)
{
    pages_.showInExplore(files_[row]);
}

bool FindPage::key(const Key& key)
{
    if (key.name == "F6" || key.name == "Shift+F6" || key.name == "F18") {
        const auto step = key.name == "F6" ? std::size_t{1} : questionCount - 1;
        ask(static_cast<Question>((static_cast<std::size_t>(question_) + step) % questionCount), top_);
        if (const auto* advice = questionWords[static_cast<std::size_t>(question_)].advice; *advice)
            pages_.say(advice);
        return true;
    }
    if (key.name == "Escape" && (!words_.empty() || top_ != rootNode)) {
        ask(Question::All, rootNode);
        return true;
    }
    return ListPage::key(key);
}

std::string_view FindPage::nameOf(std::size_t row) const
{
    return row < files_.size() ? desk_.tree().name(files_[row]) : std::string_view();
}

std::vector<NodeId> FindPage::subjects() const
{
    std::vector<NodeId> nodes;
    if (desk_.hasPlace() && tree_ == desk_.place().tree)
        for (const auto row : chosenRows())
            nodes.push_back(files_[row]);
    return nodes;
}

std::string FindPage::pointer() const
{
    return selected() < files_.size() && tree_ == desk_.place().tree ? pointerLine(desk_, files_[selected()])
                                                                     : std::string();
}

std::vector<std::pair<std::string, std::string>> FindPage::hints() const
{
    return {{"F", "filter"}, {"F6", "next question"}, {"Enter", "in Explore"}, {"Space", "facts"}, {"Del", "plan"}};
}

} // namespace kurvo::terminal
