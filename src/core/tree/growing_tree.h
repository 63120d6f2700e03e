// SPDX-License-Identifier: GPL-3.0-or-later
// GrowingTree: pictures of a scan that still runs. Each look adds only what came since the one before, so that looking
// often costs little however large the scan has become.
#pragma once

#include <map>
#include <memory>

#include "core/tree/file_tree.h"

namespace kurvo {

class GrowingTree {
public:
    explicit GrowingTree(std::shared_ptr<const NodeStore> store) : store_(std::move(store)) { }

    /// What has been found until now, as an immutable tree over the same store: ids stay what they are in every later
    /// look and in the finished tree. A file with several links counts at the path that was met first, which the
    /// finished tree puts right. One thread at a time; the scan goes on meanwhile.
    std::shared_ptr<const FileTree> look();

private:
    std::shared_ptr<const NodeStore> store_;
    StoreExtent seen_;
    std::vector<FolderSums> sums_;
};

} // namespace kurvo
