// SPDX-License-Identifier: GPL-3.0-or-later
// Taking along what Explore shows: a sheet with title, date, picture and legend as PNG, SVG, on paper or in the
// clipboard, and lists of entries as CSV.
#pragma once

#include <QByteArray>
#include <QImage>
#include <QPainter>

#include "app/pictures/legend.h"
#include "app/services/notices.h"

namespace kurvo::app {

/// Paints the sheet into `area`, always in light colours: it goes into reports and onto paper. `drawn`: for a drawing,
/// which has no patterns.
void paintSheet(QPainter& painter, const QRectF& area, const Place& place, const Legend& legend, bool drawn = false);

QImage sheetImage(const Place& place, const Legend& legend, const QSize& size, double ratio = 2);
QByteArray sheetSvg(const Place& place, const Legend& legend, const QSize& size);

/// One line an entry, RFC 4180: path, kind, on_disk, apparent, files, newest (ISO 8601), hidden. Names as the bytes
/// they are. May run on any thread.
QByteArray listCsv(const FileTree& tree, const std::vector<NodeId>& entries);

/// Writes bytes to a file off the interface thread and says whether it worked.
void saveBytes(Notices& notices, const std::string& path, QByteArray bytes);

} // namespace kurvo::app
