// SPDX-License-Identifier: GPL-3.0-or-later
// Asked to end from outside (logging out, a terminal that closes, kill), the window is closed as by its button:
// settings are saved, and a plan that is being carried out stops after its item.
#pragma once

#include <QWidget>

namespace kurvo::app {

/// Once, for the one main window.
void heedTermination(QWidget& window);

} // namespace kurvo::app
