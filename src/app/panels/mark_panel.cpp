// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/panels/mark_panel.h"

#include <QInputDialog>
#include <QVBoxLayout>

#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {

MarkPanel::MarkPanel(PlaceStore& places, PlaceView& placeView, QWidget* parent)
    : QWidget(parent), places_(places), placeView_(placeView), grid_(new QGridLayout), text_(new QLabel),
      note_(new QPushButton(tr("Note…")))
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    auto* head = new QHBoxLayout;
    auto* title = new QLabel(tr("Mark"));
    title->setProperty("role", "small");
    note_->setObjectName("markNote");
    note_->setProperty("role", "link");
    head->addWidget(title);
    head->addStretch();
    head->addWidget(note_);
    layout->addLayout(head);
    grid_->setSpacing(4);
    layout->addLayout(grid_);
    text_->setObjectName("markText");
    text_->setWordWrap(true);
    text_->setTextFormat(Qt::PlainText);
    text_->setProperty("role", "second");
    layout->addWidget(text_);
    connect(note_, &QPushButton::clicked, this, &MarkPanel::noteRequested);
    makeButtons(builtInMarkKinds());
}

void MarkPanel::makeButtons(const std::vector<MarkKind>& kinds)
{
    qDeleteAll(buttons_);
    buttons_.clear();
    kinds_ = kinds;
    for (std::size_t i = 0; i < kinds.size(); ++i) {
        auto* button = new QPushButton(
            QStringLiteral("%1  %2").arg(QString::fromStdString(kinds[i].sign), QString::fromStdString(kinds[i].name)));
        button->setObjectName(QStringLiteral("mark-%1").arg(QString::fromStdString(kinds[i].id)));
        button->setCheckable(true);
        button->setProperty("role", "choice");
        button->setToolTip(tr("Key %1").arg(i + 1));
        grid_->addWidget(button, static_cast<int>(i / 2), static_cast<int>(i % 2));
        buttons_.push_back(button);
        connect(button, &QPushButton::clicked, this,
                [this, i](bool checked) { placeView_.mark(nodes_, checked ? kinds_[i].id : std::string()); });
    }
}

void MarkPanel::show(const std::vector<NodeId>& nodes)
{
    nodes_ = nodes;
    const auto* place = places_.place();
    const auto* marks = place->marks.get();
    const auto& kinds = marks ? marks->book().kinds : builtInMarkKinds();
    if (kinds != kinds_)
        makeButtons(kinds);
    const auto node = nodes.front();
    const auto found = marks ? marks->of(node) : TreeMarks::Found{};
    const auto* own = marks ? marks->own(node) : nullptr;
    for (std::size_t i = 0; i < buttons_.size(); ++i)
        buttons_[i]->setChecked(own && own->kind == kinds[i].id);
    QString text;
    if (found.mark && !own)
        text = tr("%1, from %2")
                   .arg(QString::fromStdString(kinds[*marks->book().kindIndex(found.mark->kind)].name),
                        toText(fileName(found.mark->path)));
    if (found.mark && !found.mark->note.empty())
        text += (text.isEmpty() ? QString() : QStringLiteral(": ")) + toText(found.mark->note);
    text_->setText(text);
    text_->setVisible(!text.isEmpty());
}

void askForNote(PlaceStore& places, PlaceView& placeView, const std::vector<NodeId>& nodes, QWidget* parent)
{
    const auto* place = places.place();
    if (!place || nodes.empty())
        return;
    const auto* own = place->marks ? place->marks->own(nodes.front()) : nullptr;
    auto* ask = new QInputDialog(parent);
    ask->setObjectName("noteDialog");
    ask->setAttribute(Qt::WA_DeleteOnClose);
    ask->setWindowTitle(QObject::tr("Note"));
    ask->setLabelText(
        nodes.size() == 1
            ? QObject::tr("Note on %1").arg(cutMiddle(toText(place->tree->label(nodes.front())), fontOf(13), 360))
            : QObject::tr("Note on %1").arg(itemsText(nodes.size(), "item")));
    ask->setTextValue(own ? toText(own->note) : QString());
    ask->resize(420, ask->sizeHint().height());
    QObject::connect(ask, &QInputDialog::textValueSelected, &placeView,
                     [&places, &placeView, nodes, id = place->id](const QString& text) {
                         if (places.place() && places.place()->id == id)
                             placeView.note(nodes, text.trimmed());
                     });
    ask->open();
}

} // namespace kurvo::app
