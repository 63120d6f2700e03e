// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/find/question_list.h"

#include <QPainter>
#include <QStyledItemDelegate>

#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

/// A question with its count and bytes.
class QuestionPainter : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {100, 39}; }
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override
    {
        const auto& t = theme();
        const bool selected = (option.state & QStyle::State_Selected) != 0;
        if (selected)
            painter->fillRect(option.rect, t.accentFill);
        const bool none = index.data(Qt::UserRole + 1).toULongLong() == 0;
        const QRect inner = option.rect.adjusted(14, 3, -12, -3);
        painter->setFont(fontOf(13, selected ? QFont::DemiBold : QFont::Normal));
        painter->setPen(none ? t.textSecond : t.text);
        painter->drawText(QRect(inner.x(), inner.y(), inner.width(), 18), Qt::AlignLeft | Qt::AlignVCenter,
                          index.data().toString());
        painter->setFont(fontOf(11));
        painter->setPen(t.textSecond);
        painter->drawText(QRect(inner.x(), inner.y() + 18, inner.width(), 15), Qt::AlignLeft | Qt::AlignVCenter,
                          index.data(Qt::UserRole).toString());
        if (selected && (option.state & QStyle::State_HasFocus) != 0) {
            painter->setPen(QPen(t.accent, 2));
            painter->setBrush(Qt::NoBrush);
            painter->drawRect(option.rect.adjusted(1, 1, -1, -1));
        }
    }
};

} // namespace

QString questionText(Question question)
{
    const std::array<QString, questionCount> texts{QObject::tr("Largest files"),
                                                   QObject::tr("Large and hidden"),
                                                   QObject::tr("Hidden folders"),
                                                   QObject::tr("Old and large"),
                                                   QObject::tr("Trash"),
                                                   QObject::tr("Caches and temporary"),
                                                   QObject::tr("Logs and crash dumps"),
                                                   QObject::tr("Leftovers"),
                                                   QObject::tr("Installers, disk images"),
                                                   QObject::tr("Old kernels"),
                                                   QObject::tr("Folders with many files"),
                                                   QObject::tr("Sparse files"),
                                                   QObject::tr("Preallocated space"),
                                                   QObject::tr("Hard links")};
    return texts[static_cast<std::size_t>(question)];
}

QString questionAdvice(Question question)
{
    const std::array<QString, questionCount> texts{
        QString(),
        QObject::tr("Hidden files belong to programs. Find out which before one goes."),
        QObject::tr("What a file manager does not show. A program keeps its settings there as well."),
        QObject::tr("Old is not useless: ask the owner, or move it to another drive."),
        QObject::tr("This space comes free only when the trash is emptied."),
        QObject::tr("Programs make these again when they need them. Close the program first."),
        QObject::tr("A log that grows has a cause: find that, too. Dumps may still be wanted for a report."),
        QObject::tr("A lock or partial file may be in use at this moment."),
        QObject::tr("A disk image can be somebody's virtual machine."),
        QObject::tr(
            "They go with their packages, by the package manager. The newest and the one that runs are left out."),
        QObject::tr("Ten thousand small files take more than they look. Often one program makes them."),
        QObject::tr("Their length says little: only what is on disk comes free."),
        QObject::tr("A program keeps these blocks to write into later. Their length is less than what comes free."),
        QObject::tr("Space comes free only when the last path of a file goes.")};
    return texts[static_cast<std::size_t>(question)];
}

QuestionList::QuestionList(QWidget* parent) : QListWidget(parent)
{
    setObjectName("questions");
    setAccessibleName(tr("Ready-made questions"));
    setMinimumWidth(208);
    setFrameShape(QFrame::NoFrame);
    setItemDelegate(new QuestionPainter(this));
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    addItem(tr("What stands out"));
    item(0)->setData(Qt::UserRole + 1, 1);
    for (std::size_t q = 0; q < questionCount; ++q)
        addItem(questionText(static_cast<Question>(q)));
}

void QuestionList::setAnswers(const std::array<Answer, questionCount>& answers)
{
    for (std::size_t q = 0; q < questionCount; ++q) {
        auto* row = item(rowOf(static_cast<Question>(q)));
        const auto& answer = answers[q];
        const auto* noun = findsFolders(static_cast<Question>(q)) ? "folder" : "file";
        const auto figures =
            answer.found == 0 ? tr("none") : tr("%1, %2").arg(itemsText(answer.found, noun), sizeText(answer.disk));
        row->setData(Qt::UserRole, figures);
        row->setData(Qt::UserRole + 1, static_cast<qulonglong>(answer.found));
        row->setData(Qt::AccessibleTextRole, QStringLiteral("%1, %2").arg(row->text(), figures));
    }
}

} // namespace kurvo::app
