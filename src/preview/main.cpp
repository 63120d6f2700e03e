// SPDX-License-Identifier: GPL-3.0-or-later
// kurvo-preview PATH WIDTH HEIGHT: one line of JSON and the bytes of a picture or text on standard output. Started by
// the window for each preview and killed when it takes long; it may crash on a broken file, and nothing else does then.
//
// It runs nothing, writes nothing and reaches no network: its memory, time and files are limited before anything is
// read.
#include <QGuiApplication>

#include <fcntl.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>

#include <nlohmann/json.hpp>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/preview/preview.h"
#include "preview/decoders.h"

using namespace kurvo;

namespace {

constexpr std::size_t textBytes = 64 << 10;
constexpr std::size_t hexBytes = 1024;

void limit(int what, rlim_t most)
{
    const rlimit bounds{most, most};
    ::setrlimit(static_cast<__rlimit_resource>(what), &bounds);
}

std::string readAt(int fd, std::uint64_t offset, std::size_t size)
{
    std::string bytes(size, '\0');
    const auto got = ::pread(fd, bytes.data(), size, static_cast<off_t>(offset));
    bytes.resize(static_cast<std::size_t>(std::max<ssize_t>(got, 0)));
    return bytes;
}

void showVideo(int fd, std::uint64_t size, preview::Shown& shown)
{
    const auto facts = mediaFacts([fd](std::uint64_t at, std::size_t n) { return readAt(fd, at, n); }, size);
    if (!facts)
        return;
    shown.facts.emplace_back("Film", facts->container);
    if (facts->width > 0)
        shown.facts.emplace_back("Picture", std::to_string(facts->width) + " × " + std::to_string(facts->height));
    if (facts->seconds > 0) {
        const auto seconds = static_cast<std::uint64_t>(facts->seconds);
        shown.facts.emplace_back("Length",
                                 std::to_string(seconds / 60) + " min " + std::to_string(seconds % 60) + " s");
    }
    std::string codecs;
    for (const auto& codec : facts->codecs)
        codecs += (codecs.empty() ? "" : ", ") + codec;
    if (!codecs.empty())
        shown.facts.emplace_back("Tracks", displayText(codecs));
}

void show(int fd, std::uint64_t size, const QSize& most, preview::Shown& shown)
{
    const auto beginning = readAt(fd, 0, 4096);
    switch (previewKindOf(beginning)) {
    case PreviewKind::Empty:
        shown.note = size == 0 ? "The file is empty." : "The file cannot be read.";
        return;
    case PreviewKind::Picture:
        preview::showPicture(fd, most, shown);
        break;
    case PreviewKind::Pdf:
        preview::showPdf(fd, most, shown);
        break;
    case PreviewKind::Sound:
        preview::showSound(fd, shown);
        break;
    case PreviewKind::Video:
        showVideo(fd, size, shown);
        break;
    case PreviewKind::Archive:
        preview::showArchive(fd, shown);
        break;
    case PreviewKind::Text:
        if (const auto bytes = readAt(fd, 0, textBytes); auto text = asText(bytes, size > textBytes)) {
            shown.kind = "text";
            shown.facts.emplace_back("Text", text->encoding + (size > textBytes ? ", the first 64 KiB" : ""));
            shown.data = QByteArray::fromStdString(text->text);
        }
        break;
    case PreviewKind::Bytes:
        break;
    }
    if (shown.kind != "none" || !shown.facts.empty())
        return;
    shown.kind = "text";
    shown.facts.emplace_back("Bytes", size > hexBytes ? "the first " + formatBytes(hexBytes) : "all of them");
    shown.data = QByteArray::fromStdString(hexLines(readAt(fd, 0, hexBytes)));
}

} // namespace

int main(int argc, char** argv)
{
    if (argc != 4)
        return 2;
    ::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0);
    ::prctl(PR_SET_PDEATHSIG, SIGKILL, 0, 0, 0);
    preview::Shown shown;
    shown.kind = "none";
    const int fd = ::open(argv[1], O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC | O_NOCTTY);
    struct stat s { };
    if (fd < 0 || ::fstat(fd, &s) != 0) {
        shown.note = "It cannot be read: " + systemErrorText(errno) + ".";
    } else if (!S_ISREG(s.st_mode)) {
        shown.note = "This is no file with content.";
    } else {
        qputenv("QT_QPA_PLATFORM", "offscreen");
        const QGuiApplication application(argc, argv); // pictures and pages need its fonts and plugins
        limit(RLIMIT_CORE, 0);
        limit(RLIMIT_FSIZE, 0);
        limit(RLIMIT_CPU, 5);
#if !defined(__SANITIZE_ADDRESS__)
        limit(RLIMIT_AS, rlim_t{3} << 29);
#endif
        try {
            show(fd, static_cast<std::uint64_t>(s.st_size),
                 QSize(std::atoi(argv[2]), std::atoi(argv[3])).boundedTo(QSize(4000, 4000)).expandedTo(QSize(16, 16)),
                 shown);
        } catch (const std::exception&) { // no memory left, as a rule
            shown = {};
            shown.kind = "none";
            shown.note = "This file is too large, or too broken, to be shown.";
        }
    }
    nlohmann::json head{{"kind", shown.kind}, {"note", shown.note}, {"bytes", shown.data.size()}};
    head["facts"] = shown.facts;
    const auto line = head.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
    std::fwrite(line.data(), 1, line.size(), stdout);
    std::fwrite(shown.data.constData(), 1, static_cast<std::size_t>(shown.data.size()), stdout);
    return std::fflush(stdout) == 0 ? 0 : 3;
}
