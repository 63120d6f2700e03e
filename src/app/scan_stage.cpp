// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/scan_stage.h"

#include <QFileDialog>
#include <QScrollArea>

#include <algorithm>
#include <set>

#include "app/async.h"
#include "app/theme.h"
#include "app/words.h"
#include "demo/demo_data.h"

namespace kurvo::app {
namespace {

/// "last scan 31 May" for the newest snapshot of a place on this machine.
QString lastScanOf(const Catalogue& catalogue, const std::string& place)
{
    const auto host = hostName();
    for (const auto& entry : catalogue.entries)
        if (entry.info.place == place && entry.info.host == host)
            return QObject::tr("last scan %1").arg(whenText(entry.info.taken)) +
                   (entry.info.partial ? QObject::tr(" (partial)") : QString());
    return QObject::tr("never scanned");
}

CardFacts cardOf(const Drive& drive, const Catalogue& catalogue)
{
    CardFacts facts;
    facts.name = toText(drive.name);
    QStringList about{toText(drive.mountPoint), toText(drive.filesystem),
                      QString::fromLatin1(deviceKindName(drive.kind))};
    about.removeAll(QString());
    if (drive.readOnly)
        about << QObject::tr("read-only");
    facts.about = about.join(QStringLiteral(" · "));
    facts.lastScan = lastScanOf(catalogue, drive.mountPoint);
    if (drive.kind == DeviceKind::Network)
        facts.lastScan += QObject::tr(" · network drives can take long");
    facts.capacity = drive.capacity;
    facts.path = drive.mountPoint;
    return facts;
}

/// The demo's drives are its newest snapshots.
std::vector<CardFacts> sampleCards(const Catalogue& catalogue)
{
    std::vector<CardFacts> cards;
    std::set<std::string> seen;
    for (const auto& entry : catalogue.entries) {
        if (!entry.info.sample || !seen.insert(entry.info.placeName).second)
            continue;
        CardFacts facts;
        facts.name = toText(entry.info.placeName);
        facts.about =
            QStringLiteral("%1 · %2 · %3")
                .arg(toText(entry.info.mountPoint), toText(entry.info.filesystem), QObject::tr("sample data"));
        facts.lastScan = QObject::tr("opens the snapshot of %1").arg(whenText(entry.info.taken));
        facts.capacity = entry.info.capacity;
        facts.snapshot = entry.path;
        cards.push_back(facts);
    }
    std::sort(cards.begin(), cards.end(), [](const CardFacts& a, const CardFacts& b) { return a.about < b.about; });
    return cards;
}

} // namespace

ScanStage::ScanStage(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), grid_(new QGridLayout), cardsNote_(new QLabel(tr("Looking for drives…"))),
      start_(new QPushButton), earlier_(new QVBoxLayout), earlierNote_(new QLabel)
{
    auto* title = new QLabel(tr("What is full?"));
    title->setProperty("role", "title");
    auto* text = new QLabel(tr("Tick drives, or take one folder. The home folder is the quickest start."));
    text->setProperty("role", "second");
    cardsNote_->setProperty("role", "second");
    cardsNote_->setWordWrap(true);
    grid_->setSpacing(12);

    auto* left = new QVBoxLayout;
    left->setContentsMargins(22, 16, 22, 16);
    left->addWidget(title);
    left->addWidget(text);
    left->addSpacing(8);
    left->addLayout(grid_);
    left->addWidget(cardsNote_);
    left->addSpacing(4);
    left->addWidget(new ScanProgressCard(session_));
    left->addStretch();
    auto* leftBox = new QWidget;
    leftBox->setLayout(left);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(leftBox);

    start_->setProperty("role", "primary");
    start_->setObjectName("startScan");
    start_->setMinimumHeight(40);
    auto* home = new QPushButton(session.folders().demo ? tr("Practice folder") : tr("Home folder"));
    home->setObjectName("scanHome");
    auto* choose = new QPushButton(tr("Choose a folder…   Ctrl+O"));
    choose->setObjectName("chooseFolder");
    auto* open = new QPushButton(tr("Open a snapshot…   Ctrl+Shift+O"));
    open->setObjectName("openSnapshot");
    auto* right = new QVBoxLayout;
    right->setContentsMargins(0, 18, 20, 16);
    right->setSpacing(8);
    for (auto* button : {start_, home, choose, open})
        right->addWidget(button);
    right->addSpacing(14);
    auto* earlierTitle = new QLabel(tr("Looked at before"));
    earlierTitle->setProperty("role", "small");
    right->addWidget(earlierTitle);
    earlierNote_->setProperty("role", "second");
    earlierNote_->setWordWrap(true);
    right->addWidget(earlierNote_);
    earlier_->setSpacing(2);
    auto* earlierBox = new QWidget;
    auto* earlierOuter = new QVBoxLayout(earlierBox);
    earlierOuter->setContentsMargins(0, 0, 0, 0);
    earlierOuter->addLayout(earlier_);
    earlierOuter->addStretch();
    auto* earlierScroll = new QScrollArea;
    earlierScroll->setWidgetResizable(true);
    earlierScroll->setFrameShape(QFrame::NoFrame);
    earlierScroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    earlierScroll->setWidget(earlierBox);
    right->addWidget(earlierScroll, 1);
    auto* rightBox = new QWidget;
    rightBox->setLayout(right);
    rightBox->setFixedWidth(300);

    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(scroll, 1);
    layout->addWidget(rightBox);

    connect(start_, &QPushButton::clicked, this, &ScanStage::startTicked);
    connect(home, &QPushButton::clicked, this, &ScanStage::scanHome);
    connect(choose, &QPushButton::clicked, this, &ScanStage::chooseFolder);
    connect(open, &QPushButton::clicked, this, &ScanStage::openSnapshotFile);
    connect(&session_, &Session::snapshotSaved, this, &ScanStage::reload);
    updateStartButton();
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
        [folder = session_.folders().snapshots(), demo = session_.folders().demo,
         practice = demo::demoFolders(session_.folders().data).practice] {
            Found found;
            found.catalogue = readCatalogue(folder);
            if (demo) { // which never looks at the real machine
                found.practice = static_cast<bool>(canonicalPath(practice));
                return found;
            }
            auto drives = readDrives();
            if (drives)
                found.drives = std::move(*drives);
            else
                found.problem = drives.error().sentence;
            return found;
        },
        [this](const Found& found) { show(found); });
}

void ScanStage::show(const Found& found)
{
    showCards(found);
    showSnapshots(found.catalogue);
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
        facts.push_back(cardOf(drive, found.catalogue));
    if (session_.folders().demo) {
        facts = sampleCards(found.catalogue);
        if (found.practice) {
            CardFacts practice;
            practice.path = demo::demoFolders(session_.folders().data).practice;
            practice.name = tr("Practice folder");
            practice.about = tr("real files, about 300 MiB, to try every action on");
            practice.lastScan = lastScanOf(found.catalogue, practice.path);
            facts.push_back(practice);
        }
    }
    for (auto& f : facts) {
        auto* card = new DriveCard(std::move(f));
        card->setChecked(ticked.contains(card->facts().about));
        connect(card, &QAbstractButton::toggled, this, &ScanStage::updateStartButton);
        connect(card, &DriveCard::startRequested, this, [this, card] { start(card->facts()); });
        cards_.push_back(card);
    }
    cardsNote_->setVisible(cards_.empty());
    cardsNote_->setText(!found.problem.empty()    ? QString::fromStdString(found.problem)
                        : session_.folders().demo ? tr("The sample data is being made. This takes some seconds, once.")
                                                  : tr("No drive was found. Choose a folder instead."));
    placeCards();
    if (hadFocus || wantsFocus_)
        focusFirst();
    updateStartButton();
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

void ScanStage::showSnapshots(const Catalogue& catalogue)
{
    while (auto* item = earlier_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    constexpr std::size_t most = 40;
    for (std::size_t i = 0; i < std::min(most, catalogue.entries.size()); ++i) {
        const auto& entry = catalogue.entries[i];
        const auto when = whenText(entry.info.taken) + (entry.info.partial ? tr(", partial") : QString());
        const auto font = fontOf(13);
        const auto name =
            cutMiddle(toText(entry.info.placeName), font, 250 - QFontMetrics(font).horizontalAdvance(when));
        auto* link = new QPushButton(QStringLiteral("%1   %2").arg(name, when));
        link->setProperty("role", "link");
        link->setObjectName("earlier");
        link->setToolTip(tr("%1, %2 in %3")
                             .arg(toText(entry.info.place), sizeText(entry.info.diskBytes),
                                  itemsText(entry.info.entries, "entry", "entries")));
        connect(link, &QPushButton::clicked, this, [this, path = entry.path] { session_.openSnapshot(path); });
        earlier_->addWidget(link);
    }
    QStringList notes;
    if (catalogue.entries.empty())
        notes << tr("Every finished scan is kept here as a snapshot and can be opened again.");
    if (catalogue.entries.size() > most)
        notes << tr("The newest %1 of %2; open older ones as files.").arg(most).arg(catalogue.entries.size());
    if (!catalogue.damaged.empty())
        notes << tr("%1 cannot be read and left out: %2")
                     .arg(itemsText(catalogue.damaged.size(), "file"),
                          QString::fromStdString(catalogue.damaged[0].sentence));
    earlierNote_->setText(notes.join(QLatin1Char('\n')));
    earlierNote_->setVisible(!notes.isEmpty());
}

void ScanStage::start(const CardFacts& facts)
{
    if (!facts.snapshot.empty())
        session_.openSnapshot(facts.snapshot);
    else
        session_.scanFolder(facts.path, facts.name);
}

void ScanStage::startTicked()
{
    for (auto* card : cards_)
        if (card->isChecked()) {
            start(card->facts());
            card->setChecked(false);
        }
}

void ScanStage::updateStartButton()
{
    const auto ticked =
        std::count_if(cards_.begin(), cards_.end(), [](const DriveCard* card) { return card->isChecked(); });
    start_->setEnabled(ticked > 0);
    start_->setText(ticked == 0   ? tr("Tick what to look at")
                    : ticked == 1 ? tr("Look at the ticked drive")
                                  : tr("Look at %1 drives").arg(ticked));
}

void ScanStage::scanHome()
{
    const auto& folders = session_.folders();
    if (folders.demo)
        session_.scanFolder(demo::demoFolders(folders.data).practice, tr("Practice folder"));
    else
        session_.scanFolder(folders.user.home, tr("Home folder"));
}

void ScanStage::chooseFolder()
{
    const auto path = QFileDialog::getExistingDirectory(this, tr("Choose the folder to scan"),
                                                        QString::fromStdString(session_.folders().user.home));
    if (!path.isEmpty())
        session_.scanFolder(QFile::encodeName(path).toStdString());
}

void ScanStage::openSnapshotFile()
{
    const auto path = QFileDialog::getOpenFileName(this, tr("Open a snapshot"),
                                                   QString::fromStdString(session_.folders().snapshots()),
                                                   tr("Kurvo snapshots (*.kurvo)"));
    if (!path.isEmpty())
        session_.openSnapshot(QFile::encodeName(path).toStdString());
}

} // namespace kurvo::app
