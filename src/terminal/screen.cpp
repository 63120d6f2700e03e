// SPDX-License-Identifier: GPL-3.0-or-later
#include "terminal/screen.h"

#define NCURSES_WIDECHAR 1
#define NCURSES_NOMACROS 1
#include <curses.h>
#include <term.h>

#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <climits>
#include <clocale>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cwchar>

#include <fmt/format.h>

#undef erase
#undef bar

namespace kurvo::terminal {
namespace {

constexpr short accentPair = 1, hiddenPair = 2, barPair = 3;

/// Legible on light and on dark, since what the background is cannot be told.
void choosePairs()
{
    ::start_color(); // only then COLORS is known
    ::use_default_colors();
    const int colours = COLORS;
    const bool direct = colours > 0x10000, many = colours >= 256;
    const int accent = direct ? 0x0087AF : many ? 31 : COLOR_MAGENTA;
    const int hidden = direct ? 0xB06000 : many ? 130 : COLOR_RED;
    const int bar = direct ? 0x5F87AF : many ? 67 : -1;
    ::init_extended_pair(accentPair, accent, -1);
    ::init_extended_pair(hiddenPair, hidden, -1);
    ::init_extended_pair(barPair, bar, -1);
}

/// As the locale has it, which is how names of files are typed.
std::string bytesOf(wint_t c)
{
    char bytes[MB_LEN_MAX];
    std::mbstate_t state{};
    const auto length = std::wcrtomb(bytes, static_cast<wchar_t>(c), &state);
    return length == static_cast<std::size_t>(-1) ? std::string() : std::string(bytes, length);
}

std::string upper(wint_t c)
{
    return c >= 'a' && c <= 'z' ? std::string(1, static_cast<char>(c - 32)) : bytesOf(c);
}

std::string nameOfCode(wint_t code)
{
    switch (code) {
    case KEY_UP:
        return "Up";
    case KEY_DOWN:
        return "Down";
    case KEY_LEFT:
        return "Left";
    case KEY_RIGHT:
        return "Right";
    case KEY_SR:
        return "Shift+Up";
    case KEY_SF:
        return "Shift+Down";
    case KEY_SLEFT:
        return "Shift+Left";
    case KEY_SRIGHT:
        return "Shift+Right";
    case KEY_PPAGE:
        return "PageUp";
    case KEY_NPAGE:
        return "PageDown";
    case KEY_HOME:
        return "Home";
    case KEY_END:
        return "End";
    case KEY_DC:
        return "Delete";
    case KEY_SDC:
        return "Shift+Delete";
    case KEY_IC:
        return "Insert";
    case KEY_BACKSPACE:
        return "Backspace";
    case KEY_ENTER:
        return "Enter";
    case KEY_BTAB:
        return "Shift+Tab";
    case KEY_RESIZE:
        return "Resize";
    default:
        return code >= KEY_F(1) && code <= KEY_F(24) ? fmt::format("F{}", code - KEY_F0) : std::string();
    }
}

std::int64_t milliseconds()
{
    using namespace std::chrono;
    return duration_cast<std::chrono::milliseconds>(steady_clock::now().time_since_epoch()).count();
}

} // namespace

Result<std::unique_ptr<Screen>> Screen::open(const Wish& wish)
{
    const auto unsupported = [](std::string sentence) {
        return Error{ErrorKind::Unsupported, {}, 0, std::move(sentence)};
    };
    if (::isatty(STDIN_FILENO) != 1 || ::isatty(STDOUT_FILENO) != 1)
        return unsupported("The terminal view needs a terminal. In scripts use the other commands; \"kurvoctl help\" "
                           "lists them.");
    const char* term = std::getenv("TERM");
    int problem = 0;
    if (::setupterm(nullptr, STDOUT_FILENO, &problem) != OK)
        return unsupported(fmt::format("The terminal {} is not known here. Set TERM to one that is, such as xterm or "
                                       "vt100.",
                                       term && *term ? cellText(term).empty() ? "" : term : "(TERM is not set)"));
    if (!::tigetstr("cup") || ::tigetstr("cup") == reinterpret_cast<char*>(-1))
        return unsupported(std::string("The terminal ") + (term ? term : "") +
                           " cannot be written to at any place. Set TERM to what it really is.");
    std::unique_ptr<Screen> screen(new Screen(wish));
    return screen;
}

Screen::Screen(const Wish& wish)
{
    ::set_escdelay(50);
    ::initscr();
    ::cbreak();
    ::noecho();
    ::nonl();
    ::intrflush(stdscr, FALSE);
    ::keypad(stdscr, TRUE);
    ::nodelay(stdscr, TRUE);
    ::meta(stdscr, TRUE);
    ::idlok(stdscr, TRUE);
    ::curs_set(0);
    utf8_ = localeHasUtf8();
    const char* none = std::getenv("NO_COLOR"); // no-color.org: present and not empty
    if (wish.colour && !(none && *none) && ::has_colors()) {
        choosePairs();
        colours_ = COLORS;
    }
    if (wish.mouse) {
        ::mousemask(BUTTON1_PRESSED | BUTTON4_PRESSED | BUTTON5_PRESSED, nullptr);
        ::mouseinterval(0);
    }
}

Screen::~Screen()
{
    ::mousemask(0, nullptr);
    ::endwin();
}

int Screen::height() const
{
    return getmaxy(stdscr);
}

int Screen::width() const
{
    return getmaxx(stdscr);
}

void Screen::begin()
{
    ::werase(stdscr);
    cursorShown_ = false;
}

unsigned long Screen::attributes(Ink ink) const
{
    switch (ink) {
    case Ink::Second:
        return colours_ > 0 ? A_DIM : A_NORMAL;
    case Ink::Strong:
        return A_BOLD;
    case Ink::Accent:
        return A_BOLD;
    case Ink::Hidden:
        return colours_ > 0 ? A_NORMAL : A_UNDERLINE;
    default:
        return A_NORMAL;
    }
}

int Screen::put(int y, int x, std::wstring_view text, int room, Ink ink, Cut cut)
{
    room = std::min(room, width() - x);
    if (y < 0 || y >= height() || x < 0 || room <= 0)
        return 0;
    const auto shown = cutTo(text, room, cut);
    const int pair = colours_ == 0        ? 0
                     : ink == Ink::Accent ? accentPair
                     : ink == Ink::Hidden ? hiddenPair
                     : ink == Ink::Bar    ? barPair
                                          : 0;
    ::wattr_set(stdscr, static_cast<attr_t>(attributes(ink)), static_cast<short>(pair), nullptr);
    ::mvwaddnwstr(stdscr, y, x, shown.c_str(), static_cast<int>(shown.size()));
    ::wattr_set(stdscr, A_NORMAL, 0, nullptr);
    return cellsOf(shown);
}

int Screen::put(int y, int x, std::string_view bytes, int room, Ink ink, Cut cut)
{
    return put(y, x, std::wstring_view(cellText(bytes)), room, ink, cut);
}

void Screen::putRight(int y, int x, std::string_view bytes, int room, Ink ink)
{
    const auto text = cutTo(cellText(bytes), room);
    put(y, x + room - cellsOf(text), std::wstring_view(text), room, ink);
}

void Screen::bar(int y, int x, int width, double part, double hidden)
{
    const auto cells = [width](double share) {
        return static_cast<int>(std::lround(std::clamp(share, 0.0, 1.0) * width));
    };
    const int filled = part > 0 ? std::max(1, cells(part)) : 0;
    const int hiddenCells = std::min(filled, hidden > 0 ? std::max(1, cells(part * hidden)) : 0);
    const auto piece = [&](int at, int many, wchar_t pretty, wchar_t plain, Ink ink) {
        if (many > 0)
            put(y, x + at, std::wstring_view(std::wstring(static_cast<std::size_t>(many), utf8_ ? pretty : plain)),
                many, ink);
    };
    piece(0, filled - hiddenCells, L'\x2501', L'=', Ink::Bar);
    piece(filled - hiddenCells, hiddenCells, L'\x254D', L':', Ink::Hidden); // as hidden bars are hatched in the window
    piece(filled, width - filled, L'\x2508', L'.', Ink::Second);
}

void Screen::invert(int y, int x, int width)
{
    ::mvwchgat(stdscr, y, x, width, A_REVERSE, 0, nullptr);
}

void Screen::rule(int y)
{
    put(y, 0, std::wstring_view(std::wstring(static_cast<std::size_t>(width()), utf8_ ? L'\x2500' : L'-')), width(),
        Ink::Second);
}

void Screen::cursor(int y, int x)
{
    cursorShown_ = true;
    ::wmove(stdscr, y, std::min(x, width() - 1));
}

void Screen::show()
{
    if (!cursorShown_)
        ::wmove(stdscr, height() - 1, width() - 1);
    ::curs_set(cursorShown_ ? 1 : 0);
    ::wrefresh(stdscr);
}

void Screen::fit()
{
    winsize size{};
    if (::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_row > 0 && size.ws_col > 0)
        ::resizeterm(size.ws_row, size.ws_col);
}

void Screen::redraw()
{
    ::clearok(stdscr, TRUE);
}

Key Screen::mouse()
{
    MEVENT event;
    if (::getmouse(&event) != OK)
        return {};
    Key key{{}, {}, event.y, event.x};
    if (event.bstate & BUTTON4_PRESSED) {
        key.name = "WheelUp";
    } else if (event.bstate & BUTTON5_PRESSED) {
        key.name = "WheelDown";
    } else if (event.bstate & BUTTON1_PRESSED) {
        constexpr std::int64_t doubleWithin = 400;
        const auto now = milliseconds();
        const bool again = event.y == lastY_ && now - lastClick_ <= doubleWithin;
        key.name = again ? "Double" : "Click";
        lastY_ = again ? -1 : event.y;
        lastClick_ = now;
    }
    return key;
}

Key Screen::read()
{
    wint_t c = 0;
    const int what = ::wget_wch(stdscr, &c);
    if (what == ERR)
        return {};
    if (what == KEY_CODE_YES)
        return c == KEY_MOUSE ? mouse() : Key{nameOfCode(c), {}, 0, 0};
    switch (c) {
    case 27: {
        wint_t next = 0;
        const int follows = ::wget_wch(stdscr, &next);
        if (follows == OK && next > 32 && next != 127)
            return {"Alt+" + upper(next), {}, 0, 0};
        if (follows == KEY_CODE_YES && (next == KEY_LEFT || next == KEY_RIGHT || next == KEY_UP || next == KEY_DOWN))
            return {"Alt+" + nameOfCode(next), {}, 0, 0};
        if (follows == OK || follows == KEY_CODE_YES)
            follows == OK ? ::unget_wch(static_cast<wchar_t>(next)) : ::ungetch(static_cast<int>(next));
        return {"Escape", {}, 0, 0};
    }
    case '\r':
    case '\n':
        return {"Enter", {}, 0, 0};
    case '\t':
        return {"Tab", {}, 0, 0};
    case 8:
    case 127:
        return {"Backspace", {}, 0, 0};
    case ' ':
        return {"Space", " ", 0, 0};
    default:
        break;
    }
    if (c < 32)
        return {std::string("Ctrl+") + static_cast<char>('@' + c), {}, 0, 0};
    return {upper(c), bytesOf(c), 0, 0};
}

void putTerminalBack()
{
    int problem = 0;
    if (::setupterm(nullptr, STDOUT_FILENO, &problem) != OK)
        return;
    for (const char* name : {"sgr0", "rmcup", "cnorm", "rmkx"})
        if (const char* text = ::tigetstr(name); text && text != reinterpret_cast<char*>(-1))
            ::putp(text);
    if (const char* mouse = ::tigetstr("kmous"); mouse && mouse != reinterpret_cast<char*>(-1))
        std::fputs("\033[?1000l\033[?1006l", stdout);
    std::fflush(stdout);
}

} // namespace kurvo::terminal
