// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/marks_dialog.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>
#include <array>

#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

/// Of kinds of one's own: colours of the muted set that the built-in ones leave, and signs to go with them.
constexpr std::array<std::uint32_t, 5> ownColours{0x332288, 0xAA4499, 0x999933, 0x882255, 0x44AA99};
constexpr std::array ownSigns{"\u25B2", "\u25C6", "\u25BC", "\u25CB", "\u25A1"};

} // namespace

MarksDialog::MarksDialog(PlaceStore& places, Cursor& cursor, Notices& notices, Knowledge& knowledge, QWidget* parent)
    : QDialog(parent), places_(places), cursor_(cursor), notices_(notices), knowledge_(knowledge),
      host_(places_.place()->info.host), list_(new QTableWidget(0, 4)),
      empty_(new QLabel(tr("Nothing is marked yet. Select an item and press 1 to 4."))), kinds_(new QLabel)
{
    setWindowTitle(tr("Marks"));
    setObjectName("marksDialog");
    resize(820, 480);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(20, 18, 20, 16);
    layout->setSpacing(10);
    auto* title = new QLabel(tr("Marks on %1").arg(toText(host_)));
    title->setProperty("role", "heading");
    kinds_->setProperty("role", "second");
    kinds_->setWordWrap(true);
    list_->setObjectName("markList");
    list_->setHorizontalHeaderLabels({tr("mark"), tr("path"), tr("note"), tr("set")});
    list_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
    list_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    list_->setColumnWidth(0, 110);
    list_->setColumnWidth(2, 200);
    list_->setColumnWidth(3, 110);
    list_->verticalHeader()->hide();
    list_->setShowGrid(false);
    list_->setTabKeyNavigation(false);
    list_->setSelectionBehavior(QAbstractItemView::SelectRows);
    list_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    list_->setTextElideMode(Qt::ElideMiddle);
    list_->setWordWrap(false);
    empty_->setProperty("role", "second");
    empty_->setAlignment(Qt::AlignCenter);
    auto* add = new QPushButton(tr("New kind…"));
    add->setObjectName("newKind");
    auto* drop = new QPushButton(tr("Remove a kind…"));
    drop->setObjectName("removeKind");
    auto* remove = new QPushButton(tr("Take the mark away"));
    remove->setObjectName("removeMark");
    auto* save = new QPushButton(tr("Save as CSV…"));
    save->setObjectName("saveMarks");
    auto* close = new QPushButton(tr("Close"));
    close->setDefault(true);
    auto* buttons = new QHBoxLayout;
    for (auto* button : {add, drop, remove, save})
        buttons->addWidget(button);
    buttons->addStretch();
    buttons->addWidget(close);
    layout->addWidget(title);
    layout->addWidget(kinds_);
    layout->addWidget(list_, 1);
    layout->addWidget(empty_, 1);
    layout->addLayout(buttons);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
    connect(save, &QPushButton::clicked, this, &MarksDialog::saveRequested);
    connect(add, &QPushButton::clicked, this, &MarksDialog::addKind);
    connect(drop, &QPushButton::clicked, this, &MarksDialog::removeKind);
    connect(remove, &QPushButton::clicked, this, [this] {
        std::vector<Mark> gone;
        for (const auto& index : list_->selectionModel()->selectedRows())
            gone.push_back({list_->item(index.row(), 1)->data(Qt::UserRole).toByteArray().toStdString(), {}, {}, 0});
        if (!gone.empty())
            knowledge_.setMarks(host_, std::move(gone));
    });
    connect(list_, &QTableWidget::cellDoubleClicked, this, [this](int row, int) { goTo(row); });
    connect(&knowledge_, &Knowledge::marksChanged, this, &MarksDialog::fill);
    fill();
}

void MarksDialog::fill()
{
    const auto book = knowledge_.marks(host_);
    QStringList names;
    for (const auto& kind : book->kinds)
        names << QString::fromStdString(kind.sign + " " + kind.name);
    kinds_->setText(
        tr("Kinds, with the keys 1 to %1: %2").arg(book->kinds.size()).arg(names.join(QStringLiteral(",  "))));
    std::vector<const Mark*> all;
    for (const auto& [path, mark] : book->marks)
        all.push_back(&mark);
    std::sort(all.begin(), all.end(), [](const Mark* a, const Mark* b) { return a->path < b->path; });
    list_->setRowCount(static_cast<int>(all.size()));
    int row = 0;
    for (const auto* mark : all) {
        const auto kind = book->kindIndex(mark->kind);
        const auto name = kind ? names[static_cast<qsizetype>(*kind)] : tr("%1 (kind removed)").arg(toText(mark->kind));
        const QString texts[] = {name, toText(mark->path), toText(mark->note), whenText(mark->changed)};
        for (int column = 0; column < 4; ++column) {
            auto* item = new QTableWidgetItem(texts[column]);
            item->setToolTip(texts[column]);
            list_->setItem(row, column, item);
        }
        list_->item(row, 1)->setData(Qt::UserRole, QByteArray::fromStdString(mark->path));
        ++row;
    }
    list_->setVisible(!all.empty());
    empty_->setVisible(all.empty());
    for (const auto* name : {"removeMark", "saveMarks"})
        findChild<QPushButton*>(QString::fromLatin1(name))->setEnabled(!all.empty());
    findChild<QPushButton*>("newKind")->setEnabled(book->kinds.size() < mostMarkKinds);
    findChild<QPushButton*>("removeKind")->setEnabled(book->kinds.size() > builtInMarkKinds().size());
}

void MarksDialog::addKind()
{
    auto* ask = new QInputDialog(this);
    ask->setObjectName("kindDialog");
    ask->setAttribute(Qt::WA_DeleteOnClose);
    ask->setWindowTitle(tr("New kind of mark"));
    ask->setLabelText(tr("Its name"));
    connect(ask, &QInputDialog::textValueSelected, this, [this](const QString& text) {
        const auto name = text.simplified();
        const auto book = knowledge_.marks(host_);
        QString id;
        for (const auto c : name.toLower())
            id += c.isLetterOrNumber() ? c : QLatin1Char('-');
        const auto taken = [&](const MarkKind& kind) {
            return kind.id == id.toStdString() || kind.name == name.toStdString();
        };
        if (name.isEmpty() || book->kinds.size() >= mostMarkKinds)
            return;
        if (id == "any" || id == "none" || std::any_of(book->kinds.begin(), book->kinds.end(), taken))
            return notices_.say(tr("There is a mark of that name already."), Severity::Warning);
        std::vector<MarkKind> own(book->kinds.begin() + static_cast<std::ptrdiff_t>(builtInMarkKinds().size()),
                                  book->kinds.end());
        std::size_t look = 0; // the first that no other one has
        while (look + 1 < ownColours.size() && std::any_of(own.begin(), own.end(), [look](const MarkKind& kind) {
                   return kind.colour == ownColours[look];
               }))
            ++look;
        own.push_back({id.toStdString(), name.toStdString(), ownColours[look], ownSigns[look]});
        knowledge_.setKinds(std::move(own));
    });
    ask->open();
}

void MarksDialog::removeKind()
{
    const auto book = knowledge_.marks(host_);
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (std::size_t i = builtInMarkKinds().size(); i < book->kinds.size(); ++i)
        menu->addAction(QString::fromStdString(book->kinds[i].name), this, [this, id = book->kinds[i].id] {
            const auto now = knowledge_.marks(host_);
            std::vector<MarkKind> own(now->kinds.begin() + static_cast<std::ptrdiff_t>(builtInMarkKinds().size()),
                                      now->kinds.end());
            std::erase_if(own, [&id](const MarkKind& kind) { return kind.id == id; });
            knowledge_.setKinds(std::move(own));
        });
    auto* button = findChild<QPushButton*>("removeKind");
    menu->popup(button->mapToGlobal(QPoint(0, button->height())));
}

void MarksDialog::goTo(int row)
{
    const auto path = list_->item(row, 1)->data(Qt::UserRole).toByteArray().toStdString();
    if (cursor_.goTo(path))
        accept();
    else
        notices_.say(tr("%1 is not in this place.").arg(toText(path)), Severity::Warning);
}

} // namespace kurvo::app
