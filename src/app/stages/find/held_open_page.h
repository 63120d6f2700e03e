// SPDX-License-Identifier: GPL-3.0-or-later
// Deleted files that a program still has open: their space is in no folder and comes free when the program ends.
#pragma once

#include "app/model/place_store.h"
#include "app/stages/find/table_page.h"

namespace kurvo::app {

class HeldOpenPage : public TablePage {
    Q_OBJECT
public:
    explicit HeldOpenPage(PlaceStore& places, Notices& notices, QWidget* parent = nullptr);
    void refresh() override;

private:
    PlaceStore& places_;
    Notices& notices_;
    unsigned request_ = 0;
};

} // namespace kurvo::app
