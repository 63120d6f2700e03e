// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/find/find_stage.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QMenu>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>
#include <optional>
#include <unordered_set>

#include "app/dialogs/choose.h"
#include "app/services/async.h"
#include "app/services/listen.h"
#include "app/style/empty_page.h"
#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/platform/running_system.h"

namespace kurvo::app {
namespace {

/// "12.5d", such as a filter takes it.
QString ageTerm(double seconds)
{
    constexpr double day = 86400;
    if (seconds < 2 * day)
        return QStringLiteral("%1h").arg(std::round(seconds / 3600));
    if (seconds < 3 * 365 * day)
        return QStringLiteral("%1d").arg(std::round(seconds / day));
    return QStringLiteral("%1y").arg(std::round(seconds / (365 * day) * 10) / 10);
}

QString sizeTerm(double bytes)
{
    static constexpr const char* units[] = {"", "K", "M", "G", "T"};
    int unit = 0;
    for (; bytes >= 1024 && unit < 4; ++unit)
        bytes /= 1024;
    return QStringLiteral("%1%2").arg(std::round(bytes * 10) / 10).arg(QString::fromLatin1(units[unit]));
}

QString termsOf(const FieldBox& box)
{
    QStringList terms;
    if (box.youngest > 0.002)
        terms << QStringLiteral("age>=") + ageTerm(positionToAge(box.youngest));
    if (box.oldest < 0.998)
        terms << QStringLiteral("age<=") + ageTerm(positionToAge(box.oldest));
    if (box.smallest > 0.002)
        terms << QStringLiteral("size>=") + sizeTerm(positionToSize(box.smallest));
    if (box.largest < 0.998)
        terms << QStringLiteral("size<=") + sizeTerm(positionToSize(box.largest));
    return terms.join(QLatin1Char(' '));
}

} // namespace

FindStage::FindStage(Models& models, QWidget* parent)
    : QWidget(parent), models_(models), stack_(new QStackedWidget), questions_(new QuestionList),
      filter_(new FilterLine(models_.places)), problem_(new QLabel), scope_(new QPushButton),
      keep_(new QPushButton(tr("Save filter"))), mind_(new QLabel),
      ageField_(new AgeFieldView(models_.places, models_.cursor)),
      model_(new FileListModel(models_.places, models_.knowledge, this)), list_(new FileTable(model_)),
      sums_(new QLabel), light_(new QPushButton(tr("Highlight in Explore"))),
      only_(new QPushButton(tr("Show only these in Explore"))), dossier_(new Dossier(models_)),
      pages_(new QStackedWidget),
      versions_(new VersionsPage(models_.places, models_.cursor, models_.plan, models_.notices, models_.knowledge)),
      leads_(new LeadPanel(models_.leads, models_.places, models_.plan, models_.notices, LeadPanel::Width::Wide)),
      duplicates_(new DuplicatesPage(models_.places, models_.cursor, models_.plan, models_.notices)),
      heldOpen_(new HeldOpenPage(models_.places, models_.notices)),
      trash_(new TrashPage(models_.runner, models_.folders)),
      packages_(new PackagesPage(models_.places, models_.notices, models_.knowledge))
{
    auto* empty = new EmptyPage(tr("Scan a drive or a folder: all its files will be listed here, the largest first."));
    connect(empty, &EmptyPage::scanRequested, this, &FindStage::scanRequested);

    stack_->addWidget(empty);
    makeFinders();
    nameParts();
    makeWaysToExplore();
    layOut();
    wire();
    later();
}

void FindStage::makeFinders()
{
    // Those that are asked elsewhere than in the files of the place.
    const std::pair<QString, FinderPage*> finders[] = {{tr("Duplicates"), duplicates_},
                                                       {tr("Several versions"), versions_},
                                                       {tr("Deleted, still held open"), heldOpen_},
                                                       {tr("Trash of all drives"), trash_},
                                                       {tr("Installed packages"), packages_}};
    for (const auto& [name, page] : finders) {
        auto* item = new QListWidgetItem(name, questions_);
        item->setData(Qt::UserRole + 1, 1);
        pages_->addWidget(page);
        connect(page, &FinderPage::figuresChanged, this,
                [page, item] { item->setData(Qt::UserRole, page->figures()); });
        connect(page, &FinderPage::exploreRequested, this, &FindStage::exploreRequested);
        connect(page, &FinderPage::planRequested, this, &FindStage::planRequested);
    }
    connect(leads_, &LeadPanel::figuresChanged, this, [this] {
        questions_->item(QuestionList::leadsRow)->setData(Qt::UserRole, leads_->figures());
        leaveEmptyLeads();
    });
    connect(leads_, &LeadPanel::exploreRequested, this, &FindStage::exploreRequested);
    connect(leads_, &LeadPanel::contextRequested, this, &FindStage::contextRequested);
    questions_->setCurrentRow(QuestionList::leadsRow);
}

/// Where nothing stands out and nobody has asked for anything yet, the largest files are the better first page.
void FindStage::leaveEmptyLeads()
{
    const auto* leads = models_.leads.leads();
    if (asked_ || !leads)
        return;
    const int wanted = leads->leads.empty() ? QuestionList::rowOf(Question::All) : QuestionList::leadsRow;
    if (questions_->currentRow() != wanted) {
        questions_->setCurrentRow(wanted);
        asked_ = false;
    }
}

void FindStage::showFiles()
{
    asked_ = true;
    if (pages_->currentIndex() != 0)
        questions_->setCurrentRow(QuestionList::rowOf(question_));
}

void FindStage::showPage(FinderPage* page)
{
    questions_->setCurrentRow(finderEnd() - finderCount + pages_->indexOf(page) - 1);
}

void FindStage::nameParts()
{
    scope_->setObjectName("findScope");
    scope_->setCheckable(true);
    scope_->setProperty("role", "choice");
    keep_->setObjectName("keepFilter");
    keep_->setToolTip(tr("Save this filter under a name, below the questions"));
    connect(keep_, &QPushButton::clicked, this, &FindStage::keepFilter);
    questions_->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(questions_, &QListWidget::customContextMenuRequested, this, [this](const QPoint& at) {
        const int row = questions_->row(questions_->itemAt(at)) - finderEnd();
        if (row < 0)
            return;
        auto* menu = new QMenu(this);
        menu->setAttribute(Qt::WA_DeleteOnClose);
        menu->addAction(tr("Delete saved filter"), this, [this, row] {
            kept_.remove(2 * row, 2);
            showKept();
            emit keptChanged();
        });
        menu->popup(questions_->mapToGlobal(at));
    });
    problem_->setObjectName("filterProblem");
    problem_->setProperty("role", "warning");
    problem_->setWordWrap(true);
    problem_->hide();
    mind_->setObjectName("questionAdvice");
    mind_->setProperty("role", "second");
    mind_->setWordWrap(true);
    sums_->setObjectName("findSums");
    sums_->setProperty("role", "second");
    sums_->setWordWrap(true); // the buttons beside it keep their words
    sums_->setMinimumWidth(64);

    connect(list_, &FileTable::columnsChanged, this, &FindStage::columnsChanged);
    connect(list_, &FileTable::goneInto, this, &FindStage::exploreRequested);
    list_->viewport()->installEventFilter(this);
}

void FindStage::makeWaysToExplore()
{
    light_->setObjectName("lightFound");
    light_->setToolTip(tr("In the pictures and the descent all other files fade"));
    connect(light_, &QPushButton::clicked, this, [this] {
        takeToExplore([this](const std::shared_ptr<std::vector<bool>>& found) {
            Lit lit;
            lit.files = found;
            models_.view.light(lit);
        });
    });
    only_->setObjectName("onlyFound");
    only_->setToolTip(tr("The pictures and the descent show nothing else, and their sums are of these"));
    connect(only_, &QPushButton::clicked, this, [this] {
        takeToExplore([this](const std::shared_ptr<std::vector<bool>>& found) {
            QStringList words;
            if (question_ != Question::All)
                words << questionText(question_);
            if (!filter_->text().trimmed().isEmpty())
                words << filter_->text().trimmed();
            models_.trees.narrow(*models_.places.place()->tree, found,
                                 words.isEmpty() ? tr("all files") : words.join(QStringLiteral(" · ")));
        });
    });
}

void FindStage::layOut()
{
    auto* files = new QWidget;
    auto* middle = new QVBoxLayout(files);
    middle->setContentsMargins(12, 8, 12, 6);
    middle->setSpacing(6);
    auto* line = new QHBoxLayout;
    line->addWidget(filter_, 1);
    line->addWidget(keep_);
    line->addWidget(scope_);
    middle->addLayout(line);
    middle->addWidget(problem_);
    middle->addWidget(mind_);
    middle->addWidget(ageField_);
    middle->addWidget(list_, 1);
    auto* foot = new QHBoxLayout;
    foot->addWidget(sums_, 1);
    foot->addWidget(light_);
    foot->addWidget(only_);
    middle->addLayout(foot);
    pages_->insertWidget(0, files);
    pages_->addWidget(leads_);
    pages_->setCurrentWidget(leads_);
    sides_ = new SidePanels({questions_, 208}, pages_, {dossier_, 272}, 430);
    stack_->addWidget(sides_);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    outer->addWidget(stack_);
}

std::vector<QWidget*> FindStage::panes()
{
    if (pages_->currentIndex() != 0)
        return {questions_, pages_->currentWidget(), dossier_};
    return {questions_, filter_, ageField_, list_, dossier_};
}

void FindStage::wire()
{
    soon_.setSingleShot(true);
    soon_.setInterval(60);
    connect(&soon_, &QTimer::timeout, this, &FindStage::refresh);
    connect(filter_, &QLineEdit::textChanged, this, &FindStage::later);
    connect(filter_, &QLineEdit::returnPressed, this, [this] {
        filter_->remember();
        // After the line is done with the key, and with what it offered.
        QTimer::singleShot(0, list_, [this] { list_->setFocus(); });
    });
    connect(questions_, &QListWidget::currentRowChanged, this, &FindStage::chooseRow);
    connect(scope_, &QPushButton::toggled, this, &FindStage::later);
    connect(ageField_, &AgeFieldView::boxChanged, this, &FindStage::takeBox);
    connect(list_->horizontalHeader(), &QHeaderView::sectionClicked, this, &FindStage::sortBy);
    connect(list_->selectionModel(), &QItemSelectionModel::selectionChanged, this, [this] {
        if (!following_)
            takeSelection();
    });
    connect(list_, &QTableView::entered, this,
            [this](const QModelIndex& index) { models_.cursor.setHover(model_->nodeAt(index.row())); });
    connect(list_, &QTableView::customContextMenuRequested, this, [this](const QPoint& at) {
        if (list_->indexAt(at).isValid())
            emit contextRequested(list_->viewport()->mapToGlobal(at));
    });
    listen(this, &FindStage::later, models_.places, &PlaceStore::placeChanged, models_.trees,
           &TreeUpdater::treeChanged);
    // What is found depends on these only when it was asked so.
    connect(&models_.cursor, &Cursor::focusChanged, this, [this] { scope_->isChecked() ? later() : showScope(); });
    connect(&models_.plan, &PlanModel::planChanged, this, [this] {
        if (filter_->text().contains(QLatin1String("planned"), Qt::CaseInsensitive))
            later();
    });
    connect(&models_.view, &PlaceView::marksChanged, this, [this] {
        list_->viewport()->update();
        if (order_ == FileOrder::Mark || filter_->text().contains(QLatin1String("mark"), Qt::CaseInsensitive))
            later();
    });
    connect(&models_.knowledge, &Knowledge::rulesRead, list_->viewport(), qOverload<>(&QWidget::update));
    connect(&models_.cursor, &Cursor::selectionChanged, this, &FindStage::showSelection);
}

void FindStage::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    if (stale_)
        refresh();
}

/// A question, or a filter that was kept.
void FindStage::chooseRow(int row)
{
    asked_ = true;
    const int kept = row - finderEnd();
    const int finder = row - (finderEnd() - finderCount);
    const bool onPage = finder >= 0 && kept < 0;
    if (row == QuestionList::leadsRow)
        return pages_->setCurrentWidget(leads_);
    pages_->setCurrentIndex(onPage ? finder + 1 : 0);
    if (onPage) {
        static_cast<FinderPage*>(pages_->currentWidget())->refresh();
        return;
    }
    question_ = kept < 0 ? static_cast<Question>(std::max(row - QuestionList::rowOf(Question::All), 0)) : Question::All;
    if (kept >= 0 && 2 * kept + 1 < kept_.size())
        filter_->setText(kept_[2 * kept + 1]);
    later();
}

void FindStage::keepFilter()
{
    const auto line = filter_->text().trimmed();
    if (line.isEmpty())
        return;
    askForName(this, "keepDialog", tr("Save filter"), tr("Name for “%1”").arg(line), line,
               [this, line](const QString& name) {
                   for (qsizetype i = 0; i + 1 < kept_.size(); i += 2)
                       if (kept_[i] == name) {
                           kept_.remove(i, 2); // the new one takes its place
                           break;
                       }
                   kept_ << name << line;
                   showKept();
                   emit keptChanged();
               });
}

void FindStage::setKept(const QStringList& kept)
{
    kept_ = kept.size() % 2 == 0 ? kept : QStringList();
    showKept();
}

void FindStage::showKept()
{
    const QSignalBlocker quiet(questions_);
    while (questions_->count() > finderEnd())
        delete questions_->takeItem(questions_->count() - 1);
    for (qsizetype i = 0; i + 1 < kept_.size(); i += 2) {
        auto* item = new QListWidgetItem(kept_[i], questions_);
        item->setData(Qt::UserRole, kept_[i + 1]);
        item->setData(Qt::UserRole + 1, 1);
        item->setToolTip(kept_[i + 1]);
    }
}

void FindStage::later()
{
    stale_ = true;
    // Ids of another store must not be looked up in this one.
    const auto* place = models_.places.place();
    if (!place || (knownTree_ && knownTree_->sharedStore() != place->tree->sharedStore())) {
        knownTree_ = nullptr;
        known_ = nullptr;
        ++request_;
        model_->show(nullptr, {});
        ageField_->setField(nullptr);
    }
    if (isVisible() && !(place && place->isGrowing() && soon_.isActive()))
        soon_.start(place && place->isGrowing() ? 1000 : 60);
}

void FindStage::showScope()
{
    const auto* place = models_.places.place();
    if (!place)
        return;
    scope_->setText(tr("only in %1").arg(cutMiddle(toText(place->tree->label(place->focus)), fontOf(13), 110)));
    scope_->setVisible(place->focus != rootNode || scope_->isChecked());
}

void FindStage::refresh()
{
    const auto* place = models_.places.place();
    stack_->setCurrentIndex(place ? 1 : 0);
    if (!place)
        return;
    stale_ = false;
    if (pages_->currentIndex() > 0 && !showsLeads())
        static_cast<FinderPage*>(pages_->currentWidget())->refresh();
    if (shownPlace_ != place->id) {
        shownPlace_ = place->id;
        boxTerms_.clear();
        ageField_->setBox(std::nullopt);
    }
    showScope();
    const auto advice = questionAdvice(question_);
    mind_->setText(advice);
    mind_->setVisible(!advice.isEmpty());

    const auto text = filter_->text();
    // What the box put there is known apart: the field shows what the rest of the line finds.
    QString rest = text;
    if (!boxTerms_.isEmpty() && rest.endsWith(boxTerms_)) {
        rest.chop(boxTerms_.size());
    } else if (!boxTerms_.isEmpty()) {
        boxTerms_.clear();
        ageField_->setBox(std::nullopt);
    }
    const auto whole = Filter::parse(text.toStdString());
    const auto base = Filter::parse(rest.toStdString());
    const auto* error = std::get_if<FilterError>(&whole);
    keep_->setEnabled(!error && !text.trimmed().isEmpty());
    filter_->showError(error ? std::optional(*error) : std::nullopt);
    problem_->setVisible(error != nullptr);
    if (error || std::holds_alternative<FilterError>(base)) {
        if (error)
            problem_->setText(QString::fromStdString(error->sentence));
        ++request_;
        shownRequest_ = request_;
        return; // the list stays what it was
    }
    find({place->tree,
          knownTree_ == place->tree ? known_ : nullptr,
          {},
          scope_->isChecked() ? place->focus : rootNode,
          place->info.taken,
          question_,
          {place->info.taken, place->info.owners, {}, place->marks, place->adviceOfTree()},
          place->plan.state(),
          std::get<Filter>(base),
          std::get<Filter>(whole),
          !boxTerms_.isEmpty(),
          order_,
          descending_,
          models_.places.isThisMachine(*place) ? runningKernel() : std::string(),
          models_.knowledge.sharedRules(),
          place->marks});
}

void FindStage::find(FindQuery query)
{
    // The answers do not depend on the line: they are worked out once, not at each letter.
    if (query.known && knownTop_ == query.top)
        query.answered = answers_;
    runAsync(
        this, [query = std::move(query)]() mutable { return query.answer(); },
        [this, request = ++request_](const std::shared_ptr<FoundFiles>& found) {
            if (request != request_ || !models_.places.place() ||
                models_.places.place()->tree->sharedStore() != found->tree->sharedStore())
                return;
            shownRequest_ = request;
            show(*found);
        });
}

void FindStage::show(const FoundFiles& found)
{
    known_ = found.questions;
    knownTree_ = found.tree;
    knownTop_ = found.top;
    answers_ = found.answers;
    questions_->setAnswers(found.answers);
    following_ = true;
    model_->show(found.tree, found.files);
    following_ = false;
    ageField_->setField(found.field);
    light_->setEnabled(!found.files.empty());
    only_->setEnabled(!found.files.empty());
    sums_->setText(
        found.files.empty()
            ? tr("Nothing matches. Escape in the filter line clears it.")
            : tr("%1, %2").arg(itemsText(found.files.size(), found.folders ? "folder" : "file"), sizeText(found.disk)));
    showSelection();
}

/// The box in the age field stands in the filter line as terms, where it can be read and changed.
void FindStage::takeBox()
{
    auto text = filter_->text();
    if (!boxTerms_.isEmpty() && text.endsWith(boxTerms_))
        text.chop(boxTerms_.size());
    text = text.trimmed();
    boxTerms_ = ageField_->box() ? termsOf(*ageField_->box()) : QString();
    if (!boxTerms_.isEmpty() && text.contains(QLatin1String(" or "), Qt::CaseInsensitive) &&
        !(text.startsWith(QLatin1Char('(')) && text.endsWith(QLatin1Char(')'))))
        text = QStringLiteral("(%1)").arg(text);
    if (!boxTerms_.isEmpty() && !text.isEmpty())
        text += QLatin1Char(' ');
    filter_->setText(text + boxTerms_);
    later();
}

/// The pictures show where all this lies, or nothing else.
void FindStage::takeToExplore(const std::function<void(const std::shared_ptr<std::vector<bool>>&)>& show)
{
    const auto* place = models_.places.place();
    // The list may still be of the tree before: its ids are not those of this one.
    if (!place || model_->files().empty() || model_->tree()->sharedStore() != place->tree->sharedStore())
        return;
    runAsync(
        this,
        [tree = model_->tree(), nodes = model_->files()] {
            auto files = std::make_shared<std::vector<bool>>(tree->extent().nodes);
            for (const NodeId node : nodes)
                tree->forEachBelow(node, [&](NodeId below) { (*files)[below] = true; });
            return files;
        },
        [this, show, store = place->tree->sharedStore()](const std::shared_ptr<std::vector<bool>>& files) {
            if (!models_.places.place() || models_.places.place()->tree->sharedStore() != store)
                return;
            show(files);
            emit lightRequested();
        });
}

void FindStage::sortBy(int column)
{
    static constexpr FileOrder orders[] = {FileOrder::Name,    FileOrder::Folder, FileOrder::Disk,  FileOrder::Apparent,
                                           FileOrder::Changed, FileOrder::Type,   FileOrder::Owner, FileOrder::Mark,
                                           FileOrder::Advice,  FileOrder::Role};
    const auto order = orders[column];
    // Figures begin with the largest, words with A.
    const bool words = order != FileOrder::Disk && order != FileOrder::Apparent && order != FileOrder::Changed &&
                       order != FileOrder::Advice;
    descending_ = order == order_ ? !descending_ : !words;
    order_ = order;
    list_->horizontalHeader()->setSortIndicator(column, descending_ ? Qt::DescendingOrder : Qt::AscendingOrder);
    later();
}

void FindStage::showSelection()
{
    const auto* place = models_.places.place();
    if (following_ || !place || !isVisible())
        return;
    following_ = true;
    const int row = place->selection == noNode ? -1 : model_->rowOf(place->selection);
    if (row < 0)
        list_->clearSelection();
    else if (!list_->selectionModel()->isRowSelected(row)) {
        list_->selectRow(row);
        list_->scrollTo(model_->index(row, 0));
    }
    following_ = false;
}

void FindStage::takeSelection()
{
    std::vector<NodeId> nodes;
    for (const auto& index : list_->selectionModel()->selectedRows())
        nodes.push_back(model_->nodeAt(index.row()));
    if (nodes.empty())
        return;
    const auto current = model_->nodeAt(list_->currentIndex().row());
    following_ = true;
    models_.cursor.selectAll(current != noNode ? current : nodes.front(), nodes);
    following_ = false;
}

bool FindStage::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == list_->viewport() && event->type() == QEvent::Leave)
        models_.cursor.setHover(noNode);
    return QWidget::eventFilter(watched, event);
}

} // namespace kurvo::app
