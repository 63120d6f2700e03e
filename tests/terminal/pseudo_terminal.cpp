// SPDX-License-Identifier: GPL-3.0-or-later
#include "terminal/pseudo_terminal.h"

#include <fcntl.h>
#include <poll.h>
#include <pty.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <unistd.h>
#include <utmp.h>
#include <vterm.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <cstring>

namespace kurvo::test {
namespace {

int onProperty(VTermProp property, VTermValue* value, void* user)
{
    auto& terminal = *static_cast<PseudoTerminal*>(user);
    if (property == VTERM_PROP_ALTSCREEN)
        terminal.altScreen = value->boolean != 0;
    else if (property == VTERM_PROP_CURSORVISIBLE)
        terminal.cursorVisible = value->boolean != 0;
    return 1;
}

VTermScreenCallbacks callbacks()
{
    VTermScreenCallbacks all{};
    all.settermprop = onProperty;
    return all;
}
const VTermScreenCallbacks screenCallbacks = callbacks();

std::string utf8Of(std::uint32_t c)
{
    std::string out;
    if (c < 0x80)
        out += static_cast<char>(c);
    else if (c < 0x800)
        (out += static_cast<char>(0xC0 | c >> 6)) += static_cast<char>(0x80 | (c & 0x3F));
    else if (c < 0x10000)
        ((out += static_cast<char>(0xE0 | c >> 12)) += static_cast<char>(0x80 | (c >> 6 & 0x3F))) +=
            static_cast<char>(0x80 | (c & 0x3F));
    else
        (((out += static_cast<char>(0xF0 | c >> 18)) += static_cast<char>(0x80 | (c >> 12 & 0x3F))) +=
         static_cast<char>(0x80 | (c >> 6 & 0x3F))) += static_cast<char>(0x80 | (c & 0x3F));
    return out;
}

} // namespace

PseudoTerminal::PseudoTerminal(const std::vector<std::string>& command, const Wish& wish)
    : rows_(wish.rows), columns_(wish.columns)
{
    vterm_ = vterm_new(rows_, columns_);
    vterm_set_utf8(vterm_, 1);
    screen_ = vterm_obtain_screen(vterm_);
    vterm_screen_set_callbacks(screen_, &screenCallbacks, this);
    vterm_screen_enable_altscreen(screen_, 1);
    vterm_screen_reset(screen_, 1);
    winsize size{};
    size.ws_row = static_cast<unsigned short>(rows_);
    size.ws_col = static_cast<unsigned short>(columns_);
    int slave = -1;
    if (::openpty(&master_, &slave, nullptr, nullptr, &size) != 0)
        std::abort();
    ::tcgetattr(slave, &before_);
    pid_ = ::fork();
    if (pid_ == 0) {
        ::close(master_);
        ::login_tty(slave);
        // Whoever runs the tests may ignore some.
        for (const int signal : {SIGINT, SIGQUIT, SIGTSTP, SIGTTIN, SIGTTOU, SIGHUP, SIGTERM, SIGPIPE})
            std::signal(signal, SIG_DFL);
        (void)!::chdir(wish.home.c_str()); // names typed without a folder
        std::vector<std::string> words{"TERM=xterm-256color",
                                       "LANG=C.UTF-8",
                                       "LC_ALL=C.UTF-8",
                                       std::string("PATH=") + std::getenv("PATH"),
                                       "HOME=" + wish.home,
                                       "XDG_DATA_HOME=" + wish.home + "/data",
                                       "XDG_CONFIG_HOME=" + wish.home + "/config"};
        for (const char* name : {"ASAN_OPTIONS", "LSAN_OPTIONS", "TSAN_OPTIONS", "UBSAN_OPTIONS"})
            if (const char* value = std::getenv(name))
                words.push_back(std::string(name) + "=" + value);
        for (const auto& word : wish.environment) {
            const auto name = word.substr(0, word.find('=') + 1);
            std::erase_if(words, [&](const std::string& one) { return one.starts_with(name); });
            words.push_back(word);
        }
        std::vector<char*> arguments, environment;
        for (const auto& word : command)
            arguments.push_back(const_cast<char*>(word.c_str()));
        for (auto& word : words)
            environment.push_back(word.data());
        arguments.push_back(nullptr);
        environment.push_back(nullptr);
        ::execvpe(arguments[0], arguments.data(), environment.data());
        ::_exit(127);
    }
    ::close(slave);
    ::fcntl(master_, F_SETFL, O_NONBLOCK);
}

PseudoTerminal::~PseudoTerminal()
{
    if (!ended_) {
        ::kill(pid_, SIGKILL);
        ::waitpid(pid_, nullptr, 0);
    }
    if (master_ >= 0)
        ::close(master_);
    vterm_free(vterm_);
}

/// Takes what has come; false when nothing did.
bool PseudoTerminal::pump(int milliseconds)
{
    if (master_ < 0)
        return false;
    pollfd wait{master_, POLLIN, 0};
    if (::poll(&wait, 1, milliseconds) <= 0)
        return false;
    char bytes[16384];
    const auto n = ::read(master_, bytes, sizeof bytes);
    if (n <= 0) {
        ::usleep(10'000); // its end is closed: what comes next is the program's end
        return false;
    }
    sent_ += static_cast<std::uint64_t>(n);
    raw_.append(bytes, static_cast<std::size_t>(n));
    constexpr std::size_t most = 1 << 20;
    if (raw_.size() > 2 * most)
        raw_.erase(0, raw_.size() - most);
    vterm_input_write(vterm_, bytes, static_cast<std::size_t>(n));
    char answer[256];
    for (auto m = vterm_output_read(vterm_, answer, sizeof answer); m > 0;
         m = vterm_output_read(vterm_, answer, sizeof answer))
        (void)!::write(master_, answer, m);
    return true;
}

void PseudoTerminal::type(const std::string& bytes)
{
    for (std::size_t at = 0; at < bytes.size();) {
        const auto n = ::write(master_, bytes.data() + at, bytes.size() - at);
        if (n > 0)
            at += static_cast<std::size_t>(n);
        else if (errno == EAGAIN)
            pump(20);
        else
            return;
    }
}

void PseudoTerminal::resize(int rows, int columns)
{
    rows_ = rows;
    columns_ = columns;
    vterm_set_size(vterm_, rows, columns);
    winsize size{};
    size.ws_row = static_cast<unsigned short>(rows);
    size.ws_col = static_cast<unsigned short>(columns);
    ::ioctl(master_, TIOCSWINSZ, &size);
}

bool PseudoTerminal::until(const std::function<bool()>& holds)
{
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(60);
    while (!holds()) {
        if (std::chrono::steady_clock::now() > end)
            return false;
        pump(50);
    }
    return true;
}

bool PseudoTerminal::untilShown(const std::string& text)
{
    return until([&] { return shows(text); });
}

bool PseudoTerminal::untilGone(const std::string& text)
{
    return until([&] { return !shows(text); });
}

void PseudoTerminal::settle()
{
    while (pump(150)) { }
}

int PseudoTerminal::untilEnded()
{
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(60);
    while (!ended_ && std::chrono::steady_clock::now() < end) {
        int how = 0;
        if (::waitpid(pid_, &how, WNOHANG) == pid_) {
            ended_ = true;
            status_ = WIFEXITED(how) ? WEXITSTATUS(how) : 128 + WTERMSIG(how);
        }
        pump(20);
    }
    while (pump(20)) { }
    return ended_ ? status_ : -1;
}

void PseudoTerminal::kill(int signal)
{
    ::kill(pid_, signal);
}

void PseudoTerminal::hangUp()
{
    ::close(master_);
    master_ = -1;
}

std::string PseudoTerminal::line(int row) const
{
    std::string out;
    for (int column = 0; column < columns_;) {
        VTermScreenCell cell{};
        vterm_screen_get_cell(screen_, {row, column}, &cell);
        if (cell.chars[0] == 0)
            out += ' ';
        for (int i = 0; i < VTERM_MAX_CHARS_PER_CELL && cell.chars[i] != 0; ++i)
            out += utf8Of(cell.chars[i]);
        column += std::max(1, static_cast<int>(cell.width));
    }
    out.erase(out.find_last_not_of(' ') + 1);
    return out;
}

std::string PseudoTerminal::screen() const
{
    std::string out;
    for (int row = 0; row < rows_; ++row)
        out += line(row) + '\n';
    return out;
}

int PseudoTerminal::rowOf(const std::string& text) const
{
    for (int row = 0; row < rows_; ++row)
        if (line(row).find(text) != std::string::npos)
            return row;
    return -1;
}

bool PseudoTerminal::isInverted(int row, int column) const
{
    VTermScreenCell cell{};
    vterm_screen_get_cell(screen_, {row, column}, &cell);
    return cell.attrs.reverse != 0;
}

bool PseudoTerminal::anyColour() const
{
    for (int row = 0; row < rows_; ++row)
        for (int column = 0; column < columns_; ++column) {
            VTermScreenCell cell{};
            vterm_screen_get_cell(screen_, {row, column}, &cell);
            if (!VTERM_COLOR_IS_DEFAULT_FG(&cell.fg))
                return true;
        }
    return false;
}

bool PseudoTerminal::takesMouse() const
{
    // libvterm heeds only the first of several modes that are set at once.
    const auto on = raw_.rfind("1000h"), off = raw_.rfind("1000l");
    return on != raw_.npos && (off == raw_.npos || on > off);
}

std::string PseudoTerminal::whatIsLeft() const
{
    std::string left;
    if (altScreen)
        left += "the other screen; ";
    if (!cursorVisible)
        left += "no cursor; ";
    if (takesMouse())
        left += "the mouse; ";
    termios now{};
    if (::tcgetattr(master_, &now) != 0 || now.c_lflag != before_.c_lflag || now.c_iflag != before_.c_iflag ||
        now.c_oflag != before_.c_oflag)
        left += "line settings; ";
    return left;
}

} // namespace kurvo::test
