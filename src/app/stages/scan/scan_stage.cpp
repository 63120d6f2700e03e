// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/scan/scan_stage.h"

#include <QFile>
#include <QMenu>
#include <QRegularExpression>
#include <QScrollArea>
#include <QSocketNotifier>

#include <fcntl.h>

#include <algorithm>
#include <set>

#include "app/dialogs/choose.h"
#include "app/dialogs/machines_dialog.h"
#include "app/dialogs/send_scanner_dialog.h"
#include "app/services/async.h"
#include "app/stages/scan/scan_cards.h"
#include "app/style/mnemonics.h"
#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/remote/ssh_scan.h"

namespace kurvo::app {
namespace {

/// "*.iso *.tmp" and the like, by spaces or commas.
std::vector<std::string> globsIn(const QString& text)
{
    std::vector<std::string> globs;
    for (const auto& part : text.split(QRegularExpression(QStringLiteral("[,\\s]+")), Qt::SkipEmptyParts))
        globs.push_back(QFile::encodeName(part).toStdString());
    return globs;
}

} // namespace

ScanStage::ScanStage(PlaceStore& places, ScanJobs& scanJobs, SnapshotKeeper& snapshotKeeper, const AppFolders& folders,
                     Settings& settings, QWidget* parent)
    : QWidget(parent), places_(places), scanJobs_(scanJobs), snapshotKeeper_(snapshotKeeper), folders_(folders),
      settings_(settings), words_(folders, settings), grid_(new QGridLayout), scans_(new QVBoxLayout),
      showAll_(new QPushButton), recent_(new QPushButton(tr("Recent folders  ▾"))),
      crossMounts_(new QCheckBox(tr("include other mounts"))),
      withRights_(new QCheckBox(tr("with administrator rights"))), leaveOut_(new QLineEdit),
      cardsNote_(new QLabel(tr("Looking for drives…"))), start_(new QPushButton),
      together_(new QPushButton(tr("Scan and look at them together"))), earlier_(new EarlierList)
{
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    drives_ = makeDrives();
    side_ = makeSide();
    layout->addWidget(drives_, 1);
    layout->addWidget(side_);

    connect(start_, &QPushButton::clicked, this, [this] { startTicked(false); });
    connect(together_, &QPushButton::clicked, this, [this] { startTicked(true); });
    connect(choose_, &QPushButton::clicked, this, &ScanStage::chooseFolder);
    connect(open_, &QPushButton::clicked, this, &ScanStage::openSnapshotFile);
    connect(earlier_, &EarlierList::openWanted, &snapshotKeeper_, &SnapshotKeeper::open);
    connect(machine_, &QPushButton::clicked, this, &ScanStage::chooseMachine);
    connect(&scanJobs_, &ScanJobs::scannerWanted, this, &ScanStage::askToSend);
    connect(&scanJobs_, &ScanJobs::machineScanned, this, [this] {
        if (isVisible())
            reload();
    });
    connect(&snapshotKeeper_, &SnapshotKeeper::snapshotSaved, this, [this] {
        if (isVisible()) // else it is done when the stage is shown
            reload();
    });
    connect(&scanJobs_, &ScanJobs::scansChanged, this, &ScanStage::showScans);
    connect(&scanJobs_, &ScanJobs::scanEnded, this, [this](std::uint64_t place, bool ok) {
        if (ok)
            keepRecent(place);
    });
    connect(&words_, &CardWords::known, this, &ScanStage::showGrowth);
    connect(showAll_, &QPushButton::toggled, this, &ScanStage::reload);
    connect(recent_->menu(), &QMenu::aboutToShow, this, &ScanStage::fillRecent);
    progress_.setInterval(100);
    connect(&progress_, &QTimer::timeout, this, [this] {
        for (auto* card : scanCards_)
            if (card->isVisible())
                card->refresh();
    });
    watchMounts();
    updateStartButton();
}

QWidget* ScanStage::makeDrives()
{
    auto* title = new QLabel(tr("What is full?"));
    title->setProperty("role", "title");
    auto* text = new QLabel(tr("Tick drives, or take one folder. The home folder is the quickest start."));
    text->setProperty("role", "second");
    text->setWordWrap(true);
    cardsNote_->setProperty("role", "second");
    cardsNote_->setWordWrap(true);
    grid_->setSpacing(12);

    auto* left = new QVBoxLayout;
    left->setContentsMargins(22, 16, 22, 16);
    left->addWidget(title);
    left->addWidget(text);
    left->addWidget(makeIntroduction());
    left->addSpacing(8);
    left->addLayout(grid_);
    left->addWidget(cardsNote_);
    showAll_->setProperty("role", "link");
    showAll_->setObjectName("showAllMounts");
    showAll_->setCheckable(true);
    showAll_->hide();
    left->addWidget(showAll_, 0, Qt::AlignLeft);
    left->addSpacing(4);
    scans_->setSpacing(8);
    left->addLayout(scans_);
    left->addStretch();
    auto* leftBox = new QWidget;
    leftBox->setLayout(left);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(leftBox);
    scroll->setAccessibleName(tr("Drives and scans"));
    return scroll;
}

/// As long as nothing was ever scanned.
QWidget* ScanStage::makeIntroduction()
{
    introduction_ = new QFrame;
    introduction_->setObjectName("introduction");
    introduction_->setProperty("role", "card");
    auto* layout = new QHBoxLayout(introduction_);
    layout->setContentsMargins(16, 10, 12, 10);
    layout->setSpacing(14);
    auto* words = new QLabel(
        tr("Enter on a card (or a double-click) scans the drive, and you see what fills it while it is read. Looking "
           "changes nothing: only what you plan, check and confirm in Clear is ever moved or deleted. To try all of it "
           "first, there is sample data."));
    words->setWordWrap(true);
    words->setObjectName("introductionWords");
    auto* sample = new QPushButton(tr("Try it with sample data"));
    sample->setObjectName("trySample");
    connect(sample, &QPushButton::clicked, this, &ScanStage::demoRequested);
    layout->addWidget(words, 1);
    layout->addWidget(sample);
    introduction_->hide();
    return introduction_;
}

void ScanStage::startFirst()
{
    if (!cards_.empty())
        start(cards_.front()->facts());
}

QWidget* ScanStage::makeSide()
{
    start_->setProperty("role", "primary");
    start_->setObjectName("startScan");
    start_->setMinimumHeight(40);
    auto* home = new QPushButton(folders_.demo ? tr("Practice folder") : tr("Home folder"));
    home->setObjectName("scanHome");
    connect(home, &QPushButton::clicked, this, &ScanStage::scanHome);
    choose_ = new QPushButton(tr("Choose a folder…"));
    choose_->setObjectName("chooseFolder");
    open_ = new QPushButton(tr("Open a snapshot…"));
    open_->setObjectName("openSnapshot");
    machine_ = new QPushButton(tr("Another machine…"));
    machine_->setObjectName("anotherMachine");
    auto* right = new QVBoxLayout;
    right->setContentsMargins(0, 18, 20, 16);
    right->setSpacing(8);
    recent_->setObjectName("recent");
    recent_->setMenu(new QMenu(recent_));
    together_->setObjectName("startTogether");
    for (auto* button : {start_, together_, home, choose_, machine_, recent_, open_})
        right->addWidget(button);
    right->addSpacing(8);
    right->addWidget(makeOptions());
    right->addSpacing(8);
    right->addWidget(earlier_, 1);
    auto* rightBox = new QWidget;
    rightBox->setLayout(right);
    rightBox->setFixedWidth(300);
    return rightBox;
}

QWidget* ScanStage::makeOptions()
{
    auto* box = new QWidget;
    auto* layout = new QVBoxLayout(box);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    auto* title = new QLabel(tr("While scanning"));
    title->setProperty("role", "small");
    crossMounts_->setObjectName("crossMounts");
    crossMounts_->setToolTip(tr("Other drives mounted below the place are scanned with it; virtual filesystems are "
                                "skipped"));
    crossMounts_->setChecked(settings_.of(setting::crossMounts));
    withRights_->setObjectName("withRights");
    withRights_->setToolTip(tr("What your permissions do not allow is read at the end, with your password"));
    withRights_->setChecked(settings_.of(setting::withRights));
    leaveOut_->setObjectName("leaveOut");
    leaveOut_->setPlaceholderText(tr("leave out: *.iso  .snapshots"));
    leaveOut_->setAccessibleName(tr("Leave out what matches"));
    leaveOut_->setToolTip(tr("Names or whole paths, with * and ?, separated by spaces. Kept for each place."));
    for (QWidget* widget : {static_cast<QWidget*>(title), static_cast<QWidget*>(crossMounts_),
                            static_cast<QWidget*>(withRights_), static_cast<QWidget*>(leaveOut_)})
        layout->addWidget(widget);
    connect(crossMounts_, &QCheckBox::toggled, this, [this](bool on) { settings_.set(setting::crossMounts, on); });
    connect(withRights_, &QCheckBox::toggled, this, [this](bool on) { settings_.set(setting::withRights, on); });
    return box;
}

/// The kernel wakes whoever polls the mount table when it changes (proc(5)): nothing is read until then.
void ScanStage::watchMounts()
{
    mountTable_ = UniqueFd(::open("/proc/self/mountinfo", O_RDONLY | O_CLOEXEC));
    if (!mountTable_)
        return;
    mountsChanged_.setSingleShot(true);
    mountsChanged_.setInterval(500);
    connect(&mountsChanged_, &QTimer::timeout, this, &ScanStage::reload);
    auto* notifier = new QSocketNotifier(mountTable_.get(), QSocketNotifier::Exception, this);
    connect(notifier, &QSocketNotifier::activated, this, [this] {
        if (!mountsChanged_.isActive())
            mountsChanged_.start();
    });
}

void ScanStage::showScans()
{
    const auto& jobs = scanJobs_.scans();
    std::erase_if(scanCards_, [&](ScanProgressCard* card) {
        const bool over = std::find(jobs.begin(), jobs.end(), card->job()) == jobs.end();
        if (over) {
            scans_->removeWidget(card);
            card->hide();
            card->deleteLater();
        }
        return over;
    });
    for (const auto& job : jobs) {
        const bool known = std::any_of(scanCards_.begin(), scanCards_.end(),
                                       [&](const ScanProgressCard* card) { return card->job() == job; });
        if (known)
            continue;
        auto* card = new ScanProgressCard(places_, scanJobs_, job);
        connect(card, &ScanProgressCard::exploreRequested, this, &ScanStage::exploreRequested);
        scans_->addWidget(card);
        scanCards_.push_back(card);
    }
    for (auto* card : scanCards_)
        card->refresh();
    if (scanCards_.empty())
        progress_.stop();
    else
        progress_.start();
}

void ScanStage::fillRecent()
{
    auto* menu = recent_->menu();
    menu->clear();
    const auto paths = settings_.of(setting::recentPlaces);
    for (const auto& encoded : paths) {
        const auto path = QByteArray::fromPercentEncoding(encoded.toLatin1()).toStdString();
        menu->addAction(asRead(cutMiddle(toText(path), menu->font(), 420)), this, [this, path] { scan(path); });
    }
    if (paths.isEmpty())
        menu->addAction(tr("No folder was scanned yet"))->setEnabled(false);
}

void ScanStage::scan(const std::string& path, const QString& name)
{
    ScanOptions options;
    options.crossMounts = crossMounts_->isChecked();
    // What stands in the line belongs to the place it was shown for, or to the one that is chosen now.
    const auto line = leaveOut_->text().trimmed();
    if (optionsOf_ == path || (optionsOf_.empty() && !line.isEmpty()))
        settings_.setLeftOut(path, line);
    options.exclude = globsIn(settings_.leftOut(path));
    if (optionsOf_.empty())
        leaveOut_->clear();
    scanJobs_.scanFolder(path, name, options, withRights_->isChecked());
}

/// What could be scanned is offered again.
void ScanStage::keepRecent(std::uint64_t id)
{
    const auto* place = places_.placeOf(id);
    if (!place)
        return;
    auto recent = settings_.of(setting::recentPlaces);
    const auto known = QString::fromLatin1(QByteArray::fromStdString(place->info.place).toPercentEncoding("/"));
    recent.removeAll(known);
    recent.prepend(known);
    constexpr qsizetype kept = 12;
    settings_.set(setting::recentPlaces, recent.mid(0, kept));
}

void ScanStage::scanAgain(const Place& place)
{
    scanJobs_.scanFolder(place.info.place, toText(place.info.placeName), place.options, withRights_->isChecked());
}

void ScanStage::showOptionsOf(const std::string& path)
{
    if (path == optionsOf_)
        return;
    optionsOf_ = path;
    leaveOut_->setText(path.empty() ? QString() : settings_.leftOut(path));
}

void ScanStage::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    reload();
}

void ScanStage::reload()
{
    runAsync(
        this,
        [folder = folders_.snapshots(), demo = folders_.demo, practice = folders_.practice] {
            Found found;
            found.catalogue = readCatalogue(folder);
            if (auto sets = readSets(folder))
                found.sets = std::move(*sets);
            else
                found.problem = sets.error().sentence;
            if (demo) { // which never looks at the real machine
                found.practice = static_cast<bool>(canonicalPath(practice));
                return found;
            }
            auto mounts = readAllMounts();
            if (mounts)
                for (auto& mount : *mounts)
                    (mount.folded == FoldedAway::No || mount.folded == FoldedAway::NoAnswer ? found.drives
                                                                                            : found.folded)
                        .push_back(std::move(mount));
            else if (found.problem.empty())
                found.problem = mounts.error().sentence;
            return found;
        },
        [this](const Found& found) { show(found); });
}

void ScanStage::show(const Found& found)
{
    showCards(found);
    earlier_->show(found.catalogue);
    introduction_->setVisible(!folders_.demo && found.catalogue.entries.empty() &&
                              settings_.of(setting::recentPlaces).isEmpty());
    emit loaded();
}

void ScanStage::showCards(const Found& found)
{
    std::set<QString> ticked;
    bool hadFocus = false;
    for (auto* card : cards_) {
        hadFocus |= card->hasFocus();
        if (card->isChecked())
            ticked.insert(card->facts().about);
        grid_->removeWidget(card);
        card->deleteLater();
    }
    cards_.clear();
    std::vector<CardFacts> facts;
    for (const auto& drive : found.drives)
        facts.push_back(driveCard(drive, found.catalogue));
    if (showAll_->isChecked())
        for (const auto& drive : found.folded)
            facts.push_back(driveCard(drive, found.catalogue));
    showAll_->setVisible(!found.folded.empty());
    showAll_->setText(showAll_->isChecked()
                          ? tr("Show drives only")
                          : tr("Show all: %1 besides the drives").arg(itemsText(found.folded.size(), "mount")));
    if (folders_.demo) {
        facts = sampleCards(found.catalogue);
        if (found.practice)
            facts.push_back(practiceCard(folders_.practice, found.catalogue));
    }
    for (const auto& set : found.sets)
        facts.push_back(setCard(set, found.catalogue));
    for (auto& f : facts) {
        auto* card = new DriveCard(std::move(f));
        card->setChecked(ticked.contains(card->facts().about));
        connect(card, &QAbstractButton::toggled, this, &ScanStage::updateStartButton);
        connect(card, &DriveCard::startRequested, this, [this, card] { start(card->facts()); });
        if (card->facts().set)
            connect(card, &QWidget::customContextMenuRequested, this,
                    [this, card](const QPoint& at) { showSetMenu(*card, card->mapToGlobal(at)); });
        cards_.push_back(card);
    }
    cardsNote_->setVisible(cards_.empty() || !found.problem.empty());
    cardsNote_->setText(!found.problem.empty() ? QString::fromStdString(found.problem)
                        : folders_.demo        ? tr("The sample data is being made. This takes some seconds, once.")
                                               : tr("No drive was found. Choose a folder instead."));
    showGrowth();
    placeCards();
    if (hadFocus || wantsFocus_)
        focusFirst();
    updateStartButton();
}

/// What grew most since the snapshot before, and what stands out: known from last time, or looked for now.
void ScanStage::showGrowth()
{
    std::vector<SnapshotPair> pairs;
    for (auto* card : cards_) {
        const auto& facts = card->facts();
        if (facts.grown.newest.empty())
            continue;
        pairs.push_back(facts.grown);
        card->setGrewMost(words_.grewMost(pairs.back()));
        card->setStandsOut(words_.standsOut(pairs.back()));
    }
    words_.lookInto(pairs);
}

void ScanStage::focusFirst()
{
    wantsFocus_ = cards_.empty();
    if (!cards_.empty())
        cards_.front()->setFocus();
}

void ScanStage::placeCards()
{
    for (std::size_t i = 0; i < cards_.size(); ++i) {
        const int at = static_cast<int>(i);
        grid_->addWidget(cards_[i], at / columns_, at % columns_);
        cards_[i]->show();
    }
}

void ScanStage::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    const int columns = std::clamp((width() - 340) / 310, 1, 4);
    if (columns == columns_)
        return;
    columns_ = columns;
    placeCards();
}

void ScanStage::start(const CardFacts& facts)
{
    if (facts.set)
        emit setsWanted({*facts.set}, {});
    else if (!facts.snapshot.empty())
        snapshotKeeper_.open(facts.snapshot);
    else
        scan(facts.path, facts.name);
}

void ScanStage::startTicked(bool together)
{
    std::vector<CardFacts> chosen;
    for (auto* card : cards_)
        if (card->isChecked())
            chosen.push_back(card->facts());
    std::vector<std::string> paths;
    std::vector<PlaceSet> sets;
    for (const auto& facts : chosen)
        if (together && facts.set) {
            sets.push_back(*facts.set);
        } else {
            start(facts);
            paths.push_back(facts.snapshot.empty() ? facts.path : facts.snapshot);
        }
    if (!sets.empty())
        emit setsWanted(sets, paths);
    else if (together)
        emit togetherWanted(paths);
    for (auto* card : cards_)
        card->setChecked(false);
}

void ScanStage::updateStartButton()
{
    const auto ticked =
        std::count_if(cards_.begin(), cards_.end(), [](const DriveCard* card) { return card->isChecked(); });
    const auto first =
        std::find_if(cards_.begin(), cards_.end(), [](const DriveCard* card) { return card->isChecked(); });
    showOptionsOf(ticked == 1 ? (*first)->facts().path : std::string());
    leaveOut_->setEnabled(ticked <= 1);
    together_->setVisible(ticked > 1);
    start_->setEnabled(ticked > 0);
    start_->setText(ticked == 0   ? tr("Tick drives to scan")
                    : ticked == 1 ? tr("Scan the ticked drive")
                                  : tr("Scan %1 drives").arg(ticked));
}

void ScanStage::showSetMenu(const DriveCard& card, const QPoint& at)
{
    auto* menu = new QMenu(this);
    menu->setObjectName("setMenu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const auto& set = *card.facts().set;
    menu->addAction(tr("Rename the set…"), this, [this, name = set.name] {
        askForName(this, "renameSet", tr("Rename the set"), tr("Name of the set"), toText(name),
                   [this, name](const QString& to) { emit renameSetWanted(name, to); });
    });
    menu->addAction(tr("Remove the set"), this, [this, name = set.name] { emit removeSetWanted(name); })
        ->setToolTip(tr("Its places and their snapshots stay as they are"));
    menu->setToolTipsVisible(true);
    menu->popup(at);
}

void ScanStage::scanHome()
{
    const auto& folders = folders_;
    if (folders.demo)
        scan(folders.practice, tr("Practice folder"));
    else
        scan(folders.user.home, tr("Home folder"));
}

void ScanStage::chooseMachine()
{
    auto* dialog = new MachinesDialog(folders_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &MachinesDialog::scanWanted, this,
            [this](const RemoteAddress& address, bool rights) { scanJobs_.scanMachine(address, rights); });
    connect(dialog, &MachinesDialog::openWanted, this,
            [this](const std::string& snapshot) { snapshotKeeper_.open(snapshot); });
    dialog->open();
}

/// Nothing is put on somebody's machine unasked.
void ScanStage::askToSend(const RemoteAddress& address, bool rights)
{
    auto* question = new SendScannerDialog(toText(address.host), sizeText(scannerBytes()), this);
    question->setAttribute(Qt::WA_DeleteOnClose);
    connect(question, &QDialog::accepted, this,
            [this, address, rights] { scanJobs_.scanMachine(address, rights, true); });
    question->open();
}

void ScanStage::chooseFolder()
{
    app::chooseFolder(this, tr("Choose the folder to scan"), toText(folders_.user.home),
                      [this](const std::string& path) { scan(path); });
}

void ScanStage::openSnapshotFile()
{
    chooseFile(this, tr("Open a snapshot"), toText(folders_.snapshots()), tr("Kurvo snapshots (*.kurvo)"),
               [this](const std::string& path) { snapshotKeeper_.open(path); });
}

} // namespace kurvo::app
