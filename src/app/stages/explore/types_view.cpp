// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/explore/types_view.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QMimeDatabase>
#include <QVBoxLayout>

#include <map>

#include "app/pictures/class_colours.h"
#include "app/services/async.h"
#include "app/services/listen.h"
#include "app/stages/explore/band_painter.h"
#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/base/patience.h"
#include "core/platform/file_facts.h"

namespace kurvo::app {
namespace {

constexpr std::size_t mostFolders = 40;
constexpr std::size_t mostTold = 200;

QString nameOf(FileType type)
{
    const auto& info = typeInfo(type);
    if (info.extension.empty())
        return QObject::tr("no known extension");
    return QStringLiteral("%1  .%2").arg(
        QString::fromUtf8(info.name.data(), static_cast<qsizetype>(info.name.size())),
        QString::fromUtf8(info.extension.data(), static_cast<qsizetype>(info.extension.size())));
}

} // namespace

TypesView::TypesView(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView, QWidget* parent)
    : QWidget(parent), places_(places), trees_(trees), cursor_(cursor), placeView_(placeView), list_(new QTreeWidget),
      empty_(new QLabel), toldText_(new QLabel), tell_(new QPushButton)
{
    list_->setObjectName("types");
    list_->setAccessibleName(tr("Families and types of files"));
    list_->setColumnCount(Columns);
    list_->setHeaderLabels(
        {tr("Family, type, folder"), tr("share"), tr("size"), tr("files"), tr("average"), tr("largest"), tr("oldest")});
    list_->setItemDelegate(new BandPainter(Name, Size, list_));
    list_->setExpandsOnDoubleClick(true);
    list_->setIndentation(16);
    list_->setMouseTracking(true);
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
    tell_->setObjectName("tellByContent");
    toldText_->setProperty("role", "small");
    toldText_->setWordWrap(true);
    auto* foot = new QHBoxLayout;
    foot->addWidget(tell_);
    foot->addWidget(toldText_, 1);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(list_, 1);
    layout->addWidget(empty_, 1);
    layout->addLayout(foot);

    connect(list_, &QTreeWidget::currentItemChanged, this, [this] {
        if (!filling_)
            lightCurrent();
    });
    connect(list_, &QTreeWidget::itemExpanded, this, &TypesView::fillFolders);
    connect(list_, &QTreeWidget::itemDoubleClicked, this, &TypesView::activate);
    connect(tell_, &QPushButton::clicked, this, &TypesView::tellByContent);
    listen(
        this,
        [this] {
            stale_ = true;
            ++request_; // what is being worked out is of a tree, a folder or a measure that was
            forgetOtherStore();
            if (isVisible())
                refresh();
        },
        places_, &PlaceStore::placeChanged, cursor_, &Cursor::focusChanged, trees_, &TreeUpdater::treeChanged, trees_,
        &TreeUpdater::shownChanged, placeView_, &PlaceView::measureChanged);
    refresh();
}

TypesView::~TypesView()
{
    stopTelling_.request_stop();
}

/// Ids of another store must not be looked up in this one.
void TypesView::forgetOtherStore()
{
    const auto store = places_.place() ? places_.place()->tree->sharedStore() : nullptr;
    if (store && store == store_.lock())
        return;
    store_ = store;
    told_.clear();
    table_ = {};
    filling_ = true;
    list_->clear();
    filling_ = false;
    age_.invalidate();
}

void TypesView::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    if (stale_)
        refresh();
}

void TypesView::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    const int widths[] = {0, 54, 72, 66, 72, 78, 98};
    int room = width() - 160;
    for (int column = Share; column < Columns; ++column) {
        // What there is no room for is left out from the right: it stands in the tooltip.
        room -= widths[column];
        list_->setColumnHidden(column, room < 0);
        list_->setColumnWidth(column, widths[column]);
    }
}

void TypesView::refresh()
{
    const auto* place = places_.place();
    if (place && place->isGrowing() && age_.isValid() && age_.elapsed() < 900 && !list_->topLevelItemCount())
        return;
    const auto request = ++request_;
    stale_ = false;
    if (!place)
        return fill({});
    if (place->isGrowing() && age_.isValid() && age_.elapsed() < 900) {
        stale_ = true;
        return; // while a scan runs it follows about once a second
    }
    age_.start();
    runAsync(
        this,
        [tree = place->shown(), focus = place->focus, measure = places_.measure()] {
            return typeTable(*tree, focus, measure);
        },
        [this, request](const TypeTable& table) {
            if (request == request_)
                fill(table);
        });
}

void TypesView::setFigures(QTreeWidgetItem* item, const TypeFigures& figures, std::uint64_t whole)
{
    const auto size = [this](std::uint64_t value) {
        return places_.measure() == Measure::Files ? countText(value) : sizeText(value);
    };
    item->setData(Name, BandPainter::ShareRole,
                  whole == 0 ? 0.0 : static_cast<double>(figures.size) / static_cast<double>(whole));
    item->setData(Name, BandPainter::ColourRole,
                  familyColour(static_cast<Family>(item->data(Name, FamilyRole).toInt())));
    item->setText(Share, shareText(figures.size, whole));
    item->setText(Size, size(figures.size));
    item->setText(Files, countText(figures.files));
    if (places_.measure() != Measure::Files) {
        item->setText(Average, size(figures.average()));
        item->setText(Largest, size(figures.largestSize));
    }
    if (figures.oldest != INT64_MAX)
        item->setText(Oldest, whenText(figures.oldest));
    item->setData(Name, LargestRole, figures.largest);
    if (figures.largest != noNode) {
        const auto path = toText(places_.place()->tree->path(figures.largest));
        item->setToolTip(Largest, tr("%1\nDouble-click to go there").arg(path));
        item->setToolTip(Name, tr("%1 in %2, on average %3, oldest %4\nlargest: %5")
                                   .arg(item->text(Size), itemsText(figures.files, "file"), item->text(Average),
                                        item->text(Oldest), path));
    }
    item->setData(Name, Qt::AccessibleTextRole,
                  QStringLiteral("%1, %2, %3, %4")
                      .arg(item->text(Name), item->text(Share), item->text(Size), itemsText(figures.files, "file")));
}

void TypesView::fill(const TypeTable& table)
{
    table_ = table;
    filling_ = true;
    // What was open and chosen stays so.
    std::map<int, bool> openFamilies, openTypes;
    int currentFamily = -1, currentType = -1;
    for (int i = 0; i < list_->topLevelItemCount(); ++i) {
        const auto* family = list_->topLevelItem(i);
        openFamilies[family->data(Name, FamilyRole).toInt()] = family->isExpanded();
        for (int k = 0; k < family->childCount(); ++k)
            openTypes[family->child(k)->data(Name, TypeRole).toInt()] = family->child(k)->isExpanded();
    }
    if (const auto* current = list_->currentItem()) {
        currentFamily = current->data(Name, FamilyRole).toInt();
        currentType = current->data(Name, TypeRole).isValid() ? current->data(Name, TypeRole).toInt() : -1;
    }
    list_->clear();
    for (const auto& family : table.families) {
        auto* band = new QTreeWidgetItem(list_);
        band->setText(Name, QString::fromLatin1(familyName(family.family)));
        band->setData(Name, FamilyRole, static_cast<int>(family.family));
        setFigures(band, family.figures, table.total);
        if (static_cast<int>(family.family) == currentFamily && currentType < 0)
            list_->setCurrentItem(band);
        for (const auto& row : family.types) {
            auto* type = new QTreeWidgetItem(band);
            type->setText(Name, nameOf(row.type));
            type->setData(Name, FamilyRole, static_cast<int>(family.family));
            type->setData(Name, TypeRole, static_cast<int>(row.type));
            setFigures(type, row.figures, table.total);
            type->setChildIndicatorPolicy(QTreeWidgetItem::ShowIndicator);
            if (static_cast<int>(row.type) == currentType)
                list_->setCurrentItem(type);
            if (openTypes[static_cast<int>(row.type)])
                type->setExpanded(true);
        }
        band->setExpanded(openFamilies[static_cast<int>(family.family)]);
    }
    filling_ = false;
    for (int i = 0; i < list_->topLevelItemCount(); ++i)
        for (int k = 0; k < list_->topLevelItem(i)->childCount(); ++k)
            if (list_->topLevelItem(i)->child(k)->isExpanded())
                fillFolders(list_->topLevelItem(i)->child(k));

    const auto* place = places_.place();
    const bool none = table.families.empty();
    list_->setVisible(!none);
    empty_->setVisible(none);
    empty_->setText(place && place->isGrowing() ? tr("No file was found here yet.") : tr("There is no file in here."));
    if (place && (toldPlace_ != place->id || toldFocus_ != place->focus))
        told_.clear();
    const bool unknown = std::any_of(table.families.begin(), table.families.end(),
                                     [](const FamilyRow& row) { return row.family == Family::Unknown; });
    tell_->setVisible(!none && unknown);
    tell_->setEnabled(place && !place->fromSnapshot && !place->isGrowing());
    tell_->setText(telling_ ? tr("Stop looking") : tr("Examine unknown files"));
    tell_->setToolTip(
        tr("Reads the first bytes of the %1 largest files whose name does not tell what they are").arg(mostTold));
    toldText_->setVisible(!none && unknown);
    if (!telling_ && told_.empty())
        toldText_->setText(place && place->fromSnapshot ? tr("A snapshot has no contents to examine.") : QString());
    showTold();
}

/// The folders in which the files of a type lie, asked for when it is opened.
void TypesView::fillFolders(QTreeWidgetItem* item)
{
    const auto* place = places_.place();
    if (!place || filling_ || !item->data(Name, TypeRole).isValid() || item->childCount() > 0)
        return;
    const auto type = static_cast<FileType>(item->data(Name, TypeRole).toInt());
    const auto request = request_;
    runAsync(
        this,
        [tree = place->shown(), focus = place->focus, type, measure = places_.measure()] {
            return foldersOfType(*tree, focus, type, measure, mostFolders + 1);
        },
        [this, request, type](const std::vector<TypeFolder>& folders) {
            if (request != request_)
                return;
            for (int i = 0; i < list_->topLevelItemCount(); ++i)
                for (int k = 0; k < list_->topLevelItem(i)->childCount(); ++k) {
                    auto* row = list_->topLevelItem(i)->child(k);
                    if (row->data(Name, TypeRole).toInt() != type || row->childCount() > 0)
                        continue;
                    const auto& tree = *places_.place()->tree;
                    const auto focusPath = tree.path(places_.place()->focus);
                    for (std::size_t f = 0; f < std::min(folders.size(), mostFolders); ++f) {
                        auto* line = new QTreeWidgetItem(row);
                        const auto path = tree.path(folders[f].folder);
                        const auto below = path.size() > focusPath.size() ? path.substr(focusPath.size()) : "/.";
                        line->setText(Name, toText(below).mid(below.starts_with('/') ? 1 : 0));
                        line->setText(Size, places_.measure() == Measure::Files ? countText(folders[f].size)
                                                                                : sizeText(folders[f].size));
                        line->setText(Files, countText(folders[f].files));
                        line->setText(Share, shareText(folders[f].size, table_.total));
                        line->setData(Name, NodeRole, folders[f].folder);
                        line->setData(Name, FamilyRole, row->data(Name, FamilyRole));
                        line->setToolTip(Name, toText(path));
                    }
                    if (folders.size() > mostFolders) {
                        auto* more = new QTreeWidgetItem(row);
                        more->setText(Name, tr("and folders with less"));
                        more->setFlags(Qt::ItemIsEnabled);
                    }
                    showTold();
                }
        });
}

void TypesView::lightCurrent()
{
    const auto* item = list_->currentItem();
    const auto* place = places_.place();
    if (!item || !place)
        return;
    if (item->data(Name, NodeRole).isValid()) {
        const auto node = item->data(Name, NodeRole).toUInt();
        return node == place->focus ? cursor_.select(noNode) : cursor_.reveal(node);
    }
    Lit lit;
    if (item->data(Name, TypeRole).isValid() && item->data(Name, TypeRole).toInt() != 0)
        lit.type = static_cast<FileType>(item->data(Name, TypeRole).toInt());
    else if (item->data(Name, FamilyRole).isValid())
        lit.classes = static_cast<std::uint16_t>(1u << item->data(Name, FamilyRole).toInt());
    if (lit.any() && !(place->lit == lit))
        placeView_.light(lit);
}

void TypesView::activate(QTreeWidgetItem* item, int column)
{
    const auto* place = places_.place();
    if (!place)
        return;
    if (item->data(Name, NodeRole).isValid()) {
        const auto node = item->data(Name, NodeRole).toUInt();
        if (place->tree->isFolder(node))
            cursor_.setFocus(node);
    } else if (column == Largest && item->data(Name, LargestRole).isValid()) {
        cursor_.reveal(item->data(Name, LargestRole).toUInt());
    }
}

/// Off this thread, file by file, so that it can be stopped and what is known stays.
void TypesView::tellByContent()
{
    const auto* place = places_.place();
    if (telling_) {
        stopTelling_.request_stop();
        return;
    }
    if (!place || place->fromSnapshot)
        return;
    telling_ = true;
    stopTelling_ = {};
    told_.clear();
    toldPlace_ = place->id;
    toldFocus_ = place->focus;
    tell_->setText(tr("Stop looking"));
    const auto report = [this, id = place->id](std::size_t done, std::size_t of) {
        QMetaObject::invokeMethod(this,
                                  [this, done, of] { toldText_->setText(tr("examined %1 of %2").arg(done).arg(of)); });
    };
    runAsync(
        this,
        [tree = place->shown(), focus = place->focus, stop = stopTelling_.get_token(), report] {
            std::vector<Told> told;
            const auto files = largestUnknown(*tree, focus, mostTold);
            const QMimeDatabase types;
            for (std::size_t i = 0; i < files.size() && !stop.stop_requested(); ++i) {
                if (i % 16 == 0)
                    report(i, files.size());
                const auto answer = askWithin(std::chrono::seconds(5),
                                              [path = tree->path(files[i])] { return readBeginning(path, 16384); });
                if (!answer)
                    break; // a drive that hangs tells nothing of the others either
                const auto& bytes = *answer;
                const auto kind = bytes ? types.mimeTypeForData(QByteArray::fromStdString(*bytes)) : QMimeType();
                told.push_back({files[i], !bytes             ? QObject::tr("could not be read")
                                          : kind.isDefault() ? QObject::tr("unknown data")
                                                             : kind.comment()});
            }
            return told;
        },
        [this, store = place->tree->sharedStore()](const std::vector<Told>& told) {
            telling_ = false;
            tell_->setText(tr("Examine unknown files"));
            const auto* open = places_.place();
            if (!open || open->tree->sharedStore() != store || open->focus != toldFocus_)
                return;
            told_ = told;
            for (auto i = 0; i < list_->topLevelItemCount(); ++i)
                if (list_->topLevelItem(i)->data(Name, FamilyRole).toInt() == static_cast<int>(Family::Unknown))
                    list_->topLevelItem(i)->setExpanded(true);
            showTold();
            toldText_->setText(
                told.empty()
                    ? tr("There is no such file with a size in here.")
                    : tr("%1 examined: their types are listed under Unknown.").arg(itemsText(told.size(), "file")));
        });
}

/// What was told stands as kinds under the unknown family, each with its files.
void TypesView::showTold()
{
    for (int i = 0; i < list_->topLevelItemCount(); ++i) {
        auto* family = list_->topLevelItem(i);
        if (family->data(Name, FamilyRole).toInt() != static_cast<int>(Family::Unknown))
            continue;
        for (int k = family->childCount(); k-- > 0;)
            if (!family->child(k)->data(Name, TypeRole).isValid())
                delete family->takeChild(k);
        std::map<QString, std::vector<NodeId>> kinds;
        for (const auto& told : told_)
            kinds[told.kind].push_back(told.node);
        const auto& tree = *places_.place()->tree;
        std::vector<std::pair<std::uint64_t, QTreeWidgetItem*>> rows;
        for (const auto& [kind, nodes] : kinds) {
            auto* row = new QTreeWidgetItem;
            row->setText(Name, tr("by content: %1").arg(kind));
            row->setData(Name, FamilyRole, static_cast<int>(Family::Unknown));
            TypeFigures figures;
            for (const NodeId node : nodes) {
                TypeFigures one;
                one.size = one.largestSize = tree.measured(node, places_.measure());
                one.files = 1;
                one.largest = node;
                one.oldest = tree.store().modified(node);
                figures.add(one);
                auto* line = new QTreeWidgetItem(row);
                line->setText(Name, toText(tree.name(node)));
                line->setText(Size, places_.measure() == Measure::Files ? countText(1) : sizeText(one.size));
                line->setData(Name, NodeRole, node);
                line->setData(Name, FamilyRole, static_cast<int>(Family::Unknown));
                line->setToolTip(Name, toText(tree.path(node)));
            }
            setFigures(row, figures, table_.total);
            rows.emplace_back(figures.size, row);
        }
        std::stable_sort(rows.begin(), rows.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
        for (const auto& [size, row] : rows)
            family->addChild(row);
    }
}

bool TypesView::eventFilter(QObject* watched, QEvent* event)
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
