// SPDX-License-Identifier: GPL-3.0-or-later
// One page of the terminal view: it draws itself into a box, takes keys, and says which items it is about, so that the
// commands that act on items (plan, mark, facts) are the same everywhere.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "terminal/desk.h"
#include "terminal/screen.h"

namespace kurvo::terminal {

struct Box {
    int y = 0, height = 0, width = 0;
};

/// What a page may ask of the view that it stands in.
class Pages {
public:
    virtual ~Pages() = default;
    virtual void say(const std::string& sentence) = 0;
    /// Puts a page over what is shown; Escape takes it away.
    virtual void push(std::unique_ptr<class Page> page) = 0;
    /// Shows an item in the descent.
    virtual void showInExplore(NodeId node) = 0;
    virtual void showFacts(NodeId node) = 0;
    /// Asks for a line of text; `take` gets it, and returns a sentence where it cannot be taken.
    virtual void ask(const std::string& question, const std::string& given,
                     std::function<std::string(const std::string&)> take) = 0;
};

class Page {
public:
    Page(Desk& desk, Pages& pages) : desk_(desk), pages_(pages) { }
    virtual ~Page() = default;
    virtual std::string title() const = 0;
    virtual void draw(Screen& screen, const Box& box) = 0;
    /// Whether it was a key of this page's.
    virtual bool key(const Key& key) = 0;
    /// Something of its own runs, so that it is drawn anew now and then; stop() ends that.
    virtual bool isWorking() const { return false; }
    virtual void stop() { }
    /// Plan, tree, marks or something else is another now.
    virtual void refresh() { }
    virtual void renumber(const std::function<NodeId(NodeId)>&) { }
    /// The items that commands are about; none where it shows no items.
    virtual std::vector<NodeId> subjects() const { return {}; }
    /// A line about what is selected; figures, two blanks, and a path that may be cut.
    virtual std::string pointer() const { return {}; }
    /// The keys that are this page's own, as "key word" pairs.
    virtual std::vector<std::pair<std::string, std::string>> hints() const { return {}; }

protected:
    Desk& desk_;
    Pages& pages_;
};

/// Rows of which one is selected, and others can be chosen beside it.
class ListPage : public Page {
public:
    using Page::Page;
    void draw(Screen& screen, const Box& box) override;
    bool key(const Key& key) override;
    std::size_t selected() const { return selected_; }

protected:
    virtual std::size_t count() const = 0;
    virtual void drawRow(Screen& screen, int y, int width, std::size_t row) = 0;
    /// Words over the columns; "" for none.
    virtual void drawHead(Screen&, int, int) { }
    virtual bool hasHead() const { return false; }
    virtual void activate(std::size_t) { }
    /// What "/" looks for.
    virtual std::string_view nameOf(std::size_t) const { return {}; }
    virtual std::string emptyWords() const { return "Nothing here."; }
    void select(std::size_t row);
    bool isChosen(std::size_t row) const;
    /// The selected row, or those that were chosen.
    std::vector<std::size_t> chosenRows() const;
    void forgetChosen() { chosen_.clear(); }

private:
    std::size_t selected_ = 0, top_ = 0;
    std::set<std::size_t> chosen_;
    Box shown_; ///< where rows were drawn last
};

/// Text to read.
class TextPage : public Page {
public:
    TextPage(Desk& desk, Pages& pages, std::string title, std::vector<std::string> lines)
        : Page(desk, pages), title_(std::move(title)), lines_(std::move(lines))
    {
    }
    std::string title() const override { return title_; }
    void draw(Screen& screen, const Box& box) override;
    bool key(const Key& key) override;

protected:
    void setLines(std::vector<std::string> lines) { lines_ = std::move(lines); }

private:
    std::string title_;
    std::vector<std::string> lines_; ///< folded where they are longer than the screen; "# " begins a heading
    std::size_t top_ = 0, most_ = 0;
    int page_ = 1;
};

/// Draws what every row about an item has: size, share, bar, tags, name. Returns nothing but the picture.
struct ItemColumns {
    std::uint64_t whole = 0;   ///< the share is of this
    std::uint64_t largest = 0; ///< and the bar of that
    bool count = false;        ///< how many files are in it
    bool hidden = false;       ///< how much of it is hidden
    bool growth = false;
    bool date = false;
    int indent = 0;
    bool wholePath = false; ///< the path below the place instead of the name
};
/// Which columns there is room for in so many cells.
ItemColumns columnsFor(int width, bool folders);
void drawItem(Screen& screen, const Desk& desk, int y, int width, NodeId node, const ItemColumns& columns, bool chosen,
              std::string_view mark);
void drawItemHead(Screen& screen, const Desk& desk, int y, int width, const ItemColumns& columns);
/// Path, size, share, dates: the line about what is selected.
std::string pointerLine(const Desk& desk, NodeId node);
/// A share as narrow as a column: "<0.1 %".
std::string shortShare(std::uint64_t part, std::uint64_t whole);

} // namespace kurvo::terminal
