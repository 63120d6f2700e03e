// SPDX-License-Identifier: GPL-3.0-or-later
// One slot for several signals of several models.
#pragma once

#include <QObject>

namespace kurvo::app {

template <typename Context, typename Slot>
void listen(Context*, Slot)
{
}

/// listen(this, &View::refresh, places, &PlaceStore::placeChanged, trees, &TreeUpdater::treeChanged)
template <typename Context, typename Slot, typename Sender, typename Signal, typename... More>
void listen(Context* context, Slot slot, Sender& sender, Signal signal, More&&... more)
{
    QObject::connect(&sender, signal, context, slot);
    listen(context, slot, std::forward<More>(more)...);
}

} // namespace kurvo::app
