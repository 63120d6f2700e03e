// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/explore/roles_view.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QVBoxLayout>

#include <set>

#include "app/services/async.h"
#include "app/services/listen.h"
#include "app/stages/explore/band_painter.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

constexpr std::size_t mostPlaces = 40;

QColor roleColour(Role role)
{
    return familyColour(static_cast<Family>(groupOf(role))); // as the pictures have it by role
}

} // namespace

RolesView::RolesView(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView, Knowledge& knowledge,
                     QWidget* parent)
    : QWidget(parent), places_(places), cursor_(cursor), placeView_(placeView), knowledge_(knowledge),
      list_(new QTreeWidget), empty_(new QLabel)
{
    list_->setObjectName("roles");
    list_->setAccessibleName(tr("What files are there for"));
    list_->setColumnCount(Columns);
    list_->setHeaderLabels({tr("Role, place"), tr("share"), tr("size"), tr("files"), tr("largest"), tr("oldest")});
    list_->setItemDelegate(new BandPainter(Name, Size, list_));
    list_->setIndentation(16);
    list_->setFrameShape(QFrame::NoFrame);
    list_->installEventFilter(this);
    list_->header()->setStretchLastSection(false);
    list_->header()->setSectionResizeMode(Name, QHeaderView::Stretch);
    list_->header()->setMinimumSectionSize(44);
    for (int column = Share; column < Columns; ++column) {
        list_->headerItem()->setTextAlignment(column, Qt::AlignRight | Qt::AlignVCenter);
        list_->header()->setSectionResizeMode(column, QHeaderView::Fixed);
    }
    empty_->setProperty("role", "second");
    empty_->setAlignment(Qt::AlignCenter);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(list_, 1);
    layout->addWidget(empty_, 1);
    connect(list_, &QTreeWidget::currentItemChanged, this, [this] {
        if (!filling_)
            lightCurrent();
    });
    connect(list_, &QTreeWidget::itemExpanded, this, &RolesView::fillFolders);
    connect(list_, &QTreeWidget::itemDoubleClicked, this, &RolesView::activate);
    listen(this, &RolesView::later, places_, &PlaceStore::placeChanged, cursor_, &Cursor::focusChanged, trees,
           &TreeUpdater::treeChanged, trees, &TreeUpdater::shownChanged, placeView_, &PlaceView::measureChanged,
           knowledge_, &Knowledge::rulesRead);
    later();
}

void RolesView::later()
{
    stale_ = true;
    ++request_; // what is being worked out is of a tree, a folder or a measure that was
    const auto* place = places_.place();
    const auto tree = tree_.lock();
    if (!place || !tree || tree->sharedStore() != place->tree->sharedStore())
        fill({}); // ids of another store must not be looked up in this one
    if (isVisible())
        refresh();
}

void RolesView::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    if (stale_)
        refresh();
}

void RolesView::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    const int widths[] = {0, 70, 72, 66, 78, 98};
    int room = width() - 200;
    for (int column = Share; column < Columns; ++column) {
        room -= widths[column];
        list_->setColumnHidden(column, room < 0);
        list_->setColumnWidth(column, widths[column]);
    }
}

void RolesView::refresh()
{
    const auto* place = places_.place();
    if (!place || (place->isGrowing() && age_.isValid() && age_.elapsed() < 1500))
        return; // while a scan runs it follows now and then
    stale_ = false;
    age_.start();
    runAsync(
        this,
        [tree = place->shown(), whole = place->tree, focus = place->focus, measure = places_.measure(),
         advice = place->adviceOfTree(), rules = knowledge_.sharedRules()]() mutable {
            if (!advice)
                advice =
                    std::make_shared<const TreeAdvice>(adviseTree(rules ? rules->book : RuleBook::builtIn(), *whole));
            return Found{roleTable(*tree, *advice, focus, measure), advice, tree};
        },
        [this, request = request_](const Found& found) {
            if (request == request_)
                fill(found);
        });
}

QString RolesView::sizeOf(std::uint64_t value) const
{
    return places_.measure() == Measure::Files ? countText(value) : sizeText(value);
}

void RolesView::fill(const Found& found)
{
    filling_ = true;
    std::set<int> open; // what was open and chosen stays so
    int chosen = -1;
    for (int i = 0; i < list_->topLevelItemCount(); ++i)
        if (list_->topLevelItem(i)->isExpanded())
            open.insert(list_->topLevelItem(i)->data(Name, RoleRole).toInt());
    if (const auto* current = list_->currentItem(); current && !current->parent())
        chosen = current->data(Name, RoleRole).toInt();
    list_->clear();
    table_ = found.table;
    advice_ = found.advice;
    tree_ = found.tree;
    const auto* place = places_.place();
    for (const auto& row : table_.roles) {
        auto* band = new QTreeWidgetItem(list_);
        const auto& figures = row.figures;
        band->setText(Name, QString::fromLatin1(roleTitle(row.role)));
        band->setData(Name, RoleRole, static_cast<int>(row.role));
        band->setData(Name, BandPainter::ShareRole,
                      table_.total == 0 ? 0.0 : static_cast<double>(figures.size) / static_cast<double>(table_.total));
        band->setData(Name, BandPainter::ColourRole, roleColour(row.role));
        band->setText(Share, shareText(figures.size, table_.total));
        band->setText(Size, sizeOf(figures.size));
        band->setText(Files, countText(figures.files));
        if (places_.measure() != Measure::Files)
            band->setText(Largest, sizeOf(figures.largestSize));
        if (figures.oldest != INT64_MAX)
            band->setText(Oldest, whenText(figures.oldest));
        band->setData(Name, LargestRole, figures.largest);
        if (figures.largest != noNode && place)
            band->setToolTip(Largest,
                             tr("%1\nDouble-click to go there").arg(toText(place->tree->path(figures.largest))));
        band->setData(
            Name, Qt::AccessibleTextRole,
            QStringLiteral("%1, %2, %3, %4")
                .arg(band->text(Name), band->text(Share), band->text(Size), itemsText(figures.files, "file")));
        band->setChildIndicatorPolicy(QTreeWidgetItem::ShowIndicator);
        if (static_cast<int>(row.role) == chosen)
            list_->setCurrentItem(band);
    }
    filling_ = false;
    for (int i = 0; i < list_->topLevelItemCount(); ++i)
        if (open.contains(list_->topLevelItem(i)->data(Name, RoleRole).toInt()))
            list_->topLevelItem(i)->setExpanded(true);
    list_->setVisible(!table_.roles.empty());
    empty_->setVisible(table_.roles.empty());
    empty_->setText(place && place->isGrowing() ? tr("No file was found here yet.")
                    : found.tree                ? tr("There is no file in here.")
                                                : tr("Being looked for…"));
}

/// The places of a role, asked for when it is opened.
void RolesView::fillFolders(QTreeWidgetItem* item)
{
    const auto* place = places_.place();
    const auto tree = tree_.lock();
    if (!place || !tree || !advice_ || filling_ || item->parent() || item->childCount() > 0)
        return;
    const auto role = static_cast<Role>(item->data(Name, RoleRole).toInt());
    runAsync(
        this,
        [tree, advice = advice_, focus = place->focus, role, measure = places_.measure()] {
            return foldersOfRole(*tree, *advice, focus, role, measure, mostPlaces + 1);
        },
        [this, request = request_, role, tree](const std::vector<TypeFolder>& folders) {
            if (request != request_ || tree_.lock() != tree)
                return;
            for (int i = 0; i < list_->topLevelItemCount(); ++i) {
                auto* band = list_->topLevelItem(i);
                if (band->data(Name, RoleRole).toInt() != static_cast<int>(role) || band->childCount() > 0)
                    continue;
                const auto focusPath = tree->path(places_.place()->focus);
                for (std::size_t f = 0; f < std::min(folders.size(), mostPlaces); ++f) {
                    auto* line = new QTreeWidgetItem(band);
                    const auto path = tree->path(folders[f].folder);
                    const auto below = path.size() > focusPath.size() ? path.substr(focusPath.size()) : "/.";
                    line->setText(Name, toText(below).mid(below.starts_with('/') ? 1 : 0));
                    line->setText(Size, sizeOf(folders[f].size));
                    line->setText(Files, countText(folders[f].files));
                    line->setText(Share, shareText(folders[f].size, table_.total));
                    line->setData(Name, NodeRole, folders[f].folder);
                    line->setToolTip(Name, toText(path));
                }
                if (folders.size() > mostPlaces) {
                    auto* more = new QTreeWidgetItem(band);
                    more->setText(Name, tr("and places with less"));
                    more->setFlags(Qt::ItemIsEnabled);
                }
            }
        });
}

void RolesView::lightCurrent()
{
    const auto* item = list_->currentItem();
    const auto* place = places_.place();
    if (!item || !place)
        return;
    if (item->data(Name, NodeRole).isValid()) {
        const auto node = item->data(Name, NodeRole).toUInt();
        return node == place->focus ? cursor_.select(noNode) : cursor_.reveal(node);
    }
    const auto tree = tree_.lock();
    if (item->parent() || !tree || !advice_)
        return;
    const auto role = static_cast<Role>(item->data(Name, RoleRole).toInt());
    runAsync(
        this,
        [tree, advice = advice_, role] {
            return std::make_shared<const std::vector<bool>>(filesOfRole(*tree, *advice, role));
        },
        [this, request = ++lightRequest_, tree](const std::shared_ptr<const std::vector<bool>>& files) {
            const auto* now = places_.place();
            if (request != lightRequest_ || !now || now->tree->sharedStore() != tree->sharedStore())
                return;
            Lit lit;
            lit.files = files;
            placeView_.light(lit);
        });
}

void RolesView::activate(QTreeWidgetItem* item, int column)
{
    const auto* place = places_.place();
    if (!place)
        return;
    if (item->data(Name, NodeRole).isValid()) {
        const auto node = item->data(Name, NodeRole).toUInt();
        if (place->tree->isFolder(node))
            cursor_.setFocus(node);
    } else if (column == Largest && item->data(Name, LargestRole).toUInt() != noNode) {
        cursor_.reveal(item->data(Name, LargestRole).toUInt());
    }
}

bool RolesView::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == list_ && event->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(event);
        auto* item = list_->currentItem();
        if ((key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) && item) {
            if (item->data(Name, NodeRole).isValid())
                activate(item, Name);
            else
                item->setExpanded(!item->isExpanded());
            return true;
        }
        if (key->key() == Qt::Key_Escape) {
            list_->setCurrentItem(nullptr);
            return placeView_.putOut() || item;
        }
    }
    return QWidget::eventFilter(watched, event);
}

} // namespace kurvo::app
