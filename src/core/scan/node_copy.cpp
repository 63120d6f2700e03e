// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/node_copy.h"

namespace kurvo {

NewNode nodeCopy(const NodeStore& store, NodeId node)
{
    NewNode copy;
    copy.name = store.name(node);
    copy.flags = store.flags(node) & (FlagDoor | FlagUnreadable | FlagUnfinished);
    copy.type = store.type(node);
    auto& stat = copy.stat;
    stat.kind = store.kind(node);
    stat.uid = store.owner(node);
    stat.links = store.has(node, FlagLinked) ? store.linkSets()[store.linkSetOf(node)].links : 1;
    stat.inode = store.inode(node);
    stat.device = store.device(node);
    stat.size = store.ownApparent(node);
    stat.blocks = store.ownDisk(node) / 512;
    stat.modified = store.modified(node);
    stat.modifiedNs = store.modifiedNs(node);
    return copy;
}

} // namespace kurvo
