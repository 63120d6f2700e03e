// SPDX-License-Identifier: GPL-3.0-or-later
// Find: the flat list of files, narrowed by a question, the filter line and a box in the age field.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>
#include <QTimer>
#include <QWidget>

#include <functional>
#include <memory>

#include "app/lists/file_table.h"
#include "app/panels/dossier.h"
#include "app/panels/lead_panel.h"
#include "app/panels/side_panels.h"
#include "app/stages/find/age_field_view.h"
#include "app/stages/find/duplicates_page.h"
#include "app/stages/find/filter_line.h"
#include "app/stages/find/find_query.h"
#include "app/stages/find/held_open_page.h"
#include "app/stages/find/packages_page.h"
#include "app/stages/find/question_list.h"
#include "app/stages/find/trash_page.h"
#include "app/stages/find/versions_page.h"
#include "core/find/order.h"
#include "core/find/questions.h"

namespace kurvo::app {

class FindStage : public QWidget {
    Q_OBJECT
public:
    explicit FindStage(Models& models, QWidget* parent = nullptr);

    FilterLine* filter() { return filter_; }
    AgeFieldView* ageField() { return ageField_; }
    FileTable* list() { return list_; }
    FileListModel* model() { return model_; }
    QuestionList* questions() { return questions_; }
    Dossier* dossier() { return dossier_; }
    SidePanels* sides() { return sides_; }
    std::vector<QWidget*> panes();
    DuplicatesPage* duplicates() { return duplicates_; }
    PackagesPage* packages() { return packages_; }
    HeldOpenPage* heldOpen() { return heldOpen_; }
    TrashPage* trash() { return trash_; }
    VersionsPage* versions() { return versions_; }
    LeadPanel* leads() { return leads_; }
    bool showsLeads() const { return pages_->currentWidget() == leads_; }
    /// What keys work on when one comes here.
    void focusFirst() { showsLeads() ? leads_->list()->setFocus() : list_->setFocus(); }
    /// The list, with the question that is asked; of what else there is only where a question cannot be narrowed.
    void showFiles();
    /// One of the pages after the questions.
    void showPage(FinderPage* page);
    /// Nothing is being worked out any more.
    bool isSettled() const { return shownRequest_ == request_ && !soon_.isActive(); }
    /// Which columns the list has and how wide; empty as long as nobody chose.
    QByteArray columns() const { return list_->columns(); }
    void setColumns(const QByteArray& state) { list_->setColumns(state); }
    Question question() const { return question_; }
    /// Filters that were given a name: name and line in turn. They stand below the questions.
    QStringList kept() const { return kept_; }
    void setKept(const QStringList& kept);

signals:
    void scanRequested();
    void contextRequested(const QPoint& global);
    void planRequested();
    void exploreRequested(); ///< the selected file's folder
    void keptChanged();
    void columnsChanged();
    void lightRequested(); ///< what was found is to be looked at in Explore

protected:
    void showEvent(QShowEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void later();
    void showScope();
    void makeFinders();
    void nameParts();
    void makeWaysToExplore();
    void layOut();
    void wire();
    void find(FindQuery query);
    void refresh();
    void show(const FoundFiles& found);
    void takeBox();
    void showSelection();
    void takeSelection();
    void sortBy(int column);
    void takeToExplore(const std::function<void(const std::shared_ptr<std::vector<bool>>&)>& show);
    void keepFilter();
    void chooseRow(int row);
    void showKept();
    /// The row after the finders, where kept filters begin.
    int finderEnd() const { return QuestionList::rowOf(static_cast<Question>(questionCount)) + finderCount; }
    void leaveEmptyLeads();

    static constexpr int finderCount = 5;

    Models& models_;
    QStackedWidget* stack_;
    QuestionList* questions_;
    FilterLine* filter_;
    QLabel* problem_;
    QPushButton* scope_;
    QPushButton* keep_;
    QLabel* mind_; ///< what to mind with the question
    AgeFieldView* ageField_;
    FileListModel* model_;
    FileTable* list_;
    QLabel* sums_;
    QPushButton* light_;
    QPushButton* only_;
    Dossier* dossier_;
    SidePanels* sides_ = nullptr;
    QStackedWidget* pages_; ///< the list first, then the finders, then the leads
    VersionsPage* versions_;
    LeadPanel* leads_;
    bool asked_ = false; ///< somebody has chosen what to look at
    DuplicatesPage* duplicates_;
    HeldOpenPage* heldOpen_;
    TrashPage* trash_;
    PackagesPage* packages_;
    QTimer soon_;
    Question question_ = Question::All;
    QStringList kept_;
    QString boxTerms_; ///< what the box put into the line
    FileOrder order_ = FileOrder::Disk;
    bool descending_ = true;
    bool stale_ = true;
    bool following_ = false;
    unsigned request_ = 0;
    unsigned shownRequest_ = 0;
    std::uint64_t shownPlace_ = 0;
    std::shared_ptr<const Questions> known_; ///< of the tree they were worked out for
    std::shared_ptr<const FileTree> knownTree_;
    NodeId knownTop_ = noNode; ///< below which the answers are
    std::array<Answer, questionCount> answers_{};
};

} // namespace kurvo::app
