// SPDX-License-Identifier: GPL-3.0-or-later
#include "terminal/browser.h"

#include <fcntl.h>
#include <poll.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <clocale>
#include <csignal>

#include <fmt/format.h>

#include "core/find/largest.h"
#include "terminal/keeper.h"

namespace kurvo::terminal {
namespace {

constexpr const char* stageNames[] = {"Scan", "Explore", "Find", "Compare", "Clear"};

int signalPipe = -1;

void tellSignal(int signal)
{
    const auto byte = static_cast<char>(signal);
    const int kept = errno;
    (void)!::write(signalPipe, &byte, 1);
    errno = kept;
}

} // namespace

Browser::Browser(Screen& screen, const BrowseWish& wish, std::optional<BegunScan> begun)
    : screen_(screen), desk_(wish.desk, work_)
{
    work_.failed = [this](const std::string& sentence) { say(sentence); };
    desk_.say = [this](const std::string& sentence) { say(sentence); };
    desk_.changed = [this] { changed(); };
    desk_.opened = [this] {
        over_.clear();
        go(desk_.comparison() ? Compare : Explore);
    };
    desk_.renumbered = [this](const std::function<NodeId(NodeId)>& newId) {
        for (auto& stage : stages_)
            stage->renumber(newId);
        duplicates_->renumber(newId);
        for (auto& over : over_)
            over->renumber(newId);
    };
    stages_[Scan] = std::make_unique<ScanPage>(desk_, *this);
    stages_[Explore] = std::make_unique<DescentPage>(desk_, *this);
    stages_[Find] = std::make_unique<FindPage>(desk_, *this);
    stages_[Compare] = std::make_unique<ComparePage>(desk_, *this);
    stages_[Clear] = std::make_unique<ClearPage>(desk_, *this);
    types_ = std::make_unique<TablePage>(desk_, *this, TablePage::Of::Types);
    roles_ = std::make_unique<TablePage>(desk_, *this, TablePage::Of::Roles);
    leads_ = std::make_unique<LeadsPage>(desk_, *this);
    duplicates_ = std::make_unique<DuplicatesPage>(desk_, *this);
    for (auto* table : {types_.get(), roles_.get()})
        table->find = [this](const std::string& filter) {
            findsDuplicates_ = false;
            static_cast<FindPage&>(*stages_[Find]).ask(filter, desk_.place().focus);
            go(Find);
        };
    makeCommands();
    makeItemCommands();
    makeMarkCommands();
    for (std::size_t i = 0; i < commands_.size(); ++i)
        for (const auto& key : commands_[i].keys)
            byKey_.emplace(key, i);
    if (!wish.before.empty()) {
        desk_.openComparison(wish.before, wish.source);
        stage_ = Compare;
    } else if (begun) {
        desk_.follow(std::move(*begun));
    } else if (!wish.source.empty()) {
        desk_.open(wish.source);
    }
}

Browser::~Browser() = default;

Page& Browser::page()
{
    if (!over_.empty())
        return *over_.back();
    if (stage_ == Explore && pane_ == Pane::Types)
        return *types_;
    if (stage_ == Explore && pane_ == Pane::Roles)
        return *roles_;
    if (stage_ == Explore && pane_ == Pane::Leads)
        return *leads_;
    if (stage_ == Find && findsDuplicates_)
        return *duplicates_;
    return *stages_[stage_];
}

void Browser::say(const std::string& sentence)
{
    notice_ = sentence;
    dirty_ = true;
}

void Browser::push(std::unique_ptr<Page> page)
{
    over_.push_back(std::move(page));
    dirty_ = true;
}

void Browser::showInExplore(NodeId node)
{
    over_.clear();
    pane_ = Pane::Descent;
    go(Explore);
    static_cast<DescentPage&>(*stages_[Explore]).show(node);
}

void Browser::showFacts(NodeId node)
{
    if (node == noNode || !desk_.hasPlace() || !desk_.tree().contains(node))
        return;
    push(std::make_unique<FactsPage>(desk_, *this, node));
}

void Browser::ask(const std::string& question, const std::string& given,
                  std::function<std::string(const std::string&)> take)
{
    question_ = Question{question, given, std::move(take)};
    dirty_ = true;
}

void Browser::go(Stage stage)
{
    stage_ = stage;
    changed();
    if (stage == Find && desk_.hasPlace())
        stages_[Find]->refresh();
}

void Browser::changed()
{
    dirty_ = true;
    for (auto& stage : stages_)
        if (stage)
            stage->refresh();
    for (Page* table : {static_cast<Page*>(types_.get()), static_cast<Page*>(roles_.get())})
        if (table && &page() == table)
            table->refresh();
    if (duplicates_)
        duplicates_->refresh();
    for (auto& over : over_)
        over->refresh();
}

void Browser::stopWhatRuns()
{
    if (desk_.isActing()) {
        desk_.stopRun();
        say("Stopping after the item in work; a copy that is being made is taken back.");
    } else if (desk_.isScanning()) {
        desk_.stopScan();
    } else if (duplicates_->isWorking()) {
        duplicates_->stop();
    } else {
        say("Nothing runs. Q ends the view.");
    }
}

void Browser::leave()
{
    if (!desk_.isActing()) {
        leaving_ = true;
        return;
    }
    ask("A plan is being carried out. Type \"quit\" to stop it after the item in work and end", {},
        [this](const std::string& typed) -> std::string {
            if (typed != "quit")
                return "It goes on.";
            desk_.stopRun();
            leaving_ = true;
            return {};
        });
}

void Browser::back()
{
    if (!over_.empty()) {
        over_.pop_back();
        changed();
    } else if (stage_ == Find && findsDuplicates_) {
        findsDuplicates_ = false;
        changed();
    } else if (stage_ == Explore && pane_ != Pane::Descent) {
        pane_ = Pane::Descent;
        changed();
    } else {
        say("Tab goes to the next stage, Q ends the view.");
    }
}

void Browser::takeAnswer(const Key& key)
{
    auto& text = question_->text;
    dirty_ = true;
    if (key.name == "Escape" || key.name == "Ctrl+C") {
        question_.reset();
    } else if (key.name == "Enter") {
        const auto asked = std::move(*question_);
        question_.reset();
        if (const auto problem = asked.take(asked.text); !problem.empty())
            say(problem);
    } else if (key.name == "Backspace") {
        while (!text.empty() && (static_cast<unsigned char>(text.back()) & 0xC0) == 0x80)
            text.pop_back();
        if (!text.empty())
            text.pop_back();
    } else if (key.name == "Ctrl+U") {
        text.clear();
    } else if (key.name == "Ctrl+W") {
        while (!text.empty() && text.back() == ' ')
            text.pop_back();
        while (!text.empty() && text.back() != ' ' && text.back() != '/')
            text.pop_back();
        if (!text.empty() && text.back() == '/')
            text.pop_back();
    } else if (!key.text.empty() && text.size() < 4096) {
        text += key.text;
    }
}

void Browser::take(const Key& key)
{
    if (key.name == "Resize" || key.name.empty()) {
        dirty_ = true;
        return;
    }
    dirty_ = true;
    if (question_)
        return takeAnswer(key);
    notice_.clear();
    if (!screen_.isLargeEnough()) {
        if (key.name == "Q")
            leave();
        return;
    }
    if (key.name == "Click" && key.y == 0) {
        int x = 1;
        for (std::size_t i = 0; i < stageCount; ++i) {
            const int width = static_cast<int>(std::string_view(stageNames[i]).size()) + 2;
            if (key.x >= x && key.x < x + width) {
                over_.clear();
                return go(static_cast<Stage>(i));
            }
            x += width;
        }
        return;
    }
    if (page().key(key))
        return;
    if (const auto command = byKey_.find(key.name); command != byKey_.end())
        commands_[command->second].run();
}

void Browser::drawTop()
{
    const int width = screen_.width();
    int x = 1;
    for (std::size_t i = 0; i < stageCount; ++i) {
        const bool current = i == stage_;
        const auto words = std::string(" ") + stageNames[i] + " ";
        x += screen_.put(0, x, words, width - x, current ? Ink::Strong : Ink::Second);
        if (current)
            screen_.invert(0, x - static_cast<int>(words.size()), static_cast<int>(words.size()));
    }
    if (desk_.hasPlace()) {
        const auto& info = desk_.place().info;
        const auto name = (info.host.empty() ? std::string() : info.host + ": ") +
                          (info.placeName.empty() ? info.place : info.placeName) +
                          (desk_.place().fromSnapshot ? ", " + formatTime(info.taken).substr(0, 10) : "");
        screen_.putRight(0, x + 2, name, width - x - 3, Ink::Second);
    }
}

void Browser::drawGauge()
{
    const int width = screen_.width();
    if (desk_.isActing()) {
        screen_.bar(1, 1, 12, desk_.runShare());
        screen_.put(1, 14, desk_.runLine(), width - 15, Ink::Accent, Cut::Middle);
        return;
    }
    if (desk_.isScanning()) {
        screen_.put(1, 1, desk_.scanLine(), width - 2, Ink::Accent);
        return;
    }
    if (!desk_.hasPlace())
        return;
    const auto& c = desk_.place().info.capacity;
    const auto planned = desk_.freedByPlan();
    if (c.total == 0) {
        screen_.put(1, 1, "seen " + desk_.size(desk_.tree().disk(rootNode)), width - 2, Ink::Second);
        return;
    }
    const auto part = [&](std::uint64_t bytes) { return static_cast<double>(bytes) / static_cast<double>(c.total); };
    const auto seen = desk_.tree().disk(rootNode);
    screen_.bar(1, 1, 14, part(c.used));
    auto words = fmt::format("used {} of {}, seen {}", desk_.size(c.used), desk_.size(c.total), desk_.size(seen));
    words += planned > 0
                 ? fmt::format(", free {} -> {} after the plan", desk_.size(c.free), desk_.size(c.free + planned))
                 : fmt::format(", free {}", desk_.size(c.free));
    screen_.put(1, 16, words, width - 17, planned > 0 ? Ink::Accent : Ink::Plain);
}

/// Figures stay whole; the path behind them is cut in its middle.
void Browser::putWithPath(int y, const std::string& words, Ink figures, Ink path)
{
    const int width = screen_.width();
    const auto split = words.rfind("  ");
    if (split == words.npos) {
        screen_.put(y, 1, words, width - 2, figures);
        return;
    }
    const int x = 3 + screen_.put(y, 1, words.substr(0, split), width - 14, figures);
    screen_.put(y, x, words.substr(split + 2), width - x - 1, path, Cut::Middle);
}

void Browser::drawBottom()
{
    const int width = screen_.width(), height = screen_.height();
    if (!notice_.empty()) {
        auto lines = foldedTo(cellText(notice_), width - 4);
        constexpr std::size_t most = 4;
        if (lines.size() > most)
            lines.resize(most);
        for (std::size_t i = 0; i < lines.size(); ++i) {
            const int y = height - 1 - static_cast<int>(lines.size() - i);
            screen_.put(y, 0, std::wstring_view(std::wstring(static_cast<std::size_t>(width), L' ')), width);
            screen_.put(y, 0, i == 0 ? "> " : "  ", 2, Ink::Accent);
            screen_.put(y, 2, std::wstring_view(lines[i]), width - 3, Ink::Strong);
        }
    } else {
        putWithPath(height - 2, page().pointer(), Ink::Second, Ink::Plain);
    }
    if (question_) {
        const int asked = screen_.put(height - 1, 1, question_->words + ": ", width * 2 / 3, Ink::Accent);
        auto typed = cellText(question_->text);
        while (cellsOf(typed) > width - asked - 3) // its end is where one types
            typed.erase(typed.begin());
        const int used = screen_.put(height - 1, 1 + asked, std::wstring_view(typed), width - asked - 2);
        screen_.cursor(height - 1, 1 + asked + used);
        return;
    }
    auto hints = page().hints();
    if (!over_.empty())
        hints.emplace_back("Esc", "back");
    hints.emplace_back("Tab", "next stage");
    hints.emplace_back("?", "keys");
    hints.emplace_back("Q", "quit");
    int x = 1;
    for (const auto& [key, words] : hints) {
        if (x + static_cast<int>(key.size() + words.size()) + 1 > width - 1)
            break;
        x += screen_.put(height - 1, x, key, width - x, Ink::Accent);
        x += screen_.put(height - 1, x, " " + words, width - x, Ink::Second) + 2;
    }
}

void Browser::draw()
{
    dirty_ = false;
    screen_.begin();
    if (!screen_.isLargeEnough()) {
        screen_.put(0, 0, fmt::format("Too small: {} by {} at least.", Screen::leastWidth, Screen::leastHeight),
                    screen_.width());
        screen_.put(1, 0, "Q quits.", screen_.width());
        screen_.show();
        return;
    }
    drawTop();
    drawGauge();
    putWithPath(2, page().title(), Ink::Strong, Ink::Strong);
    page().draw(screen_, {3, screen_.height() - 5, screen_.width()});
    drawBottom();
    screen_.show();
}

int Browser::run(int signals)
{
    int status = 0;
    while (!leaving_) {
        if (dirty_)
            draw();
        const bool runs = desk_.isScanning() || desk_.isActing() || page().isWorking();
        pollfd waiting[] = {{STDIN_FILENO, POLLIN, 0}, {work_.descriptor(), POLLIN, 0}, {signals, POLLIN, 0}};
        (void)::poll(waiting, 3, runs ? 250 : -1);
        if (waiting[2].revents != 0) {
            char signal = 0;
            while (::read(signals, &signal, 1) == 1) {
                if (signal == SIGINT) {
                    take({"Ctrl+C", {}, 0, 0});
                } else if (signal == SIGWINCH) {
                    screen_.fit();
                } else if (signal == SIGCONT) {
                    screen_.fit();
                    screen_.redraw();
                    dirty_ = true;
                } else {
                    status = 128 + signal;
                    leaving_ = true;
                }
            }
        }
        for (auto key = screen_.read(); !key.name.empty(); key = screen_.read()) {
            take(key);
            if (leaving_)
                break;
        }
        if ((waiting[0].revents & (POLLHUP | POLLERR | POLLNVAL)) != 0 && !leaving_) { // the connection is gone
            status = 128 + SIGHUP;
            leaving_ = true;
        }
        dirty_ |= work_.settle();
        if (runs) {
            desk_.look();
            dirty_ = true;
        }
    }
    if (desk_.isActing()) {
        desk_.stopRun();
        screen_.begin();
        screen_.put(0, 0, "Stopping after the item in work...", screen_.width(), Ink::Strong);
        screen_.show();
    }
    desk_.stopScan();
    constexpr int patience = 3000;
    if (!work_.end(patience))
        abandoned_ = true;
    return status;
}

int browse(const BrowseWish& wish)
{
    return runKept([&wish] {
        if (!std::setlocale(LC_CTYPE, ""))
            std::setlocale(LC_CTYPE, "C.UTF-8");
        int ends[2];
        if (::pipe2(ends, O_CLOEXEC | O_NONBLOCK) != 0)
            return 3;
        signalPipe = ends[1];
        auto begun = wish.begin ? wish.begin() : std::nullopt;
        if (wish.begin && !begun)
            return 3;
        struct sigaction action { };
        action.sa_handler = tellSignal;
        // Curses would note a new size without waking who waits: one that comes just before the waiting would be lost.
        for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGCONT, SIGWINCH})
            ::sigaction(signal, &action, nullptr);
        std::signal(SIGPIPE, SIG_IGN);
        auto screen = Screen::open(wish.screen);
        if (!screen) {
            std::fprintf(stderr, "kurvoctl: %s\n", screen.error().sentence.c_str());
            return 3;
        }
        int status = 0;
        bool abandoned = false;
        {
            Browser browser(**screen, wish, std::move(begun));
            status = browser.run(ends[0]);
            abandoned = browser.leftBehind();
        }
        screen->reset();
        if (abandoned) // a thread waits for a drive that does not answer: the process cannot wait for it
            ::_exit(status);
        return status;
    });
}

} // namespace kurvo::terminal
