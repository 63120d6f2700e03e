// SPDX-License-Identifier: GPL-3.0-or-later
// Deleted files that a program still has open: their space is in no folder and comes free when the program ends.
#pragma once

#include "app/table_page.h"

namespace kurvo::app {

class HeldOpenPage : public TablePage {
    Q_OBJECT
public:
    explicit HeldOpenPage(Session& session, QWidget* parent = nullptr);
    void refresh() override;

private:
    unsigned request_ = 0;
};

} // namespace kurvo::app
