// SPDX-License-Identifier: GPL-3.0-or-later
// Asks before anything is removed from the trash for good. Offers only what this session put there first; everything is
// the second choice, and neither happens on Enter.
#pragma once

#include <QDialog>
#include <QRadioButton>

#include "app/session.h"

namespace kurvo::app {

class EmptyTrashDialog : public QDialog {
    Q_OBJECT
public:
    /// `everything`: what the drive's trash holds; `bytes`: its size on disk.
    EmptyTrashDialog(const Place& place, std::vector<TrashedItem> everything, std::uint64_t bytes,
                     QWidget* parent = nullptr);
    std::vector<TrashedItem> chosen() const;

private:
    std::vector<TrashedItem> ours_;
    std::vector<TrashedItem> everything_;
    QRadioButton* onlyOurs_;
    QRadioButton* all_;
};

} // namespace kurvo::app
