// SPDX-License-Identifier: GPL-3.0-or-later
// The pages of the terminal view: one a stage of the window, and those that lie over them.
#pragma once

#include <array>

#include "core/explore/role_table.h"
#include "core/explore/type_table.h"
#include "core/find/filter.h"
#include "core/find/questions.h"
#include "core/plan/duplicate_removals.h"
#include "core/platform/drives.h"
#include "terminal/page.h"

namespace kurvo::terminal {

/// Scan: drives, the home folder, snapshots that were kept.
class ScanPage : public ListPage {
public:
    ScanPage(Desk& desk, Pages& pages);
    std::string title() const override { return "What shall be scanned?"; }
    void refresh() override { }
    std::string pointer() const override;
    std::vector<std::pair<std::string, std::string>> hints() const override;
    bool key(const Key& key) override;
    void read();

protected:
    std::size_t count() const override { return rows_.size(); }
    void drawRow(Screen& screen, int y, int width, std::size_t row) override;
    void activate(std::size_t row) override;
    std::string emptyWords() const override { return "Looking for drives..."; }

private:
    struct Row {
        std::string words, path;
        std::optional<Drive> drive;
        std::optional<CatalogueEntry> kept;
    };
    std::vector<Row> rows_;
};

/// Explore: the descent.
class DescentPage : public ListPage {
public:
    DescentPage(Desk& desk, Pages& pages) : ListPage(desk, pages) { }
    std::string title() const override;
    void draw(Screen& screen, const Box& box) override;
    bool key(const Key& key) override;
    void refresh() override;
    void renumber(const std::function<NodeId(NodeId)>& newId) override;
    std::vector<NodeId> subjects() const override;
    std::string pointer() const override;
    std::vector<std::pair<std::string, std::string>> hints() const override;
    /// Goes to an item: its folder in focus, the item selected.
    void show(NodeId node);
    /// The selected folder, else the focus.
    NodeId folder() const;

protected:
    std::size_t count() const override { return rows_.size(); }
    void drawRow(Screen& screen, int y, int width, std::size_t row) override;
    void drawHead(Screen& screen, int y, int width) override;
    bool hasHead() const override { return true; }
    void activate(std::size_t row) override;
    std::string_view nameOf(std::size_t row) const override;
    std::string emptyWords() const override;

private:
    NodeId nodeAt(std::size_t row) const { return row < rows_.size() ? rows_[row].node : noNode; }
    void take(std::vector<DescentRow> rows, std::shared_ptr<const FileTree> tree, NodeId focus);
    void into(NodeId folder);

    std::vector<DescentRow> rows_;
    std::shared_ptr<const FileTree> tree_; ///< that the rows are of
    NodeId focus_ = noNode;
    NodeId wanted_ = noNode;              ///< to be selected once the rows are there
    bool moved_ = false;                  ///< the selection was chosen, and is not only the first row
    std::map<NodeId, NodeId> remembered_; ///< what was selected in a folder
    unsigned request_ = 0;
    bool asking_ = false, again_ = false;
};

/// File types by family, or roles: what they take, and their largest files.
class TablePage : public ListPage {
public:
    enum class Of { Types, Roles };
    TablePage(Desk& desk, Pages& pages, Of of) : ListPage(desk, pages), of_(of) { }
    std::string title() const override;
    void refresh() override;
    std::string pointer() const override;
    std::vector<std::pair<std::string, std::string>> hints() const override;
    std::vector<NodeId> subjects() const override { return {}; }
    std::function<void(const std::string& filter)> find; ///< shows what a filter finds

protected:
    std::size_t count() const override { return rows_.size(); }
    void drawRow(Screen& screen, int y, int width, std::size_t row) override;
    void drawHead(Screen& screen, int y, int width) override;
    bool hasHead() const override { return true; }
    void activate(std::size_t row) override;
    std::string emptyWords() const override;

private:
    struct Row {
        std::string words, filter;
        std::uint64_t size = 0, files = 0;
        std::int64_t oldest = INT64_MAX;
        int level = 0;
    };
    Of of_;
    std::vector<Row> rows_;
    std::uint64_t total_ = 0;
    std::shared_ptr<const FileTree> tree_;
    NodeId top_ = noNode;
    Measure measure_ = Measure::Disk;
    Busy busy_;
    unsigned request_ = 0;
};

/// Find: the largest files, the ready-made questions, and the filter line.
class FindPage : public ListPage {
public:
    FindPage(Desk& desk, Pages& pages) : ListPage(desk, pages) { }
    std::string title() const override;
    bool key(const Key& key) override;
    void refresh() override;
    void renumber(const std::function<NodeId(NodeId)>& newId) override;
    std::vector<NodeId> subjects() const override;
    std::string pointer() const override;
    std::vector<std::pair<std::string, std::string>> hints() const override;
    /// Answers a question, or a filter; only below `top`.
    void ask(Question question, NodeId top);
    void ask(const std::string& filter, NodeId top);
    void askForFilter();

protected:
    std::size_t count() const override { return files_.size(); }
    void drawRow(Screen& screen, int y, int width, std::size_t row) override;
    void drawHead(Screen& screen, int y, int width) override;
    bool hasHead() const override { return true; }
    void activate(std::size_t row) override;
    std::string_view nameOf(std::size_t row) const override;
    std::string emptyWords() const override;

private:
    void look();
    Question question_ = Question::All;
    std::string words_; ///< of the filter
    Filter filter_;
    NodeId top_ = rootNode;
    std::vector<NodeId> files_;
    std::shared_ptr<const FileTree> tree_;
    std::uint64_t disk_ = 0;
    std::size_t found_ = 0;
    unsigned request_ = 0;
    Busy busy_;
    bool again_ = false;
};

/// Files and folders with the same content, and a plan for all but one of each.
class DuplicatesPage : public ListPage {
public:
    DuplicatesPage(Desk& desk, Pages& pages);
    ~DuplicatesPage() override;
    std::string title() const override;
    bool key(const Key& key) override;
    void refresh() override;
    void renumber(const std::function<NodeId(NodeId)>& newId) override;
    std::vector<NodeId> subjects() const override;
    std::string pointer() const override;
    std::vector<std::pair<std::string, std::string>> hints() const override;
    bool isWorking() const override { return static_cast<bool>(busy_); }
    void stop() override;
    /// Searches the place, unless it was searched already.
    void begin();

protected:
    std::size_t count() const override { return rows_.size(); }
    void drawRow(Screen& screen, int y, int width, std::size_t row) override;
    void activate(std::size_t row) override;
    std::string emptyWords() const override;

private:
    struct Group {
        std::string words;
        std::uint64_t freeable = 0;
        std::vector<DuplicateFile> files; ///< or folders
    };
    struct Row {
        std::size_t group = 0;
        NodeId node = noNode; ///< of a file or folder; the group itself where there is none
    };
    struct Job;
    bool isOfPlace() const;
    std::string whyNot() const;
    void search();
    void take(const Duplicates& found, std::shared_ptr<const FileTree> tree);
    void plan(const Intent& intent);

    std::shared_ptr<const FileTree> tree_; ///< that the rows are of
    std::vector<Group> groups_;
    std::vector<Row> rows_;
    std::string summary_;
    std::uint64_t smallest_ = 1 << 20;
    Keep keep_ = Keep::Oldest;
    bool wanted_ = false;  ///< a search, once the scan has ended
    bool stopped_ = false; ///< the search that found the rows
    Busy busy_;
    std::shared_ptr<Job> job_; ///< the last
};

/// What stands out.
class LeadsPage : public ListPage {
public:
    LeadsPage(Desk& desk, Pages& pages) : ListPage(desk, pages) { }
    std::string title() const override;
    bool key(const Key& key) override;
    std::vector<NodeId> subjects() const override;
    std::string pointer() const override;
    std::vector<std::pair<std::string, std::string>> hints() const override;

protected:
    std::size_t count() const override;
    void drawRow(Screen& screen, int y, int width, std::size_t row) override;
    void activate(std::size_t row) override;
    std::string emptyWords() const override;

private:
    const Lead* at(std::size_t row) const;
};

/// All that is known of one item.
class FactsPage : public TextPage {
public:
    FactsPage(Desk& desk, Pages& pages, NodeId node);
    std::vector<NodeId> subjects() const override;
    std::string pointer() const override;
    void refresh() override { write(); }
    void renumber(const std::function<NodeId(NodeId)>& newId) override;

private:
    void write();
    void look();
    NodeId node_;
    std::string path_;
    std::shared_ptr<std::vector<std::string>> told_; ///< what the disk says; shared with the answer that brings it
};

/// What changed since an earlier snapshot.
class ComparePage : public ListPage {
public:
    ComparePage(Desk& desk, Pages& pages) : ListPage(desk, pages) { }
    std::string title() const override;
    bool key(const Key& key) override;
    void refresh() override;
    std::vector<NodeId> subjects() const override;
    std::string pointer() const override;
    std::vector<std::pair<std::string, std::string>> hints() const override;
    void askForFilter();

protected:
    std::size_t count() const override { return desk_.comparison() ? lines_.size() : desk_.earlierSnapshots().size(); }
    void drawRow(Screen& screen, int y, int width, std::size_t row) override;
    void activate(std::size_t row) override;
    std::string emptyWords() const override;

private:
    void look();
    std::shared_ptr<const Comparison> shown_;
    std::vector<ChangeLine> lines_;
    std::string words_;
    Filter filter_;
    unsigned request_ = 0;
};

/// Clear: the plan, and below it the logbook.
class ClearPage : public ListPage {
public:
    ClearPage(Desk& desk, Pages& pages) : ListPage(desk, pages) { }
    std::string title() const override;
    bool key(const Key& key) override;
    std::vector<NodeId> subjects() const override;
    std::string pointer() const override;
    std::vector<std::pair<std::string, std::string>> hints() const override;

protected:
    std::size_t count() const override;
    void drawRow(Screen& screen, int y, int width, std::size_t row) override;
    void activate(std::size_t row) override;
    std::string emptyWords() const override;

private:
    std::size_t planned() const { return desk_.hasPlace() ? desk_.place().plan.items().size() : 0; }
    const RunRecord* runAt(std::size_t row) const;
    void askToCarryOut();
    void askToUndo(std::size_t row);
};

/// Words and keys of everything; filled by the view from its table of commands.
std::unique_ptr<Page> ledgerPage(Desk& desk, Pages& pages);
std::unique_ptr<Page> notReadPage(Desk& desk, Pages& pages);

} // namespace kurvo::terminal
