// SPDX-License-Identifier: GPL-3.0-or-later
// Internal to core/scan.
#pragma once

#include "core/tree/node_store.h"

namespace kurvo {

/// The entry without what is below it, as it is appended to another store. Its name is the store's.
NewNode nodeCopy(const NodeStore& store, NodeId node);

} // namespace kurvo
