// SPDX-License-Identifier: GPL-3.0-or-later
// Duplicates: searched for on request, listed by what they could free, and planned down to one of each. What goes on
// the plan was compared byte by byte with what stays.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QTimer>
#include <QTreeWidget>

#include "app/model/cursor.h"
#include "app/model/plan_model.h"
#include "app/stages/find/finder_page.h"
#include "core/plan/duplicate_removals.h"

namespace kurvo::app {

class DuplicatesPage : public FinderPage {
    Q_OBJECT
public:
    explicit DuplicatesPage(PlaceStore& places, Cursor& cursor, PlanModel& planModel, Notices& notices,
                            QWidget* parent = nullptr);
    ~DuplicatesPage() override;
    void refresh() override;

    QTreeWidget* groups() { return groups_; }
    QPushButton* searchButton() { return search_; }
    QPushButton* planButton() { return plan_; }
    QComboBox* smallest() { return smallest_; }

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    PlaceStore& places_;
    Cursor& cursor_;
    PlanModel& planModel_;
    Notices& notices_;
    struct Job; ///< a search, or a comparison before planning
    void makePlanMenu();
    void wire();
    void search();
    void tick();
    void show(const Duplicates& found, const std::shared_ptr<const FileTree>& tree);
    void addGroup(const QString& title, std::uint64_t freeable, const std::vector<DuplicateFile>& files, int index,
                  bool folders);
    /// Of several places together the one whose drive has the most room; null of one place.
    const PlacePart* emptiestPart() const;
    void planAllBut(Keep keep, const std::string& folder = {});
    void planChosen(const Intent& intent = {});
    void compareAndPlan(const std::vector<DuplicateRemoval>& wanted, const Intent& intent = {});
    void begin(const QString& doing);
    void end();
    void updateButtons();
    const std::vector<DuplicateFile>& filesOf(const QTreeWidgetItem* group) const;

    QComboBox* smallest_;
    QLineEdit* leaveOut_;
    QPushButton* search_;
    QProgressBar* bar_;
    QLabel* state_;
    QTreeWidget* groups_;
    QLabel* empty_;
    QLabel* sums_;
    QPushButton* plan_;
    QTimer ticks_;
    std::shared_ptr<Job> job_;
    std::shared_ptr<const FileTree> tree_; ///< that was searched
    Duplicates found_;
};

} // namespace kurvo::app
