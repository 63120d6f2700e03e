// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/snapshots_dialog.h"

#include <QFile>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QVBoxLayout>

#include "app/services/async.h"
#include "app/services/snapshot_timer.h"
#include "app/style/words.h"
#include "core/base/text.h"

namespace kurvo::app {

SnapshotsDialog::SnapshotsDialog(PlaceStore& places, const AppFolders& folders, QWidget* parent)
    : QDialog(parent), places_(places), folders_(folders), table_(new QTableWidget(0, 6)), sums_(new QLabel),
      state_(new QLabel), pin_(new QPushButton(tr("Pin"))), name_(new QPushButton(tr("Name and note…"))),
      verify_(new QPushButton(tr("Verify"))), remove_(new QPushButton(tr("Remove"))),
      import_(new QPushButton(tr("Import…"))), copy_(new QPushButton(tr("Save a whole copy…"))), last_(new QSpinBox),
      weeks_(new QSpinBox), months_(new QSpinBox),
      weekly_(new QCheckBox(tr("Take one automatically every week, at low priority and not on battery")))
{
    setWindowTitle(tr("Snapshots"));
    setObjectName("snapshotsDialog");
    resize(880, 520);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(20, 18, 20, 16);
    layout->setSpacing(10);
    auto* title =
        new QLabel(tr("Snapshots of %1").arg(places_.place() ? toText(places_.place()->info.place) : QString()));
    title->setProperty("role", "heading");
    sums_->setProperty("role", "second");
    state_->setProperty("role", "second");
    state_->setObjectName("snapshotState");
    state_->setWordWrap(true);
    table_->setObjectName("snapshotList");
    table_->setAccessibleName(tr("Snapshots of this place"));
    table_->setHorizontalHeaderLabels({tr("taken"), tr("holds"), tr("entries"), tr("file"), tr("name"), tr("note")});
    table_->horizontalHeader()->setSectionResizeMode(5, QHeaderView::Stretch);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->setColumnWidth(0, 160);
    table_->setColumnWidth(3, 130);
    table_->setColumnWidth(4, 150);
    table_->verticalHeader()->hide();
    table_->setShowGrid(false);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setTabKeyNavigation(false);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setTextElideMode(Qt::ElideMiddle);

    const std::pair<QPushButton*, const char*> names[] = {{pin_, "pinSnapshot"},       {name_, "nameSnapshot"},
                                                          {verify_, "verifySnapshot"}, {remove_, "removeSnapshot"},
                                                          {import_, "importSnapshot"}, {copy_, "copySnapshot"}};
    auto* buttons = new QHBoxLayout;
    for (const auto& [button, name] : names) {
        button->setObjectName(QString::fromLatin1(name));
        button->setAutoDefault(false);
        buttons->addWidget(button);
    }
    buttons->addStretch();
    connect(pin_, &QPushButton::clicked, this,
            [this] { changeAbout([](SnapshotAbout& about) { about.pinned = !about.pinned; }); });
    connect(name_, &QPushButton::clicked, this, &SnapshotsDialog::askForName);
    connect(verify_, &QPushButton::clicked, this, &SnapshotsDialog::verify);
    connect(remove_, &QPushButton::clicked, this, &SnapshotsDialog::remove);
    connect(import_, &QPushButton::clicked, this, &SnapshotsDialog::import);
    connect(copy_, &QPushButton::clicked, this, &SnapshotsDialog::saveCopy);
    connect(table_, &QTableWidget::itemSelectionChanged, this, &SnapshotsDialog::updateButtons);

    auto* close = new QPushButton(tr("Close"));
    close->setObjectName("closeSnapshots");
    connect(close, &QPushButton::clicked, this, &QDialog::accept);

    layout->addWidget(title);
    layout->addWidget(sums_);
    layout->addWidget(table_, 1);
    layout->addLayout(buttons);
    layout->addLayout(makePolicy());
    weekly_->setObjectName("weeklySnapshot");
    layout->addWidget(weekly_);
    weekly_->setEnabled(false); // until it is known
    if (const auto* place = places_.place(); place && !place->info.sample && places_.isThisMachine(*place))
        askSnapshotTimer(this, place->info.place, [this](bool on) {
            weekly_->setChecked(on);
            weekly_->setEnabled(true);
            connect(weekly_, &QCheckBox::clicked, this, &SnapshotsDialog::switchTimer);
        });
    layout->addWidget(state_);
    layout->addWidget(close, 0, Qt::AlignRight);
    refresh();
}

/// How many are kept by themselves.
QLayout* SnapshotsDialog::makePolicy()
{
    auto* policy = new QHBoxLayout;
    policy->addWidget(new QLabel(tr("Kept automatically: the last")));
    last_->setAccessibleName(tr("How many of the last are kept"));
    weeks_->setAccessibleName(tr("For how many weeks one a week is kept"));
    months_->setAccessibleName(tr("For how many months one a month is kept"));
    last_->setObjectName("keepLast");
    weeks_->setObjectName("keepWeeks");
    months_->setObjectName("keepMonths");
    for (auto* box : {last_, weeks_, months_}) {
        box->setRange(0, 999);
        box->setKeyboardTracking(false);
        connect(box, &QSpinBox::valueChanged, this, &SnapshotsDialog::keepPolicy);
    }
    policy->addWidget(last_);
    policy->addWidget(new QLabel(tr("then one a week for")));
    policy->addWidget(weeks_);
    policy->addWidget(new QLabel(tr("weeks, and one a month for")));
    policy->addWidget(months_);
    policy->addWidget(new QLabel(tr("months. What is pinned, named or noted stays.")));
    policy->addStretch();
    return policy;
}

void SnapshotsDialog::refresh()
{
    const auto* place = places_.place();
    if (!place)
        return;
    struct Found {
        std::vector<CatalogueEntry> entries;
        Result<Keeping> keeping;
        std::uint64_t bases = 0;
    };
    runAsync(
        this,
        [folder = folders_.snapshots(), info = place->info] {
            return Found{snapshotsOf(readCatalogue(folder), info), readKeeping(folder), bytesOfBases(folder)};
        },
        [this, place = place->info.place](const Found& found) {
            show(found.entries);
            std::uint64_t bytes = 0;
            for (const auto& entry : found.entries)
                bytes += entry.bytes;
            sums_->setText(
                found.bases > 0
                    ? tr("%1, %2; %3 of removed ones that others are packed against")
                          .arg(itemsText(found.entries.size(), "snapshot"), sizeText(bytes), sizeText(found.bases))
                    : tr("%1, %2").arg(itemsText(found.entries.size(), "snapshot"), sizeText(bytes)));
            filling_ = true;
            const auto policy = found.keeping ? found.keeping->of(place) : KeepingPolicy{};
            last_->setValue(static_cast<int>(policy.last));
            weeks_->setValue(static_cast<int>(policy.weeks));
            months_->setValue(static_cast<int>(policy.months));
            filling_ = false;
            if (!found.keeping)
                state_->setText(QString::fromStdString(found.keeping.error().sentence));
        });
}

void SnapshotsDialog::show(std::vector<CatalogueEntry> entries)
{
    const auto kept = current() ? current()->path : std::string();
    entries_ = std::move(entries);
    table_->setRowCount(static_cast<int>(entries_.size()));
    for (int row = 0; row < table_->rowCount(); ++row) {
        const auto& entry = entries_[static_cast<std::size_t>(row)];
        const QString when =
            entry.info.partial ? tr("%1 (partial)").arg(whenText(entry.info.taken)) : whenText(entry.info.taken);
        const QString cells[] = {entry.about.pinned ? tr("%1, pinned").arg(when) : when,
                                 sizeText(entry.info.diskBytes),
                                 countText(entry.info.entries),
                                 entry.info.baseId.empty() ? sizeText(entry.bytes)
                                                           : tr("%1 of changes").arg(sizeText(entry.bytes)),
                                 toText(entry.about.name),
                                 toText(entry.about.note)};
        for (int column = 0; column < 6; ++column) {
            auto* item = new QTableWidgetItem(cells[column]);
            item->setToolTip(column == 0 ? toText(entry.path) : cells[column]);
            table_->setItem(row, column, item);
        }
        if (entry.path == kept)
            table_->selectRow(row);
    }
    updateButtons();
}

const CatalogueEntry* SnapshotsDialog::current() const
{
    const auto rows = table_->selectionModel()->selectedRows();
    return rows.isEmpty() || rows.first().row() >= static_cast<int>(entries_.size())
               ? nullptr
               : &entries_[static_cast<std::size_t>(rows.first().row())];
}

void SnapshotsDialog::updateButtons()
{
    const auto* entry = current();
    for (auto* button : {pin_, name_, remove_, copy_})
        button->setEnabled(entry != nullptr);
    pin_->setText(entry && entry->about.pinned ? tr("Unpin") : tr("Pin"));
    verify_->setText(entry ? tr("Verify") : tr("Verify all"));
    verify_->setEnabled(!entries_.empty());
}

void SnapshotsDialog::afterwards(const QString& problem)
{
    state_->setText(problem);
    refresh();
    emit catalogueChanged();
}

void SnapshotsDialog::changeAbout(const std::function<void(SnapshotAbout&)>& change)
{
    const auto* entry = current();
    if (!entry)
        return;
    auto about = entry->about;
    change(about);
    runAsync(
        this, [path = entry->path, about] { return writeAbout(path, about); },
        [this](const Result<Done>& done) {
            afterwards(done ? QString() : QString::fromStdString(done.error().sentence));
        });
}

void SnapshotsDialog::askForName()
{
    const auto* entry = current();
    if (!entry)
        return;
    auto* dialog = new QInputDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setObjectName("snapshotName");
    dialog->setWindowTitle(tr("Name and note"));
    dialog->setLabelText(tr("First line: its name. Below: a note."));
    dialog->setOption(QInputDialog::UsePlainTextEditForTextInput);
    dialog->setTextValue(toText(entry->about.name) +
                         (entry->about.note.empty() ? QString() : QStringLiteral("\n") + toText(entry->about.note)));
    connect(dialog, &QInputDialog::textValueSelected, this, [this](const QString& text) {
        changeAbout([&](SnapshotAbout& about) {
            about.name = text.section(QLatin1Char('\n'), 0, 0).trimmed().toStdString();
            about.note = text.section(QLatin1Char('\n'), 1).trimmed().toStdString();
        });
    });
    dialog->open();
}

/// It is gone for good; so it asks where the click was, by asking for a second one.
void SnapshotsDialog::remove()
{
    const auto* entry = current();
    if (!entry)
        return;
    if (remove_->property("sure") != QString::fromStdString(entry->path)) {
        remove_->setProperty("sure", QString::fromStdString(entry->path));
        state_->setText(
            (entry->about.pinned
                 ? tr("The snapshot of %1 will be removed for good, although it is pinned. Press Remove again.")
                 : tr("The snapshot of %1 will be removed for good. Press Remove again."))
                .arg(whenText(entry->info.taken)));
        return;
    }
    remove_->setProperty("sure", {});
    runAsync(
        this, [path = entry->path] { return removeSnapshot(path); },
        [this](const Result<Done>& done) {
            afterwards(done ? tr("Removed.") : QString::fromStdString(done.error().sentence));
        });
}

void SnapshotsDialog::verify()
{
    std::vector<std::string> paths;
    if (const auto* entry = current())
        paths.push_back(entry->path);
    else
        for (const auto& each : entries_)
            paths.push_back(each.path);
    state_->setText(tr("Reading …"));
    runAsync(
        this,
        [paths] {
            QStringList problems;
            for (const auto& path : paths)
                if (const auto read = readSnapshot(path); !read)
                    problems << QString::fromStdString(read.error().sentence);
            return problems;
        },
        [this, count = paths.size()](const QStringList& problems) {
            state_->setText(problems.isEmpty()
                                ? tr("%1 read to the end: nothing is damaged.").arg(itemsText(count, "snapshot"))
                                : problems.join(QStringLiteral("\n")));
        });
}

void SnapshotsDialog::import()
{
    auto* dialog =
        new QFileDialog(this, tr("Import snapshots from another machine"), {}, tr("Kurvo snapshots (*.kurvo)"));
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setFileMode(QFileDialog::ExistingFiles);
    connect(dialog, &QFileDialog::filesSelected, this, [this](const QStringList& files) {
        std::vector<std::string> paths;
        for (const auto& file : files)
            paths.push_back(QFile::encodeName(file).toStdString());
        runAsync(
            this,
            [paths, folder = folders_.snapshots()] {
                QStringList problems;
                for (const auto& path : paths)
                    if (const auto added = importSnapshot(folder, path); !added)
                        problems << QString::fromStdString(added.error().sentence);
                return problems;
            },
            [this](const QStringList& problems) { afterwards(problems.join(QStringLiteral("\n"))); });
    });
    dialog->open();
}

void SnapshotsDialog::saveCopy()
{
    const auto* entry = current();
    if (!entry)
        return;
    auto* dialog = new QFileDialog(this, tr("Save a whole copy"), {}, tr("Kurvo snapshots (*.kurvo)"));
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setAcceptMode(QFileDialog::AcceptSave);
    dialog->setDefaultSuffix(QStringLiteral("kurvo"));
    dialog->selectFile(toText(fileName(entry->path)));
    connect(dialog, &QFileDialog::fileSelected, this, [this, path = entry->path](const QString& file) {
        runAsync(
            this, [path, to = QFile::encodeName(file).toStdString()] { return exportSnapshot(path, to); },
            [this](const Result<Done>& done) {
                state_->setText(done ? tr("Saved.") : QString::fromStdString(done.error().sentence));
            });
    });
    dialog->open();
}

void SnapshotsDialog::switchTimer(bool on)
{
    const auto* place = places_.place();
    if (!place)
        return;
    weekly_->setEnabled(false);
    setSnapshotTimer(this, place->info.place, on, [this, on](const QString& problem) {
        weekly_->setEnabled(true);
        weekly_->setChecked(problem.isEmpty() ? on : !on);
        state_->setText(!problem.isEmpty() ? problem
                        : on               ? tr("From now on once a week, the next time in seven days at most.")
                                           : tr("No longer taken automatically."));
    });
}

void SnapshotsDialog::keepPolicy()
{
    const auto* place = places_.place();
    if (filling_ || !place)
        return;
    const KeepingPolicy policy{static_cast<unsigned>(last_->value()), static_cast<unsigned>(weeks_->value()),
                               static_cast<unsigned>(months_->value())};
    const auto gone = superfluous(entries_, policy).size();
    runAsync(
        this,
        [folder = folders_.snapshots(), place = place->info.place, policy]() -> Result<Done> {
            auto keeping = readKeeping(folder);
            if (!keeping)
                return keeping.error();
            keeping->set(place, policy);
            return writeKeeping(folder, *keeping);
        },
        [this, gone](const Result<Done>& done) {
            state_->setText(!done      ? QString::fromStdString(done.error().sentence)
                            : gone > 0 ? tr("%1 will be removed after the next scan.").arg(itemsText(gone, "snapshot"))
                                       : tr("Nothing is removed by this."));
        });
}

} // namespace kurvo::app
