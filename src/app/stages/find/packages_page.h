// SPDX-License-Identifier: GPL-3.0-or-later
// Installed packages by size. Kurvo removes none: it gives the command that does.
#pragma once

#include <QLineEdit>

#include "app/model/place_store.h"
#include "app/stages/find/table_page.h"
#include "core/platform/program_stores.h"

namespace kurvo::app {

class PackagesPage : public TablePage {
    Q_OBJECT
public:
    explicit PackagesPage(PlaceStore& places, Notices& notices, Knowledge& knowledge, QWidget* parent = nullptr);
    void refresh() override;
    QPushButton* copyButton() { return copy_; }

private:
    PlaceStore& places_;
    Notices& notices_;
    Knowledge& knowledge_;
    struct Row {
        std::uint64_t disk = 0; ///< of its files that are in the place
        std::uint32_t found = 0;
    };
    struct Found {
        std::vector<Row> rows; ///< by package
        std::vector<StoredThing> stores;
        std::vector<Row> stored; ///< by thing
    };
    void fill(const PackageDatabase& packages, const Found& found);

    QLineEdit* narrow_;
    QPushButton* copy_;
    std::shared_ptr<const PackageDatabase> shown_;
    std::weak_ptr<const FileTree> shownTree_;
    unsigned request_ = 0;
};

} // namespace kurvo::app
