// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pictures/picture_export.h"

#include <QBuffer>
#include <QSvgGenerator>

#include "app/pictures/picture.h"
#include "app/services/async.h"
#include "app/style/theme.h"
#include "app/style/typeface.h"
#include "app/style/words.h"
#include "core/base/text.h"
#include "core/explore/type_table.h"
#include "core/platform/atomic_file.h"

namespace kurvo::app {
namespace {

/// Families as bands: the file types on a sheet.
void paintBands(QPainter& painter, const QRectF& area, const Place& place)
{
    const auto table = typeTable(*place.shown(), place.focus, place.view.measure);
    const double line = std::min(40.0, area.height() / std::max<double>(1, static_cast<double>(table.families.size())));
    double y = area.y();
    for (const auto& family : table.families) {
        const double share =
            table.total == 0 ? 0 : static_cast<double>(family.figures.size) / static_cast<double>(table.total);
        const auto size =
            place.view.measure == Measure::Files ? countText(family.figures.size) : sizeText(family.figures.size);
        painter.setPen(theme().text);
        painter.setFont(fontOf(13, QFont::DemiBold));
        painter.drawText(QRectF(area.x(), y, 140, line - 10), Qt::AlignVCenter | Qt::AlignLeft,
                         QString::fromLatin1(familyName(family.family)));
        painter.setFont(fontOf(11));
        painter.drawText(
            QRectF(area.x() + 140, y, area.width() - 140, line - 10), Qt::AlignVCenter | Qt::AlignLeft,
            QStringLiteral("%1 · %2 · %3")
                .arg(shareText(family.figures.size, table.total), size, itemsText(family.figures.files, "file")));
        painter.fillRect(QRectF(area.x(), y + line - 10, std::max(2.0, area.width() * share), 6),
                         familyColour(family.family));
        y += line;
    }
}

} // namespace

void paintSheet(QPainter& painter, const QRectF& area, const Place& place, const Legend& legend, bool drawn)
{
    const LightPaper light;
    constexpr double margin = 24;
    painter.fillRect(area, theme().panel);
    const auto inner = area.adjusted(margin, margin - 6, -margin, -margin + 6);
    painter.setPen(theme().text);
    painter.setFont(fontOf(20, QFont::DemiBold));
    const auto path = toText(place.tree->path(place.focus));
    painter.drawText(QRectF(inner.x(), inner.y(), inner.width(), 28), Qt::AlignLeft | Qt::AlignVCenter,
                     cutMiddle(path, painter.font(), static_cast<int>(inner.width())));
    painter.setFont(fontOf(13));
    painter.setPen(theme().textSecond);
    const auto measured = place.shown()->measured(place.focus, place.view.measure);
    painter.drawText(
        QRectF(inner.x(), inner.y() + 28, inner.width(), 20), Qt::AlignLeft | Qt::AlignVCenter,
        QObject::tr("%1 · %2 · %3 · scanned %4")
            .arg(place.view.measure == Measure::Files ? itemsText(measured, "file") : sizeText(measured),
                 place.view.measure == Measure::Apparent ? QObject::tr("apparent size")
                 : place.view.measure == Measure::Files  ? QObject::tr("file count")
                                                         : QObject::tr("size on disk"),
                 toText(place.info.host),
                 place.info.partial
                     ? QObject::tr("%1 (partial)").arg(QString::fromStdString(formatTime(place.info.taken)))
                     : QString::fromStdString(formatTime(place.info.taken))));
    const QRectF room = inner.adjusted(0, 56, 0, -30);
    if (isTable(place.view.picture))
        return paintBands(painter, room, place);
    painter.save();
    painter.translate(room.topLeft());
    const auto picture = layOutPicture(place, room.size());
    picture->paint(painter, CellColours(place, place.view.measure, drawn));
    painter.restore();
    auto entries = legend.entries();
    painter.setFont(fontOf(11));
    painter.setPen(theme().textSecond);
    const auto title = legend.title();
    const int wide = QFontMetrics(painter.font()).horizontalAdvance(title) + 14;
    const QRect line = QRectF(inner.x(), inner.bottom() - 24, inner.width(), 26).toRect();
    painter.drawText(line, Qt::AlignLeft | Qt::AlignVCenter, title);
    Legend::paintEntries(painter, line.adjusted(wide, 0, 0, 0), entries, place.lit);
}

QImage sheetImage(const Place& place, const Legend& legend, const QSize& size, double ratio)
{
    QImage image(size * ratio, QImage::Format_RGB32);
    image.setDevicePixelRatio(ratio);
    QPainter painter(&image);
    paintSheet(painter, QRectF(QPointF(), size), place, legend);
    return image;
}

QByteArray sheetSvg(const Place& place, const Legend& legend, const QSize& size)
{
    QBuffer buffer;
    buffer.open(QIODevice::WriteOnly);
    QSvgGenerator svg;
    svg.setOutputDevice(&buffer);
    svg.setSize(size);
    svg.setViewBox(QRect(QPoint(), size));
    svg.setResolution(96);
    svg.setTitle(toText(place.tree->path(place.focus)));
    {
        QPainter painter(&svg);
        paintSheet(painter, QRectF(QPointF(), size), place, legend, true);
    }
    return withKnownFamily(buffer.data());
}

QByteArray listCsv(const FileTree& tree, const std::vector<NodeId>& entries)
{
    QByteArray out("path,kind,on_disk,apparent,files,newest,hidden\r\n");
    static constexpr const char* kinds[] = {"file",   "folder",       "symbolic link",   "fifo",
                                            "socket", "block device", "character device"};
    for (const NodeId child : entries) {
        out += QByteArray::fromStdString(csvField(tree.path(child))) + ',' +
               kinds[static_cast<std::size_t>(tree.store().kind(child))] + ',' +
               QByteArray::number(static_cast<qulonglong>(tree.disk(child))) + ',' +
               QByteArray::number(static_cast<qulonglong>(tree.apparent(child))) + ',' +
               QByteArray::number(static_cast<qulonglong>(tree.files(child))) + ',' +
               QByteArray::fromStdString(formatTime(tree.newest(child))) + ',' + (tree.isHidden(child) ? "yes" : "no") +
               "\r\n";
    }
    return out;
}

void saveBytes(Notices& notices, const std::string& path, QByteArray bytes)
{
    runAsync(
        &notices,
        [path, bytes = std::move(bytes)]() -> Result<Done> {
            auto file = AtomicFile::create(path, AtomicFile::Readers::AsUsual);
            if (!file)
                return file.error();
            file->write(bytes.constData(), static_cast<std::size_t>(bytes.size()));
            return file->commit();
        },
        [&notices, path](const Result<Done>& written) {
            if (written)
                notices.say(QObject::tr("Saved as %1.").arg(toText(path)));
            else
                notices.say(QString::fromStdString(written.error().sentence), Severity::Problem);
        });
}

} // namespace kurvo::app
