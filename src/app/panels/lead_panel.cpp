// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/panels/lead_panel.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QMenu>
#include <QVBoxLayout>

#include "app/services/listen.h"
#include "app/style/selectable_label.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

/// What kind of thing a lead is: the beginning of its id.
QString kindOf(const Lead& lead)
{
    return QString::fromStdString(lead.id.substr(0, lead.id.find(':')));
}

/// The ledger explains what no entry stands for.
bool isOfLedger(const QString& kind)
{
    return kind == QLatin1String("unexplained") || kind == QLatin1String("beneath-mounts");
}

} // namespace

LeadPanel::LeadPanel(LeadFinder& finder, PlaceStore& places, PlanModel& plan, Notices& notices, Width width,
                     QWidget* parent)
    : QFrame(parent), finder_(finder), places_(places), plan_(plan), notices_(notices),
      rows_(new LeadRows(finder, places, this)), title_(new QLabel(tr("What stands out"))), sums_(new QLabel),
      list_(new QListView), rest_(new QPushButton), brought_(new QPushButton), facts_(new QFrame),
      sentence_(new QLabel), where_(new SelectableLabel), why_(new QLabel), command_(new SelectableLabel),
      step_(new QPushButton), go_(new QPushButton(tr("Go there"))), aside_(new QPushButton(tr("Put aside…")))
{
    setProperty("role", "panel");
    setObjectName("leadPanel");
    title_->setProperty("role", "heading");
    sums_->setProperty("role", "second");
    sums_->setObjectName("leadSums");
    sums_->setWordWrap(true);
    list_->setObjectName("leads");
    list_->setAccessibleName(tr("What stands out"));
    list_->setFrameShape(QFrame::NoFrame);
    list_->setModel(rows_);
    list_->setItemDelegate(new LeadRow(width == Width::Wide, list_));
    list_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->setContextMenuPolicy(Qt::CustomContextMenu);
    list_->setMinimumHeight(150);
    for (auto* link : {rest_, brought_})
        link->setProperty("role", "link");
    rest_->setObjectName("restOfLeads");
    brought_->setObjectName("leadsAside");
    sentence_->setWordWrap(true);
    sentence_->setObjectName("leadSentence");
    where_->setProperty("role", "small");
    why_->setProperty("role", "second");
    why_->setWordWrap(true);
    command_->setProperty("role", "code");
    step_->setProperty("role", "primary");
    step_->setObjectName("leadStep");
    go_->setObjectName("leadGo");
    aside_->setObjectName("leadAside");
    aside_->setToolTip(tr("On this machine it is shown no more, until it is brought back"));

    facts_->setObjectName("leadFacts");
    auto* facts = new QVBoxLayout(facts_);
    facts->setContentsMargins(16, 8, 16, 12);
    facts->setSpacing(6);
    for (auto* label : {sentence_, where_, why_, command_})
        facts->addWidget(label);
    auto* ways = new QHBoxLayout;
    ways->setSpacing(6);
    if (width == Width::Wide)
        ways->addWidget(step_);
    else
        facts->addWidget(step_);
    ways->addWidget(go_);
    ways->addWidget(aside_);
    if (width == Width::Wide)
        ways->addStretch();
    facts->addLayout(ways);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    auto* head = new QVBoxLayout;
    head->setContentsMargins(16, 14, 16, 8);
    head->setSpacing(4);
    head->addWidget(title_);
    head->addWidget(sums_);
    layout->addLayout(head);
    layout->addWidget(list_, 1);
    auto* foot = new QHBoxLayout;
    foot->setContentsMargins(12, 2, 12, 2);
    foot->addWidget(rest_);
    foot->addStretch();
    foot->addWidget(brought_);
    layout->addLayout(foot);
    layout->addWidget(facts_);

    connect(rest_, &QPushButton::clicked, this, [this] {
        all_ = !all_;
        refresh();
    });
    connect(brought_, &QPushButton::clicked, this, &LeadPanel::showAside);
    connect(step_, &QPushButton::clicked, this, &LeadPanel::takeStep);
    connect(aside_, &QPushButton::clicked, this, &LeadPanel::askAside);
    const auto go = [this] {
        if (const auto* lead = current(); lead && !lead->nodes.empty()) {
            finder_.goTo(*lead);
            emit exploreRequested();
        }
    };
    connect(go_, &QPushButton::clicked, this, go);
    connect(list_, &QListView::activated, this, go);
    connect(list_, &QListView::customContextMenuRequested, this, [this](const QPoint& at) {
        if (list_->indexAt(at).isValid() && current() && !current()->nodes.empty())
            emit contextRequested(list_->viewport()->mapToGlobal(at));
    });
    connect(list_->selectionModel(), &QItemSelectionModel::selectionChanged, this, &LeadPanel::takeChoice);
    connect(list_->selectionModel(), &QItemSelectionModel::currentChanged, this, &LeadPanel::showCurrent);
    connect(&finder_, &LeadFinder::leadsChanged, this, &LeadPanel::refresh);
    connect(&finder_, &LeadFinder::chosenChanged, this, &LeadPanel::showChoice);
    connect(&plan_, &PlanModel::planChanged, this, [this] {
        list_->viewport()->update();
        showCurrent();
    });
    refresh();
}

const Lead* LeadPanel::current() const
{
    const auto index = list_->currentIndex();
    return index.isValid() && list_->selectionModel()->isSelected(index) ? rows_->leadAt(index.row()) : nullptr;
}

QString LeadPanel::figures() const
{
    const auto* leads = finder_.leads();
    if (!leads)
        return finder_.isWorking() ? tr("being looked for") : QString();
    return leads->leads.empty() ? tr("none")
                                : tr("%1, %2").arg(itemsText(leads->leads.size(), "lead"), sizeText(leads->bytes()));
}

void LeadPanel::refresh()
{
    const auto* leads = finder_.leads();
    following_ = true;
    rows_->show(all_);
    following_ = false;
    QStringList sums;
    if (!leads) {
        sums << (finder_.isWorking() ? tr("Being looked for…") : tr("Scan a place, or open a snapshot."));
    } else if (leads->leads.empty()) {
        sums << tr("Nothing stands out here: no cache, log or copy that is large for what is in it.");
    } else {
        sums << tr("%1 in %2.").arg(sizeText(leads->bytes()), itemsText(leads->leads.size(), "lead"));
        if (leads->comesFree() > 0)
            sums << tr("%1 of it may usually go, or has a tool of its own.").arg(sizeText(leads->comesFree()));
    }
    if (places_.place() && places_.place()->isGrowing())
        sums << tr("The scan still runs.");
    sums_->setText(sums.join(QLatin1Char(' ')));
    const auto rest = leads ? leads->rest.size() : 0;
    std::uint64_t bytes = 0;
    for (std::size_t i = 0; i < rest; ++i)
        bytes += leads->rest[i].bytes;
    rest_->setVisible(rest > 0);
    rest_->setText(all_ ? tr("Only the first twelve") : tr("The rest: %1, %2").arg(countText(rest), sizeText(bytes)));
    const auto aside = finder_.aside().size();
    brought_->setVisible(aside > 0);
    brought_->setText(tr("%1 put aside").arg(countText(aside)));
    showChoice();
    emit figuresChanged();
}

void LeadPanel::takeChoice()
{
    if (following_)
        return;
    std::vector<std::string> ids;
    const auto* first = current();
    if (first)
        ids.push_back(first->id);
    for (const auto& index : list_->selectionModel()->selectedRows())
        if (const auto* lead = rows_->leadAt(index.row()); lead && lead != first)
            ids.push_back(lead->id);
    finder_.choose(ids);
}

void LeadPanel::showChoice()
{
    following_ = true;
    QItemSelection selection;
    int first = -1;
    for (int row = 0; row < rows_->rowCount(); ++row)
        if (finder_.chosen().contains(rows_->leadAt(row)->id)) {
            selection.select(rows_->index(row), rows_->index(row));
            first = first < 0 ? row : first;
        }
    const auto at = list_->currentIndex();
    if (first >= 0 && !(at.isValid() && selection.contains(at)))
        list_->selectionModel()->setCurrentIndex(rows_->index(first), QItemSelectionModel::NoUpdate);
    list_->selectionModel()->select(selection, QItemSelectionModel::ClearAndSelect);
    following_ = false;
    showCurrent();
}

void LeadPanel::showCurrent()
{
    const auto* lead = current();
    facts_->setVisible(lead != nullptr);
    if (!lead)
        return;
    const auto kind = kindOf(*lead);
    auto sentence = QString::fromStdString(lead->sentence);
    if (lead->comesFree < lead->bytes && lead->comesFree > 0)
        sentence = tr("%1 Of that, %2 would come free.").arg(sentence, sizeText(lead->comesFree));
    sentence_->setText(sentence);
    where_->setVisible(!lead->where.empty());
    where_->setToolTip(toText(lead->where));
    where_->setText(breakable(toText(lead->where)));
    why_->setText(QString::fromStdString(lead->why + " " + lead->next));
    command_->setVisible(!lead->command.empty());
    command_->setText(breakable(toText(lead->command)));
    const bool here = !lead->nodes.empty();
    go_->setVisible(here);
    const auto* place = places_.place();
    const bool planned = here && place && rows_->data(list_->currentIndex(), LeadRows::PlannedRole).toBool();
    step_->setEnabled(true);
    if (lead->step == LeadStep::Plan) {
        step_->setText(planned ? tr("Planned") : tr("Plan: trash   P"));
        step_->setEnabled(!planned);
    } else if (lead->step == LeadStep::Empty) {
        step_->setText(tr("See the trash"));
    } else if (kind == QLatin1String("copies")) {
        step_->setText(tr("Compare in Duplicates"));
    } else if (kind == QLatin1String("versions")) {
        step_->setText(tr("See in Several versions"));
    } else if (kind == QLatin1String("held-open")) {
        step_->setText(tr("See who holds them"));
    } else if (isOfLedger(kind)) {
        step_->setText(tr("Open the ledger"));
    } else if (kind == QLatin1String("growing")) {
        step_->setText(tr("See in Compare"));
    } else if (!lead->command.empty()) {
        step_->setText(tr("Copy the command"));
    } else {
        step_->setText(tr("Look at it"));
    }
}

void LeadPanel::takeStep()
{
    const auto* lead = current();
    if (!lead)
        return;
    const auto kind = kindOf(*lead);
    if (lead->step == LeadStep::Plan)
        finder_.planWhatIsSafe();
    else if (lead->step == LeadStep::Empty)
        emit stepRequested(QStringLiteral("trash"));
    else if (kind == QLatin1String("copies") || kind == QLatin1String("versions") ||
             kind == QLatin1String("held-open") || kind == QLatin1String("growing"))
        emit stepRequested(kind);
    else if (isOfLedger(kind))
        emit stepRequested(QStringLiteral("ledger"));
    else if (!lead->command.empty()) {
        QGuiApplication::clipboard()->setText(QString::fromStdString(lead->command));
        notices_.say(tr("The command is in the clipboard. Paste it into a terminal."));
    } else
        go_->click();
}

void LeadPanel::askAside()
{
    const auto* lead = current();
    if (!lead)
        return;
    auto* ask = new QInputDialog(this);
    ask->setObjectName("asideDialog");
    ask->setAttribute(Qt::WA_DeleteOnClose);
    ask->setWindowTitle(tr("Put aside"));
    ask->setLabelText(tr("Why it is put aside, for whoever asks later (may be left empty):"));
    connect(ask, &QInputDialog::textValueSelected, this, [this, one = *lead](const QString& note) {
        finder_.choose({});
        finder_.putAside(one, note.trimmed());
        notices_.say(tr("Put aside on this machine. It stands under “put aside” and can be brought back."));
    });
    ask->open();
}

/// Choosing one brings it back.
void LeadPanel::showAside()
{
    auto* menu = new QMenu(this);
    menu->setObjectName("asideMenu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addSection(tr("Bring back"));
    for (const auto& lead : finder_.aside()) {
        auto words = toText(lead.sentence);
        if (!lead.note.empty())
            words += QStringLiteral("  (%1)").arg(toText(lead.note));
        words.replace(QLatin1Char('&'), QStringLiteral("&&"));
        menu->addAction(cutMiddle(words, fontOf(13), 560), this, [this, id = lead.id] { finder_.bringBack(id); });
    }
    menu->popup(brought_->mapToGlobal(QPoint(0, brought_->height())));
}

} // namespace kurvo::app
