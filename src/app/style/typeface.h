// SPDX-License-Identifier: GPL-3.0-or-later
// The typeface that Kurvo writes in.
#pragma once

#include <QStringList>

namespace kurvo::app {

/// The families of the typeface, the first that is there is taken. Names of files are read letter by letter, so each
/// letter is drawn as it is: Inter would draw "->" as an arrow and the x of "1920x1080" as a sign of multiplication,
/// and Qt 6.4 has no way to ask it not to. It is therefore loaded a second time, without its table of substitutions
/// (OpenType specification, "GSUB"), under a name of its own; a text so is less than half the work as well.
/// Interface thread only, with an application.
const QStringList& typeface();

/// What is written with the typeface and taken along, with the family as others know it.
QByteArray withKnownFamily(QByteArray svg);

} // namespace kurvo::app
