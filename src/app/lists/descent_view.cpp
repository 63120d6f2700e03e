// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lists/descent_view.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

#include <algorithm>

#include "app/lists/descent_rows.h"
#include "app/services/async.h"
#include "app/services/listen.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
DescentView::DescentView(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView,
                         PlanModel& planModel, QWidget* parent)
    : QWidget(parent), places_(places), trees_(trees), cursor_(cursor), placeView_(placeView), planModel_(planModel),
      chain_(new DescentChain(places_, cursor_)), model_(new DescentModel(this)), list_(new QListView),
      sortButton_(new QPushButton), factsButton_(new QPushButton(tr("show  ▾"))), typing_(new QLabel),
      callout_(new QFrame), calloutText_(new QLabel), passed_(new QLabel),
      follow_(new QPushButton(tr("Follow the weight")))
{
    setProperty("role", "panel");
    setAttribute(Qt::WA_StyledBackground);
    setMinimumWidth(230);
    list_->setObjectName("descent");
    list_->setAccessibleName(tr("Children of the current folder"));
    list_->setModel(model_);
    list_->setItemDelegate(new DescentRowPainter(places_, cursor_, *this));
    list_->setUniformItemSizes(true);
    list_->setMouseTracking(true);
    list_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
    list_->setContextMenuPolicy(Qt::CustomContextMenu);
    list_->installEventFilter(this);
    list_->viewport()->installEventFilter(this);
    callout_->setProperty("role", "callout");
    auto* calloutLayout = new QVBoxLayout(callout_);
    calloutLayout->setContentsMargins(10, 8, 8, 8);
    calloutText_->setWordWrap(true);
    calloutText_->setTextFormat(Qt::RichText);
    calloutLayout->addWidget(calloutText_);
    passed_->setObjectName("passed");
    passed_->setWordWrap(true);
    passed_->setTextFormat(Qt::RichText);
    passed_->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    typing_->setObjectName("typing");
    typing_->setProperty("role", "small");
    typing_->hide();
    follow_->setObjectName("follow");

    makeHead();
    auto* head = new QHBoxLayout;
    head->setContentsMargins(10, 3, 10, 3);
    head->addWidget(sortButton_);
    head->addStretch();
    head->addWidget(factsButton_);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(chain_);
    layout->addLayout(head);
    layout->addWidget(list_, 1);
    auto* foot = new QVBoxLayout;
    foot->setContentsMargins(14, 8, 14, 12);
    foot->setSpacing(8);
    foot->addWidget(typing_);
    foot->addWidget(callout_);
    foot->addWidget(passed_);
    foot->addWidget(follow_);
    layout->addLayout(foot);

    typingEnd_.setSingleShot(true);
    typingEnd_.setInterval(4000);
    connect(&typingEnd_, &QTimer::timeout, this, &DescentView::endTyping);
    connect(follow_, &QPushButton::clicked, &cursor_, &Cursor::followTheWeight);
    connect(passed_, &QLabel::linkActivated, this, [this](const QString& link) { cursor_.setFocus(link.toUInt()); });
    connect(list_, &QListView::doubleClicked, this, &DescentView::open);
    connect(list_, &QListView::customContextMenuRequested, this, [this](const QPoint& at) {
        if (model_->nodeAt(list_->indexAt(at).row()) != noNode)
            emit contextRequested(list_->viewport()->mapToGlobal(at));
    });
    connect(list_, &QListView::entered, this,
            [this](const QModelIndex& index) { cursor_.setHover(model_->nodeAt(index.row())); });
    connect(list_->selectionModel(), &QItemSelectionModel::selectionChanged, this, [this] {
        if (!following_)
            takeSelection();
    });
    listen(this, &DescentView::refresh, places_, &PlaceStore::placeChanged, cursor_, &Cursor::focusChanged, trees_,
           &TreeUpdater::treeChanged, trees_, &TreeUpdater::shownChanged, placeView_, &PlaceView::measureChanged);
    connect(&cursor_, &Cursor::selectionChanged, this, &DescentView::showSelection);
    listen(list_->viewport(), qOverload<>(&QWidget::update), planModel_, &PlanModel::planChanged, placeView_,
           &PlaceView::marksChanged);
    // Rows get a second line while something is lit.
    connect(&placeView_, &PlaceView::earlierFound, list_->viewport(), qOverload<>(&QWidget::update));
    connect(&placeView_, &PlaceView::litChanged, list_, [this] { list_->doItemsLayout(); });
    connect(&cursor_, &Cursor::hoverChanged, this, &DescentView::showHover);
    refresh();
}

void DescentView::makeHead()
{
    for (auto* button : {sortButton_, factsButton_}) {
        button->setMenu(new QMenu(button));
        button->setProperty("role", "link");
        button->setStyleSheet("QPushButton { font-size: 11px; padding: 2px 4px; } "
                              "QPushButton::menu-indicator { image: none; width: 0; }");
    }
    sortButton_->setObjectName("descentSort");
    factsButton_->setObjectName("descentFacts");
    const std::pair<DescentSort, QString> sorts[] = {{DescentSort::Size, tr("largest first")},
                                                     {DescentSort::Count, tr("most files first")},
                                                     {DescentSort::Name, tr("by name")},
                                                     {DescentSort::Date, tr("newest change first")}};
    for (const auto& [sort, text] : sorts) {
        auto* action = sortButton_->menu()->addAction(text);
        action->setCheckable(true);
        connect(action, &QAction::triggered, this, [this, sort] { setSort(sort); });
    }
    const std::pair<DescentFact, QString> facts[] = {{FactDriveShare, tr("share of the drive")},
                                                     {FactCount, tr("number of files")},
                                                     {FactHidden, tr("hidden share")},
                                                     {FactNewest, tr("newest change")}};
    for (const auto& [fact, text] : facts) {
        auto* action = factsButton_->menu()->addAction(text);
        action->setCheckable(true);
        action->setData(static_cast<unsigned>(fact));
        connect(action, &QAction::triggered, this, [this, fact] { setFacts(facts_ ^ fact); });
    }
    setSort(sort_);
}

void DescentView::setSort(DescentSort sort)
{
    const bool other = sort != sort_;
    sort_ = sort;
    const auto actions = sortButton_->menu()->actions();
    for (int i = 0; i < actions.size(); ++i)
        actions[i]->setChecked(i == static_cast<int>(sort));
    sortButton_->setText(actions[static_cast<int>(sort)]->text() + QStringLiteral("  ▾"));
    sortButton_->setAccessibleName(tr("Order: %1").arg(actions[static_cast<int>(sort)]->text()));
    if (!other)
        return;
    refresh();
    emit shapeChanged();
}

void DescentView::setFacts(unsigned facts)
{
    facts_ = facts;
    for (auto* action : factsButton_->menu()->actions())
        action->setChecked((facts & action->data().toUInt()) != 0);
    list_->doItemsLayout();
    list_->viewport()->update();
    emit shapeChanged();
}

void DescentView::toggleOpened(NodeId folder)
{
    if (!places_.place() || !DescentRowPainter::canOpen(*places_.place()->shown(), folder))
        return;
    if (wish_.opened.erase(folder) == 0)
        wish_.opened.insert(folder);
    refresh();
}

void DescentView::refresh()
{
    const auto* place = places_.place();
    // A list that grows stays where one has scrolled to, and what was opened stays open; elsewhere it begins anew.
    keepScroll_ = place && shownPlace_ == place->id && wish_.focus == place->focus && wish_.tree &&
                  wish_.tree->sharedStore() == place->tree->sharedStore();
    shownPlace_ = place ? place->id : 0;
    if (!keepScroll_) {
        wish_.opened.clear();
        wish_.whole.clear();
        endTyping();
    }
    wish_.tree = place ? place->shown() : nullptr;
    wish_.focus = place ? place->focus : noNode;
    wish_.measure = places_.measure();
    wish_.sort = sort_;
    chain_->refresh();
    showFoot();
    const auto request = ++request_;
    constexpr std::uint32_t many = 20000;
    if (wish_.childCount() > many && (wish_.whole.contains(wish_.focus) || sort_ != DescentSort::Size)) {
        if (!keepScroll_)
            showRows({}); // and in a moment there they are
        runAsync(
            this, [wish = wish_] { return std::make_shared<std::vector<DescentRow>>(descentRows(wish)); },
            [this, request](const std::shared_ptr<std::vector<DescentRow>>& rows) {
                if (request == request_)
                    showRows(std::move(*rows));
            });
        return;
    }
    showRows(descentRows(wish_));
}

void DescentView::showRows(std::vector<DescentRow> rows)
{
    const int scrolled = list_->verticalScrollBar()->value();
    following_ = true;
    model_->show(wish_.tree, wish_.measure, std::move(rows));
    following_ = false;
    const bool keep = keepScroll_;
    showSelection();
    if (keep)
        list_->verticalScrollBar()->setValue(scrolled);
    keepScroll_ = false;
}

/// What is to be said of the focus folder, and the way that following the weight went.
void DescentView::showFoot()
{
    const auto* place = places_.place();
    follow_->setEnabled(place != nullptr);
    follow_->setToolTip(
        tr("Go down while one folder holds at least %1 % of its parent").arg(qRound(cursor_.weightThreshold() * 100)));
    callout_->setVisible(false);
    passed_->setVisible(place && !place->passed.empty());
    if (!place)
        return;
    const auto& tree = *place->shown();
    const auto whole = tree.disk(place->focus);
    const auto hidden = tree.sums(place->focus).hiddenDisk;
    // Worth saying from a fifth on, but not inside what is hidden as a whole.
    if (!place->narrowing && !tree.isHidden(place->focus) && hidden > whole / 5) {
        calloutText_->setText(tr("Of %1 here, <b>%2 is hidden</b>. The folders you see in a file manager add up to %3.")
                                  .arg(sizeText(whole), sizeText(hidden), sizeText(whole - hidden)));
        callout_->setVisible(true);
    }
    if (place->passed.empty())
        return;
    QStringList levels;
    const auto& passed = place->passed;
    constexpr std::size_t mostNamed = 6;
    for (std::size_t i = 0; i < passed.size(); ++i) {
        if (passed.size() > mostNamed && i == 2)
            levels << tr("…");
        if (passed.size() > mostNamed && i >= 2 && i + 3 < passed.size())
            continue;
        const auto name = cutMiddle(toText(tree.name(passed[i])), fontOf(13), 110).toHtmlEscaped();
        const auto share =
            shareText(tree.measured(passed[i], wish_.measure), tree.measured(tree.parent(passed[i]), wish_.measure));
        levels << QStringLiteral("<a style='color:%1' href='%2'>%3</a> %4")
                      .arg(theme().accent.name(), QString::number(passed[i]), name, share);
    }
    passed_->setText(tr("Followed down %1").arg(levels.join(QStringLiteral(" › "))));
}

void DescentView::showSelection()
{
    if (following_)
        return;
    const auto* place = places_.place();
    following_ = true;
    auto* chosen = list_->selectionModel();
    // The child of the focus that is, or holds, what is selected; deeper where its parents are opened in place.
    const auto rowFor = [&](NodeId node) {
        int row = -1;
        if (node == noNode || node == place->focus || !place->tree->isAtOrBelow(node, place->focus))
            return row;
        while (row < 0 && node != place->focus) {
            row = model_->rowOf(node);
            if (row < 0)
                node = place->tree->parent(node);
        }
        return row;
    };
    int row = place ? rowFor(place->selection) : -1;
    if (place && row < 0 && place->selection != noNode && place->selection != place->focus &&
        place->tree->isAtOrBelow(place->selection, place->focus) && !wish_.whole.contains(place->focus) &&
        model_->rowCount() > 0) {
        following_ = false;
        wish_.whole.insert(place->focus); // it is in the rest
        return refresh();
    }
    QItemSelection all;
    if (row >= 0)
        all.select(model_->index(row), model_->index(row));
    constexpr std::size_t mostShown = 500;
    if (place && place->alsoSelected.size() <= mostShown)
        for (const NodeId other : place->alsoSelected)
            if (const int also = model_->rowOf(other); also >= 0)
                all.select(model_->index(also), model_->index(also));
    if (row >= 0) {
        chosen->setCurrentIndex(model_->index(row), QItemSelectionModel::NoUpdate);
        if (!keepScroll_)
            list_->scrollTo(model_->index(row));
    }
    chosen->select(all, QItemSelectionModel::ClearAndSelect);
    if (row < 0)
        chosen->setCurrentIndex({}, QItemSelectionModel::NoUpdate);
    following_ = false;
}

/// What was chosen in the list becomes the selection of all views.
void DescentView::takeSelection()
{
    std::vector<NodeId> nodes;
    for (const auto& index : list_->selectionModel()->selectedIndexes())
        if (const auto node = model_->nodeAt(index.row()); node != noNode)
            nodes.push_back(node);
    if (nodes.empty())
        return;
    const auto current = model_->nodeAt(list_->currentIndex().row());
    const bool known = std::find(nodes.begin(), nodes.end(), current) != nodes.end();
    following_ = true; // the list shows it already
    cursor_.selectAll(known ? current : nodes.front(), nodes);
    following_ = false;
}

void DescentView::showHover()
{
    const int row = model_->rowOf(cursor_.hover());
    if (row == hoverRow_)
        return;
    for (const int changed : {hoverRow_, row})
        if (changed >= 0)
            list_->update(model_->index(changed));
    hoverRow_ = row;
}

void DescentView::open(const QModelIndex& index)
{
    if (model_->isRest(index.row())) {
        const auto folder = model_->row(index.row())->folder;
        const int first = index.row();
        wish_.whole.insert(folder);
        refresh();
        list_->setCurrentIndex(model_->index(first));
        return;
    }
    const auto node = model_->nodeAt(index.row());
    if (node != noNode && places_.place()->tree->isFolder(node))
        cursor_.setFocus(node);
}

void DescentView::type(const QString& text)
{
    typed_ = text;
    typing_->setText(typed_.isEmpty() ? tr("name begins with …") : tr("name begins with “%1”").arg(typed_));
    typing_->show();
    typingEnd_.start();
    const auto* place = places_.place();
    if (!place || typed_.isEmpty())
        return;
    // Among the rows first, then in what the rest holds; there the largest.
    for (int row = 0; row < model_->rowCount(); ++row)
        if (!model_->isRest(row) && model_->index(row).data().toString().startsWith(typed_, Qt::CaseInsensitive))
            return cursor_.select(model_->nodeAt(row));
    NodeId best = noNode;
    std::uint64_t most = 0;
    place->shown()->forEachChild(place->focus, [&](NodeId child) {
        const auto size = place->shown()->measured(child, wish_.measure);
        if ((best == noNode || size > most) &&
            toText(place->tree->name(child)).startsWith(typed_, Qt::CaseInsensitive)) {
            best = child;
            most = size;
        }
    });
    if (best != noNode)
        return cursor_.select(best);
    typing_->setText(tr("no name in here begins with “%1”").arg(typed_));
}

void DescentView::endTyping()
{
    typed_.clear();
    typing_->hide();
    typingEnd_.stop();
}

/// True when it was for the list.
bool DescentView::keyPressed(QKeyEvent* event)
{
    const auto current = list_->currentIndex();
    const auto text = event->text();
    const bool typing = !typing_->isHidden();
    const bool plain = (event->modifiers() & ~(Qt::ShiftModifier | Qt::KeypadModifier)) == 0;
    const bool printable = plain && !text.isEmpty() && text[0].isPrint();
    switch (event->key()) {
    case Qt::Key_Escape:
        if (typing) {
            endTyping();
            return true;
        }
        return placeView_.putOut();
    case Qt::Key_Backspace:
        if (typing) {
            type(typed_.left(typed_.size() - 1));
            return true;
        }
        return false;
    case Qt::Key_Return:
    case Qt::Key_Enter:
        endTyping();
        if (current.isValid())
            open(current);
        return true;
    case Qt::Key_Right:
        if (event->modifiers() == Qt::NoModifier && current.isValid()) {
            open(current);
            return true;
        }
        if (event->modifiers() == Qt::ShiftModifier) {
            const auto* row = model_->row(current.row());
            if (row && !row->opened)
                toggleOpened(row->node);
            return true;
        }
        return false;
    case Qt::Key_Left:
        if (event->modifiers() == Qt::NoModifier) {
            cursor_.goUp();
            return true;
        }
        if (event->modifiers() == Qt::ShiftModifier) {
            const auto* row = model_->row(current.row());
            if (row && row->opened)
                toggleOpened(row->node);
            else if (row && row->level > 0)
                cursor_.select(row->folder);
            return true;
        }
        return false;
    default:
        break;
    }
    if (!typing && text == QLatin1String("/")) {
        type({});
        return true;
    }
    if (printable && (typing || text[0].isLetter() || text[0] == QLatin1Char('.') || text[0] == QLatin1Char('_'))) {
        type(typed_ + text);
        return true;
    }
    return false;
}

bool DescentView::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == list_ && event->type() == QEvent::ShortcutOverride && !typing_->isHidden()) {
        // While a name is typed its letters are letters, not actions.
        const auto* key = static_cast<QKeyEvent*>(event);
        if ((key->modifiers() & ~Qt::ShiftModifier) == 0 && (!key->text().isEmpty())) {
            event->accept();
            return true;
        }
    }
    if (watched == list_ && event->type() == QEvent::KeyPress && keyPressed(static_cast<QKeyEvent*>(event)))
        return true;
    if (watched == list_->viewport() && event->type() == QEvent::Leave)
        cursor_.setHover(noNode);
    if (watched == list_->viewport() && event->type() == QEvent::MouseButtonPress) {
        const auto* mouse = static_cast<QMouseEvent*>(event);
        const auto index = list_->indexAt(mouse->pos());
        const auto* row = model_->row(index.row());
        if (row && mouse->button() == Qt::LeftButton && places_.place() &&
            DescentRowPainter::canOpen(*places_.place()->shown(), row->node) &&
            DescentRowPainter::markIn(list_->visualRect(index), row->level).contains(mouse->pos())) {
            toggleOpened(row->node);
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

} // namespace kurvo::app
