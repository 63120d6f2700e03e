// SPDX-License-Identifier: GPL-3.0-or-later
// The terminal view: stages, what lies over them, the gauge, the line of keys, and one table of commands from which
// keys and their help are made.
#pragma once

#include <map>
#include <memory>
#include <vector>

#include "terminal/pages.h"

namespace kurvo::terminal {

struct BrowseWish {
    DeskWish desk;
    std::string source; ///< folder or snapshot; the list of drives when empty
    /// Begins the scan of `source` where somebody else makes it; called while one may still be asked things on the
    /// terminal. An error has been told. Empty where the place is of this machine.
    std::function<std::optional<BegunScan>()> begin;
    std::string before; ///< compares `source` with this one; may be empty
    Screen::Wish screen;
};

/// Shows the view until the user leaves it. Returns an exit status: 0, or 128 and the signal that ended it; 3 with a
/// sentence on stderr where there is no terminal.
int browse(const BrowseWish& wish);

class Browser : public Pages {
public:
    Browser(Screen& screen, const BrowseWish& wish, std::optional<BegunScan> begun = {});
    ~Browser() override;
    /// Until the user leaves. What still runs has ended when it returns.
    int run(int signals);
    /// Something that only looks did not end in time.
    bool leftBehind() const { return abandoned_; }

    void say(const std::string& sentence) override;
    void push(std::unique_ptr<Page> page) override;
    void showInExplore(NodeId node) override;
    void showFacts(NodeId node) override;
    void ask(const std::string& question, const std::string& given,
             std::function<std::string(const std::string&)> take) override;

private:
    enum Stage { Scan, Explore, Find, Compare, Clear };
    static constexpr std::size_t stageCount = 5;
    struct Command {
        std::vector<std::string> keys;
        std::string words;
        std::function<void()> run;
    };
    struct Question {
        std::string words, text;
        std::function<std::string(const std::string&)> take;
    };
    void makeCommands();
    void makeItemCommands();
    void makeMarkCommands();
    Page& page();
    void go(Stage stage);
    void take(const Key& key);
    void takeAnswer(const Key& key);
    void back();
    void changed();
    void draw();
    void drawTop();
    void drawGauge();
    void drawBottom();
    void putWithPath(int y, const std::string& words, Ink figures, Ink path);
    void showKeys();
    void showGuide();
    void goTo(const std::string& path);
    void askWhereToMove();
    void largestInHere(bool hidden);
    void leave();
    void stopWhatRuns();
    bool needsPlace();

    Screen& screen_;
    Work work_;
    Desk desk_;
    std::array<std::unique_ptr<Page>, stageCount> stages_;
    std::unique_ptr<TablePage> types_, roles_;
    std::unique_ptr<LeadsPage> leads_;
    std::unique_ptr<DuplicatesPage> duplicates_;
    bool findsDuplicates_ = false; ///< in Find
    enum class Pane { Descent, Types, Roles, Leads };
    Pane pane_ = Pane::Descent; ///< of Explore
    Stage stage_ = Scan;
    std::vector<std::unique_ptr<Page>> over_;
    std::vector<Command> commands_;
    std::map<std::string, std::size_t> byKey_;
    std::optional<Question> question_;
    std::string notice_;
    bool dirty_ = true, leaving_ = false, abandoned_ = false;
};

} // namespace kurvo::terminal
