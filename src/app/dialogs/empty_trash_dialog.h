// SPDX-License-Identifier: GPL-3.0-or-later
// Asks what of the trash shall go onto the plan to be removed for good: what was put there from this place, or all.
#pragma once

#include <QRadioButton>

#include "app/dialogs/ask_dialog.h"
#include "app/model/place.h"

namespace kurvo::app {

class EmptyTrashDialog : public AskDialog {
    Q_OBJECT
public:
    /// `everything`: what the drive's trash holds; `bytes`: its size on disk.
    EmptyTrashDialog(const Place& place, const std::vector<TrashedItem>& everything, std::uint64_t bytes,
                     QWidget* parent = nullptr);
    bool wantsEverything() const { return all_->isChecked(); }
    /// What was put there from this place.
    const std::vector<TrashedItem>& ours() const { return ours_; }
    /// The folders that everything lies in.
    const std::vector<TrashFolder>& folders() const { return folders_; }

private:
    std::vector<TrashedItem> ours_;
    std::vector<TrashFolder> folders_;
    QRadioButton* onlyOurs_;
    QRadioButton* all_;
};

} // namespace kurvo::app
