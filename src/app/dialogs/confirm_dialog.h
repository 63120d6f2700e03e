// SPDX-License-Identifier: GPL-3.0-or-later
// The last question before a plan is carried out, where there is one: what goes for good, what takes administrator
// rights. Both lists stand before the eye; what goes for good takes a held button or a tick for the very count.
#pragma once

#include "app/dialogs/ask_dialog.h"
#include "core/plan/plan.h"

namespace kurvo::app {

class ConfirmDialog : public AskDialog {
    Q_OBJECT
public:
    enum class For {
        ForGood, ///< the plan deletes or empties something
        Rights   ///< these items are changed by the helper, as administrator
    };
    /// `digest`: of the request to the helper, which the question for the password shows as well.
    ConfirmDialog(For reason, const PlanState& items, QWidget* parent = nullptr, const QString& digest = {});
    /// How many items of those go for good.
    std::size_t forGood() const { return forGood_; }

private:
    std::size_t forGood_ = 0;
};

} // namespace kurvo::app
