// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/compare/compare_stage.h"

#include <QActionGroup>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QVBoxLayout>

#include <algorithm>

#include "app/dialogs/snapshots_dialog.h"
#include "app/services/async.h"
#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/base/text.h"

namespace kurvo::app {
namespace {

QPushButton* choice(const QString& text, const QString& name, QButtonGroup* group, int id)
{
    auto* button = new QPushButton(text);
    button->setObjectName(name);
    button->setCheckable(true);
    button->setProperty("role", "choice");
    group->addButton(button, id);
    return button;
}

QLabel* label(const char* role = nullptr)
{
    auto* made = new QLabel;
    if (role)
        made->setProperty("role", role);
    return made;
}

} // namespace

CompareStage::CompareStage(Models& models, Settings& settings, QWidget* parent)
    : QWidget(parent), models_(models), settings_(settings),
      comparing_(models.folders, models.places, models.trees, models.cursor, models.view, models.snapshots),
      stack_(new QStackedWidget), empty_(new EmptyPage({})), other_(new QPushButton(tr("Compare with a file…"))),
      net_(new QLabel), apart_(label("second")), forecast_(new QLabel), curve_(new UseCurve(comparing_)),
      explanation_(label("second")), chain_(new QLabel), chainNet_(new QLabel), model_(new ChangeModel(this)),
      list_(new QListView), picture_(new ChangePicture(comparing_)), filter_(new QLineEdit), problem_(label("warning")),
      pointed_(label("second")), up_(new QPushButton(tr("Up"))), curveButton_(new QPushButton(tr("Show its curve"))),
      modes_(new QButtonGroup(this)), pictureMenu_(new QPushButton), dossier_(new Dossier(models_))
{
    other_->setObjectName("compareWithEmpty");
    empty_->setObjectName("compareEmpty");
    empty_->add(other_);
    connect(empty_, &EmptyPage::scanRequested, this, &CompareStage::scanRequested);
    connect(other_, &QPushButton::clicked, this, &CompareStage::askForFile);

    auto* main = new QWidget;
    auto* layout = new QVBoxLayout(main);
    layout->setContentsMargins(14, 10, 14, 8);
    layout->setSpacing(8);
    layout->addWidget(makeHead());
    layout->addWidget(curve_);
    layout->addWidget(explanation_);
    layout->addWidget(makeBelow(), 1);
    explanation_->setObjectName("explanation");
    explanation_->setTextFormat(Qt::RichText);
    explanation_->setWordWrap(true);
    connect(explanation_, &QLabel::linkActivated, this, [this](const QString& link) {
        const auto node = static_cast<NodeId>(link.toUInt());
        if (!comparing_.comparison())
            return;
        setMode(ChangeMode::Folders);
        comparing_.setFocus(comparing_.comparison()->tree()->parent(node) == noNode
                                ? rootNode
                                : comparing_.comparison()->tree()->parent(node));
        comparing_.select(node);
    });

    stack_->addWidget(empty_);
    stack_->addWidget(main);
    auto* whole = new QHBoxLayout(this);
    whole->setContentsMargins(0, 0, 0, 0);
    whole->setSpacing(0);
    sides_ = new SidePanels({nullptr, 0}, stack_, {dossier_, 272}, 560);
    whole->addWidget(sides_);

    connect(&comparing_, &Comparing::pointsChanged, this, &CompareStage::refresh);
    connect(&comparing_, &Comparing::changed, this, &CompareStage::refresh);
    connect(&comparing_, &Comparing::focusChanged, this, &CompareStage::refreshRows);
    connect(&comparing_, &Comparing::selectionChanged, this, &CompareStage::showSelection);
    connect(&models_.places, &PlaceStore::placeChanged, this, &CompareStage::refresh);
    connect(&models_.logbook, &LogbookModel::historyChanged, this, &CompareStage::refreshExplanation); // the theme, too
    connect(picture_, &ChangePicture::contextRequested, this, &CompareStage::contextRequested);
    connect(picture_, &ChangePicture::pointedAt, pointed_, &QLabel::setText);
    refresh();
}

QWidget* CompareStage::makeHead()
{
    auto* head = new QWidget;
    auto* layout = new QHBoxLayout(head);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(14);
    net_->setObjectName("compareNet");
    net_->setFont(fontOf(20, QFont::DemiBold));
    apart_->setObjectName("compareApart");
    forecast_->setObjectName("compareForecast");
    forecast_->setProperty("role", "warning");
    auto* more = new QPushButton(tr("More  ▾"));
    more->setObjectName("compareMore");
    more->setStyleSheet("QPushButton::menu-indicator { image: none; width: 0; }");
    auto* menu = new QMenu(more);
    menu->addAction(tr("Snapshots…"), this, &CompareStage::showSnapshots)->setObjectName("snapshots");
    compareWith_ = menu->addAction(tr("Compare with a file…"), this, &CompareStage::askForFile);
    compareWith_->setObjectName("compareWith");
    save_ = menu->addAction(tr("Save the changes…"), this, &CompareStage::saveRequested);
    save_->setObjectName("saveChanges");
    save_->setToolTip(tr("As a report, a table, or lines for scripts"));
    more->setMenu(menu);
    for (auto* text : {net_, forecast_})
        text->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Preferred);
    apart_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred); // the first to be cut
    layout->addWidget(net_);
    layout->addWidget(apart_, 1);
    layout->addWidget(forecast_);
    layout->addWidget(more);
    return head;
}

QWidget* CompareStage::makeBar()
{
    auto* bar = new QWidget;
    auto* layout = new QHBoxLayout(bar);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    layout->addWidget(choice(tr("Folders"), "byFolders", modes_, static_cast<int>(ChangeMode::Folders)));
    layout->addWidget(choice(tr("All changes"), "byList", modes_, static_cast<int>(ChangeMode::List)));
    layout->addWidget(choice(tr("Families"), "byFamilies", modes_, static_cast<int>(ChangeMode::Families)));
    layout->addWidget(choice(tr("Owners"), "byOwners", modes_, static_cast<int>(ChangeMode::Owners)));
    modes_->button(0)->setChecked(true);
    connect(modes_, &QButtonGroup::idClicked, this, [this](int id) { setMode(static_cast<ChangeMode>(id)); });
    filter_->setObjectName("changeFilter");
    filter_->setClearButtonEnabled(true);
    filter_->setPlaceholderText(tr("change:grew  delta>1G  *.flac"));
    filter_->setMinimumWidth(90);
    soon_.setSingleShot(true);
    soon_.setInterval(200);
    connect(&soon_, &QTimer::timeout, this, &CompareStage::refreshRows);
    connect(filter_, &QLineEdit::textChanged, this, [this] {
        if (!filter_->text().isEmpty())
            setMode(ChangeMode::List);
        soon_.start();
    });
    layout->addWidget(filter_, 1);
    layout->addSpacing(8);
    makePictureMenu();
    layout->addWidget(pictureMenu_);
    return bar;
}

/// What the picture is: which shape, and what its cells are large by.
void CompareStage::makePictureMenu()
{
    pictureMenu_->setObjectName("changePictureMenu");
    pictureMenu_->setStyleSheet("QPushButton::menu-indicator { image: none; width: 0; }");
    auto* menu = new QMenu(pictureMenu_);
    menu->setToolTipsVisible(true);
    auto* shapes = new QActionGroup(menu);
    auto* sizes = new QActionGroup(menu);
    const auto add = [menu](QActionGroup* group, const char* name, const QString& text, const QString& tip = {}) {
        auto* action = group->addAction(menu->addAction(text));
        action->setObjectName(name);
        action->setCheckable(true);
        action->setToolTip(tip);
        return action;
    };
    auto* treemap = add(shapes, "changeTreemap", tr("Treemap"));
    auto* sunburst = add(shapes, "changeSunburst", tr("Sunburst"));
    menu->addSeparator();
    auto* amount = add(sizes, "sizeAmount", tr("by change"), tr("Cells are as large as what grew or shrank"));
    auto* now = add(sizes, "sizeNow", tr("by size"), tr("Cells are as large as what is there now"));
    (settings_.of(setting::compareSunburst) ? sunburst : treemap)->setChecked(true);
    (settings_.of(setting::compareBySize) ? now : amount)->setChecked(true);
    const auto choose = [=, this] {
        settings_.set(setting::compareSunburst, sunburst->isChecked());
        settings_.set(setting::compareBySize, now->isChecked());
        picture_->setKind(sunburst->isChecked() ? PictureKind::Sunburst : PictureKind::Treemap);
        picture_->setSizeBy(now->isChecked() ? ChangePicture::Size::Now : ChangePicture::Size::Amount);
        pictureMenu_->setText(
            QStringLiteral("%1 %2  ▾").arg(shapes->checkedAction()->text(), sizes->checkedAction()->text()));
    };
    for (auto* group : {shapes, sizes})
        connect(group, &QActionGroup::triggered, this, choose);
    pictureMenu_->setMenu(menu);
    choose();
}

QWidget* CompareStage::makeBelow()
{
    list_->setObjectName("changeList");
    list_->setModel(model_);
    list_->setItemDelegate(new ChangeDelegate(list_));
    list_->setMouseTracking(true);
    list_->setUniformItemSizes(false);
    list_->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->setContextMenuPolicy(Qt::CustomContextMenu);
    list_->setAccessibleName(tr("What changed"));
    list_->installEventFilter(this);
    connect(list_, &QListView::doubleClicked, this, &CompareStage::goInto);
    connect(list_, &QListView::customContextMenuRequested, this,
            [this](const QPoint& at) { emit contextRequested(list_->viewport()->mapToGlobal(at)); });
    connect(list_->selectionModel(), &QItemSelectionModel::currentChanged, this, [this](const QModelIndex& now) {
        if (!following_ && now.isValid() && mode_ != ChangeMode::Families && mode_ != ChangeMode::Owners)
            comparing_.select(model_->row(now.row()).node);
    });

    auto* left = new QFrame;
    left->setProperty("role", "panel");
    auto* leftLayout = new QVBoxLayout(left);
    leftLayout->setContentsMargins(0, 0, 0, 0);
    leftLayout->setSpacing(0);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(12, 6, 12, 6);
    chain_->setObjectName("changeChain");
    chain_->setFont(fontOf(13, QFont::DemiBold));
    chain_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    chainNet_->setFont(fontOf(13, QFont::DemiBold));
    up_->setObjectName("changeUp");
    up_->setToolTip(tr("To the folder above (Backspace)"));
    connect(up_, &QPushButton::clicked, this, [this] { comparing_.goUp(); });
    head->addWidget(chain_, 1);
    head->addWidget(chainNet_);
    head->addSpacing(6);
    head->addWidget(up_);
    leftLayout->addLayout(head);
    leftLayout->addWidget(list_, 1);
    auto* foot = new QHBoxLayout;
    foot->setContentsMargins(12, 4, 12, 6);
    curveButton_->setObjectName("folderCurve");
    curveButton_->setToolTip(tr("Draws this folder's size over time beside the drive's"));
    connect(curveButton_, &QPushButton::clicked, this, [this] {
        const auto& c = comparing_.comparison();
        const auto node = comparing_.selection() != noNode ? comparing_.selection() : comparing_.focus();
        const auto open = comparing_.openNode(node);
        if (c && open != noNode)
            comparing_.toggleCurve(models_.places.place()->tree->path(open));
    });
    foot->addWidget(curveButton_);
    foot->addStretch();
    leftLayout->addLayout(foot);

    auto* rows = new QHBoxLayout;
    rows->setSpacing(10);
    left->setMinimumWidth(240);
    rows->addWidget(left, 2);
    rows->addWidget(picture_, 3);
    auto* below = new QWidget;
    auto* layout = new QVBoxLayout(below);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    layout->addWidget(makeBar());
    layout->addWidget(problem_);
    layout->addLayout(rows, 1);
    pointed_->setObjectName("changePointed");
    pointed_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    layout->addWidget(pointed_);
    return below;
}

void CompareStage::showEvent(QShowEvent* event)
{
    comparing_.setWatched(true);
    QWidget::showEvent(event);
}

void CompareStage::hideEvent(QHideEvent* event)
{
    comparing_.setWatched(false);
    QWidget::hideEvent(event);
}

void CompareStage::refresh()
{
    const auto* place = models_.places.place();
    const bool enough = comparing_.points().size() > 1 || comparing_.stranger();
    stack_->setCurrentIndex(place && enough ? 1 : 0);
    // A file holds one place.
    other_->setVisible(place && !place->isTogether());
    compareWith_->setEnabled(place && !place->isTogether());
    if (!place)
        empty_->say(tr("Nothing is open yet"),
                    tr("Scan a drive or a folder: what changed since its earlier scans will be shown here."));
    else if (!enough)
        empty_->say(
            tr("There is one scan of %1").arg(toText(place->info.placeName)),
            tr("Each scan is kept as a snapshot. From the second one on, what grew and what shrank in between stands "
               "here; from the third one on also when the drive will be full."));
    refreshHead();
    refreshExplanation();
    refreshRows();
}

void CompareStage::refreshHead()
{
    const auto& c = comparing_.comparison();
    save_->setEnabled(c != nullptr);
    const auto measure = models_.places.measure();
    if (comparing_.points().empty())
        return;
    const auto& before = comparing_.infoBefore();
    const auto since = comparing_.stranger()
                           ? tr("against %1, %2").arg(toText(before.host), dayText(before.taken, Day::ThisYear))
                           : tr("since %1").arg(dayText(before.taken, Day::ThisYear));
    if (!c) {
        net_->setText(comparing_.isBusy() ? tr("Comparing with %1 …").arg(dayText(before.taken)) : tr("Not compared"));
        apart_->setText({});
    } else {
        const auto sums = c->sums(rootNode, measure);
        QStringList net{signedText(sums.net(), measure), since};
        if (comparing_.to() + 1 != comparing_.points().size())
            net << tr("until %1").arg(dayText(comparing_.infoNow().taken, Day::ThisYear));
        net_->setText(net.join(QLatin1Char(' ')));
        const auto part = [&](std::uint64_t amount) {
            return measure == Measure::Files ? countText(amount) : sizeText(amount);
        };
        QStringList parts{tr("grown %1").arg(part(sums.grown)), tr("shrunk %1").arg(part(sums.shrunk))};
        if (sums.movedIn > 0)
            parts << tr("moved %1").arg(part(sums.movedIn));
        if (sums.notSeen != 0)
            parts << tr("%1 only in one of the two scans")
                         .arg(part(static_cast<std::uint64_t>(std::llabs(sums.notSeen))));
        apart_->setText(parts.join(QStringLiteral(" · ")));
        apart_->setToolTip(apart_->text());
    }
    const auto& forecast = comparing_.forecast();
    if (forecast.full) {
        const auto range = forecast.full->latest == 0
                               ? tr("not before %1").arg(dayText(forecast.full->earliest, Day::ThisYear))
                               : tr("%1 to %2")
                                     .arg(dayText(forecast.full->earliest, Day::ThisYear),
                                          dayText(forecast.full->latest, Day::ThisYear));
        forecast_->setText(tr("full around %1").arg(dayText(forecast.full->full, Day::ThisYear)));
        forecast_->setToolTip(
            tr("At the rate since the last clean-up (%1) the drive is full around %2; with four chances in "
               "five %3.")
                .arg(QString::fromStdString(formatRate(forecast.trend->perSecond)), dayText(forecast.full->full),
                     range));
        if (width() > 1300)
            forecast_->setText(forecast_->text() + QStringLiteral(" (%1)").arg(range));
    } else {
        forecast_->setText(forecast.words.empty() ? QString() : QString::fromStdString(forecast.words));
        forecast_->setToolTip({});
    }
    problem_->setVisible(!comparing_.problem().isEmpty());
    problem_->setText(comparing_.problem());
}

void CompareStage::refreshExplanation()
{
    const auto& c = comparing_.comparison();
    const auto& places = comparing_.explanation();
    explanation_->setVisible(c && !places.nodes.empty());
    if (!c || places.nodes.empty())
        return;
    QStringList links;
    constexpr std::size_t most = 6;
    for (std::size_t i = 0; i < std::min(most, places.nodes.size()); ++i) {
        const auto node = places.nodes[i];
        const auto path = c->tree()->path(node);
        const auto name = cutMiddle(toText(c->tree()->label(node)), fontOf(13, QFont::Bold), 260);
        links << QStringLiteral(
                     "<nobr><a href='%1' style='color:%2; text-decoration:none'><b>%3</b></a>&nbsp;%4</nobr>")
                     .arg(node)
                     .arg(theme().text.name(), inOneLine(name).toHtmlEscaped(),
                          signedText(c->net(node, models_.places.measure()), models_.places.measure())
                              .replace(' ', QChar::Nbsp));
    }
    if (places.nodes.size() > most)
        links << tr("%1 more").arg(places.nodes.size() - most);
    explanation_->setText(tr("%n place(s) explain(s|) %1 % of it: %2", nullptr, static_cast<int>(places.nodes.size()))
                              .arg(qRound(places.share * 100))
                              .arg(links.join(QStringLiteral(" · "))));
}

void CompareStage::setMode(ChangeMode mode)
{
    if (mode == mode_)
        return;
    mode_ = mode;
    modes_->button(static_cast<int>(mode))->setChecked(true);
    if (mode != ChangeMode::List && !filter_->text().isEmpty()) {
        const QSignalBlocker quiet(filter_);
        filter_->clear();
    }
    refreshRows();
}

/// What the list shall show is worked out off this thread; until it is there the list stays as it is.
void CompareStage::refreshRows()
{
    const auto& c = comparing_.comparison();
    const auto request = ++rowsRequest_;
    if (comparing_.problem().isEmpty())
        problem_->hide();
    if (!c || comparing_.points().empty())
        return showRows({});
    const auto& info = comparing_.infoNow();
    ChangeQuery query{c,
                      comparing_.lines(),
                      mode_,
                      comparing_.focus(),
                      models_.places.measure(),
                      filter_->text().toStdString(),
                      info.taken,
                      info.owners};
    runAsync(
        this, [query = std::move(query)] { return query.answer(); },
        [this, request](ChangeAnswer answer) {
            if (request == rowsRequest_)
                showRows(std::move(answer));
        });
}

void CompareStage::showRows(ChangeAnswer answer)
{
    const auto& c = comparing_.comparison();
    if (!answer.problem.isEmpty()) {
        problem_->setText(answer.problem);
        problem_->show();
    }
    shownLines_ = std::move(answer.lines);
    following_ = true;
    model_->show(std::move(answer.rows));
    following_ = false;
    const auto measure = models_.places.measure();
    const auto focus = comparing_.focus();
    chain_->setText(!c            ? QString()
                    : shownLines_ ? itemsText(shownLines_->size(), "change")
                                  : toText(c->tree()->path(focus)));
    chain_->setToolTip(shownLines_ ? QString() : chain_->text());
    chainNet_->setText(!c ? QString() : signedText(shownLines_ ? answer.net : c->net(focus, measure), measure));
    up_->setEnabled(c && focus != rootNode && mode_ != ChangeMode::List);
    up_->setVisible(mode_ != ChangeMode::List);
    showSelection();
}

void CompareStage::showSelection()
{
    following_ = true;
    const int row =
        mode_ == ChangeMode::Folders || mode_ == ChangeMode::List ? model_->rowOf(comparing_.selection()) : -1;
    if (row >= 0)
        list_->setCurrentIndex(model_->index(row));
    else
        list_->selectionModel()->clear();
    following_ = false;
    const auto node = comparing_.selection() != noNode ? comparing_.selection() : comparing_.focus();
    const auto open = comparing_.openNode(node);
    curveButton_->setEnabled(open != noNode && open != rootNode);
}

void CompareStage::goInto(const QModelIndex& index)
{
    if (!index.isValid() || !comparing_.comparison() || mode_ == ChangeMode::Families || mode_ == ChangeMode::Owners)
        return;
    const auto node = model_->row(index.row()).node;
    if (node == noNode)
        return;
    if (mode_ == ChangeMode::List) { // to where it stands
        setMode(ChangeMode::Folders);
        comparing_.setFocus(comparing_.comparison()->tree()->parent(node));
        comparing_.select(node);
        return;
    }
    if (model_->row(index.row()).isFolder)
        comparing_.setFocus(node);
}

bool CompareStage::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == list_ && event->type() == QEvent::KeyPress) {
        switch (static_cast<QKeyEvent*>(event)->key()) {
        case Qt::Key_Return:
        case Qt::Key_Enter:
        case Qt::Key_Right:
            goInto(list_->currentIndex());
            return true;
        case Qt::Key_Backspace:
        case Qt::Key_Left:
            comparing_.goUp();
            return true;
        default:
            break;
        }
    }
    return QWidget::eventFilter(watched, event);
}

void CompareStage::resizeEvent(QResizeEvent* event)
{
    curve_->setFixedHeight(height() < 600 ? 138 : 196);
    QWidget::resizeEvent(event);
}

void CompareStage::askForFile()
{
    auto* dialog =
        new QFileDialog(this, tr("Compare with a snapshot from elsewhere"), {}, tr("Kurvo snapshots (*.kurvo)"));
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setFileMode(QFileDialog::ExistingFile);
    connect(dialog, &QFileDialog::fileSelected, this,
            [this](const QString& file) { comparing_.compareWith(QFile::encodeName(file).toStdString()); });
    dialog->open();
}

void CompareStage::showSnapshots()
{
    auto* dialog = new SnapshotsDialog(models_.places, models_.folders, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &SnapshotsDialog::catalogueChanged, &comparing_, &Comparing::refresh);
    dialog->open();
}

} // namespace kurvo::app
