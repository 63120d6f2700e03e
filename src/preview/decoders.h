// SPDX-License-Identifier: GPL-3.0-or-later
// Opening what needs a decoder: pictures, PDF, sound, archives. Any of these may fail on a broken file, take too long
// or crash: this runs in a process of its own that is limited and thrown away.
#pragma once

#include <QByteArray>
#include <QSize>

#include <string>
#include <utility>
#include <vector>

namespace kurvo::preview {

struct Shown {
    std::string kind; ///< "picture" (data is PNG), "text" (data is UTF-8), "none"
    std::vector<std::pair<std::string, std::string>> facts;
    std::string note; ///< why there is no more
    QByteArray data;
};

/// The file is read through its descriptor, which stands at its beginning.
void showPicture(int fd, const QSize& most, Shown& shown);
void showPdf(int fd, const QSize& most, Shown& shown);
void showSound(int fd, Shown& shown);
void showArchive(int fd, Shown& shown);

} // namespace kurvo::preview
