// SPDX-License-Identifier: GPL-3.0-or-later
// Runs a program in a pseudo-terminal and reads its screen, as libvterm understands what was sent.
#pragma once

#include <sys/types.h>
#include <termios.h>

#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <vector>

struct VTerm;
struct VTermScreen;

namespace kurvo::test {

class PseudoTerminal {
public:
    struct Wish {
        int rows = 24, columns = 80;
        std::vector<std::string>
            environment;  ///< "NAME=value"; TERM and LANG are xterm-256color and C.UTF-8 unless given
        std::string home; ///< of data, config and snapshots
    };
    PseudoTerminal(const std::vector<std::string>& command, const Wish& wish);
    ~PseudoTerminal();
    PseudoTerminal(const PseudoTerminal&) = delete;
    PseudoTerminal& operator=(const PseudoTerminal&) = delete;

    /// Types these bytes.
    void type(const std::string& bytes);
    void resize(int rows, int columns);
    /// Reads what the program sends until `holds` does; false when it did not within half a minute.
    bool until(const std::function<bool()>& holds);
    bool untilShown(const std::string& text);
    bool untilGone(const std::string& text);
    /// Until nothing has been sent for a moment.
    void settle();
    /// Until the program has ended; its exit status, or 128 and the signal; -1 when it did not end.
    int untilEnded();
    void kill(int signal);
    pid_t pid() const { return pid_; }
    /// As when the connection is lost.
    void hangUp();

    std::string line(int row) const;
    std::string screen() const;
    bool shows(const std::string& text) const { return screen().find(text) != std::string::npos; }
    /// The row that a text is in; -1 where it is not shown.
    int rowOf(const std::string& text) const;
    bool isInverted(int row, int column) const;
    bool anyColour() const;
    /// The program has asked for clicks.
    bool takesMouse() const;

    /// What a program that has ended must leave: the main screen, a cursor that is seen, no mouse, the line settings.
    std::string whatIsLeft() const;
    std::uint64_t bytesSent() const { return sent_; }
    const std::string& raw() const { return raw_; }

    // Told by libvterm.
    bool altScreen = false, cursorVisible = true;

private:
    bool pump(int milliseconds);
    int master_ = -1;
    pid_t pid_ = -1;
    int status_ = -1;
    bool ended_ = false;
    termios before_{};
    VTerm* vterm_ = nullptr;
    VTermScreen* screen_ = nullptr;
    int rows_, columns_;
    std::uint64_t sent_ = 0;
    std::string raw_; ///< the last of what was sent
};

} // namespace kurvo::test
