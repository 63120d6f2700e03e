// SPDX-License-Identifier: GPL-3.0-or-later
#include "preview/decoders.h"

#include <QBuffer>
#include <QFile>
#include <QImage>
#include <QImageReader>

#include <archive.h>
#include <archive_entry.h>
#include <fileref.h>
#include <poppler-qt6.h>
#include <tag.h>
#include <tfilestream.h>

#include <algorithm>
#include <memory>

#include "core/base/figures.h"
#include "core/base/text.h"

namespace kurvo::preview {
namespace {

QByteArray asPng(const QImage& image)
{
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    image.save(&buffer, "PNG");
    return bytes;
}

std::string sizeOf(const QSize& size)
{
    return std::to_string(size.width()) + " × " + std::to_string(size.height());
}

} // namespace

void showPicture(int fd, const QSize& most, Shown& shown)
{
    QFile file;
    if (!file.open(fd, QIODevice::ReadOnly))
        return;
    QImageReader::setAllocationLimit(256);
    QImageReader reader(&file);
    reader.setAutoTransform(true);
    const auto size = reader.size();
    if (size.isValid()) {
        shown.facts.emplace_back("Picture", sizeOf(size) + ", " + reader.format().toUpper().toStdString());
        if (size.width() > most.width() || size.height() > most.height())
            reader.setScaledSize(size.scaled(most, Qt::KeepAspectRatio).expandedTo(QSize(1, 1)));
    }
    const auto image = reader.read();
    if (image.isNull()) {
        shown.note = "This picture cannot be shown: " + reader.errorString().toLower().toStdString() + ".";
        return;
    }
    shown.kind = "picture";
    shown.data = asPng(image.width() > most.width() || image.height() > most.height()
                           ? image.scaled(most, Qt::KeepAspectRatio, Qt::SmoothTransformation)
                           : image);
}

void showPdf(int fd, const QSize& most, Shown& shown)
{
    constexpr qint64 largest = 256 << 20;
    QFile file;
    if (!file.open(fd, QIODevice::ReadOnly) || file.size() > largest) {
        shown.note = "This PDF is too large to be shown.";
        return;
    }
    const auto document = Poppler::Document::loadFromData(file.readAll());
    if (!document || document->isLocked() || document->numPages() < 1) {
        shown.note =
            document && document->isLocked() ? "This PDF is locked with a password." : "This PDF cannot be read.";
        return;
    }
    shown.facts.emplace_back("PDF", formatItems(static_cast<std::uint64_t>(document->numPages()), "page"));
    if (const auto title = document->title().simplified(); !title.isEmpty())
        shown.facts.emplace_back("Title", displayText(title.left(200).toStdString()));
    const auto page = document->page(0);
    if (!page)
        return;
    const auto points = page->pageSizeF();
    const double scale =
        std::min(most.width() / std::max(points.width(), 1.0), most.height() / std::max(points.height(), 1.0));
    document->setRenderHint(Poppler::Document::Antialiasing);
    document->setRenderHint(Poppler::Document::TextAntialiasing);
    const auto image = page->renderToImage(72 * scale, 72 * scale);
    if (image.isNull()) {
        shown.note = "The first page cannot be drawn.";
        return;
    }
    shown.kind = "picture";
    shown.data = asPng(image);
}

void showSound(int fd, Shown& shown)
{
    TagLib::FileStream stream(fd, true);
    // A descriptor has no extension to tell the format by: the content does.
    const TagLib::FileRef file(&stream, true, TagLib::AudioProperties::Fast);
    if (file.isNull() || !file.audioProperties()) {
        shown.note = "The headers of this recording cannot be read.";
        return;
    }
    const auto& sound = *file.audioProperties();
    const auto seconds = sound.lengthInSeconds();
    shown.facts.emplace_back("Length", std::to_string(seconds / 60) + " min " + std::to_string(seconds % 60) + " s");
    if (sound.sampleRate() > 0)
        shown.facts.emplace_back("Sound",
                                 std::to_string(sound.sampleRate()) + " Hz, " +
                                     formatItems(static_cast<std::uint64_t>(std::max(sound.channels(), 0)), "channel"));
    if (sound.bitrate() > 0)
        shown.facts.emplace_back("Bit rate", std::to_string(sound.bitrate()) + " kbit/s");
    if (const auto* tag = file.tag()) {
        const std::pair<const char*, TagLib::String> texts[] = {
            {"Title", tag->title()}, {"By", tag->artist()}, {"Of", tag->album()}};
        for (const auto& [name, text] : texts)
            if (!text.isEmpty())
                shown.facts.emplace_back(name, displayText(text.to8Bit(true).substr(0, 200)));
    }
}

void showArchive(int fd, Shown& shown)
{
    constexpr std::size_t most = 400;
    const std::unique_ptr<archive, int (*)(archive*)> reader(archive_read_new(), archive_read_free);
    archive_read_support_filter_all(reader.get());
    archive_read_support_format_all(reader.get());
    archive_read_support_format_raw(reader.get());
    if (archive_read_open_fd(reader.get(), fd, 1 << 16) != ARCHIVE_OK) {
        shown.note = "The list of this archive cannot be read.";
        return;
    }
    std::string lines;
    std::size_t count = 0;
    archive_entry* entry = nullptr;
    int status = ARCHIVE_OK;
    while (count < most && (status = archive_read_next_header(reader.get(), &entry)) >= ARCHIVE_WARN &&
           status != ARCHIVE_EOF) {
        const auto* name = archive_entry_pathname(entry);
        const auto size =
            archive_entry_size_is_set(entry) != 0
                ? formatBytes(static_cast<std::uint64_t>(std::max<la_int64_t>(archive_entry_size(entry), 0)))
                : std::string("?");
        lines += std::string(size.size() < 10 ? 10 - size.size() : 0, ' ') + size + "  " +
                 displayText(name ? name : "?") + "\n";
        ++count;
    }
    if (count == 0) {
        shown.note = "The list of this archive cannot be read.";
        return;
    }
    if (const auto* format = archive_format_name(reader.get()))
        shown.facts.emplace_back("Archive", displayText(format));
    shown.facts.emplace_back("Holds", count == most ? "more than " + formatItems(most, "entry", "entries")
                                                    : formatItems(count, "entry", "entries"));
    if (status < ARCHIVE_WARN)
        shown.note = "The archive is damaged after these.";
    shown.kind = "text";
    shown.data = QByteArray::fromStdString(lines);
}

} // namespace kurvo::preview
