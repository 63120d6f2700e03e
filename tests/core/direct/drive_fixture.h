// SPDX-License-Identifier: GPL-3.0-or-later
// Drives made by mke2fs with all that trips a reader of tables, and the two ways to read them.
#pragma once

#include <string>

#include "core/scan/scanner.h"
#include "support/mounts.h"
#include "support/test_tree.h"

namespace kurvo::test {

/// Whether loop mounts of ext4 can be made here and their devices opened.
bool canReadTables();

/// Fills a mounted drive; what it does not take (a size, a name) is left out.
void fillDrive(const std::string& mount, unsigned manyFiles = 700);

/// The bytes of such a drive, not mounted any more.
std::string imageOfDrive(const TestFolder& t, const std::string& mkfs, unsigned megabytes, unsigned manyFiles);

/// A scan that asks the kernel, and one that takes the best way. `describe` holds all that trees say.
ScanResult walked(const std::string& mount);
ScanResult readDirectly(const std::string& mount);
std::string described(const ScanResult& result);
/// The first lines in which they differ; empty where they do not.
std::string difference(const std::string& a, const std::string& b);

} // namespace kurvo::test
