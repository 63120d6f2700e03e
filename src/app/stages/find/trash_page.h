// SPDX-License-Identifier: GPL-3.0-or-later
// The trash of all mounted drives, oldest first: put back, or removed for good, some or all.
#pragma once

#include "app/jobs/plan_runner.h"
#include "app/stages/find/table_page.h"

namespace kurvo::app {

class TrashPage : public TablePage {
    Q_OBJECT
public:
    explicit TrashPage(PlanRunner& runner, const AppFolders& folders, QWidget* parent = nullptr);
    void refresh() override;

private:
    PlanRunner& runner_;
    const AppFolders& folders_;
    struct Row {
        TrashedItem item;
        std::uint64_t disk = 0;
        std::string drive;
    };
    std::vector<TrashedItem> chosenItems() const;
    void fill(const std::vector<Row>& rows);

    std::vector<Row> rows_;
    QPushButton* back_;
    QPushButton* remove_;
    QPushButton* all_;
    unsigned request_ = 0;
};

} // namespace kurvo::app
