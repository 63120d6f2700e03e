// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/new_plan.h"

#include <algorithm>

#include "cli/command.h"
#include "cli/output.h"
#include "core/base/text.h"
#include "core/platform/folders.h"

namespace kurvo::cli {
namespace {

/// The file that is to be written may not be, or lie in, what is planned.
bool liesInPlanned(const std::string& file, const PlanFile& plan)
{
    const auto folder = canonicalPath(file.find('/') == file.npos ? "." : std::string(parentPath(file)));
    const auto path = folder ? joinPath(*folder, fileName(file)) : file;
    return std::any_of(plan.items.begin(), plan.items.end(),
                       [&](const PlannedItem& planned) { return isAtOrBelow(path, planned.item.path); });
}

} // namespace

Guarded::Guarded(const std::string& ownData)
    : packages(PackageDatabase::read()), facts{userFolders(), ownData, packages ? &*packages : nullptr}
{
}

int writeNewPlan(const PlanFile& plan, const std::string& file, AtomicFile::Existing existing)
{
    // Read again as it will be: two items in each other are found here.
    if (const auto good = decodePlan(encodePlan(plan), file); !good) {
        complain(good.error().sentence);
        return ExitFailed;
    }
    if (liesInPlanned(file, plan)) {
        complain(displayText(file) + " is, or lies in, what is planned.");
        return ExitFailed;
    }
    if (const auto written = writePlanFile(file, plan, existing); !written) {
        complain(written.error().sentence);
        return ExitFailed;
    }
    return ExitDone;
}

} // namespace kurvo::cli
