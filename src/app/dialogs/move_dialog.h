// SPDX-License-Identifier: GPL-3.0-or-later
// Asks where planned items shall be moved to: a drive and a folder on it, with or without a link at the old path.
#pragma once

#include <QCheckBox>
#include <QLineEdit>
#include <QListWidget>

#include "app/dialogs/ask_dialog.h"
#include "app/model/place_store.h"
#include "core/platform/drives.h"

namespace kurvo::app {

class MoveDialog : public AskDialog {
    Q_OBJECT
public:
    /// `lastFolder`: where something was moved to before; may be empty.
    MoveDialog(PlaceStore& places, std::size_t count, std::uint64_t bytes, const QString& lastFolder, bool lastLink,
               QWidget* parent = nullptr);
    /// The folder as bytes, without dots and links.
    std::string destination() const { return destination_; }
    bool leavesLink() const { return link_->isChecked(); }

private:
    void showDrives(const std::vector<Drive>& drives, const std::string& sourceMount);
    void look();

    PlaceStore& places_;
    std::uint64_t bytes_;
    QListWidget* drives_;
    QLineEdit* folder_;
    QLabel* room_;
    QCheckBox* link_;
    QPushButton* plan_;
    std::string destination_;
    std::string sourceMount_;
    unsigned request_ = 0;
};

} // namespace kurvo::app
