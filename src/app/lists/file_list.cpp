// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lists/file_list.h"

#include <algorithm>

#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {

void FileListModel::show(std::shared_ptr<const FileTree> tree, std::vector<NodeId> files)
{
    beginResetModel();
    tree_ = std::move(tree);
    files_ = std::move(files);
    endResetModel();
}

int FileListModel::rowOf(NodeId node) const
{
    const auto found = std::find(files_.begin(), files_.end(), node);
    return found == files_.end() ? -1 : static_cast<int>(found - files_.begin());
}

QVariant FileListModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    if (orientation != Qt::Horizontal)
        return {};
    if (role == Qt::TextAlignmentRole && (section == Disk || section == Apparent || section == Changed))
        return QVariant(Qt::AlignRight | Qt::AlignVCenter);
    if (role == Qt::TextAlignmentRole)
        return QVariant(Qt::AlignLeft | Qt::AlignVCenter);
    if (role != Qt::DisplayRole)
        return {};
    const QString names[] = {tr("name"), tr("folder"), tr("on disk"), tr("apparent"), tr("changed"),
                             tr("type"), tr("owner"),  tr("mark"),    tr("advice"),   tr("role")};
    return names[section];
}

QVariant FileListModel::data(const QModelIndex& index, int role) const
{
    const auto node = nodeAt(index.row());
    const auto* place = places_.place();
    if (!index.isValid() || node == noNode || !tree_ || !place)
        return {};
    const auto& store = tree_->store();
    switch (role) {
    case Qt::DisplayRole:
        switch (index.column()) {
        case Name:
            return toText(tree_->name(node));
        case Folder:
            return toText(tree_->path(store.parent(node) == noNode ? node : store.parent(node)));
        case Disk:
            return sizeText(tree_->disk(node));
        case Apparent:
            return sizeText(tree_->apparent(node));
        case Changed:
            return whenText(tree_->newest(node));
        case Type: {
            if (tree_->isFolder(node))
                return itemsText(tree_->countChildren(node), "entry", "entries");
            const auto& type = typeInfo(store.type(node));
            return type.extension.empty()
                       ? QString()
                       : QString::fromUtf8(type.name.data(), static_cast<qsizetype>(type.name.size()));
        }
        case Owner:
            return toText(ownerName(place->info, store.owner(node)));
        case Mark: {
            const auto kind = place->marks ? place->marks->kindOf(node) : 0;
            if (!place->marks || kind >= place->marks->book().kinds.size())
                return {};
            const auto& shown = place->marks->book().kinds[kind];
            return QStringLiteral("%1 %2").arg(QString::fromStdString(shown.sign), QString::fromStdString(shown.name));
        }
        case Advice: {
            const auto* rule = knowledge_.rules().find(tree_->path(node));
            return rule ? adviceLevelText(rule->level) : QString();
        }
        case RoleOf: {
            const auto& advice = place->advice;
            return advice && node < advice->roles.size() && place->tree->sharedStore() == tree_->sharedStore()
                       ? QString::fromLatin1(roleTitle(advice->roles[node]))
                       : QString();
        }
        default:
            return {};
        }
    case Qt::ToolTipRole:
        return toText(tree_->path(node));
    case Qt::TextAlignmentRole:
        return headerData(index.column(), Qt::Horizontal, role);
    case Qt::ForegroundRole:
        return index.column() == Name || index.column() == Disk ? theme().text : theme().textSecond;
    case Qt::FontRole:
        return fontOf(13, tree_->isHidden(node) && index.column() == Name ? QFont::Medium : QFont::Normal);
    case Qt::DecorationRole:
        if (index.column() == Name && tree_->isFolder(node))
            return paler(familyColour((*place->dominant)[store.folderIndex(node)]));
        if (index.column() == Name)
            return familyColour(typeInfo(store.type(node)).family);
        return {};
    case Qt::AccessibleTextRole:
        if (index.column() == Name)
            return (tree_->isHidden(node) ? tr("%1, %2, hidden") : tr("%1, %2"))
                .arg(toText(tree_->name(node)), sizeText(tree_->disk(node)));
        return data(index, Qt::DisplayRole);
    case NodeRole:
        return node;
    default:
        return {};
    }
}

} // namespace kurvo::app
