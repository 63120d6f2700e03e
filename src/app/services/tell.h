// SPDX-License-Identifier: GPL-3.0-or-later
// Word from a worker while it works.
#pragma once

#include <QObject>

#include <functional>

namespace kurvo::app {

/// Made on the interface thread, called on any: runs what it is given on the interface thread, in the order of the
/// calls, unless `context` is gone by then.
std::function<void(std::function<void()>)> teller(QObject* context);

} // namespace kurvo::app
