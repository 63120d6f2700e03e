// SPDX-License-Identifier: GPL-3.0-or-later
// What stands on the cards of the Scan stage.
#pragma once

#include <vector>

#include "app/stages/scan/drive_card.h"
#include "core/snapshot/catalogue.h"

namespace kurvo::app {

CardFacts driveCard(const Drive& drive, const Catalogue& catalogue);
/// The demo's drives are its newest snapshots.
std::vector<CardFacts> sampleCards(const Catalogue& catalogue);
/// The demo's folder of real files.
CardFacts practiceCard(const std::string& path, const Catalogue& catalogue);
/// Places that are looked at together.
CardFacts setCard(const PlaceSet& set, const Catalogue& catalogue);

} // namespace kurvo::app
