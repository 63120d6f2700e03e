// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/panels/preview_panel.h"

#include <QCoreApplication>
#include <QDir>
#include <QEvent>
#include <QFile>
#include <QFileInfo>
#include <QFontDatabase>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QKeyEvent>
#include <QVBoxLayout>

#include "app/services/listen.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

constexpr int patienceMs = 6000;
constexpr QSize pictureSize(680, 440);
constexpr qsizetype mostBytes = 64 << 20;

} // namespace

PreviewPanel::PreviewPanel(PlaceStore& places, Cursor& cursor, QWidget* over)
    : QFrame(over), places_(places), cursor_(cursor), name_(new QLabel), facts_(new QLabel), picture_(new QLabel),
      text_(new QPlainTextEdit), note_(new QLabel)
{
    setObjectName("preview");
    setProperty("role", "card");
    hide();
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(18, 14, 18, 12);
    layout->setSpacing(8);
    name_->setProperty("role", "heading");
    name_->setObjectName("previewName");
    facts_->setObjectName("previewFacts");
    facts_->setProperty("role", "second");
    facts_->setWordWrap(true);
    facts_->setTextFormat(Qt::PlainText);
    picture_->setObjectName("previewPicture");
    picture_->setAlignment(Qt::AlignCenter);
    text_->setObjectName("previewText");
    text_->setReadOnly(true);
    text_->setLineWrapMode(QPlainTextEdit::NoWrap);
    text_->setFocusPolicy(Qt::ClickFocus);
    auto font = QFontDatabase::systemFont(QFontDatabase::FixedFont);
    font.setPixelSize(13);
    text_->setFont(font);
    note_->setObjectName("previewNote");
    note_->setWordWrap(true);
    note_->setAlignment(Qt::AlignCenter);
    auto* keys = new QLabel(tr("Space or Escape closes. Another item that is selected is shown here."));
    keys->setProperty("role", "small");
    layout->addWidget(name_);
    layout->addWidget(facts_);
    layout->addWidget(picture_, 1);
    layout->addWidget(text_, 1);
    layout->addWidget(note_, 1);
    layout->addWidget(keys);
    over->installEventFilter(this);
    text_->installEventFilter(this);
    patience_.setSingleShot(true);
    patience_.setInterval(patienceMs);
    connect(&patience_, &QTimer::timeout, this, [this] {
        end();
        showNote(tr("It takes too long to be shown. Open it instead (Ctrl+Enter)."));
    });
    listen(
        this,
        [this] {
            if (isVisible())
                follow();
        },
        cursor_, &Cursor::selectionChanged, cursor_, &Cursor::focusChanged, places_, &PlaceStore::placeChanged);
}

PreviewPanel::~PreviewPanel()
{
    end();
}

QString PreviewPanel::workerProgram()
{
    const QDir here(QCoreApplication::applicationDirPath());
    for (const auto* beside : {"../libexec/kurvo-preview", "libexec/kurvo-preview", "kurvo-preview",
                               "../preview/kurvo-preview", "../src/preview/kurvo-preview"})
        if (const QFileInfo file(here.filePath(QString::fromLatin1(beside)));
            file.isExecutable()) // installed, and as built
            return file.canonicalFilePath();
    return {};
}

void PreviewPanel::toggle()
{
    if (isVisible()) {
        end();
        hide();
        return;
    }
    if (!places_.place())
        return;
    node_ = noNode;
    place();
    show();
    raise();
    follow();
}

void PreviewPanel::place()
{
    const auto room = parentWidget()->size();
    // Between descent and dossier where there is room, so that one can walk on.
    constexpr int left = 346, right = 284;
    if (room.width() - left - right >= pictureSize.width() / 10 * 9) {
        setGeometry(left, 130, room.width() - left - right, std::min(room.height() - 190, pictureSize.height() + 150));
        return;
    }
    const QSize size = QSize(pictureSize.width() + 60, pictureSize.height() + 150).boundedTo(room - QSize(40, 40));
    setGeometry((room.width() - size.width()) / 2, (room.height() - size.height()) / 2, size.width(), size.height());
}

bool PreviewPanel::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == parentWidget() && event->type() == QEvent::Resize && isVisible())
        place();
    if (watched == text_ && event->type() == QEvent::KeyPress)
        if (const auto* key = static_cast<QKeyEvent*>(event);
            key->key() == Qt::Key_Space || key->key() == Qt::Key_Escape) {
            toggle();
            return true;
        }
    return QFrame::eventFilter(watched, event);
}

void PreviewPanel::follow()
{
    const auto* place = places_.place();
    if (!place) {
        end();
        return hide();
    }
    const auto node = place->selection != noNode ? place->selection : place->focus;
    if (node == node_ && store_ == place->tree->sharedStore())
        return;
    node_ = node;
    store_ = place->tree->sharedStore();
    end();
    const auto& tree = *place->tree;
    name_->setText(cutMiddle(toText(tree.label(node)), fontOf(15, QFont::DemiBold), width() - 60));
    name_->setToolTip(toText(tree.path(node)));
    facts_->setText(tr("%1 · changed %2").arg(sizeText(tree.disk(node)), whenText(tree.newest(node))));
    if (tree.isFolder(node))
        return showFolder(node);
    if (place->fromSnapshot)
        return showNote(place->info.sample
                            ? tr("Sample data: this file does not exist. The practice folder has real ones.")
                            : tr("A snapshot holds no contents. Scan the place to look into its files."));
    if (tree.store().kind(node) != EntryKind::File)
        return showNote(tr("This is no file with content."));
    ask(tree.path(node));
}

/// Its largest entries, from the tree.
void PreviewPanel::showFolder(NodeId folder)
{
    const auto& tree = *places_.place()->tree;
    constexpr std::size_t most = 40;
    QString lines;
    auto children = tree.sortedChildren(folder, Measure::Disk);
    for (std::size_t i = 0; i < std::min(children.size(), most); ++i)
        lines += QStringLiteral("%1  %2%3\n")
                     .arg(sizeText(tree.disk(children[i])), 10)
                     .arg(toText(tree.name(children[i])), tree.isFolder(children[i]) ? "/" : "");
    if (children.size() > most)
        lines += QString(12, QLatin1Char(' ')) + tr("and %1 more").arg(children.size() - most) + QLatin1Char('\n');
    facts_->setText(tr("%1 · %2").arg(facts_->text(), itemsText(tree.sums(folder).files, "file")));
    if (children.empty())
        return showNote(tr("This folder is empty."));
    text_->setPlainText(lines);
    text_->show();
    picture_->hide();
    note_->hide();
}

void PreviewPanel::showNote(const QString& note)
{
    settled_ = true;
    picture_->hide();
    text_->hide();
    note_->setText(note);
    note_->show();
}

void PreviewPanel::end()
{
    patience_.stop();
    settled_ = true;
    if (!worker_)
        return;
    worker_->disconnect(this);
    connect(worker_, &QProcess::finished, worker_, &QObject::deleteLater);
    worker_->kill();
    if (worker_->state() == QProcess::NotRunning)
        worker_->deleteLater();
    worker_ = nullptr;
}

void PreviewPanel::ask(const std::string& path)
{
    const auto program = workerProgram();
    if (program.isEmpty())
        return showNote(tr("kurvo-preview was not found beside this program: install Kurvo again."));
    showNote(tr("Loading…"));
    settled_ = false;
    worker_ = new QProcess(this);
    worker_->setProgram(program);
    worker_->setArguments(
        {QFile::decodeName(path.c_str()), QString::number(pictureSize.width()), QString::number(pictureSize.height())});
    worker_->setStandardErrorFile(QProcess::nullDevice());
    connect(worker_, &QProcess::finished, this, [this](int code, QProcess::ExitStatus status) {
        const auto answer = worker_->readAllStandardOutput();
        patience_.stop();
        settled_ = true;
        worker_->deleteLater();
        worker_ = nullptr;
        if (status != QProcess::NormalExit || code != 0 || answer.size() > mostBytes)
            return showNote(
                tr("This file cannot be shown: it is broken, or needs too much memory or time. Nothing else "
                   "was affected."));
        take(answer);
    });
    connect(worker_, &QProcess::errorOccurred, this, [this](QProcess::ProcessError error) {
        if (error != QProcess::FailedToStart)
            return;
        end();
        showNote(tr("kurvo-preview could not be started."));
    });
    connect(worker_, &QProcess::readyReadStandardOutput, this, [this] {
        if (worker_->bytesAvailable() <= mostBytes)
            return;
        end();
        showNote(tr("This file cannot be shown: what it holds is too large."));
    });
    worker_->start(QIODevice::ReadOnly);
    patience_.start();
}

void PreviewPanel::take(const QByteArray& answer)
{
    const auto line = answer.indexOf('\n');
    const auto head = QJsonDocument::fromJson(answer.left(line)).object();
    const auto bytes = answer.mid(line + 1);
    QStringList facts{facts_->text()};
    for (const auto fact : head["facts"].toArray())
        facts << QStringLiteral("%1: %2").arg(fact.toArray().at(0).toString(), fact.toArray().at(1).toString());
    const auto note = head["note"].toString();
    if (!note.isEmpty())
        facts << note;
    facts_->setText(facts.join(QStringLiteral(" · ")));
    const auto kind = head["kind"].toString();
    QPixmap pixmap;
    if (kind == "picture" && pixmap.loadFromData(bytes, "PNG")) {
        const QSize free(width() - 40, height() - 150);
        picture_->setPixmap(pixmap.width() > free.width() || pixmap.height() > free.height()
                                ? pixmap.scaled(free, Qt::KeepAspectRatio, Qt::SmoothTransformation)
                                : pixmap);
        picture_->show();
        text_->hide();
        note_->hide();
    } else if (kind == "text") {
        text_->setPlainText(QString::fromUtf8(bytes));
        text_->show();
        picture_->hide();
        note_->hide();
    } else {
        showNote(note.isEmpty() ? tr("There is nothing more to be shown of this type.") : note);
    }
}

} // namespace kurvo::app
