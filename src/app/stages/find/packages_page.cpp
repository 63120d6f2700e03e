// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/find/packages_page.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QHeaderView>

#include <algorithm>

#include "app/services/async.h"
#include "app/style/words.h"

namespace kurvo::app {

PackagesPage::PackagesPage(PlaceStore& places, Notices& notices, Knowledge& knowledge, QWidget* parent)
    : TablePage(
          tr("What is installed goes with the tool that installed it, never file by file: packages, and beside them "
             "what snap, flatpak, docker and podman keep. The command tells before it acts."),
          {tr("package"), tr("size"), tr("on disk"), tr("files"), tr("installed"), tr("why"), tr("what it is")},
          parent),
      places_(places), notices_(notices), knowledge_(knowledge), narrow_(new QLineEdit),
      copy_(addButton(tr("Copy the command that removes it"), "copyRemove"))
{
    setObjectName("packagesPage");
    narrow_->setObjectName("packageFilter");
    narrow_->setPlaceholderText(tr("part of a name or of what it is"));
    narrow_->setClearButtonEnabled(true);
    top()->addWidget(narrow_);
    const int widths[] = {176, 76, 76, 58, 96, 124};
    for (int i = 0; i < 6; ++i)
        table()->setColumnWidth(i, widths[i]);
    table()->horizontalHeader()->setSectionResizeMode(6, QHeaderView::Stretch);
    connect(narrow_, &QLineEdit::textChanged, this, [this](const QString& text) {
        for (int row = 0; row < table()->rowCount(); ++row)
            table()->setRowHidden(row, !table()->item(row, 0)->text().contains(text, Qt::CaseInsensitive) &&
                                           !table()->item(row, 6)->text().contains(text, Qt::CaseInsensitive));
    });
    copy_->setEnabled(false);
    connect(table(), &QTableWidget::itemSelectionChanged, this, [this] {
        const auto names = chosen();
        bool essential = names.isEmpty();
        for (const auto& name : names)
            essential |= name.toString().isEmpty();
        copy_->setEnabled(!essential);
        copy_->setToolTip(essential && !names.isEmpty() ? tr("The system needs this package.") : QString());
    });
    connect(copy_, &QPushButton::clicked, this, [this] {
        QStringList names, commands; // of packages together, of all else one by one
        for (const auto& key : chosen())
            key.toString().contains(QLatin1Char(' ')) ? commands << key.toString() : names << key.toString();
        if (!names.isEmpty() && shown_)
            commands.prepend(QString::fromStdString(shown_->removeCommand(names.join(QLatin1Char(' ')).toStdString())));
        commands.removeDuplicates();
        QGuiApplication::clipboard()->setText(commands.join(QLatin1Char('\n')));
        notices_.say(tr("The command is in the clipboard. Paste it into a terminal."));
    });
    connect(&knowledge_, &Knowledge::packagesReadIn, this, [this] {
        if (isVisible())
            refresh();
    });
}

void PackagesPage::refresh()
{
    const auto& knowledge = knowledge_;
    const auto* place = places_.place();
    if (!place)
        return;
    if (!places_.isThisMachine(*place)) {
        shown_ = nullptr;
        setFigures(tr("only for this machine"));
        return showEmpty(
            tr("Packages are listed for a scan of this machine. This one is of %1.").arg(toText(place->info.host)));
    }
    if (!knowledge.packages()) {
        setFigures(knowledge.packagesRead() ? tr("none") : tr("being read"));
        return showEmpty(knowledge.packagesRead() ? knowledge.packagesProblem()
                                                  : tr("The list of packages is being read."));
    }
    if (shown_ == knowledge.packages() && shownTree_.lock() == place->tree)
        return;
    if (!shown_) {
        setFigures(tr("being read"));
        showEmpty(tr("The packages are being looked for in the place."));
    }
    shown_ = knowledge.packages();
    shownTree_ = place->tree;
    setSettled(false);
    const auto request = ++request_;
    runAsync(
        this,
        [packages = shown_, tree = place->tree, home = place->guard.user.home] {
            Found found;
            auto& rows = found.rows;
            rows.resize(packages->packages().size());
            found.stores = readProgramStores("/", {home});
            for (const auto& thing : found.stores) {
                auto& row = found.stored.emplace_back();
                for (const auto& path : thing.paths)
                    if (const auto node = tree->find(path)) {
                        row.disk += tree->disk(*node);
                        row.found += static_cast<std::uint32_t>(tree->files(*node));
                    }
            }
            const auto root = tree->path(rootNode);
            for (std::size_t i = 0; i < rows.size(); ++i)
                for (const auto path : packages->pathsOf(packages->packages()[i])) {
                    if (!isAtOrBelow(path, root))
                        continue;
                    auto node = tree->find(path);
                    if (!node && !path.starts_with("/usr/"))
                        node = tree->find("/usr" + std::string(path)); // where /bin is a link to /usr/bin
                    if (!node || tree->isFolder(*node))
                        continue;
                    rows[i].disk += tree->disk(*node);
                    ++rows[i].found;
                }
            return found;
        },
        [this, request](const Found& found) {
            if (request == request_ && shown_)
                fill(*shown_, found);
        });
}

void PackagesPage::fill(const PackageDatabase& packages, const Found& found)
{
    const auto& rows = found.rows;
    setSettled(true);
    const auto& all = packages.packages();
    std::uint64_t sum = 0;
    beginRows(static_cast<int>(all.size() + found.stores.size()));
    for (std::size_t i = 0; i < all.size(); ++i) {
        const auto& package = all[i];
        sum += package.installedBytes;
        const auto name = QString::fromStdString(package.name);
        setRow(static_cast<int>(i),
               {{name, {}, false},
                {sizeText(package.installedBytes), static_cast<qlonglong>(package.installedBytes), true},
                {rows[i].found > 0 ? sizeText(rows[i].disk) : QStringLiteral("–"), static_cast<qlonglong>(rows[i].disk),
                 true},
                {countText(package.files), static_cast<qlonglong>(package.files), true},
                {whenText(package.installed), static_cast<qlonglong>(package.installed), false},
                {package.essential      ? tr("essential")
                 : package.neededByNone ? tr("needed by none")
                 : package.automatic    ? tr("as a dependency")
                                        : tr("installed manually"),
                 {},
                 false},
                {toText(package.summary), {}, false}},
               package.essential ? QString() : name.section(QLatin1Char(':'), 0, 0),
               QStringLiteral("%1 %2\n%3").arg(name, QString::fromStdString(package.version), toText(package.summary)));
    }
    for (std::size_t i = 0; i < found.stores.size(); ++i) {
        const auto& thing = found.stores[i];
        const auto& row = found.stored[i];
        const auto name = QStringLiteral("%1: %2").arg(QString::fromStdString(thing.store), toText(thing.name));
        setRow(static_cast<int>(all.size() + i),
               {{name, {}, false},
                {row.found > 0 ? sizeText(row.disk) : QStringLiteral("–"), static_cast<qlonglong>(row.disk), true},
                {row.found > 0 ? sizeText(row.disk) : QStringLiteral("–"), static_cast<qlonglong>(row.disk), true},
                {countText(row.found), static_cast<qlonglong>(row.found), true},
                {QString(), qlonglong{0}, false},
                {thing.needed ? QString::fromStdString(thing.kind) : tr("needed by none"), {}, false},
                {toText(thing.why), {}, false}},
               toText(thing.command),
               QStringLiteral("%1\n%2\n$ %3").arg(name, toText(thing.why), toText(thing.command)));
    }
    // Where the place holds no packaged file there is nothing to compare with.
    table()->setColumnHidden(2, std::none_of(rows.begin(), rows.end(), [](const Row& row) { return row.found > 0; }));
    table()->setTextElideMode(Qt::ElideRight);
    endRows(1, Qt::DescendingOrder);
    setFigures(tr("%1, %2").arg(itemsText(all.size(), "package"), sizeText(sum)));
    QStringList sums{
        tr("%n package(s), %1 by their own account.", nullptr, static_cast<int>(all.size())).arg(sizeText(sum))};
    if (packages.unreadable() > 0)
        sums << tr("The files of %n package(s) are not known.", nullptr, static_cast<int>(packages.unreadable()));
    setSums(sums.join(QLatin1Char(' ')));
    emit narrow_->textChanged(narrow_->text());
}

} // namespace kurvo::app
