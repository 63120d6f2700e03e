// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/find/filter_line.h"

#include <QAbstractItemView>
#include <QCompleter>
#include <QCoreApplication>
#include <QInputMethodEvent>
#include <QKeyEvent>
#include <QTextCharFormat>

#include <algorithm>

#include "app/style/theme.h"

namespace kurvo::app {

FilterLine::FilterLine(PlaceStore& places, QWidget* parent)
    : QLineEdit(parent), places_(places), offers_(new QStringListModel(this))
{
    setObjectName("filterLine");
    setAccessibleName(tr("Filter"));
    setToolTip(tr("Help explains the filters"));
    setPlaceholderText(tr("filter: *.wav size>500M age>1y owner:warden"));
    setClearButtonEnabled(true);
    auto* completer = new QCompleter(offers_, this);
    completer->setCompletionMode(QCompleter::PopupCompletion);
    setCompleter(completer);
    connect(this, &QLineEdit::textEdited, this, [this] {
        recalled_ = -1;
        complete();
    });
}

/// The offers are whole lines, so that choosing one keeps what stands before it.
void FilterLine::complete()
{
    const auto bytes = text().left(cursorPosition()).toStdString();
    const auto before = bytes.substr(0, bytes.find_last_of(" \t(") + 1);
    const auto* place = places_.place();
    QStringList lines;
    if (place && cursorPosition() == text().size())
        for (const auto& offer : filterOffers(bytes, {0, place->info.owners, {}, place->marks}))
            lines << QString::fromStdString(before + offer);
    offers_->setStringList(lines);
    if (lines.isEmpty())
        completer()->popup()->hide();
}

void FilterLine::showError(const std::optional<FilterError>& error)
{
    if (!error && !wrong_)
        return; // and nothing that is being composed is disturbed
    wrong_ = error.has_value();
    // A line edit has no formats of its own but those of text that is being composed: none is, only the format stays.
    QList<QInputMethodEvent::Attribute> formats;
    if (error) {
        QTextCharFormat wavy;
        wavy.setUnderlineStyle(QTextCharFormat::WaveUnderline);
        wavy.setUnderlineColor(theme().danger);
        wavy.setForeground(theme().danger);
        const auto bytes = text().toUtf8();
        const auto from = QString::fromUtf8(bytes.left(static_cast<qsizetype>(error->at))).size();
        const auto length =
            QString::fromUtf8(bytes.mid(static_cast<qsizetype>(error->at), static_cast<qsizetype>(error->length)))
                .size();
        formats << QInputMethodEvent::Attribute(QInputMethodEvent::TextFormat,
                                                static_cast<int>(from) - cursorPosition(),
                                                static_cast<int>(std::max<qsizetype>(length, 1)), wavy);
    }
    QInputMethodEvent event(QString(), formats);
    QCoreApplication::sendEvent(this, &event);
}

void FilterLine::remember()
{
    const auto line = text().trimmed();
    if (line.isEmpty())
        return;
    history_.removeAll(line);
    history_.prepend(line);
    constexpr qsizetype most = 50;
    history_ = history_.mid(0, most);
}

void FilterLine::keyPressEvent(QKeyEvent* event)
{
    const bool choosing = completer() && completer()->popup()->isVisible();
    if (!choosing && (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down)) {
        if (recalled_ < 0)
            typed_ = text();
        recalled_ = std::clamp<qsizetype>(recalled_ + (event->key() == Qt::Key_Up ? 1 : -1), -1, history_.size() - 1);
        setText(recalled_ < 0 ? typed_ : history_[recalled_]);
        return;
    }
    if (event->key() == Qt::Key_Escape && !choosing && !text().isEmpty()) {
        clear();
        return;
    }
    QLineEdit::keyPressEvent(event);
}

} // namespace kurvo::app
