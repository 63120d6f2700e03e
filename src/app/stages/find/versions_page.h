// SPDX-License-Identifier: GPL-3.0-or-later
// Several versions of one thing side by side: which there are, what the older ones hold, and planning these.
#pragma once

#include <QComboBox>
#include <QSpinBox>

#include <memory>
#include <vector>

#include "app/model/cursor.h"
#include "app/model/plan_model.h"
#include "app/stages/find/table_page.h"
#include "core/find/versions.h"

namespace kurvo::app {

class VersionsPage : public TablePage {
    Q_OBJECT
public:
    VersionsPage(PlaceStore& places, Cursor& cursor, PlanModel& plan, Notices& notices, Knowledge& knowledge,
                 QWidget* parent = nullptr);
    void refresh() override;
    QSpinBox* keepBox() { return keep_; }
    QComboBox* ageBox() { return age_; }
    QComboBox* openedBox() { return opened_; }
    QPushButton* planButton() { return plan_; }
    const std::vector<VersionGroup>& groups() const { return groups_; }

private:
    void fill(std::vector<VersionGroup> groups);
    void takeSelection();
    void planOlder();
    std::vector<std::size_t> wanted() const;

    PlaceStore& places_;
    Cursor& cursor_;
    PlanModel& planModel_;
    Notices& notices_;
    Knowledge& knowledge_;
    QSpinBox* keep_;
    QComboBox* age_;
    QComboBox* opened_;
    QPushButton* plan_;
    std::vector<VersionGroup> groups_;
    std::shared_ptr<const FileTree> tree_; ///< they are of this one
    unsigned request_ = 0;
};

} // namespace kurvo::app
