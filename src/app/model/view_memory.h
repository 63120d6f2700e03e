// SPDX-License-Identifier: GPL-3.0-or-later
// How places were looked at, from start to start.
#pragma once

#include "app/model/place_store.h"
#include "app/services/settings.h"

namespace kurvo::app {

/// Interface thread only.
class ViewMemory {
public:
    explicit ViewMemory(Settings& settings) : settings_(settings) { }
    /// How places that come new are looked at.
    ViewState last();
    /// How that place was, where it is known.
    std::optional<ViewState> of(const std::string& place);
    /// Keeps how the current place is looked at, for it and for places that come new.
    void remember(const PlaceStore& places);

private:
    Settings& settings_;
};

} // namespace kurvo::app
