// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/machines_dialog.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/base/figures.h"
#include "core/compare/forecast.h"

namespace kurvo::app {

MachinesDialog::MachinesDialog(const AppFolders& folders, QWidget* parent)
    : QDialog(parent), folders_(folders), address_(new QLineEdit),
      rights_(new QCheckBox(tr("Read with administrator rights, by sudo there"))), wrong_(new QLabel),
      table_(new QTableWidget), state_(new QLabel), scan_(new QPushButton(tr("Scan"))),
      open_(new QPushButton(tr("Open its snapshot"))), scanChosen_(new QPushButton(tr("Scan it now")))
{
    setObjectName("machinesDialog");
    setWindowTitle(tr("Other machines"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(20, 18, 20, 16);
    layout->setSpacing(10);
    auto* title = new QLabel(tr("A place on another machine, over SSH"));
    title->setProperty("role", "heading");
    layout->addWidget(title);
    auto* line = new QHBoxLayout;
    auto* label = new QLabel(tr("Address"));
    label->setBuddy(address_);
    address_->setObjectName("machineAddress");
    address_->setPlaceholderText(tr("user@host:/path, or ssh://user@host:port/path"));
    address_->setAccessibleName(tr("Address"));
    address_->setMinimumWidth(380);
    scan_->setObjectName("scanMachine");
    scan_->setDefault(true);
    line->addWidget(label);
    line->addWidget(address_, 1);
    line->addWidget(scan_);
    layout->addLayout(line);
    rights_->setObjectName("machineRights");
    layout->addWidget(rights_);
    wrong_->setObjectName("machineProblem");
    wrong_->setProperty("role", "warning");
    wrong_->setWordWrap(true);
    wrong_->hide();
    layout->addWidget(wrong_);
    auto* listTitle = new QLabel(tr("Your machines"));
    listTitle->setProperty("role", "heading");
    layout->addWidget(listTitle);
    table_->setObjectName("machines");
    table_->setAccessibleName(tr("Your machines"));
    table_->setColumnCount(7);
    table_->setHorizontalHeaderLabels(
        {tr("Machine"), tr("Place"), tr("Used"), tr("Free"), tr("Since last"), tr("Full"), tr("Last scanned")});
    table_->verticalHeader()->hide();
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->setTabKeyNavigation(false);
    layout->addWidget(table_, 1);
    state_->setObjectName("machinesState");
    state_->setProperty("role", "second");
    state_->setWordWrap(true);
    layout->addWidget(state_);
    auto* buttons = new QHBoxLayout;
    open_->setObjectName("openMachine");
    scanChosen_->setObjectName("scanChosen");
    auto* close = new QPushButton(tr("Close"));
    close->setAutoDefault(false);
    buttons->addWidget(open_);
    buttons->addWidget(scanChosen_);
    buttons->addStretch();
    buttons->addWidget(close);
    layout->addLayout(buttons);
    resize(820, 480);

    connect(scan_, &QPushButton::clicked, this, &MachinesDialog::scanTyped);
    connect(scanChosen_, &QPushButton::clicked, this, &MachinesDialog::scanChosen);
    connect(open_, &QPushButton::clicked, this, [this] {
        if (const auto* row = current(); row && row->info) {
            emit openWanted(row->known.snapshot);
            accept();
        }
    });
    connect(table_, &QTableWidget::itemDoubleClicked, this, [this] {
        if (const auto* row = current())
            row->info ? open_->click() : scanChosen_->click();
    });
    connect(table_, &QTableWidget::itemSelectionChanged, this, &MachinesDialog::updateButtons);
    connect(close, &QPushButton::clicked, this, &QDialog::reject);
    for (auto* button : {open_, scanChosen_})
        button->setAutoDefault(false);
    updateButtons();
    address_->setFocus();
    read();
}

void MachinesDialog::read()
{
    runAsync(
        this,
        [file = joinPath(folders_.user.config, "kurvo/machines.toml"), book = joinPath(folders_.data, "machines.json"),
         snapshots = folders_.snapshots()]() -> std::shared_ptr<const Known> {
            auto known = std::make_shared<Known>();
            auto list = readMachines(file);
            if (!list) {
                if (list.error().kind != ErrorKind::NotFound)
                    known->problem = QString::fromStdString(list.error().sentence);
                return known;
            }
            known->list = std::move(*list);
            const auto places = readMachineBook(book);
            const auto catalogue = readCatalogue(snapshots);
            for (const auto& machine : known->list.machines)
                for (const auto& place : machine.places)
                    known->rows.push_back(machineRow(machine, place, places, catalogue));
            return known;
        },
        [this](const std::shared_ptr<const Known>& known) { show(known); });
}

void MachinesDialog::show(const std::shared_ptr<const Known>& known)
{
    known_ = known;
    table_->setRowCount(static_cast<int>(known->rows.size()));
    const auto now = currentTime();
    for (int i = 0; i < table_->rowCount(); ++i) {
        const auto& row = known->rows[static_cast<std::size_t>(i)];
        const auto failed = QString::fromStdString(row.known.failed);
        const QStringList words{toText(row.machine->name),
                                toText(row.place),
                                row.info ? sizeText(row.info->capacity.used) : QString(),
                                row.info ? sizeText(row.info->capacity.free) : QString(),
                                row.sinceLast ? QString::fromStdString(formatDifference(*row.sinceLast, sizeUnits())) : QString(),
                                row.full ? QString::fromStdString(formatAhead(*row.full, now)) : QString(),
                                !failed.isEmpty()      ? tr("failed: %1").arg(failed)
                                : row.known.taken != 0 ? whenText(row.known.taken)
                                                       : tr("not yet")};
        for (int column = 0; column < words.size(); ++column) {
            auto* item = new QTableWidgetItem(words[column]);
            if (column >= 2 && column <= 4)
                item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            item->setToolTip(words[column]);
            table_->setItem(i, column, item);
        }
    }
    if (table_->rowCount() > 0)
        table_->selectRow(0);
    QStringList state;
    if (!known->problem.isEmpty())
        state << known->problem;
    for (const auto& problem : known->list.problems)
        state << QString::fromStdString(problem);
    if (known->rows.empty() && state.isEmpty())
        state << tr("There is no list yet: machines.toml in the settings folder of Kurvo names them. \"kurvoctl help "
                    "machines\" says how, and \"kurvoctl machines take\" scans them all.");
    state_->setText(state.join(QLatin1Char('\n')));
    state_->setVisible(!state.isEmpty());
    updateButtons();
}

const MachineRow* MachinesDialog::current() const
{
    const int row = table_->currentRow();
    return known_ && row >= 0 && row < static_cast<int>(known_->rows.size())
               ? &known_->rows[static_cast<std::size_t>(row)]
               : nullptr;
}

void MachinesDialog::updateButtons()
{
    const auto* row = current();
    open_->setEnabled(row && row->info);
    scanChosen_->setEnabled(row != nullptr);
}

void MachinesDialog::scanTyped()
{
    const auto text = address_->text().trimmed().toStdString();
    const auto address = parseAddress(text);
    if (!address) {
        wrong_->setText(text.empty()
                            ? tr("Type an address, such as warden@desk:/srv.")
                            : tr("This is no address such as warden@desk:/srv or ssh://warden@desk:2222/srv."));
        wrong_->show();
        address_->setFocus();
        return;
    }
    emit scanWanted(*address, rights_->isChecked());
    accept();
}

void MachinesDialog::scanChosen()
{
    const auto* row = current();
    if (!row)
        return;
    auto address = row->machine->address;
    address.path = row->place;
    emit scanWanted(address, row->machine->sudo);
    accept();
}

} // namespace kurvo::app
