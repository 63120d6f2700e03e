// SPDX-License-Identifier: GPL-3.0-or-later
// A plan that a command writes for others to check and carry out.
#pragma once

#include <string>

#include "core/advice/guard.h"
#include "core/plan/plan_file.h"
#include "core/platform/atomic_file.h"
#include "core/platform/package_database.h"

namespace kurvo::cli {

/// What is protected on this machine. Keeps the packages that it looks at.
struct Guarded {
    explicit Guarded(const std::string& ownData);
    Guarded(const Guarded&) = delete;
    Guarded& operator=(const Guarded&) = delete;
    Result<PackageDatabase> packages;
    GuardFacts facts;
};

/// Writes it where it does not lie in what is planned itself. Returns an exit status; what was wrong is said.
int writeNewPlan(const PlanFile& plan, const std::string& file, AtomicFile::Existing existing);

} // namespace kurvo::cli
