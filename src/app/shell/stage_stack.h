// SPDX-License-Identifier: GPL-3.0-or-later
// The stages, one of which is seen.
#pragma once

#include <QStackedWidget>

namespace kurvo::app {

/// Takes the room that there is and asks for none: else each text that changes in any stage would have the wrapped
/// texts of all five measured anew (20 ms with a long plan).
class StageStack : public QStackedWidget {
public:
    using QStackedWidget::QStackedWidget;
    bool hasHeightForWidth() const override { return false; }
    QSize sizeHint() const override { return {1280, 720}; }
    QSize minimumSizeHint() const override { return {0, 0}; }
};

} // namespace kurvo::app
