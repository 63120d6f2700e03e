// SPDX-License-Identifier: GPL-3.0-or-later
// Text as a terminal can show it. Names are bytes that anybody may have chosen: what reaches the screen from here has
// only characters whose width the terminal and Kurvo agree on, and none that commands a terminal.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace kurvo::terminal {

/// Whether the locale that setlocale(3) was given takes UTF-8. Without it everything beyond ASCII is shown as '?'.
bool localeHasUtf8();

/// One screen character a cell or two. Control characters, bytes that are no UTF-8, direction marks, joiners and
/// whatever has no width of its own become U+FFFD; at most two combining marks stay with a character.
std::wstring cellText(std::string_view bytes);

/// How many cells it takes; of what cellText() returned.
int cellsOf(std::wstring_view text);

/// Letters that are written from the right, which some terminals put elsewhere in the line.
bool hasRightToLeft(std::wstring_view text);

/// Where a text is cut that is too long: its end for sentences, its middle for names and paths.
enum class Cut { End, Middle };
std::wstring cutTo(std::wstring_view text, int cells, Cut cut = Cut::End);

/// Lines of at most `cells`, broken between words where there are such.
std::vector<std::wstring> foldedTo(std::wstring_view text, int cells);

} // namespace kurvo::terminal
