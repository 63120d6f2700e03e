// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/panels/advice_panel.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QStyle>
#include <QTimer>
#include <QVBoxLayout>

#include "app/model/node_ref.h"
#include "app/services/async.h"
#include "app/style/selectable_label.h"
#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/base/patience.h"

namespace kurvo::app {

AdvicePanel::AdvicePanel(PlaceStore& places, Notices& notices, Knowledge& knowledge, QWidget* parent)
    : QWidget(parent), places_(places), notices_(notices), knowledge_(knowledge), level_(new QLabel), text_(new QLabel),
      command_(new SelectableLabel), copy_(new QPushButton(tr("Copy"))), commandRow_(new QWidget), evidence_(new QLabel)
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    auto* title = new QLabel(tr("Advice"));
    title->setProperty("role", "small");
    level_->setObjectName("adviceLevel");
    level_->setFont(fontOf(13, QFont::DemiBold));
    text_->setObjectName("adviceText");
    text_->setWordWrap(true);
    command_->setObjectName("adviceCommand");
    copy_->setObjectName("copyCommand");
    copy_->setToolTip(tr("Copy the command"));
    evidence_->setObjectName("adviceEvidence");
    evidence_->setWordWrap(true);
    evidence_->setTextFormat(Qt::PlainText);
    evidence_->setProperty("role", "second");
    auto* row = new QHBoxLayout(commandRow_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    row->addWidget(command_, 1);
    row->addWidget(copy_, 0, Qt::AlignTop);
    layout->addWidget(title);
    layout->addWidget(level_);
    layout->addWidget(text_);
    layout->addWidget(commandRow_);
    layout->addWidget(evidence_);
    connect(copy_, &QPushButton::clicked, this, [this] {
        QGuiApplication::clipboard()->setText(command_->property("command").toString());
        notices_.say(tr("The command is in the clipboard."));
    });
}

void AdvicePanel::clear()
{
    ++request_;
    settled_ = true;
    setVisible(false);
}

void AdvicePanel::fill(const Advice& advice, const std::optional<Protection>& protection)
{
    setVisible(true);
    level_->setText(adviceLevelText(advice.level));
    // By its role, so that another theme colours it anew.
    const char* roles[] = {"danger", "warning", "second", "done"};
    level_->setProperty("role", roles[static_cast<std::size_t>(advice.level)]);
    level_->style()->unpolish(level_);
    level_->style()->polish(level_);
    text_->setText(QString::fromStdString(advice.what + " " + advice.action));
    const auto command = QString::fromStdString(advice.command);
    command_->setProperty("command", command);
    command_->setText(breakable(command));
    command_->setFont(fontOf(11));
    commandRow_->setVisible(!command.isEmpty());
    QStringList lines;
    for (const auto& each : advice.evidence)
        lines << QStringLiteral("– ") + QString::fromStdString(each.sentence);
    if (protection)
        lines << (protection->canBeLifted ? tr("– Protected: it is not planned without lifting the guard.")
                                          : tr("– Protected: it cannot be planned as a whole."));
    evidence_->setText(lines.join(QLatin1Char('\n')));
    evidence_->setVisible(!lines.isEmpty());
}

void AdvicePanel::show(NodeId node)
{
    ++request_;
    const auto* place = places_.place();
    fill(places_.adviceFor(node), places_.protectionOf(node));
    settled_ = true;
    // What is running and mounted now says something about what is there now, on this machine.
    if (places_.isThisMachine(*place) && !place->fromSnapshot && !place->isGrowing())
        askMachine(*place, node);
}

void AdvicePanel::askMachine(const Place& place, NodeId node)
{
    settled_ = false;
    // Whoever walks through a list is not asking about each row.
    constexpr int soon = 150;
    QTimer::singleShot(
        soon, this, [this, of = NodeRef(place.tree, node), request = request_, path = place.tree->path(node)] {
            if (request != request_)
                return;
            runAsync(
                this,
                [path, packages = knowledge_.packages()] {
                    return askWithin(std::chrono::seconds(4),
                                     [path, packages] { return gatherEvidence(path, packages.get(), currentTime()); });
                },
                [this, request, path, of](const std::optional<std::vector<Evidence>>& found) {
                    const auto* current = places_.place();
                    const NodeId now = current ? of.in(*current->tree) : noNode;
                    if (request != request_ || now == noNode)
                        return;
                    settled_ = true;
                    if (!found || found->empty())
                        return;
                    fill(kurvo::adviceFor(path, current->tree->isFolder(now), knowledge_.rules(), *found),
                         places_.protectionOf(now));
                });
        });
}

} // namespace kurvo::app
