// SPDX-License-Identifier: GPL-3.0-or-later
// The terminal as lines of cells, by ncurses(3): only what changed is sent. All of ncurses stays behind this header.
//
// One thread. There is one Screen at a time.
#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "core/base/result.h"
#include "terminal/cells.h"

namespace kurvo::terminal {

/// What a text means; colours are never the only sign of it. The terminal's own background is left as it is.
enum class Ink {
    Plain,
    Second, ///< beside the point
    Strong, ///< headings, what is current
    Accent, ///< planned, chosen, the keys that work here
    Hidden, ///< hidden items, and care to be taken
    Bar     ///< how much
};

/// One press: `name` says which key it was, "Up", "Ctrl+G", "Alt+M", "Shift+Delete", "F5", or the letter in upper case.
/// What was typed is `text`. "" where nothing came; "Resize"; "Click", "Double", "WheelUp", "WheelDown" with a place.
struct Key {
    std::string name;
    std::string text; ///< bytes of the locale
    int y = 0, x = 0;
};

class Screen {
public:
    static constexpr int leastHeight = 15, leastWidth = 60;
    struct Wish {
        bool mouse = true;
        bool colour = true;
    };
    /// Unsupported, with a sentence, where standard input and output are no terminal or the terminal is not known.
    static Result<std::unique_ptr<Screen>> open(const Wish& wish);
    /// Leaves the terminal as it was.
    ~Screen();
    Screen(const Screen&) = delete;
    Screen& operator=(const Screen&) = delete;

    int height() const;
    int width() const;
    bool isLargeEnough() const { return height() >= leastHeight && width() >= leastWidth; }
    /// Lines and blocks can be drawn with characters beyond ASCII.
    bool hasUtf8() const { return utf8_; }

    /// Begins an empty screen; nothing is sent before show().
    void begin();
    /// Writes text in at most `room` cells, cut where it is longer; returns how many it took.
    int put(int y, int x, std::string_view bytes, int room, Ink ink = Ink::Plain, Cut cut = Cut::End);
    int put(int y, int x, std::wstring_view text, int room, Ink ink = Ink::Plain, Cut cut = Cut::End);
    /// The same, ending at cell `x + room`.
    void putRight(int y, int x, std::string_view bytes, int room, Ink ink = Ink::Plain);
    /// A bar of `width` cells filled by `part` of 0 to 1, of which the last `hidden` of 0 to 1 is hidden.
    void bar(int y, int x, int width, double part, double hidden = 0);
    /// Shows cells as chosen.
    void invert(int y, int x, int width);
    void rule(int y);
    /// Where the next character will be typed; none is shown when not called after begin().
    void cursor(int y, int x);
    void show();
    /// Takes on the size that the terminal has now; read() tells "Resize" next when it is another one.
    void fit();
    /// Sends everything anew, for a screen that something else wrote on.
    void redraw();

    /// The next key that has come, without waiting.
    Key read();

private:
    explicit Screen(const Wish& wish);
    Key mouse();
    unsigned long attributes(Ink ink) const;

    bool utf8_ = false;
    int colours_ = 0;
    bool cursorShown_ = false;
    int lastY_ = -1, lastX_ = -1; ///< of the click before,
    std::int64_t lastClick_ = 0;  ///< and when it was, ms
};

/// What a Screen that was killed left behind is sent away: colours, a hidden cursor, the other screen, the mouse.
void putTerminalBack();

} // namespace kurvo::terminal
